package gap

import (
	"encoding/binary"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"yewcone/core/facts"
	"yewcone/core/hashes"
)

// The keys that accounts of one person can be matched by.
const (
	ByEmployeeNo = "employee_no"
	ByEmail      = "email"
	ByLogin      = "login"
)

// Keys lists them.
var Keys = []string{ByEmployeeNo, ByEmail, ByLogin}

// Facts about a person's accounts on one system, as bits.
const (
	Present      uint8 = 1 << iota
	Enabled            // or not known to be switched off
	Admin              // privileged and enabled
	FactorYes          // a privileged account with a second factor
	Expires            // an enabled account whose password ends
	Fresh              // a password that was changed lately, or nobody knows
	FactorNo           // a privileged account without a second factor
	NeverExpires       // an enabled account whose password never ends
)

// A Register matches the accounts of people across systems. Two accounts are
// of one person when they share a key, directly or by way of others; people
// who would have two different values of the first key are ambiguous, and
// nothing is said of them. It keeps hashes, not texts: some 80 bytes a person.
type Register struct {
	match   []string // the keys, first the one that tells people apart
	systems int

	lock   sync.Mutex
	nodes  hashes.Index // of keys
	logins hashes.Index // node of the first account of a login name
	parent hashes.List[uint32]
	first  hashes.List[bool]  // of a root: it has a first key
	facts  hashes.List[uint8] // systems for each node
	odd    map[uint32]bool
	shared map[uint64][]uint32 // login names that may belong to several people, with one node of each
	closed bool

	found   [together][3]uint32 // nodes of the keys of the entries that are entered
	touched uint64              // of no meaning
}

// NewRegister makes an empty register for accounts on so many systems.
func NewRegister(match []string, systems int) *Register {
	return &Register{match: match, systems: systems, odd: map[uint32]bool{}, shared: map[uint64][]uint32{}}
}

// An Entry is one account, ready to be entered.
type Entry struct {
	keys   [3]uint64 // by the place in Register.match; 0 for none
	login  uint64
	system int
	facts  uint8
	node   uint32 // counted from 1; 0 for none
}

// A Found is an entry that was taken in, as little as tells whose it is.
type Found struct {
	Node  uint32 // 0 where the account has no key
	Login uint64
}

// Append writes an entry down for another process, by which hashes are shared.
func (e *Entry) Append(b []byte) []byte {
	for _, key := range e.keys {
		b = binary.LittleEndian.AppendUint64(b, key)
	}
	return append(binary.LittleEndian.AppendUint64(b, e.login), e.facts)
}

// EntrySize is how many bytes Append appends.
const EntrySize = 4*8 + 1

// ReadEntry reads what Append wrote of an account of a system.
func ReadEntry(b []byte, system int) Entry {
	e := Entry{system: system, login: binary.LittleEndian.Uint64(b[24:]), facts: b[32]}
	for i := range e.keys {
		e.keys[i] = binary.LittleEndian.Uint64(b[8*i:])
	}
	return e
}

// Found is good once the entry was entered.
func (e *Entry) Found() Found { return Found{e.node, e.login} }

// Known reports whether the account has any key.
func (e *Entry) Known() bool { return e.keys != [3]uint64{} }

// Entry hashes the keys of an account: trimmed, and without regard to case.
// without are keys, by their place, that say nothing on its system.
func (r *Register) Entry(a *facts.Account, system int, facts uint8, without [3]bool) Entry {
	e := Entry{system: system, facts: facts | Present, login: hashOf(hashes.Login, a.Login)}
	for i, key := range r.match {
		if without[i] {
			continue
		}
		text := *keyOf(a, key)
		if key == ByEmployeeNo {
			text = strings.TrimLeft(strings.TrimSpace(text), "0")
		}
		e.keys[i] = hashOf(hashes.Person+hashes.Kind(i), text)
	}
	return e
}

// keyOf is where an account has a key.
func keyOf(a *facts.Account, key string) *string {
	switch key {
	case ByEmployeeNo:
		return &a.EmployeeNo
	case ByEmail:
		return &a.Email
	}
	return &a.Login
}

// Texts are the facts, beside the sign-in name, that are asked of the accounts of a
// system, and where an account has each. without is as that of Entry.
func (r *Register) Texts(without [3]bool) (names []string, of []func(*facts.Account) *string) {
	for i, key := range r.match {
		if key != ByLogin && !without[i] {
			names = append(names, key)
			of = append(of, func(a *facts.Account) *string { return keyOf(a, key) })
		}
	}
	return names, of
}

// hashOf is 0 for a text that is empty, and for no other; letters of either size are
// the same.
func hashOf(kind hashes.Kind, text string) uint64 {
	if text = strings.TrimSpace(text); text == "" {
		return 0
	}
	var room [64]byte
	if len(text) > len(room) {
		return hashes.Text(kind, strings.ToLower(text))
	}
	for i := range len(text) {
		c := text[i]
		if c >= utf8.RuneSelf {
			return hashes.Text(kind, strings.ToLower(text))
		}
		if 'A' <= c && c <= 'Z' {
			c += 'a' - 'A'
		}
		room[i] = c
	}
	return hashes.Bytes(kind, room[:len(text)])
}

// Enter takes in accounts. It may be called from several sides at a time; the
// order does not matter.
func (r *Register) Enter(batch []Entry) {
	r.lock.Lock()
	defer r.lock.Unlock()
	for len(batch) > 0 {
		few := batch[:min(len(batch), together)]
		r.near(few)
		for i := range few {
			r.enter(&few[i], &r.found[i])
		}
		batch = batch[len(few):]
	}
}

