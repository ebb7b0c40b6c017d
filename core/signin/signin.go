// Package signin holds lockout settings against a record of sign-ins: who would
// have been locked, how often, for how long, and how many guesses would have
// gone through. Nothing is said of why somebody failed; what was seen is told.
package signin

import (
	"bytes"
	"cmp"
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

// A Replay takes events and tells what lockouts would have done.
type Replay struct {
	Book

	// Watch has habits of accounts kept: hours and networks in which they come in.
	Watch bool
	// Jobs are how many count at a time; at least one does.
	Jobs int
	// Progress is told how much was read, now and then; may be nil.
	Progress *atomic.Int64

	Events      int64
	First, Last int64
	OutOfOrder  int64 // events that were earlier than the one before

	lists    [][]Lockout
	of       func(account []byte) int
	listOf   table[uint32] // by the number of a name: its list of lockouts, from 1; 0 for not asked yet
	limits   []int         // columns, each the first of those that have the same limits of addresses
	limitOf  []int         // by column: its place among these; -1 for one that never has a limit
	accounts tallies
	sources  origins
	apart    *apart // nil where all is kept in memory
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

// New makes a replay. The lists have the lockouts to try, as many each; of says
// which list holds for an account.
func New(lists [][]Lockout, of func(account []byte) int) *Replay {
	r := &Replay{lists: lists, of: of}
	for column := range lists[0] {
		r.limitOf = append(r.limitOf, r.limitAt(column))
	}
	return r
}

// limitAt is the place of a column's limits among those that differ.
func (r *Replay) limitAt(column int) int {
	without := func(list []Lockout) bool { return list[column].Source.Attempts <= 0 }
	if !slices.ContainsFunc(r.lists, func(list []Lockout) bool { return !without(list) }) {
		return -1
	}
	for at, other := range r.limits {
		differs := func(list []Lockout) bool { return list[column].Source != list[other].Source }
		if !slices.ContainsFunc(r.lists, differs) {
			return at
		}
	}
	r.limits = append(r.limits, column)
	return len(r.limits) - 1
}

// List says which list of lockouts holds for the name of a number.
func (r *Replay) List(account uint32) int {
	at := r.listOf.at(account)
	if *at == 0 {
		*at = uint32(r.of(r.Accounts.Bytes(account))) + 1
	}
	return int(*at - 1)
}

// lockouts are those that hold for the name of a number.
func (r *Replay) lockouts(account uint32) []Lockout { return r.lists[r.List(account)] }

// Add takes the next event.
func (r *Replay) Add(e *Event) {
	at := r.note(e)
	r.addAccount(&r.accounts, e, at, r.addSource(&r.sources, e, at))
}

// note counts an event among all, and returns the moment at which it counts.
func (r *Replay) note(e *Event) int64 {
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
	switch hour := r.hour(at); e.Outcome {
	case Failed:
		hour.Wrong += times
	case LetIn:
		hour.Right += times
	}
	return at
}

// tellEvery is after how many sign-ins progress is told.
const tellEvery = 1 << 12

// An Hour is what there was in an hour of the record.
type Hour struct {
	Start        int64 // in microseconds since 1970
	Wrong, Right int   // passwords
	Locks        []int // by the lockouts that were asked; nil for none
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
	if r.apart == nil {
		r.finish(&r.accounts)
		r.lockHours(r.accounts.locks)
	}
	for n := range uint32(r.Accounts.Len()) {
		accounts = append(accounts, n)
	}
	for n := range uint32(r.Sources.Len()) {
		sources = append(sources, n)
	}
	mostFirst(accounts, r.failures)
	mostFirst(sources, r.sourceFailures)
	return accounts, sources
}

// lockHours puts locks into the hours that they fell in.
func (r *Replay) lockHours(locks map[int64][]int) {
	for start, counts := range locks {
		at, _ := slices.BinarySearchFunc(r.hours, start, func(h Hour, start int64) int { return cmp.Compare(h.Start, start) })
		h := &r.hours[at]
		if h.Locks == nil {
			h.Locks = make([]int, len(counts))
		}
		for i, n := range counts {
			h.Locks[i] += n
		}
	}
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
	return r.Sources.ByName(numbers, r.sourceFailures)
}

// A Sum is what counts of an account, without its addresses.
type Sum struct {
	Failures, LetIn, ByKey int
	Under                  []Under // nil where nothing was held against it
}

// Sums calls do for each name, in the order of numbers; what it is given is good
// until it returns.
func (r *Replay) Sums(do func(number uint32, s *Sum)) {
	for n := range uint32(r.Accounts.Len()) {
		a := r.Account(n)
		s := Sum{a.Failures, a.LetIn, a.ByKey, a.Under}
		do(n, &s)
	}
}

// SourceSums calls do for each address with how often it failed and how often
// each lockout would have shut it out, which is nil for never.
func (r *Replay) SourceSums(do func(number uint32, failed int, shut []int)) {
	for n := range uint32(r.Sources.Len()) {
		s := r.Source(n)
		do(n, s.Failures, s.Shut)
	}
}

func (r *Replay) failures(account uint32) uint32 {
	if r.apart != nil {
		return r.apart.failed[account]
	}
	if f := r.accounts.at(account).failed; f != nil {
		return f.times
	}
	return 0
}

func (r *Replay) sourceFailures(source uint32) uint32 {
	if r.apart != nil {
		return r.apart.failedFrom[source]
	}
	return r.sources.at(source).failed
}

// Account is what was seen of the name of a number.
func (r *Replay) Account(number uint32) Account {
	if r.apart != nil {
		a, _ := r.apart.account(r, number)
		return a
	}
	return r.account(&r.accounts, number)
}

// Source is what was seen of the address of a number.
func (r *Replay) Source(number uint32) Source {
	if r.apart != nil {
		return r.apart.source(r, number)
	}
	s, came := r.source(&r.sources, number)
	for _, n := range came {
		s.CameInAs = append(s.CameInAs, r.Accounts.Name(n))
	}
	return s
}

// eventsInBatch is how many events are handed over at a time.
const eventsInBatch = 1 << 10

// Run takes the events that a reader calls do with, while it reads on, and keeps
// in memory all that it counts.
func (r *Replay) Run(read func(book *Book, do func(*Event)) error) error {
	return r.batches(read, func(batch []Event) {
		for i := range batch {
			r.Add(&batch[i])
		}
	})
}

// batches hands events over in batches to somebody who counts while read reads on.
func (r *Replay) batches(read func(book *Book, do func(*Event)) error, count func([]Event)) error {
	full, empty, done := make(chan []Event, 16), make(chan []Event, 16), make(chan struct{})
	go func() {
		defer close(done)
		for batch := range full {
			count(batch)
			select {
			case empty <- batch[:0]:
			default:
			}
		}
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
