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

// sightings are the accounts of people that an engine saw, a few bytes each, so
// that they need not be read again once all people are known: where they stand,
// as what they came out, and whose they are.
type sightings struct {
	entries []gap.Entry // that are not in the register yet,
	of      []sighting  // and what else there is of them
	stream  spool.Stream
	last    int64           // place in the stream
	samples []facts.Account // one of each sort, by its number
	sorts   map[string]uint32
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
		s.entries, s.of, s.sorts = make([]gap.Entry, 0, peopleBatch), make([]sighting, 0, peopleBatch), map[string]uint32{}
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
		s.samples = append(s.samples, facts.Account{})
		s.samples[len(s.samples)-1].CopyFrom(a)
		s.samples[len(s.samples)-1].Keep()
		n = uint32(len(s.samples))
		s.sorts[string(e.key)] = n
	}
	return n
}

// enterSketched does as enterPerson, with an account of a sort that is not filled in.
func (e *engine) enterSketched(a *facts.Account, s *facts.Sketch, o *outcome) {
	login := a.Login
	a.Login = s.Login
	for i, of := range e.met.texts {
		*of(a) = s.Texts[i]
	}
	e.enterPerson(a, o)
	a.Login = login
	for _, of := range e.met.texts {
		*of(a) = ""
	}
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
		b := binary.AppendUvarint(room[:0], uint64(seen.place-s.last))
		b = binary.AppendUvarint(b, uint64(seen.sort)<<8|uint64(seen.own))
		b = binary.AppendUvarint(b, uint64(found.Node))
		b = binary.LittleEndian.AppendUint64(b, found.Login)
		s.stream.Write(e.options.aside, b)
		s.last = seen.place
	}
	s.entries, s.of = s.entries[:0], s.of[:0]
}

// mostMeetings bounds how many sorts of accounts with their people are kept.
const mostMeetings = 1 << 14

// recall looks at the accounts that were sighted, with what their people have
// elsewhere. Those of one outcome with people of whom the same is so elsewhere come
// out alike; only what is named as an example is read again.
func (e *engine) recall(v *check.PersonView, rules []int, limits []setting.Span) error {
	wanted := map[int64][]uint32{} // what is to have the account of a place as an example
	places := map[uint32][]int64{}
	bits := make([]uint8, 0, len(v.Systems))
	for _, s := range e.seen {
		meetings := map[string]*outcome{}
		sumUp := func() {
			for _, o := range meetings {
				e.ledger.sumUp(o)
			}
			clear(meetings)
		}
		here := map[uint32][]int64{}
		r := s.stream.Reader(e.options.aside, make([]byte, spool.BlockSize))
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
				o = e.meeting(v, &s.samples[head>>8-1], rules, limits)
				meetings[string(key)] = o
			}
			o.accounts++
			for _, n := range o.reaches {
				if list := here[n]; !o.full && len(list) < e.options.Examples {
					here[n] = append(list, place)
				}
			}
			o.full = o.full || !slices.ContainsFunc(o.reaches, func(n uint32) bool { return len(here[n]) < e.options.Examples })
		}
		sumUp()
		for n, list := range here {
			places[n] = append(places[n], list...)
		}
	}
	for n, list := range places {
		slices.Sort(list)
		for _, place := range list[:min(len(list), e.options.Examples)] {
			wanted[place] = append(wanted[place], n)
		}
	}
	e.seen = nil
	if err := e.options.aside.Err(); err != nil {
		return err
	}
	return e.nameAgain(wanted)
}

// meeting works out what comes of an account with the person of a view.
func (e *engine) meeting(v *check.PersonView, sample *facts.Account, rules []int, limits []setting.Span) *outcome {
	var a facts.Account
	a.CopyFrom(sample)
	e.resolve(&a)
	v.Account = &a
	e.meetPerson(v, rules, limits)
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
			if p, ok := p.(facts.Portable); ok {
				p.Pass()
			}
			return nil
		}
		e.place = here * placesInPart
		err := p.Accounts(func(a *facts.Account) error {
			e.place++
			list := wanted[e.place]
			if list == nil {
				return nil
			}
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
