package check

import (
	"cmp"
	"errors"
	"slices"
	"sync"

	"yewcone/core/estate"
)

// A Part is a run of an export's accounts.
type Part interface {
	// Accounts hands over the part's accounts as Export.Accounts does. It may
	// run at the same time as that of other parts.
	Accounts(yield func(*estate.Account) error) error
	// Done is called once for each part that was read, in the order of the
	// parts; then what there is to note of it joins the export's notes.
	Done()
}

// A Divided export can be read in parts side by side.
type Divided interface {
	Export
	// Parts hands over all parts in their order. It stops at the first error
	// of yield and returns it.
	Parts(yield func(Part) error) error
}

// InOrder is Export.Accounts for an export that knows its parts: it reads them
// one after the other.
func InOrder(parts func(func(Part) error) error, yield func(*estate.Account) error) error {
	return parts(func(p Part) error {
		if err := p.Accounts(yield); err != nil {
			return err
		}
		p.Done()
		return nil
	})
}

// partsOf divides an export; the accounts of one that is not Divided are
// copied into batches, so that at least reading and judging go on at the same
// time.
func partsOf(export Export) func(func(Part) error) error {
	if d, ok := export.(Divided); ok {
		return d.Parts
	}
	return func(yield func(Part) error) error { return Batches(export.Accounts, yield) }
}

var errStopped = errors.New("stopped")

const batchSize = 512

// A batch is a part whose accounts were read already.
type batch struct {
	accounts []estate.Account
	back     chan *batch
}

func (b *batch) Accounts(yield func(*estate.Account) error) error {
	for i := range b.accounts {
		if err := yield(&b.accounts[i]); err != nil {
			return err
		}
	}
	return nil
}

// Done gives the batch back to be filled again.
func (b *batch) Done() {
	select {
	case b.back <- b:
	default:
	}
}

// Batches divides accounts that can only be read one after the other, by
// copying them.
func Batches(accounts func(yield func(*estate.Account) error) error, yield func(Part) error) error {
	back := make(chan *batch, 64)
	take := func() *batch {
		select {
		case b := <-back:
			b.accounts = b.accounts[:0]
			return b
		default:
			return &batch{accounts: make([]estate.Account, 0, batchSize), back: back}
		}
	}
	b := take()
	err := accounts(func(a *estate.Account) error {
		b.accounts = b.accounts[:len(b.accounts)+1]
		b.accounts[len(b.accounts)-1].CopyFrom(a)
		if len(b.accounts) < batchSize {
			return nil
		}
		full := b
		b = take()
		return yield(full)
	})
	if err != nil || len(b.accounts) == 0 {
		return err
	}
	return yield(b)
}

// placesInPart is how many places in the order of the export a part may take
// up.
const placesInPart = 1 << 32

// A task is a part on its way through an engine.
type task struct {
	part   Part
	number int
	err    error
}

// read runs an export's accounts past the engine and, where the export has
// more than one part, past others at the same time, and gathers what they
// found in the first. What comes out is the same whatever their number: what
// depends on the order is put in order by the accounts' places.
func (e *engine) read(jobs int) error {
	r := reading{
		tasks: make(chan task), finished: make(chan task, 2*jobs), ahead: make(chan struct{}, 2*jobs), stop: make(chan struct{}),
		engines: []*engine{e},
	}
	divided := make(chan error, 1)
	go func() { divided <- r.divide(jobs) }()
	failed := r.collect()
	if err := <-divided; failed == nil && err != errStopped {
		failed = err
	}
	if failed != nil {
		return failed
	}
	for _, other := range r.engines {
		other.sumUpAll()
	}
	for _, other := range r.engines[1:] {
		e.absorb(other)
	}
	return nil
}

type reading struct {
	tasks    chan task
	finished chan task     // closed when the last worker ended
	ahead    chan struct{} // one for each part that is not done yet
	stop     chan struct{}
	workers  sync.WaitGroup
	engines  []*engine
}