// together is how many entries are looked for at once, so that one wait for memory
// does for several.
const together = 32

// near reads what the entries will ask for, and finds the nodes of their keys.
func (r *Register) near(batch []Entry) {
	for i := range batch {
		for _, key := range batch[i].keys {
			if key != 0 {
				r.touched += r.nodes.Near(key)
			}
		}
		r.touched += r.logins.Near(batch[i].login)
	}
	for i := range batch {
		e := &batch[i]
		for k, key := range e.keys {
			r.found[i][k] = 0
			if n, known := r.nodes.Find(key); known && key != 0 {
				r.found[i][k] = n + 1
				r.touched += uint64(*r.parent.At(n)) + uint64(*r.facts.At(n*uint32(r.systems) + uint32(e.system)))
			}
		}
	}
}

// enter takes in one account, of whose keys some nodes were found, counted from 1.
func (r *Register) enter(e *Entry, found *[3]uint32) {
	node, has := uint32(0), false
	for i, key := range e.keys {
		if key == 0 {
			continue
		}
		n, known := found[i]-1, found[i] > 0
		if !known {
			n, known = r.nodes.Find(key) // by an entry just before
		}
		if !known {
			n = r.node(i == 0)
			r.nodes.Put(key, n)
		}
		if has {
			r.union(node, n)
		}
		node, has = n, true
	}
	if !has {
		return
	}
	e.node = node + 1
	root := r.root(node)
	*r.facts.At(root*uint32(r.systems) + uint32(e.system)) |= e.facts
	if e.login == 0 {
		return
	}
	other, known := r.logins.Find(e.login)
	if !known {
		r.logins.Put(e.login, node)
	} else if r.root(other) != root {
		list := r.shared[e.login]
		if !slices.ContainsFunc(list, func(n uint32) bool { return r.root(n) == root }) {
			if len(list) == 0 {
				list = []uint32{other}
			}
			r.shared[e.login] = append(list, node)
		}
	}
}

// node makes a node of its own.
func (r *Register) node(first bool) uint32 {
	n := r.parent.Add(0)
	*r.parent.At(n) = n
	r.first.Add(first)
	for range r.systems {
		r.facts.Add(0)
	}
	return n
}

// root finds what a node stands for.
func (r *Register) root(n uint32) uint32 {
	for {
		p := *r.parent.At(n)
		if p == n {
			return n
		}
		if !r.closed {
			*r.parent.At(n) = *r.parent.At(p)
		}
		n = p
	}
}

// union makes one person of two.
func (r *Register) union(a, b uint32) {
	a, b = r.root(a), r.root(b)
	if a == b {
		return
	}
	if a > b {
		a, b = b, a
	}
	*r.parent.At(b) = a
	for s := range uint32(r.systems) {
		*r.facts.At(a*uint32(r.systems) + s) |= *r.facts.At(b*uint32(r.systems) + s)
	}
	mine, other := r.first.At(a), r.first.At(b)
	if *mine && *other || r.odd[b] {
		r.odd[a] = true // two values of the first key
	}
	delete(r.odd, b)
	*mine = *mine || *other
}

// Close ends the entering; then people can be looked up from several sides at
// a time.
func (r *Register) Close() {
	r.closed = true
	for login, list := range r.shared {
		var roots []uint32
		for _, n := range list {
			if root := r.root(n); !slices.Contains(roots, root) {
				roots = append(roots, root)
			}
		}
		if len(roots) < 2 {
			delete(r.shared, login)
		}
	}
}

// A Person is whom an account belongs to.
type Person struct {
	Facts     []uint8 // by system
	Ambiguous bool    // the accounts would be of people with different values of the first key
	node      uint32
}

// On counts the systems that a person is on.
func (p *Person) On() int {
	n := 0
	for _, f := range p.Facts {
		if f&Present != 0 {
			n++
		}
	}
	return n
}

// First reports whether a system is the first that the person is on.
func (p *Person) First(system int) bool {
	return slices.IndexFunc(p.Facts, func(f uint8) bool { return f&Present != 0 }) == system
}

// Of looks up the person of an account; false where it has no key. facts is
// where the person's facts are kept.
func (r *Register) Of(e *Entry, facts []uint8) (Person, bool) {
	for _, key := range e.keys {
		if key == 0 {
			continue
		}
		n, known := r.nodes.Find(key)
		if !known {
			return Person{}, false
		}
		return r.person(r.root(n), facts), true
	}
	return Person{}, false
}

// At is whom an entry that was taken in belongs to; false where it has no key. facts
// is where the person's facts are kept.
func (r *Register) At(f Found, facts []uint8) (Person, bool) {
	if f.Node == 0 {
		return Person{}, false
	}
	return r.person(r.root(f.Node-1), facts), true
}

func (r *Register) person(root uint32, facts []uint8) Person {
	facts = facts[:0]
	for s := range uint32(r.systems) {
		facts = append(facts, *r.facts.At(root*uint32(r.systems) + s))
	}
	return Person{Facts: facts, Ambiguous: r.odd[root], node: root}
}

// SharedLogin reports whether a login name belongs to different people.
func (r *Register) SharedLogin(f Found) bool { return len(r.shared[f.Login]) > 0 }

// Each calls back with all people. Their facts are only good until the call
// returns.
func (r *Register) Each(yield func(p *Person)) {
	facts := make([]uint8, 0, r.systems)
	for n := range uint32(r.parent.Len()) {
		if *r.parent.At(n) == n {
			p := r.person(n, facts)
			yield(&p)
		}
	}
}
