// Package signin holds lockout settings against a record of sign-ins: who would
// have been locked, how often, for how long, and how many guesses would have
// gone through. Nothing is said of why somebody failed; what was seen is told.
package signin

import (
	"bytes"
	"iter"
	"slices"
	"sync/atomic"
)

// An Outcome is how one sign-in ended.
type Outcome uint8

// The outcomes.
const (
	Failed Outcome = iota // a wrong password
	LetIn                 // a right password
	ByKey                 // let in without a password, which tells a counter of passwords nothing
)

// An Event is one sign-in, or several of the same kind in the same second.
type Event struct {
	At      int64  // in microseconds since 1970, UTC
	Account uint32 // by the book
	Source  uint32 // an address, by the book; of "" where the record does not say it
	Times   int32  // how often; at least 1
	Outcome Outcome
}

// An Account is what the record has of one name.
type Account struct {
	Name     string
	Failures int
	LetIn    int
	ByKey    int
	Peaks    Peaks
	PeakAt   int64   // when the most within 10 minutes were full
	Under    []Under // by the lockouts that were asked
	Habits
	// Sources that failed, how many of those that are known one by one were let in
	// too, and how many never were.
	Sources, SourcesLetIn, NeverIn int
	SourcesIn                      int  // that it was let in from
	About                          bool // there are about as many sources
}

// A Source is what the record has of one address.
type Source struct {
	Name        string
	Failures    int
	LetIn       int
	InVain      int  // names that it failed with
	About       bool // there are about as many names
	Peaks       Peaks
	OnlyWrong   int      // of the names that it failed with, those that it never came in with
	NamesIn     int      // names that it came in with
	CameInAs    []string // these, where they are few
	First, Last int64    // wrong passwords
	Shut        []int    // how often each lockout would have shut it out; nil for never
}

// tally is what is kept of an account.
type tally struct {
	letIn, byKey uint32
	in           set    // addresses that it was let in from
	failed       *wrong // nil for no failure
	habits       *Habits
}

// wrong is what is kept of an account that failed.
type wrong struct {
	peak  peak
	times uint32
	from  set
	under []Under
	rules []Lockout
}

// origin is what is kept of an address.
type origin struct {
	peak          peak
	failed, letIn uint32
	tried, in     set
	first, last   int64
	limits        *limits // nil where no lockout looks at addresses
}

// limits are what lockouts do to an address.
type limits struct {
	holds []hold // by the lockouts
	shut  []int
}

// A Replay takes events and tells what lockouts would have done.
type Replay struct {
	Book

	// Watch has habits of accounts kept: hours and networks in which they come in.
	Watch bool
	// Progress is told how much was read, now and then; may be nil.
	Progress *atomic.Int64

	Events      int64
	First, Last int64
	OutOfOrder  int64 // events that were earlier than the one before

	rules    func(account string) []Lockout
	accounts table[tally] // by number
	sources  table[origin]
	sets     sets
	hours    []Hour
	told     int
	asOf     int64 // see Habits.LastBefore; 0 for none
}

// A table has an element for each number, and does not move them as it grows.
type table[T any] struct{ pages [][]T }

const pageSize = 1 << 12

func (t *table[T]) at(number uint32) *T {
	for int(number/pageSize) >= len(t.pages) {
		t.pages = append(t.pages, make([]T, pageSize))
	}
	return &t.pages[number/pageSize][number%pageSize]
}

// New makes a replay; rules are the lockouts to try on an account, as many for
// each, which may share them.
func New(rules func(account string) []Lockout) *Replay { return &Replay{rules: rules} }

// Add takes the next event.
func (r *Replay) Add(e *Event) {
	at, times := e.At, int(e.Times)
	if r.Events == 0 {
		r.First, r.Last = at, at
	}
	if at < r.Last {
		r.OutOfOrder++
		r.First = min(r.First, at)
		at = r.Last // it counts as if it were now
	}
	r.Events += int64(times)
	r.Last = at
	if r.told++; r.told == tellEvery {
		r.told = 0
		if r.Progress != nil {
			r.Progress.Add(tellEvery)
		}
	}
	a, s, hour := r.accounts.at(e.Account), r.sources.at(e.Source), r.hour(at)
	if r.Watch {
		if a.habits == nil {
			a.habits = &Habits{}
		}
		a.habits.add(e, at, r)
	}
	switch e.Outcome {
	case Failed:
		if a.failed == nil {
			a.failed = &wrong{rules: r.rules(r.Accounts.Name(e.Account))}
			a.failed.under = make([]Under, len(a.failed.rules))
		}
		if s.failed == 0 {
			s.first = at
		}
		s.last = at
		hour.Wrong += times
		a.failed.times += uint32(times)
		a.failed.peak.add(at, times)
		r.sets.add(&a.failed.from, e.Source)
		s.failed += uint32(times)
		s.peak.add(at, times)
		r.sets.add(&s.tried, e.Account)
	case LetIn, ByKey:
		r.sets.add(&a.in, e.Source)
		r.sets.add(&s.in, e.Account)
		if e.Outcome == ByKey {
			a.byKey += uint32(times)
			return
		}
		hour.Right += times
		a.letIn += uint32(times)
		s.letIn += uint32(times)
		if a.failed == nil {
			return // there is nothing to set back, and nothing locked
		}
	}
	f := a.failed
	for i := range f.rules {
		for range times {
			before := f.under[i].Locks
			if r.meet(s, e.Source, f, i, at, e.Outcome); f.under[i].Locks > before {
				hour.lock(i, len(f.rules))
			}
		}
	}
}

