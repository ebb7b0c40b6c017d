package audit

import (
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"

	"yewcone/core/facts"
	"yewcone/core/hashes"

	"golang.org/x/sync/errgroup"
)

// names finds accounts that stand in an export twice: a file that was named or
// appended twice. Up to a million it knows each; of more it knows a share, which
// shows whether a file is doubled.
type names struct {
	parted
	shift  int             // only hashes that begin with so many zeros are kept
	fresh  byZeros         // hashes that the census does not count yet
	census *census         // of all engines that read the export
	twice  map[uint64]bool // names that stand twice; true once the first was met again
	left   []facts.Origin  // of accounts that were left out, the first of them
	more   int             // others
}

// parted are hashes by how they end.
type parted struct {
	parts [hashParts]hashesOf
	room  []uint64   // for blocks to come
	spare [][]uint64 // blocks that are empty again
	count int
}

// hashesOf are hashes that end alike, in blocks: a list that grows would be copied again
// and again.
type hashesOf [][]uint64

const (
	hashParts = 64      // so that the marks of one stay near
	hashBlock = 1 << 9  // hashes in a block
	hashRoom  = 1 << 14 // that are made room for together
	settledBy = 1 << 14 // after so many names the others are told of them
)

// mostNames bounds how many names are kept of an export.
const mostNames = 1 << 20

// byZeros counts hashes by how many zeros they begin with.
type byZeros [65]int

// A census counts the names that all engines met which read an export, so that what is
// kept of them depends on the names alone, and not on who met how many.
type census struct {
	sync.Mutex
	met   byZeros
	shift int // the smallest that leaves few enough
}

// take counts more names.
func (c *census) take(fresh *byZeros) (shift int) {
	c.Lock()
	defer c.Unlock()
	for zeros, n := range fresh {
		c.met[zeros] += n
	}
	*fresh = byZeros{}
	kept := 0
	for _, n := range c.met[c.shift:] {
		kept += n
	}
	for ; kept > mostNames; c.shift++ {
		kept -= c.met[c.shift]
	}
	return c.shift
}

// hash is what stands for an account: its distinguished name, or its sign-in name
// within its policy, which is its host where there are several.
func (n *names) hash(a *facts.Account) uint64 {
	if a.DN != "" {
		return hashes.Text(hashes.Name, a.DN)
	}
	return hashes.Text(hashes.Name, a.Login) ^ within(a.Policy)
}

// within is what the policy adds to the hash of a sign-in name.
func within(policy string) uint64 {
	if policy == "" {
		return 0
	}
	return bits.RotateLeft64(hashes.Text(hashes.Within, policy), 1)
}

func (n *names) addHash(h uint64) {
	if h<<n.shift>>n.shift != h {
		return
	}
	n.add(h)
	n.fresh[bits.LeadingZeros64(h)]++
	if n.count%settledBy == 0 {
		n.settle()
	}
}

func (p *parted) add(h uint64) {
	part := &p.parts[h%hashParts]
	if last := len(*part) - 1; last < 0 || len((*part)[last]) == hashBlock {
		p.begin(part)
	}
	block := &(*part)[len(*part)-1]
	*block = append(*block, h)
	p.count++
}

// begin adds an empty block.
func (p *parted) begin(part *hashesOf) {
	if last := len(p.spare) - 1; last >= 0 {
		*part = append(*part, p.spare[last])
		p.spare = p.spare[:last]
		return
	}
	if len(p.room) == 0 {
		p.room = make([]uint64, hashRoom)
	}
	*part = append(*part, p.room[:0:hashBlock])
	p.room = p.room[hashBlock:]
}

// addAll adds what others hold.
func (p *parted) addAll(o *parted) {
	for i := range p.parts {
		p.parts[i] = append(p.parts[i], o.parts[i]...)
	}
	p.count += o.count
}

// settle has the names counted, and keeps of them what all leave room for.
func (n *names) settle() {
	if n.census == nil {
		n.census = &census{}
	}
	if shift := n.census.take(&n.fresh); shift > n.shift {
		n.shift = shift
		n.thin()
	}
}

// thin keeps only the hashes that the shift leaves, in blocks that are full.
func (n *names) thin() {
	n.count = 0
	for i, before := range n.parts {
		var kept hashesOf
		for _, block := range before { // each is read before it is written to
			for _, h := range block {
				if h<<n.shift>>n.shift != h {
					continue
				}
				if last := len(kept) - 1; last < 0 || len(kept[last]) == hashBlock {
					kept = append(kept, before[len(kept)][:0:hashBlock])
				}
				last := &kept[len(kept)-1]
				*last = append(*last, h)
				n.count++
			}
		}
		for _, block := range before[len(kept):] {
			n.spare = append(n.spare, block[:0])
		}
		n.parts[i] = kept
	}
}

// merge adds what another engine met in the same export.
func (n *names) merge(o *names) {
	o.settle()
	n.settle()
	if n.addAll(&o.parted); n.shift != o.shift {
		n.thin()
	}
}

