// Package signin holds lockout settings against a record of sign-ins: who would
// have been locked, how often, for how long, and how many guesses would have
// gone through. Nothing is said of why somebody failed; what was seen is told.
package signin

import (
	"cmp"
	"math"
	"math/bits"
	"slices"
	"strings"
	"sync/atomic"
)

// An Outcome is how one sign-in ended.
type Outcome int

// The outcomes.
const (
	Failed Outcome = iota // a wrong password
	LetIn                 // a right password
	ByKey                 // let in without a password, which tells a counter of passwords nothing
)

// Names give names numbers, each the same one every time.
type Names struct {
	numbers map[string]uint32
	list    []string
}

// Number returns the number of a name, which it copies when it is new.
func (n *Names) Number(name []byte) uint32 {
	if number, ok := n.numbers[string(name)]; ok {
		return number
	}
	if n.numbers == nil {
		n.numbers = map[string]uint32{}
	}
	text, number := string(name), uint32(len(n.list))
	n.numbers[text] = number
	n.list = append(n.list, text)
	return number
}

// Name returns the name of a number.
func (n *Names) Name(number uint32) string { return n.list[number] }

// A Book numbers what a record names.
type Book struct {
	Accounts, Sources Names
	Folding           Folding // that a reader applied to names of accounts
}

// Account numbers the name of an account, as the system folds it.
func (b *Book) Account(name []byte) uint32 { return b.Accounts.Number(b.Folding.Fold(name)) }

// An Event is one sign-in, or several of the same kind in the same second.
type Event struct {
	At      int64  // in microseconds since 1970, UTC
	Account uint32 // by the book
	Source  uint32 // an address, by the book; of "" where the record does not say it
	Outcome Outcome
	Times   int // how often; at least 1
}

// A Lockout is what counts failures and locks. Lengths are in seconds.
type Lockout struct {
	Known    bool
	Attempts int64 // the failure that locks; 0 for never
	Window   int64 // failures as far apart as this count together; -1 for however far
	Duration int64 // -1 until somebody unlocks
	Longest  int64 // up to where each lock is twice as long as the one before it, until a good sign-in; -1 without an end, 0 for no growing
	Delay    int64 // the pause that a failure demands
	Source   Limit // of addresses, whichever names they try
}

// A Limit shuts out an address. Lengths are as in a Lockout; no good sign-in sets
// it back.
type Limit struct{ Attempts, Window, Duration int64 }

// Peaks are the most failures that were seen within 10, 30 and 60 minutes,
// counted to the second and including both ends.
type Peaks [3]int

var peakWindows = [3]int64{600e6, 1800e6, 3600e6}

// peak counts failures within the windows.
type peak struct {
	recent []int64 // of the longest window, the oldest first
	most   Peaks
	at     int64 // the last failure of the most within the shortest window
}

// mostRecent bounds what is remembered of one name; beyond it peaks are at least
// what they say.
const mostRecent = 1 << 14

func (p *peak) add(at int64, times int) {
	keep := 0
	for keep < len(p.recent) && at-p.recent[keep] > peakWindows[2] {
		keep++
	}
	if keep > 0 {
		p.recent = append(p.recent[:0], p.recent[keep:]...)
	}
	for range times {
		if len(p.recent) == mostRecent {
			p.recent = append(p.recent[:0], p.recent[1:]...)
		}
		p.recent = append(p.recent, at)
	}
	for i, w := range peakWindows {
		from := 0
		if p.recent[0] < at-w {
			from, _ = slices.BinarySearch(p.recent, at-w)
		}
		if n := len(p.recent) - from; n > p.most[i] {
			if p.most[i] = n; i == 0 {
				p.at = at
			}
		}
	}
}

// exactly is up to how many members a set knows each of them.
const exactly = 64

// A set counts different numbers: exactly as far as it knows them, and about
// beyond that, by how many leading zeros their hashes have (the estimate of
// Flajolet and others, 2007, off by about 7 in 100).
type set struct {
	few   []uint32
	ranks *[256]uint8
}

