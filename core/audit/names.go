package audit

import (
	"math/bits"
	"slices"
	"sync"

	"yewcone/core/facts"
	"yewcone/core/hashes"
)

// names finds accounts that stand in an export twice: a file that was named or
// appended twice. Up to a million it knows each; of more it knows a share, which
// shows whether a file is doubled.
type names struct {
	blocks [][]uint64      // of hashes, all but the last full
	count  int             // of hashes
	shift  int             // only hashes that begin with so many zeros are kept
	fresh  byZeros         // hashes that the census does not count yet
	census *census         // of all engines that read the export
	twice  map[uint64]bool // names that stand twice; true once the first was met again
	left   []facts.Origin  // of accounts that were left out, the first of them
	more   int             // others
}

// nameBlock is how many hashes are kept together: a list that grows would be
// copied again and again.
const nameBlock = 1 << 14

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
	if n.count%nameBlock == 0 {
		n.blocks = append(n.blocks, make([]uint64, 0, nameBlock))
	}
	last := &n.blocks[len(n.blocks)-1]
	*last = append(*last, h)
	n.fresh[bits.LeadingZeros64(h)]++
	if n.count++; n.count%nameBlock == 0 {
		n.settle()
	}
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
	before := n.blocks
	n.blocks, n.count = nil, 0
	for _, block := range before { // each is read before it is written to
		for _, h := range block {
			if h<<n.shift>>n.shift != h {
				continue
			}
			at := n.count / nameBlock
			if n.count%nameBlock == 0 {
				n.blocks = append(n.blocks, before[at][:0:nameBlock])
			}
			n.blocks[at] = append(n.blocks[at], h)
			n.count++
		}
	}
}

// merge adds what another engine met in the same export.
func (n *names) merge(o *names) {
	o.settle()
	n.settle()
	n.blocks = append(n.blocks, o.blocks...)
	n.thin()
}

// doubled returns the names that stand twice.
func (n *names) doubled() map[uint64]bool {
	n.settle()
	blocks := n.blocks
	n.blocks, n.count = nil, 0
	first := newMarks(blocks, 0x9e3779b97f4a7c15)
	suspects := first.again(blocks)
	if len(suspects) == 0 {
		return nil
	}
	second := first.anew(0xd6e8feb86659fd93)
	second.again([][]uint64{suspects})
	suspects = second.marked(blocks)
	slices.Sort(suspects)
	var list map[uint64]bool
	for i := 1; i < len(suspects); i++ {
		if h := suspects[i]; h == suspects[i-1] {
			if list == nil {
				list = map[uint64]bool{}
			}
			list[h] = false
		}
	}
	return list
}

// marks are bits that hashes are marked by: one of which the bit is not marked is not
// among them. There are few enough of them for the cache, sixteen for each hash or more.
type marks struct {
	words  []uint64
	factor uint64 // which bit a hash has depends on it
	shift  int
}

func newMarks(blocks [][]uint64, factor uint64) marks {
	count := 64
	for _, block := range blocks {
		count += len(block)
	}
	wide := bits.Len(uint(count)) - 2
	return marks{make([]uint64, 1<<wide), factor, 64 - wide - 6}
}

// anew takes all marks away, and marks other bits from then on.
func (m marks) anew(factor uint64) marks {
	clear(m.words)
	return marks{m.words, factor, m.shift}
}

func (m marks) bit(h uint64) (word *uint64, bit uint64) {
	at := h * m.factor >> m.shift
	return &m.words[at>>6], 1 << (at & 63)
}

// again marks hashes, and returns those whose bit was marked already.
func (m marks) again(blocks [][]uint64) (list []uint64) {
	for _, block := range blocks {
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
func (m marks) marked(blocks [][]uint64) (list []uint64) {
	for _, block := range blocks {
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
	twice := e.names.doubled()
	switch {
	case twice == nil:
		return e, nil
	case e.names.shift > 0 || e.options.Each != nil:
		e.marks = nil // each would have the same stored password as itself
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
