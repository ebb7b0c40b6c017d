package audit

import (
	"cmp"
	"errors"
	"iter"
	"sync"
	"sync/atomic"

	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/inorder"
)

var errStopped = errors.New("stopped")

// placesInPart is how many places in the order of the export a part may take
// up.
const placesInPart = 1 << 32

// A task is a part on its way through an engine.
type task struct {
	part   facts.Part
	number int // in the export
	turn   int // among those that are read
	err    error
	notes  facts.Notes // of accounts that the engine leaves out
	began  *beginnings // nil where they are not noted
}

// read runs an export's accounts past the engine and, where the export has
// more than one part, past others at the same time, and gathers what they
// found in the first. What comes out is the same whatever their number: what
// depends on the order is put in order by the accounts' places.
func (e *engine) read(jobs int) error {
	if len(e.options.Portions) > 0 && e.names.twice == nil && e.subject.divisible(e.options) {
		return e.merge()
	}
	engines, err := e.readParts(jobs)
	if err != nil {
		return err
	}
	for _, other := range engines {
		other.sumUpAll()
		e.seen = append(e.seen, other.sightings)
	}
	for _, other := range engines[1:] {
		e.absorb(other)
	}
	return nil
}

// readParts runs the accounts past the engine and others, which it returns too. Each worker
// takes the next part itself, so that what was read lies near who looks at it.
func (e *engine) readParts(jobs int) ([]*engine, error) {
	r := reading{engines: []*engine{e}, notes: e.subject.Export.Notes(), jobs: jobs}
	r.done.L, r.line.Take = &r.mutex, r.collect
	var failed error
	var stop func()
	r.next, stop = iter.Pull(r.tasks(&failed))
	r.begun.prefixes = map[string]int{}
	r.begin(e)
	r.workers.Wait()
	if stop(); !r.begun.missed {
		e.prefixes = r.begun.prefixes
	}
	return r.engines, cmp.Or(r.broken, failed, r.failed)
}

type reading struct {
	workers sync.WaitGroup
	jobs    int
	stopped atomic.Bool // no part is begun any more

	line   inorder.Line[task]
	notes  *facts.Notes // of the export; they and what follows are of who takes from the line
	begun  begun
	broken error // of the first part that failed

	mutex   sync.Mutex // of what is below
	done    sync.Cond  // fewer parts are ahead
	ahead   int        // parts that are not done yet
	next    func() (task, bool)
	engines []*engine
	hands   int // workers that were begun
	failed  error
}

// tasks are the parts in their order.
func (r *reading) tasks(failed *error) iter.Seq[task] {
	share := r.engines[0].options.share
	return func(yield func(task) bool) {
		number, turn := 0, 0
		*failed = facts.Parts(r.engines[0].subject.Export)(func(p facts.Part) error {
			if number++; !share.takes(p, number-1) {
				return nil
			}
			if turn++; !yield(task{part: p, number: number - 1, turn: turn - 1}) {
				return errStopped
			}
			return nil
		})
		if *failed == errStopped {
			*failed = nil
		}
	}
}

// begin begins a worker with an engine; nil for one of its own, once it has something to do.
func (r *reading) begin(e *engine) {
	r.hands++
	r.workers.Go(func() {
		for t, ok := r.take(&e); ok; t, ok = r.take(&e) {
			r.work(e, &t)
			r.finish(t)
		}
	})
}

// take returns the next task; false where there is none any more. As long as there are
// fewer workers than may be, each task has another begin.
func (r *reading) take(e **engine) (task, bool) {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	for r.ahead >= 2*r.jobs && !r.stopped.Load() {
		r.done.Wait()
	}
	if r.stopped.Load() {
		return task{}, false
	}
	t, ok := r.next()
	if !ok {
		r.stopped.Store(true)
		return t, false
	}
	if *e == nil {
		another, err := newEngine(r.engines[0].subject, r.engines[0].options)
		if err != nil {
			r.failed = err
			r.stopped.Store(true)
			return t, false
		}
		another.signins.digest = r.engines[0].signins.digest
		another.names.census = r.engines[0].names.census
		if r.engines[0].options.share != nil {
			another.share = &sharing{}
		}
		*e = another
		r.engines = append(r.engines, another)
	}
	if r.ahead++; r.hands < r.jobs {
		r.begin(nil)
	}
	return t, true
}