func (s *set) add(n uint32) {
	if s.ranks == nil {
		if slices.Contains(s.few, n) {
			return
		}
		if len(s.few) < exactly {
			s.few = append(s.few, n)
			return
		}
		s.ranks = new([256]uint8)
		for _, f := range s.few {
			s.rank(f)
		}
	}
	s.rank(n)
}

// without is how many members are not among others; about what it is where
// either set knows its members only so. It is 0 where all are among them.
func (s *set) without(o *set) int {
	if s.ranks == nil && o.ranks == nil {
		n := 0
		for _, m := range s.few {
			if !slices.Contains(o.few, m) {
				n++
			}
		}
		return n
	}
	both := set{ranks: new([256]uint8)}
	for _, part := range []*set{s, o} {
		if part.ranks == nil {
			for _, m := range part.few {
				both.rank(m)
			}
			continue
		}
		for i, r := range part.ranks {
			both.ranks[i] = max(both.ranks[i], r)
		}
	}
	if o.ranks != nil && *o.ranks == *both.ranks {
		return 0
	}
	all, _ := both.len()
	others, _ := o.len()
	return max(0, all-others)
}

func (s *set) rank(n uint32) {
	h := (uint64(n) + 0x9e3779b97f4a7c15) * 0xbf58476d1ce4e5b9
	h = (h ^ h>>27) * 0x94d049bb133111eb
	h ^= h >> 31
	at := h >> 56
	s.ranks[at] = max(s.ranks[at], uint8(bits.LeadingZeros64(h<<8|1<<7)+1))
}

// len is how many there are; about tells that it is an estimate.
func (s *set) len() (n int, about bool) {
	if s.ranks == nil {
		return len(s.few), false
	}
	sum, zeros := 0.0, 0
	for _, r := range s.ranks {
		if sum += math.Ldexp(1, -int(r)); r == 0 {
			zeros++
		}
	}
	estimate := 0.7213 / (1 + 1.079/256) * 256 * 256 / sum
	if estimate < 2.5*256 && zeros > 0 {
		estimate = 256 * math.Log(256/float64(zeros))
	}
	return max(exactly+1, int(math.Round(estimate))), true
}

// Under is what a lockout would have done to one account.
type Under struct {
	Known        bool
	Locks        int
	First        int64 // the failure that locked first, in microseconds; of none 0
	Locked       int64 // seconds, up to the end of the record
	Through      int   // failures that were tried against the password
	RefusedWrong int   // while it was locked
	RefusedRight int
	Slowed       int // failures of those tried that came within the pause after another
	ShutWrong    int // refused since the address was shut out
	ShutRight    int

	lock   hold
	inARow int   // locks since the last good sign-in
	failed int64 // the last failure; 0 for none
}

// A hold counts failures, and says until when nothing is taken.
type hold struct {
	counted []int64 // failures that still count
	until   int64   // 0 for not
	forever bool    // until somebody unlocks
}

// holds reports whether nothing is taken at a moment.
func (h *hold) holds(at int64) bool {
	if h.until > 0 && (h.forever || at < h.until) {
		return true
	}
	h.until = 0
	return false
}

// fail counts a failure, and reports whether it is the one that is too many.
func (h *hold) fail(at, attempts, window int64) bool {
	if window >= 0 {
		old := 0
		for old < len(h.counted) && at-h.counted[old] > window*1e6 {
			old++
		}
		h.counted = append(h.counted[:0], h.counted[old:]...)
	}
	if h.counted = append(h.counted, at); int64(len(h.counted)) < attempts {
		return false
	}
	h.counted = h.counted[:0]
	return true
}

// shut begins to hold, for so many seconds; -1 until somebody unlocks.
func (h *hold) shut(at, seconds int64) {
	if seconds == 0 {
		return
	}
	h.until, h.forever = at+seconds*1e6, seconds < 0
	if h.forever {
		h.until = at + 1
	}
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
	SourcesIn                      int  // that it was let in from with a password
	About                          bool // there are about as many sources

	failedFrom, letInFrom set
	peak                  peak
	rules                 []Lockout
	book                  *Book
}

