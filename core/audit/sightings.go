package audit

import (
	"encoding/binary"
	"slices"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/gap"
	"yewcone/core/setting"
	"yewcone/core/spool"
)

// sightings are accounts that an engine saw, a few bytes each, so that they need
// not be read again once all people and all stored passwords are known: where they
// stand, of which sort they are, and whose.
type sightings struct {
	entries []gap.Entry // of people that are not in the register yet,
	of      []sighting  // and what else there is of them
	people  trail
	stored  trail           // of those with a stored password
	samples []facts.Account // one of each sort, by its number
	sorts   map[string]uint32
}

// A trail is what is noted of accounts in their order.
type trail struct {
	spool.Stream
	last int64 // place in it
}

// A sighting is what there is of one account. Accounts of a sort come out alike
// wherever their people are alike.
type sighting struct {
	place int64
	sort  uint32 // counted from 1
	own   uint8
}

// peopleBatch is how many accounts enter the register of people at a time.
const peopleBatch = 1024

// enterPerson takes in the account of a person, which comes out as o.
func (e *engine) enterPerson(a *facts.Account, o *outcome) {
	s := e.sightings
	if s.entries == nil {
		s.entries, s.of = make([]gap.Entry, 0, peopleBatch), make([]sighting, 0, peopleBatch)
	}
	if o.sighted == 0 {
		o.sighted = e.sortOf(a)
	}
	own := e.personal(a)
	s.entries = append(s.entries, e.options.register.Entry(a, e.subject.number, own, e.subject.Unmatched))
	s.of = append(s.of, sighting{e.place, o.sighted, own})
	if len(s.entries) == peopleBatch {
		e.enterPeople()
	}
}

// sortOf is the number of the sort of the account at hand.
func (e *engine) sortOf(a *facts.Account) uint32 {
	s := e.sightings
	key := append(e.key[:0], byte(a.Privileged)<<2|byte(a.Enabled), byte(gap.AudienceOf(a)))
	e.key = e.excused.AppendAnswers(key, &e.about)
	n, ok := s.sorts[string(e.key)]
	if !ok {
		if s.sorts == nil {
			s.sorts = map[string]uint32{}
		}
		s.samples = append(s.samples, facts.Account{})
		s.samples[len(s.samples)-1].CopyFrom(a)
		s.samples[len(s.samples)-1].Keep()
		n = uint32(len(s.samples))
		s.sorts[string(e.key)] = n
	}
	return n
}

// enterSketched does as enterPerson, with an account of a sort that is not filled in.
func (e *engine) enterSketched(a *facts.Account, s *facts.Sketches, row int, o *outcome) {
	texts := s.Texts[row*len(e.met.texts):]
	swap := func() {
		a.Login, s.Logins[row] = s.Logins[row], a.Login
		for i, of := range e.met.texts {
			*of(a), texts[i] = texts[i], *of(a)
		}
	}
	swap()
	e.enterPerson(a, o)
	swap()
}

// enterPeople hands over to the register what was gathered for it, and puts the
// rest aside.
func (e *engine) enterPeople() {
	s := e.sightings
	if len(s.entries) == 0 {
		return
	}
	if e.share != nil {
		e.share.people(e, s)
		return
	}
	e.options.register.Enter(s.entries)
	for i := range s.entries {
		seen, found := &s.of[i], s.entries[i].Found()
		if seen.own&gap.Enabled == 0 {
			continue
		}
		var room [4*binary.MaxVarintLen64 + 8]byte
		b := binary.AppendUvarint(room[:0], uint64(seen.place-s.people.last))
		b = binary.AppendUvarint(b, uint64(seen.sort)<<8|uint64(seen.own))
		b = binary.AppendUvarint(b, uint64(found.Node))
		b = binary.LittleEndian.AppendUint64(b, found.Login)
		s.people.Write(e.options.aside, b)
		s.people.last = seen.place
	}
	s.entries, s.of = s.entries[:0], s.of[:0]
}

// addStored takes in the mark of the stored password of the account at hand, which
// comes out as o.
func (e *engine) addStored(a *facts.Account, o *outcome, mark uint64) {
	if o.sighted == 0 {
		o.sighted = e.sortOf(a)
	}
	s := &e.sightings.stored
	var room [2*binary.MaxVarintLen64 + 8]byte
	b := binary.AppendUvarint(room[:0], uint64(e.place-s.last))
	b = binary.AppendUvarint(b, uint64(o.sighted))
	s.Write(e.options.aside, binary.LittleEndian.AppendUint64(b, mark))
	s.last = e.place
	if e.share == nil {
		e.marks.add(mark)
	}
}

// A wish is which accounts are wanted as examples of what was found in sightings: the
// first few of each.
type wish struct {
	examples int
	here     map[uint32][]int64 // places, of what one engine saw
	places   map[uint32][]int64 // of all
}

func (e *engine) newWish() *wish {
	return &wish{e.options.Examples, map[uint32][]int64{}, map[uint32][]int64{}}
}

// meet counts an account into an outcome.
func (w *wish) meet(o *outcome, place int64) {
	if o.accounts++; o.full {
		return
	}
	o.full = true
	for _, n := range o.reaches {
		if len(w.here[n]) < w.examples {
			w.here[n] = append(w.here[n], place)
		}
		o.full = o.full && len(w.here[n]) == w.examples
	}
}

// next ends what one engine saw.
func (w *wish) next() {
	for n, list := range w.here {
		w.places[n] = append(w.places[n], list...)
	}
	clear(w.here)
}