// work runs the accounts of a part past an engine.
func (r *reading) work(e *engine, t *task) {
	first := int64(t.number) * placesInPart
	place := first
	if e.noting = nil; len(e.subject.Kinds) == 0 && e.names.twice == nil && e.share == nil && r.begun.looked.Load() < accountsLooked {
		e.noting = &beginnings{first: first}
	}
	account := func(a *facts.Account) error {
		if place++; e.noting != nil && a.Kind == "" {
			e.noting.note(a.Login, place)
		}
		if n := max(len(a.Login), len(a.DN)); n > facts.LongestName {
			t.notes.Refuse(a.Origin, "the name of the account is %d bytes long, which no system's is; it is left out", n)
			return nil
		}
		return e.account(a, place)
	}
	t.began = e.noting
	if done, err := e.gather(t.part, &place); done {
		t.err, t.began = err, nil
	} else if done, err := e.sketches(t.part, &place, account); done {
		t.err = err
	} else {
		t.err = t.part.Accounts(account)
	}
	if t.began != nil {
		t.began.accounts = int(place - first)
	}
	if e.share != nil && t.err == nil {
		e.enterPeople()
		t.err = e.share.piece(e, t)
	}
	if e.options.Progress != nil {
		e.options.Progress.Add(place - first)
	}
}

// finish brings a part to the line of those that are done in their order.
func (r *reading) finish(t task) {
	if done := r.line.Bring(t.turn, t); done > 0 {
		r.mutex.Lock()
		r.ahead -= done
		r.mutex.Unlock()
		r.done.Broadcast()
	}
}

// collect calls Done on a part, the first of those that are not done.
func (r *reading) collect(t task) {
	t.part.Done()
	r.notes.Join(&t.notes)
	r.begun.add(t.began)
	if t.err != nil && r.broken == nil {
		r.broken = t.err
		r.stopped.Store(true)
	}
}

// sumUpAll adds up what was counted by verdict and by outcome.
func (e *engine) sumUpAll() {
	e.sumUp()
	e.enterPeople()
	for _, o := range e.outcomes {
		e.ledger.sumUp(o)
	}
}

// absorb adds what another engine found in other accounts of the same export.
func (e *engine) absorb(o *engine) {
	e.summary.Accounts += o.summary.Accounts
	e.summary.Privileged += o.summary.Privileged
	e.summary.Disabled += o.summary.Disabled
	e.summary.KindsUnknown += o.summary.KindsUnknown
	e.privilegedMatched = e.privilegedMatched || o.privilegedMatched
	for i := range e.kindMatched {
		e.kindMatched[i] = e.kindMatched[i] || o.kindMatched[i]
	}
	for policy, list := range o.summary.Holds {
		if e.summary.Holds == nil {
			e.summary.Holds = map[string]finding.Holding{}
		}
		holding := e.summary.Holds[policy]
		for _, h := range list {
			holding.Add(h)
		}
		e.summary.Holds[policy] = holding
	}
	e.marks.addAll(&o.marks)
	e.names.merge(&o.names)
	e.view.Add(&o.view)
	e.profile.Merge(o.profile)
	if e.summary.Spread != nil {
		e.summary.Spread.Merge(o.summary.Spread)
	}
	for i := range e.rules {
		mine, other := &e.rules[i], &o.rules[i]
		mine.reached, mine.matched = mine.reached || other.reached, mine.matched || other.matched
		mine.broken, mine.open = mine.broken || other.broken, mine.open || other.open
	}
	for i := range e.exceptions {
		e.exceptions[i].used = e.exceptions[i].used || o.exceptions[i].used
	}
	e.ledger.merge(&o.ledger)
}