// FailedFrom are the addresses that failed, those that are known one by one.
func (a *Account) FailedFrom() []string {
	var list []string
	for _, n := range a.failedFrom.few {
		list = append(list, a.book.Sources.Name(n))
	}
	return list
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

	// Shut is how often each lockout would have shut it out.
	Shut []int

	tried, in set
	peak      peak
	holds     []hold // by the lockouts that were asked; nil where none looks at addresses
}

// A Replay takes events and tells what lockouts would have done.
type Replay struct {
	Book

	// Watch has habits of accounts kept: hours and networks in which they come in.
	Watch bool
	// Progress is told how much was read, now and then; may be nil.
	Progress *atomic.Int64

	hours []Hour
	told  int

	asOf     int64 // see Habits.LastBefore; 0 for none
	rules    func(account string) []Lockout
	accounts []*Account // by number
	sources  []*Source

	Events      int64
	First, Last int64
	OutOfOrder  int64 // events that were earlier than the one before
}

// New makes a replay; rules are the lockouts to try on an account, as many for
// each.
func New(rules func(account string) []Lockout) *Replay { return &Replay{rules: rules} }

func (r *Replay) account(number uint32) *Account {
	for int(number) >= len(r.accounts) {
		r.accounts = append(r.accounts, nil)
	}
	if r.accounts[number] == nil {
		name := r.Accounts.Name(number)
		rules := r.rules(name)
		r.accounts[number] = &Account{Name: name, book: &r.Book, rules: rules, Under: make([]Under, len(rules))}
	}
	return r.accounts[number]
}

func (r *Replay) source(number uint32) *Source {
	for int(number) >= len(r.sources) {
		r.sources = append(r.sources, nil)
	}
	if r.sources[number] == nil {
		r.sources[number] = &Source{Name: r.Sources.Name(number)}
	}
	return r.sources[number]
}

// Add takes the next event.
func (r *Replay) Add(e *Event) {
	at := e.At
	if r.Events == 0 {
		r.First, r.Last = at, at
	}
	if at < r.Last {
		r.OutOfOrder++
		r.First = min(r.First, at)
		at = r.Last // it counts as if it were now
	}
	r.Events += int64(e.Times)
	if r.told++; r.told == tellEvery {
		r.told = 0
		if r.Progress != nil {
			r.Progress.Add(tellEvery)
		}
	}
	r.Last = at
	a, s := r.account(e.Account), r.source(e.Source)
	hour := r.hour(at)
	a.habit(e, at, r)
	switch e.Outcome {
	case Failed:
		if s.Failures == 0 {
			s.First = at
		}
		s.Last = at
		hour.Wrong += e.Times
		a.Failures += e.Times
		a.peak.add(at, e.Times)
		a.failedFrom.add(e.Source)
		s.Failures += e.Times
		s.peak.add(at, e.Times)
		s.tried.add(e.Account)
	case LetIn:
		a.LetIn += e.Times
		hour.Right += e.Times
		a.letInFrom.add(e.Source)
		s.LetIn += e.Times
		s.in.add(e.Account)
	case ByKey:
		a.ByKey += e.Times
		a.letInFrom.add(e.Source)
		s.in.add(e.Account)
		return
	}
	for i := range a.rules {
		for range e.Times {
			before := a.Under[i].Locks
			if s.meet(a, i, at, e.Outcome); a.Under[i].Locks > before {
				hour.lock(i, len(a.rules))
			}
		}
	}
}