// meet holds one sign-in from an address against one lockout.
func (r *Replay) meet(s *origin, number uint32, f *wrong, i int, at int64, outcome Outcome) {
	u, l := &f.under[i], &f.rules[i]
	if u.Known = l.Known; !l.Known {
		return
	}
	if limit := &l.Source; limit.Attempts > 0 {
		if s.limits == nil {
			s.limits = &limits{make([]hold, len(f.rules)), make([]int, len(f.rules))}
			if r.Sources.Name(number) == "" {
				s.limits.holds = nil // nobody knows which address it is
			}
		}
		if s.limits.holds != nil {
			h := &s.limits.holds[i]
			if h.holds(at) {
				if outcome == Failed {
					u.ShutWrong++
				} else {
					u.ShutRight++
				}
				return
			}
			if outcome == Failed && h.fail(at, limit.Attempts, limit.Window) {
				s.limits.shut[i]++
				h.shut(at, limit.Duration)
			}
		}
	}
	u.take(l, at, outcome)
}

// tellEvery is after how many sign-ins progress is told.
const tellEvery = 1 << 12

// An Hour is what there was in an hour of the record.
type Hour struct {
	Start        int64 // in microseconds since 1970
	Wrong, Right int   // passwords
	Locks        []int // by the lockouts that were asked; nil for none
}

func (h *Hour) lock(i, of int) {
	if h.Locks == nil {
		h.Locks = make([]int, of)
	}
	h.Locks[i]++
}

// hour is the one at a moment, which is no earlier than those before.
func (r *Replay) hour(at int64) *Hour {
	start := at - at%microsPerHour
	if n := len(r.hours); n == 0 || r.hours[n-1].Start != start {
		r.hours = append(r.hours, Hour{Start: start})
	}
	return &r.hours[len(r.hours)-1]
}

// Hours are those in which anything was, the earliest first.
func (r *Replay) Hours() []Hour { return r.hours }

// Done puts an end to locks and returns the numbers of names and of addresses,
// those with most failures first, and else in no order. No event may be added
// after it.
func (r *Replay) Done() (accounts, sources []uint32) {
	for n := range uint32(r.Accounts.Len()) {
		accounts = append(accounts, n)
		f := r.accounts.at(n).failed
		if f == nil {
			continue
		}
		for i := range f.under {
			u := &f.under[i]
			switch {
			case u.lock.forever:
				u.Locked += (r.Last - u.lock.until + 1) / 1e6
			case u.lock.until > r.Last:
				u.Locked -= (u.lock.until - r.Last) / 1e6
			}
		}
	}
	for n := range uint32(r.Sources.Len()) {
		sources = append(sources, n)
	}
	mostFirst(accounts, r.failures)
	mostFirst(sources, func(n uint32) uint32 { return r.sources.at(n).failed })
	return accounts, sources
}

// mostFirst sorts numbers by how many failures they have.
func mostFirst(numbers []uint32, failures func(uint32) uint32) {
	keys := make([]uint64, len(numbers))
	for i, n := range numbers {
		keys[i] = uint64(^failures(n))<<32 | uint64(n)
	}
	slices.Sort(keys)
	for i, k := range keys {
		numbers[i] = uint32(k)
	}
}

// ByName goes through numbers that Done returned; those with as many failures
// come in the order of their names.
func (n *Names) ByName(numbers []uint32, failures func(uint32) uint32) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for len(numbers) > 0 {
			alike := 1
			for alike < len(numbers) && failures(numbers[alike]) == failures(numbers[0]) {
				alike++
			}
			group := slices.Clone(numbers[:alike])
			slices.SortFunc(group, func(a, b uint32) int { return bytes.Compare(n.at(a), n.at(b)) })
			for _, number := range group {
				if !yield(number) {
					return
				}
			}
			numbers = numbers[alike:]
		}
	}
}

// AccountsByName and SourcesByName go through numbers that Done returned.
func (r *Replay) AccountsByName(numbers []uint32) iter.Seq[uint32] {
	return r.Accounts.ByName(numbers, r.failures)
}

// SourcesByName is as AccountsByName.
func (r *Replay) SourcesByName(numbers []uint32) iter.Seq[uint32] {
	return r.Sources.ByName(numbers, func(n uint32) uint32 { return r.sources.at(n).failed })
}