// doubled returns the names that stand twice, and lets go of all.
func (n *names) doubled(jobs int) map[uint64]bool {
	n.settle()
	return n.parted.doubled(jobs)
}

// doubled returns the hashes that stand twice, nil for none, and lets go of all. It looks
// for them in as many goroutines as there are jobs.
func (p *parted) doubled(jobs int) map[uint64]bool {
	parts := p.parts
	*p = parted{}
	var found [hashParts][]uint64
	var next atomic.Int32
	var group errgroup.Group
	for range max(1, jobs) {
		group.Go(func() error {
			var m marks
			for i := next.Add(1) - 1; i < hashParts; i = next.Add(1) - 1 {
				found[i] = parts[i].doubled(&m)
			}
			return nil
		})
	}
	_ = group.Wait() // none fails
	var list map[uint64]bool
	for _, part := range found {
		for _, h := range part {
			if list == nil {
				list = map[uint64]bool{}
			}
			list[h] = false
		}
	}
	return list
}

// doubled returns the hashes that stand twice; m is marks to begin with.
func (p hashesOf) doubled(m *marks) (list []uint64) {
	m.begin(p, 0x9e3779b97f4a7c15)
	suspects := m.again(p)
	if len(suspects) == 0 {
		return nil
	}
	m.begin(p, 0xd6e8feb86659fd93)
	m.again(hashesOf{suspects})
	suspects = m.marked(p)
	slices.Sort(suspects)
	for i := 1; i < len(suspects); i++ {
		if h := suspects[i]; h == suspects[i-1] {
			list = append(list, h)
		}
	}
	return slices.Compact(list)
}

// marks are bits that hashes are marked by: one of which the bit is not marked is not
// among them. There are few enough of them for the cache, sixteen for each hash or more.
type marks struct {
	words  []uint64
	factor uint64 // which bit a hash has depends on it
	shift  int
}

// begin makes marks of their own for some hashes, of which none is marked.
func (m *marks) begin(hashes hashesOf, factor uint64) {
	count := 64
	for _, block := range hashes {
		count += len(block)
	}
	wide := bits.Len(uint(count)) - 2
	m.words, m.factor, m.shift = slices.Grow(m.words[:0], 1<<wide)[:1<<wide], factor, 64-wide-6
	clear(m.words)
}

func (m *marks) bit(h uint64) (word *uint64, bit uint64) {
	at := h * m.factor >> m.shift
	return &m.words[at>>6], 1 << (at & 63)
}

// again marks hashes, and returns those whose bit was marked already.
func (m *marks) again(hashes hashesOf) (list []uint64) {
	for _, block := range hashes {
		for _, h := range block {
			word, bit := m.bit(h)
			if *word&bit != 0 {
				list = append(list, h)
			}
			*word |= bit
		}
	}
	return list
}

// marked returns hashes whose bit is marked.
func (m *marks) marked(hashes hashesOf) (list []uint64) {
	for _, block := range hashes {
		for _, h := range block {
			if word, bit := m.bit(h); *word&bit != 0 {
				list = append(list, h)
			}
		}
	}
	return list
}

// again reports whether an account was met before.
func (n *names) again(a *facts.Account) bool {
	if n.twice == nil {
		return false
	}
	h := n.hash(a)
	met, twice := n.twice[h]
	if twice {
		n.twice[h] = true
	}
	return met
}

// leave notes an account that was left out.
func (n *names) leave(origin facts.Origin) {
	if len(n.left) < leftShown {
		n.left = append(n.left, origin)
	} else {
		n.more++
	}
}

// leftShown is how many accounts that stand twice are named.
const leftShown = 20

// tell notes what was left out.
func (n *names) tell(notes *facts.Notes) {
	for _, origin := range n.left {
		notes.Refuse(origin, "the account stands in the export before this, and is counted once")
	}
	for range n.more {
		notes.Refuse(facts.Origin{}, "the account stands in the export before this, and is counted once")
	}
}

// readOnce reads an export, and once more where accounts stand twice in it, now
// without those that were met before.
func readOnce(e *engine, jobs int) (*engine, error) {
	notes := e.subject.Export.Notes()
	e.readRecord()
	before := notes.Clone()
	if err := e.read(jobs); err != nil {
		return e, err
	}
	twice := e.names.doubled(jobs)
	switch {
	case twice == nil:
		return e, nil
	case e.names.shift > 0 || e.options.Each != nil:
		e.marks = parted{} // each would have the same stored password as itself
		notes.Incomplete(facts.Origin{}, "accounts stand in the export twice, and are counted twice: a file was named or appended twice; take the export again")
		return e, nil
	}
	again, err := newEngine(e.subject, e.options)
	if err != nil {
		return e, err
	}
	again.signins.digest = e.signins.digest
	again.leaveRecordOpen()
	again.names = names{twice: twice}
	*notes = before
	if err := again.read(1); err != nil {
		return again, err
	}
	again.names.tell(notes)
	return again, nil
}
