package audit

import (
	"container/heap"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"

	"yewcone/core/facts"
	"yewcone/core/gap"
)

// merge takes in what other processes noted of the accounts of a system, and reads
// only what could not be divided. What comes out is what reading all would have.
func (e *engine) merge() error {
	var list []*noted
	for _, p := range e.options.Portions {
		list = append(list, p.of(e.subject.number)...)
	}
	pieces := map[int]notedPiece{}
	for _, n := range list {
		if err := e.take(n, pieces); err != nil {
			return err
		}
	}
	m := &merging{e: e}
	for _, n := range list {
		if err := n.next(); err != nil {
			return err
		}
		if n.more {
			m.list = append(m.list, n)
		}
	}
	heap.Init(m)
	number := 0
	err := facts.Parts(e.subject.Export)(func(p facts.Part) error {
		here := number
		number++
		portable, ok := p.(facts.Portable)
		if !ok {
			return e.whole(p, here)
		}
		piece, ok := pieces[here]
		if !ok {
			return fmt.Errorf("no share has piece %d of %s: the export is another than the shares were made of", here+1, e.system.Name)
		}
		delete(pieces, here)
		if err := m.until(int64(here+1) * placesInPart); err != nil {
			return err
		}
		if err := portable.Unpack(piece.Part); err != nil {
			return fmt.Errorf("%s is not what the shares were made of: %w", e.system.Name, err)
		}
		p.Done()
		e.subject.Export.Notes().Join(piece.Notes)
		return nil
	})
	if err == nil && (len(pieces) > 0 || len(m.list) > 0) {
		err = fmt.Errorf("the shares have more of %s than there is: the export is another than they were made of", e.system.Name)
	}
	if err != nil {
		return err
	}
	e.sumUpAll()
	e.seen = append(e.seen, e.sightings)
	return nil
}

// whole reads a part that could not be handed over.
func (e *engine) whole(p facts.Part, number int) error {
	place := int64(number) * placesInPart
	err := p.Accounts(func(a *facts.Account) error {
		place++
		return e.account(a, place)
	})
	p.Done()
	return err
}

// take takes in all but the accounts that are handed over.
func (e *engine) take(n *noted, pieces map[int]notedPiece) error {
	for {
		h, more, err := number(n.names)
		if err != nil {
			return err
		}
		if !more {
			break
		}
		e.names.addHash(h)
	}
	for i := range e.kindMatched {
		e.kindMatched[i] = e.kindMatched[i] || i < len(n.Kinds) && n.Kinds[i]
	}
	e.privilegedMatched = e.privilegedMatched || n.Privileged
	for {
		at, err := binary.ReadUvarint(n.pieces)
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		text, err := sized(n.pieces, nil)
		if err != nil {
			return err
		}
		var piece notedPiece
		if err := json.Unmarshal(text, &piece); err != nil {
			return err
		}
		pieces[int(at)] = piece
	}
	return e.takeSighted(n)
}

// takeSighted takes in the accounts that were sighted: stored passwords, and people
// into their register.
func (e *engine) takeSighted(n *noted) error {
	s := &sightings{samples: make([]facts.Account, len(n.Samples))}
	for i := range n.Samples {
		if err := n.Samples[i].Account(&s.samples[i], facts.Origin{}, func(mark uint64) uint64 { return mark }); err != nil {
			return err
		}
	}
	e.seen = append(e.seen, s)
	if err := e.takeStored(n, s); err != nil || e.options.register == nil {
		return err
	}
	return e.takePeople(n, s)
}

// takeStored takes in the marks of stored passwords.
func (e *engine) takeStored(n *noted, s *sightings) error {
	var out []byte
	for {
		since, err := binary.ReadUvarint(n.stored)
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		sort, err := binary.ReadUvarint(n.stored)
		if err != nil {
			return err
		}
		mark, more, err := number(n.stored)
		if err != nil {
			return err
		}
		if !more || sort == 0 || sort > uint64(len(s.samples)) {
			return errNoShare
		}
		e.marks.add(mark)
		out = binary.AppendUvarint(binary.AppendUvarint(out[:0], since), sort)
		s.stored.Write(e.options.aside, binary.LittleEndian.AppendUint64(out, mark))
	}
}

// takePeople enters the accounts of people into the register, as they were sighted.
func (e *engine) takePeople(n *noted, s *sightings) error {
	own := e.sightings
	e.sightings = s
	defer func() { e.sightings = own }()
	place := int64(0)
	for {
		since, err := binary.ReadUvarint(n.crowd)
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		head, err := binary.ReadUvarint(n.crowd)
		if err != nil {
			return err
		}
		if head>>8 == 0 || head>>8 > uint64(len(s.samples)) {
			return errNoShare
		}
		var room [gap.EntrySize]byte
		if _, err := io.ReadFull(n.crowd, room[:]); err != nil {
			return err
		}
		place += int64(since)
		s.entries = append(s.entries, gap.ReadEntry(room[:], e.subject.number))
		s.of = append(s.of, sighting{place, uint32(head >> 8), uint8(head)})
		if len(s.entries) == peopleBatch {
			e.enterPeople()
		}
	}
	e.enterPeople()
	return nil
}

// merging hands over the accounts of several engines in the order of their places.
type merging struct {
	e    *engine
	list []*noted
	a    facts.Account
}

// until takes in all accounts up to a place.
func (m *merging) until(place int64) error {
	for len(m.list) > 0 && m.list[0].place <= place {
		n := m.list[0]
		if err := n.account(&m.a); err != nil {
			return err
		}
		count := 1
		if n.outcome > 0 {
			at := n.outcome - 1
			if count = n.Counts[at]; n.counted[at] {
				count = 0 // one of those that were counted with the first
			}
			n.counted[at] = true
		}
		if err := m.e.takeAlike(&m.a, count, n.place); err != nil {
			return err
		}
		if err := n.next(); err != nil {
			return err
		}
		if n.more {
			heap.Fix(m, 0)
		} else {
			heap.Pop(m)
		}
	}
	return nil
}

// takeAlike takes in so many accounts that come out as one does, which itself may
// serve as an example.
func (e *engine) takeAlike(a *facts.Account, n int, place int64) error {
	e.place = place
	settings := e.resolve(a)
	v := e.judge(settings)
	if n > 0 {
		e.count(a, v, n)
	}
	if a.WithoutPassword() {
		v = e.empty
	}
	if e.options.Progress != nil {
		e.options.Progress.Add(int64(n))
	}
	o := e.outcomeOf(a, v)
	o.accounts += n
	for _, r := range o.reaches {
		e.example(&e.reaches[r], a)
	}
	if !o.kept {
		e.ledger.sumUp(o)
	}
	return nil
}

// Len is of heap.Interface.
func (m *merging) Len() int { return len(m.list) }

// Less is of heap.Interface.
func (m *merging) Less(i, j int) bool { return m.list[i].place < m.list[j].place }

// Swap is of heap.Interface.
func (m *merging) Swap(i, j int) { m.list[i], m.list[j] = m.list[j], m.list[i] }

// Push is of heap.Interface.
func (m *merging) Push(x any) { m.list = append(m.list, x.(*noted)) }

// Pop is of heap.Interface.
func (m *merging) Pop() any {
	last := m.list[len(m.list)-1]
	m.list = m.list[:len(m.list)-1]
	return last
}