// meet holds one sign-in from an address against one lockout.
func (s *Source) meet(a *Account, i int, at int64, outcome Outcome) {
	u, l := &a.Under[i], &a.rules[i]
	if u.Known = l.Known; !l.Known {
		return
	}
	limit := &l.Source
	if limit.Attempts > 0 && s.Name != "" {
		if s.holds == nil {
			s.holds, s.Shut = make([]hold, len(a.rules)), make([]int, len(a.rules))
		}
		if s.holds[i].holds(at) {
			if outcome == Failed {
				u.ShutWrong++
			} else {
				u.ShutRight++
			}
			return
		}
		if outcome == Failed && s.holds[i].fail(at, limit.Attempts, limit.Window) {
			s.Shut[i]++
			s.holds[i].shut(at, limit.Duration)
		}
	}
	u.take(l, at, outcome)
}

// take counts one sign-in.
func (u *Under) take(l *Lockout, at int64, outcome Outcome) {
	if u.lock.holds(at) {
		if outcome == Failed {
			u.RefusedWrong++
		} else {
			u.RefusedRight++
		}
		return
	}
	if outcome == LetIn {
		u.lock.counted, u.inARow, u.failed = u.lock.counted[:0], 0, 0
		return
	}
	u.Through++
	if l.Delay > 0 && u.failed > 0 && at-u.failed < l.Delay*1e6 {
		u.Slowed++
	}
	u.failed = at
	if l.Attempts <= 0 || !u.lock.fail(at, l.Attempts, l.Window) {
		return
	}
	if u.Locks++; u.First == 0 {
		u.First = at
	}
	lasts := l.lasts(u.inARow)
	u.inARow++
	u.lock.shut(at, lasts)
	u.Locked += max(0, lasts)
}

// lasts is how long a lock lasts after so many others without a good sign-in
// between them, in seconds.
func (l *Lockout) lasts(before int) int64 {
	seconds := l.Duration
	if l.Longest == 0 || seconds < 0 {
		return seconds
	}
	for range before {
		if l.Longest > 0 && seconds >= l.Longest || seconds > yearOfSeconds {
			break
		}
		seconds *= 2
	}
	if l.Longest > 0 {
		seconds = min(seconds, max(l.Duration, l.Longest))
	}
	return seconds
}

const yearOfSeconds = 366 * 86400

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

// Done returns what was seen: names and addresses, those with most failures
// first. No event may be added after it.
func (r *Replay) Done() ([]*Account, []*Source) {
	var accounts []*Account
	for _, a := range r.accounts {
		if a == nil {
			continue
		}
		a.Peaks, a.PeakAt = a.peak.most, a.peak.at
		a.Sources, a.About = a.failedFrom.len()
		a.SourcesIn, _ = a.letInFrom.len()
		a.NeverIn = a.failedFrom.without(&a.letInFrom)
		for _, s := range a.failedFrom.few {
			if slices.Contains(a.letInFrom.few, s) {
				a.SourcesLetIn++
			}
		}
		for i := range a.Under {
			u := &a.Under[i]
			switch {
			case u.lock.forever:
				u.Locked += (r.Last - u.lock.until + 1) / 1e6
			case u.lock.until > r.Last:
				u.Locked -= (u.lock.until - r.Last) / 1e6
			}
		}
		accounts = append(accounts, a)
	}
	slices.SortFunc(accounts, func(a, b *Account) int {
		return cmp.Or(cmp.Compare(b.Failures, a.Failures), strings.Compare(a.Name, b.Name))
	})
	var sources []*Source
	for _, s := range r.sources {
		if s == nil {
			continue
		}
		s.Peaks = s.peak.most
		s.InVain, s.About = s.tried.len()
		s.OnlyWrong = s.tried.without(&s.in)
		s.NamesIn, _ = s.in.len()
		for _, n := range s.in.few[:min(len(s.in.few), fewNames)] {
			s.CameInAs = append(s.CameInAs, r.Accounts.Name(n))
		}
		sources = append(sources, s)
	}
	slices.SortFunc(sources, func(a, b *Source) int {
		return cmp.Or(cmp.Compare(b.Failures, a.Failures), strings.Compare(a.Name, b.Name))
	})
	return accounts, sources
}
