package audit

import (
	"encoding/binary"
	"encoding/json"
	"errors"

	"golang.org/x/sync/errgroup"

	"yewcone/core/facts"
	"yewcone/core/snapshot"
	"yewcone/core/spool"
)

// A Share is what one of several processes judges: of the exports that can be
// divided every so manieth piece.
type Share struct {
	Number int // counted from 1
	Of     int
}

// takes reports whether a part of an export is of the share; nil takes all. What
// cannot be handed over is left to who puts the shares together.
func (s *Share) takes(p facts.Part, number int) bool {
	if s == nil {
		return true
	}
	portable, ok := p.(facts.Portable)
	if ok && number%s.Of != s.Number-1 {
		portable.Pass()
	}
	return ok && number%s.Of == s.Number-1
}

// divisible reports whether shares of a system may be judged apart. What a record of
// sign-ins has of each account is joined where all are known.
func (s *Subject) divisible(o *Options) bool {
	_, divided := s.Export.(facts.Divided)
	return divided && (s.Record == nil || o.NoRecords)
}

// sharing is what one engine notes for the process that puts shares together. Of
// accounts that come out alike the first few are handed over with how many there are:
// there they come out as they would have here.
type sharing struct {
	accounts, names, crowd, pieces spool.Stream

	raw     facts.Account // the account at hand as it was read
	line    snapshot.Account
	out     []byte
	last    int64 // place in accounts
	lastOf  int64 // place in crowd
	numbers uint32
}

// hand writes the account at hand down.
func (s *sharing) hand(e *engine, o *outcome) {
	if o.kept && o.number == 0 {
		s.numbers++
		o.number = s.numbers
	}
	text := s.account(&s.raw)
	s.out = binary.AppendUvarint(s.out[:0], uint64(e.place-s.last))
	s.out = binary.AppendUvarint(s.out, uint64(o.number))
	s.out = binary.AppendUvarint(s.out, uint64(len(text)))
	s.out = append(s.out, text...)
	s.accounts.Write(e.options.aside, s.out)
	s.last = e.place
}

func (s *sharing) account(a *facts.Account) []byte {
	snapshot.OfAccount(&s.line, a)
	text, err := json.Marshal(&s.line)
	if err != nil {
		panic(err) // texts, numbers and moments
	}
	return text
}

// people writes down what was gathered for the register of people.
func (s *sharing) people(e *engine, seen *sightings) {
	for i := range seen.entries {
		at := &seen.of[i]
		s.out = binary.AppendUvarint(s.out[:0], uint64(at.place-s.lastOf))
		s.out = binary.AppendUvarint(s.out, uint64(at.sort)<<8|uint64(at.own))
		s.out = seen.entries[i].Append(s.out)
		s.crowd.Write(e.options.aside, s.out)
		s.lastOf = at.place
	}
	seen.entries, seen.of = seen.entries[:0], seen.of[:0]
}

// notedPiece is what there is to say of a piece that was read.
type notedPiece struct {
	Notes *facts.Notes // of accounts that the engine leaves out
	Part  json.RawMessage
}

func (s *sharing) piece(e *engine, t *task) error {
	part, err := t.part.(facts.Portable).Pack()
	if err != nil {
		return err
	}
	text, err := json.Marshal(notedPiece{&t.notes, part})
	if err != nil {
		return err
	}
	s.out = binary.AppendUvarint(s.out[:0], uint64(t.number))
	s.out = binary.AppendUvarint(s.out, uint64(len(text)))
	s.pieces.Write(e.options.aside, append(s.out, text...))
	return nil
}

// addName takes in the hash of a name.
func (e *engine) addName(h uint64) {
	if e.share != nil {
		e.share.number(e, &e.share.names, h)
		return
	}
	e.names.addHash(h)
}

func (s *sharing) number(e *engine, to *spool.Stream, n uint64) {
	var room [8]byte
	to.Write(e.options.aside, binary.LittleEndian.AppendUint64(room[:0], n))
}

// RunShare judges a share of all systems and writes what comes of it. of tells what was
// read and asked, which must be the same for all shares that are put together.
func RunShare(subjects []Subject, o Options, s Share, of string, write func(*Portion) error) (err error) {
	o.share, o.Each = &s, nil
	o.begin(len(subjects))
	defer func() { err = errors.Join(err, o.aside.Close()) }()
	portion := &Portion{aside: o.aside}
	portion.head = portionHead{Share: s, Of: of, Systems: make([]portionSystem, len(subjects))}
	engines := make([][]*engine, len(subjects))
	var group errgroup.Group
	group.SetLimit(max(1, o.Jobs))
	for i := range subjects {
		subjects[i].number = i
		portion.head.Systems[i].Name = subjects[i].Export.System().Name
		if !subjects[i].divisible(&o) {
			continue
		}
		group.Go(func() error {
			e, err := newEngine(&subjects[i], &o)
			if err != nil {
				return err
			}
			e.share = &sharing{}
			engines[i], err = e.readParts(max(1, o.Jobs))
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for i := range engines {
		for _, e := range engines[i] {
			e.enterPeople()
			portion.add(i, e)
		}
	}
	if err := o.aside.Err(); err != nil {
		return err
	}
	return write(portion)
}