// divide hands the parts to the workers, and starts a worker for each of the
// first parts.
func (r *reading) divide(jobs int) error {
	number := 0
	err := partsOf(r.engines[0].subject.Export)(func(p Part) error {
		select {
		case r.ahead <- struct{}{}:
		case <-r.stop:
			return errStopped
		}
		if number < jobs {
			if number > 0 {
				another, err := newEngine(r.engines[0].subject, r.engines[0].options)
				if err != nil {
					return err
				}
				r.engines = append(r.engines, another)
			}
			r.workers.Add(1)
			go r.work(r.engines[number])
		}
		r.tasks <- task{part: p, number: number}
		number++
		return nil
	})
	close(r.tasks)
	r.workers.Wait()
	close(r.finished)
	return err
}

func (r *reading) work(e *engine) {
	defer r.workers.Done()
	for t := range r.tasks {
		place := int64(t.number) * placesInPart
		t.err = t.part.Accounts(func(a *estate.Account) error {
			place++
			return e.account(a, place)
		})
		r.finished <- t
	}
}

// collect calls Done on the parts in their order, and returns the error of the
// first that failed.
func (r *reading) collect() error {
	var failed error
	waiting := map[int]task{}
	next := 0
	for t := range r.finished {
		waiting[t.number] = t
		for t, ok := waiting[next]; ok; t, ok = waiting[next] {
			delete(waiting, next)
			next++
			t.part.Done()
			if t.err != nil && failed == nil {
				failed = t.err
				close(r.stop)
			}
			<-r.ahead
		}
	}
	return failed
}

// sumUpAll adds up what was counted by verdict and by outcome.
func (e *engine) sumUpAll() {
	e.sumUp()
	e.enterPeople()
	for _, o := range e.outcomes {
		e.sumUpOutcome(o)
	}
}

// absorb adds what another engine found in other accounts of the same export.
func (e *engine) absorb(o *engine) {
	e.summary.Accounts += o.summary.Accounts
	e.summary.Privileged += o.summary.Privileged
	e.summary.Disabled += o.summary.Disabled
	e.marks = append(e.marks, o.marks...)
	e.tally.add(&o.tally)
	e.profile.Merge(o.profile)
	if e.summary.Dates != nil {
		e.summary.Dates.merge(o.summary.Dates)
	}
	for i := range e.sources {
		mine, other := &e.sources[i], &o.sources[i]
		mine.reached, mine.broken, mine.open = mine.reached || other.reached, mine.broken || other.broken, mine.open || other.open
	}
	for i := range e.exceptions {
		e.exceptions[i].used = e.exceptions[i].used || o.exceptions[i].used
	}
	for key, other := range o.groups {
		mine, ok := e.groups[key]
		if !ok {
			e.groups[key] = other
			continue
		}
		if other.first < mine.first {
			mine, other = other, mine
			e.groups[key] = mine
		}
		if other.ended > 0 && (mine.ended == 0 || other.ended < mine.ended) {
			mine.ended, mine.finding.Ended = other.ended, other.finding.Ended
		}
		mine.reach.absorb(&other.reach, e.options.Examples)
	}
	for key, other := range o.unknowns {
		if mine, ok := e.unknowns[key]; ok {
			mine.absorb(other, e.options.Examples)
		} else {
			e.unknowns[key] = other
		}
	}
}

func (t *Tally) add(o *Tally) {
	for name, n := range o.PolicyReach {
		t.PolicyReach[name] += n
	}
	for name := range o.PolicyWon {
		t.PolicyWon[name] = true
	}
	for answer, n := range o.SecondFactor {
		t.SecondFactor[answer] += n
	}
	t.Expiring += o.Expiring
	t.Optional += o.Optional
}

// absorb adds other accounts of the same export, and keeps the examples that
// come first.
func (r *Reach) absorb(o *Reach, examples int) {
	r.Accounts += o.Accounts
	r.Privileged += o.Privileged
	r.Disabled += o.Disabled
	r.Examples = append(r.Examples, o.Examples...)
	slices.SortFunc(r.Examples, func(a, b Example) int { return cmp.Compare(a.place, b.place) })
	r.Examples = r.Examples[:min(len(r.Examples), examples)]
}
