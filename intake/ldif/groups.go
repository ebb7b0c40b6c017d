package ldif

import (
	"encoding/binary"
	"hash/maphash"
	"slices"

	"yewcone/core/hashes"
)

// Groups knows who is in which group, also through other groups. Of members that
// are no groups it keeps no names, only hashes: there may be a million.
type Groups struct {
	seed     maphash.Seed
	numbers  map[string]uint32 // of groups, by normal DN
	groups   []group
	members  hashes.Index // the last membership of each member
	links    hashes.List[link]
	bySignIn bool // some members are known by sign-in name only
	closed   bool
}

type group struct {
	dn, name string
	hash     uint64
	named    bool
	above    []string // names of it and of all above
	settled  bool
}

// link is a membership. Those of one member are in a circle: behind the last comes
// the first.
type link struct{ group, next uint32 }

// NewGroups returns an empty list.
func NewGroups() *Groups {
	return &Groups{seed: maphash.MakeSeed(), numbers: map[string]uint32{}}
}

// number returns the number of a group.
func (g *Groups) number(dn string) uint32 {
	n, ok := g.numbers[dn]
	if !ok {
		n = uint32(len(g.groups))
		g.numbers[dn] = n
		g.groups = append(g.groups, group{dn: dn, hash: g.hash(dn)})
	}
	return n
}

func (g *Groups) hash(member string) uint64 { return max(1, maphash.String(g.seed, member)) }

// Name records the name of a group, by its normal DN.
func (g *Groups) Name(dn, name string) {
	x := &g.groups[g.number(dn)]
	x.name, x.named = name, true
}

// Add records a member of a group, both by normal DN.
func (g *Groups) Add(member, group string) {
	key, n := g.hash(member), g.number(group)
	last, known := g.members.Find(key)
	if !known {
		at := g.links.Add(link{group: n})
		g.links.At(at).next = at
		g.members.Put(key, at)
		return
	}
	first := g.links.At(last).next
	for at := first; ; at = g.links.At(at).next {
		if g.links.At(at).group == n {
			return
		}
		if at == last {
			break
		}
	}
	at := g.links.Add(link{n, first})
	g.links.At(last).next = at
	g.members.Put(key, at)
}

// AddSignIn records a member of a group that is known by sign-in name only.
func (g *Groups) AddSignIn(login, group string) {
	g.bySignIn = true
	g.Add(bySignIn+login, group)
}

// bySignIn stands before the names of such members.
const bySignIn = "uid:"

// OfEither is Of a member whom groups may know by distinguished name or by sign-in name.
func (g *Groups) OfEither(names []string, dn, login string) []string {
	if names = g.Of(names, dn); g.bySignIn {
		names = g.Of(names, bySignIn+login)
	}
	return names
}

// appendDirect adds the groups that a member is in itself, known by distinguished name or
// by sign-in name, in their order.
func (g *Groups) appendDirect(key []byte, dn, login string) []byte {
	add := func(n uint32) bool {
		key = binary.LittleEndian.AppendUint32(key, n)
		return true
	}
	if g.direct(g.hash(dn), add); g.bySignIn {
		key = append(key, 0)
		g.direct(g.hash(bySignIn+login), add)
	}
	return key
}

// direct calls do for the groups of a member, until it returns false.
func (g *Groups) direct(member uint64, do func(group uint32) bool) {
	last, known := g.members.Find(member)
	if !known {
		return
	}
	for at := g.links.At(last).next; ; at = g.links.At(at).next {
		if !do(g.links.At(at).group) || at == last {
			return
		}
	}
}

// Of appends the names of all groups of a member, also through other
// groups; circles are walked once. It is for use after the last Add.
func (g *Groups) Of(names []string, member string) []string {
	g.direct(g.hash(member), func(n uint32) bool {
		names = g.with(names, n)
		return true
	})
	return names
}

// With appends the names of a group, by its normal DN, and of all that it is in.
func (g *Groups) With(names []string, dn string) []string {
	if n, ok := g.numbers[dn]; ok {
		return g.with(names, n)
	}
	return names
}

func (g *Groups) with(names []string, n uint32) []string {
	for _, name := range g.above(n) {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return names
}

// Direct reports whether a group has a member itself, not through others.
func (g *Groups) Direct(member, group string) (found bool) {
	wanted, ok := g.numbers[group]
	if !ok {
		return false
	}
	g.direct(g.hash(member), func(n uint32) bool {
		found = n == wanted
		return !found
	})
	return found
}

// Close works out what is above each group, so that the groups can be asked
// from several sides at the same time. Nothing may be added afterwards.
func (g *Groups) Close() {
	for n := range g.groups {
		g.above(uint32(n))
	}
	g.closed = true
}

// above are the names of a group and of all groups that it is in.
func (g *Groups) above(n uint32) []string {
	x := &g.groups[n]
	if x.settled {
		return x.above
	}
	var names []string
	g.walk([]string{x.dn}, func(n uint32) {
		if g.groups[n].named {
			names = append(names, g.groups[n].name)
		}
	})
	if !g.closed {
		x.above, x.settled = names, true
	}
	return names
}

// walk calls do once for each group among the given members, and for each that
// these are in, also through others: the nearest first.
func (g *Groups) walk(members []string, do func(n uint32)) {
	var room [fewGroups]uint32
	queue := room[:0] // and what was in it
	var seen map[uint32]bool
	enter := func(n uint32) bool {
		if seen == nil && len(queue) < fewGroups && !slices.Contains(queue, n) {
			queue = append(queue, n)
			return true
		}
		if len(queue) >= fewGroups && seen == nil {
			seen = map[uint32]bool{}
			for _, n := range queue {
				seen[n] = true
			}
		}
		if seen != nil && !seen[n] {
			seen[n] = true
			queue = append(queue, n)
		}
		return true
	}
	for _, m := range members {
		if n, ok := g.numbers[m]; ok {
			enter(n)
		}
	}
	for _, m := range members {
		if _, ok := g.numbers[m]; !ok {
			g.direct(g.hash(m), enter)
		}
	}
	for at := 0; at < len(queue); at++ {
		do(queue[at])
		g.direct(g.groups[queue[at]].hash, enter)
	}
}

// fewGroups are looked through one by one.
const fewGroups = 32

// DNs returns the normal DNs of all groups of the given members, also through
// other groups; members that are groups themselves are in the list.
func (g *Groups) DNs(members []string) []string {
	var all []string
	g.walk(members, func(n uint32) {
		if g.groups[n].named {
			all = append(all, g.groups[n].dn)
		}
	})
	return all
}