// A Sum is what counts of an account, without its addresses.
type Sum struct {
	Failures, LetIn, ByKey int
	Under                  []Under
}

// Sum is what counts of the name of a number; its lockouts only where it failed.
func (r *Replay) Sum(number uint32) Sum {
	t := r.accounts.at(number)
	s := Sum{LetIn: int(t.letIn), ByKey: int(t.byKey)}
	if t.failed != nil {
		s.Failures, s.Under = int(t.failed.times), t.failed.under
	}
	return s
}

// SourceSum is how often an address failed and how often each lockout would have
// shut it out.
func (r *Replay) SourceSum(number uint32) (failed int, shut []int) {
	o := r.sources.at(number)
	if o.limits != nil {
		shut = o.limits.shut
	}
	return int(o.failed), shut
}

func (r *Replay) failures(account uint32) uint32 {
	if f := r.accounts.at(account).failed; f != nil {
		return f.times
	}
	return 0
}

// Account is what was seen of the name of a number.
func (r *Replay) Account(number uint32) Account {
	t := r.accounts.at(number)
	a := Account{Name: r.Accounts.Name(number), LetIn: int(t.letIn), ByKey: int(t.byKey)}
	a.SourcesIn, _ = r.sets.len(&t.in)
	if t.habits != nil {
		a.Habits = *t.habits
	}
	f := t.failed
	if f == nil {
		for _, l := range r.rules(a.Name) {
			a.Under = append(a.Under, Under{Known: l.Known})
		}
		return a
	}
	a.Failures, a.Peaks, a.PeakAt, a.Under = int(f.times), f.peak.peaks(), f.peak.at, f.under
	a.Sources, a.About = r.sets.len(&f.from)
	a.NeverIn = r.sets.without(&f.from, &t.in)
	r.sets.each(&f.from, func(m uint32) bool {
		if r.sets.has(&t.in, m) {
			a.SourcesLetIn++
		}
		return true
	})
	return a
}

// FailedFrom are the addresses from which the name of a number failed, those that
// are known one by one.
func (r *Replay) FailedFrom(number uint32) (list []string) {
	if f := r.accounts.at(number).failed; f != nil {
		r.sets.each(&f.from, func(m uint32) bool {
			list = append(list, r.Sources.Name(m))
			return true
		})
	}
	return list
}

// Source is what was seen of the address of a number.
func (r *Replay) Source(number uint32) Source {
	o := r.sources.at(number)
	s := Source{Name: r.Sources.Name(number), Failures: int(o.failed), LetIn: int(o.letIn), Peaks: o.peak.peaks(), First: o.first, Last: o.last}
	s.InVain, s.About = r.sets.len(&o.tried)
	s.OnlyWrong = r.sets.without(&o.tried, &o.in)
	s.NamesIn, _ = r.sets.len(&o.in)
	r.sets.each(&o.in, func(m uint32) bool {
		s.CameInAs = append(s.CameInAs, r.Accounts.Name(m))
		return len(s.CameInAs) < fewNames
	})
	if o.limits != nil {
		s.Shut = o.limits.shut
	}
	return s
}

// eventsInBatch is how many events are handed over at a time.
const eventsInBatch = 1 << 10

// Run takes the events that a reader calls do with, while it reads on.
func (r *Replay) Run(read func(book *Book, do func(*Event)) error) error {
	full, empty, done := make(chan []Event, 16), make(chan []Event, 16), make(chan struct{})
	go func() {
		defer close(done)
		warm := 0
		for batch := range full {
			for i := range batch { // so that what they need comes from memory side by side
				e := &batch[i]
				a, s := r.accounts.at(e.Account), r.sources.at(e.Source)
				if warm += int(a.letIn) + int(s.failed); a.failed != nil {
					warm += int(a.failed.times)
				}
			}
			for i := range batch {
				e := &batch[i]
				a, s := r.accounts.at(e.Account), r.sources.at(e.Source)
				if e.Outcome != Failed {
					warm += r.sets.warm(&a.in) + r.sets.warm(&s.in)
				} else if warm += r.sets.warm(&s.tried); a.failed != nil {
					warm += r.sets.warm(&a.failed.from)
					for n := range a.failed.under {
						warm += a.failed.under[n].Locks
					}
				}
			}
			for i := range batch {
				r.Add(&batch[i])
			}
			select {
			case empty <- batch[:0]:
			default:
			}
		}
		warmed.Store(int64(warm))
	}()
	batch := make([]Event, 0, eventsInBatch)
	err := read(&r.Book, func(e *Event) {
		if batch = append(batch, *e); len(batch) < eventsInBatch {
			return
		}
		full <- batch
		select {
		case batch = <-empty:
		default:
			batch = make([]Event, 0, eventsInBatch)
		}
	})
	full <- batch
	close(full)
	<-done
	return err
}

// warmed keeps the compiler from leaving out what only reads.
var warmed atomic.Int64