// wanted is what is to have the account of a place as an example.
func (w *wish) wanted() map[int64][]uint32 {
	wanted := map[int64][]uint32{}
	for n, list := range w.places {
		slices.Sort(list)
		for _, place := range list[:min(len(list), w.examples)] {
			wanted[place] = append(wanted[place], n)
		}
	}
	return wanted
}

// mostMeetings bounds how many sorts of accounts with their people are kept.
const mostMeetings = 1 << 14

// recall looks at the accounts that were sighted, with what their people have
// elsewhere. Those of one outcome with people of whom the same is so elsewhere come
// out alike; only what is named as an example is read again.
func (e *engine) recall(v *check.PersonView, rules []int, limits []setting.Span) error {
	w := e.newWish()
	bits := make([]uint8, 0, len(v.Systems))
	for _, s := range e.seen {
		meetings := map[string]*outcome{}
		sumUp := func() {
			for _, o := range meetings {
				e.ledger.sumUp(o)
			}
			clear(meetings)
		}
		r := s.people.Reader(e.options.aside, make([]byte, spool.BlockSize))
		var key []byte
		for place := int64(0); r.More(); {
			place += int64(r.Uint())
			head := r.Uint()
			found := gap.Found{Node: uint32(r.Uint()), Login: r.Fixed()}
			if r.Bad {
				break
			}
			v.Person, v.Known = e.options.register.At(found, bits)
			v.Own, v.Shared = uint8(head), e.options.register.SharedLogin(found)
			key = binary.AppendUvarint(key[:0], head)
			key = append(key, bit(v.Known)|bit(v.Ambiguous)<<1|bit(v.Shared)<<2)
			key = append(key, v.Facts...)
			o, ok := meetings[string(key)]
			if !ok {
				if len(meetings) == mostMeetings {
					sumUp()
				}
				o = e.foundOf(&s.samples[head>>8-1], func(a *facts.Account) {
					v.Account = a
					e.meetPerson(v, rules, limits)
				})
				meetings[string(key)] = o
			}
			w.meet(o, place)
		}
		sumUp()
		w.next()
	}
	e.seen = nil
	if err := e.options.aside.Err(); err != nil {
		return err
	}
	return e.nameAgain(w.wanted())
}

// recallStored enters the accounts whose stored password stands twice, as they were
// sighted.
func (e *engine) recallStored(twice map[uint64]bool, same *hit) error {
	w := e.newWish()
	for _, s := range e.seen {
		sorts := make([]*outcome, len(s.samples))
		r := s.stored.Reader(e.options.aside, make([]byte, spool.BlockSize))
		for place := int64(0); r.More(); {
			place += int64(r.Uint())
			sort := r.Uint() - 1
			if _, is := twice[r.Fixed()]; r.Bad || !is {
				continue
			}
			if sorts[sort] == nil {
				sorts[sort] = e.foundOf(&s.samples[sort], func(a *facts.Account) { e.enter(same, a) })
			}
			w.meet(sorts[sort], place)
		}
		for _, o := range sorts {
			if o != nil {
				e.ledger.sumUp(o)
			}
		}
		w.next()
	}
	if err := e.options.aside.Err(); err != nil {
		return err
	}
	return e.nameAgain(w.wanted())
}

// foundOf works out what accounts of a sort are entered into.
func (e *engine) foundOf(sample *facts.Account, enter func(*facts.Account)) *outcome {
	var a facts.Account
	a.CopyFrom(sample)
	e.resolve(&a)
	e.fresh.begin(&a)
	enter(&a)
	o := e.fresh
	o.reaches = slices.Clone(o.reaches)
	return &o
}

func bit(b bool) byte {
	if b {
		return 1
	}
	return 0
}

// nameAgain reads the accounts at some places once more, and keeps each as an
// example of what it is wanted for. Parts of the export in which none of them
// stands are passed over.
func (e *engine) nameAgain(wanted map[int64][]uint32) error {
	left := map[int64]int{} // wanted accounts, by the number of the part
	for place := range wanted {
		left[(place-1)/placesInPart]++
	}
	noted := e.subject.Export.Notes().Clone()
	defer func() { *e.subject.Export.Notes() = noted }()
	number := int64(0)
	err := facts.Parts(e.subject.Export)(func(p facts.Part) error {
		if len(left) == 0 {
			return errStopped
		}
		here := number
		number++
		if left[here] == 0 {
			facts.PassOver(p)
			return nil
		}
		first := here * placesInPart
		err := choose(p, func(number int64) bool { return wanted[first+number] != nil }, func(number int64, a *facts.Account) error {
			e.place = first + number
			list := wanted[e.place]
			e.resolve(a)
			slices.Sort(list)
			for _, n := range list {
				e.example(&e.reaches[n], a)
			}
			if left[here]--; left[here] == 0 {
				return errStopped
			}
			return nil
		})
		p.Done()
		if delete(left, here); err == errStopped {
			return nil
		}
		return err
	})
	if err == errStopped {
		return nil
	}
	return err
}

// choose is facts.Chooser.Choose for any part.
func choose(p facts.Part, wanted func(number int64) bool, yield func(number int64, a *facts.Account) error) error {
	if c, ok := p.(facts.Chooser); ok {
		return c.Choose(wanted, yield)
	}
	number := int64(0)
	return p.Accounts(func(a *facts.Account) error {
		if number++; !wanted(number) {
			return nil
		}
		return yield(number, a)
	})
}
