// Package signin holds lockout settings against a record of sign-ins: who would
// have been locked, how often, for how long, and how many guesses would have
// gone through. Nothing is said of why somebody failed; what was seen is told.
package signin

import (
	"cmp"
	"slices"
	"strings"
)

// An Outcome is how one sign-in ended.
type Outcome int

// The outcomes.
const (
	Failed Outcome = iota // a wrong password
	LetIn                 // a right password
	ByKey                 // let in without a password, which tells a counter of passwords nothing
)

// An Event is one sign-in, or several of the same kind in the same second.
type Event struct {
	At      int64 // in microseconds since 1970, UTC
	Account string
	Source  string // an address; "" where the record does not say it
	Outcome Outcome
	Times   int // how often; at least 1
}

// A Lockout is what counts failures and locks. Lengths are in seconds.
type Lockout struct {
	Known    bool
	Attempts int64 // the failure that locks; 0 for never
	Window   int64 // failures as far apart as this count together; -1 for however far
	Duration int64 // -1 until somebody unlocks
}

// Peaks are the most failures that were seen within 10, 30 and 60 minutes,
// counted to the second and including both ends.
type Peaks [3]int

var peakWindows = [3]int64{600e6, 1800e6, 3600e6}

// peak counts failures within the windows.
type peak struct {
	recent []int64 // of the longest window, the oldest first
	most   Peaks
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
		from, _ := slices.BinarySearch(p.recent, at-w)
		p.most[i] = max(p.most[i], len(p.recent)-from)
	}
}

// names is a small set of names.
type names struct {
	few  []string
	many map[string]bool
}

func (n *names) add(name string) {
	switch {
	case n.many != nil:
		n.many[name] = true
	case slices.Contains(n.few, name):
	case len(n.few) < 8:
		n.few = append(n.few, name)
	default:
		n.many = map[string]bool{name: true}
		for _, f := range n.few {
			n.many[f] = true
		}
	}
}

func (n *names) len() int { return max(len(n.few), len(n.many)) }

func (n *names) has(name string) bool { return n.many[name] || slices.Contains(n.few, name) }

// Under is what a lockout would have done to one account.
type Under struct {
	Known        bool
	Locks        int
	First        int64 // the failure that locked first, in microseconds; of none 0
	Locked       int64 // seconds, up to the end of the record
	Through      int   // failures that were tried against the password
	RefusedWrong int   // while it was locked
	RefusedRight int

	counted []int64 // failures that still count
	until   int64   // locked until; 0 for not
	for_    bool    // until somebody unlocks
}

// An Account is what the record has of one name.
type Account struct {
	Name        string
	Failures    int
	LetIn       int
	ByKey       int
	First, Last int64 // microseconds
	Peaks       Peaks
	Under       []Under // by the lockouts that were asked
	// Sources that failed, and how many of these were let in too.
	Sources, SourcesLetIn int

	failedFrom, letInFrom names
	peak                  peak
	rules                 []Lockout
}

// A Source is what the record has of one address.
type Source struct {
	Name     string
	Failures int
	LetIn    int
	InVain   int // names that it failed with
	Peaks    Peaks

	tried names
	peak  peak
}

// A Replay takes events and tells what lockouts would have done.
type Replay struct {
	rules    func(account string) []Lockout
	accounts map[string]*Account
	sources  map[string]*Source

	Events      int64
	First, Last int64
	OutOfOrder  int64 // events that were earlier than the one before
}

// New makes a replay; rules are the lockouts to try on an account, as many for
// each.
func New(rules func(account string) []Lockout) *Replay {
	return &Replay{rules: rules, accounts: map[string]*Account{}, sources: map[string]*Source{}}
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
	r.Last = at
	a := r.accounts[e.Account]
	if a == nil {
		name := strings.Clone(e.Account)
		a = &Account{Name: name, First: at, rules: r.rules(name)}
		a.Under = make([]Under, len(a.rules))
		r.accounts[name] = a
	}
	a.Last = at
	s := r.sources[e.Source]
	if s == nil {
		s = &Source{Name: strings.Clone(e.Source)}
		r.sources[s.Name] = s
	}
	switch e.Outcome {
	case Failed:
		a.Failures += e.Times
		a.peak.add(at, e.Times)
		a.failedFrom.add(s.Name)
		s.Failures += e.Times
		s.peak.add(at, e.Times)
		s.tried.add(a.Name)
	case LetIn:
		a.LetIn += e.Times
		a.letInFrom.add(s.Name)
		s.LetIn += e.Times
	case ByKey:
		a.ByKey += e.Times
		return
	}
	for i := range a.rules {
		for range e.Times {
			a.Under[i].take(&a.rules[i], at, e.Outcome)
		}
	}
}

// take counts one sign-in.
func (u *Under) take(l *Lockout, at int64, outcome Outcome) {
	if u.Known = l.Known; !u.Known {
		return
	}
	if u.until > 0 && (u.for_ || at < u.until) {
		if outcome == Failed {
			u.RefusedWrong++
		} else {
			u.RefusedRight++
		}
		return
	}
	u.until = 0
	if outcome == LetIn {
		u.counted = u.counted[:0]
		return
	}
	u.Through++
	if l.Attempts <= 0 {
		return
	}
	if l.Window >= 0 {
		old := 0
		for old < len(u.counted) && at-u.counted[old] > l.Window*1e6 {
			old++
		}
		u.counted = append(u.counted[:0], u.counted[old:]...)
	}
	if u.counted = append(u.counted, at); int64(len(u.counted)) < l.Attempts {
		return
	}
	u.counted = u.counted[:0]
	if u.Locks++; u.First == 0 {
		u.First = at
	}
	if l.Duration == 0 {
		return
	}
	u.until, u.for_ = at+l.Duration*1e6, l.Duration < 0
	if u.for_ {
		u.until = at + 1
	}
	u.Locked += max(0, l.Duration)
}

// Done returns what was seen: names and addresses, those with most failures
// first. No event may be added after it.
func (r *Replay) Done() ([]*Account, []*Source) {
	var accounts []*Account
	for _, a := range r.accounts {
		a.Peaks, a.Sources = a.peak.most, a.failedFrom.len()
		for _, s := range append(slices.Collect(keys(a.failedFrom.many)), a.failedFrom.few...) {
			if a.letInFrom.has(s) && (a.failedFrom.many == nil || !slices.Contains(a.failedFrom.few, s)) {
				a.SourcesLetIn++
			}
		}
		for i := range a.Under {
			u := &a.Under[i]
			switch {
			case u.for_:
				u.Locked += (r.Last - u.until + 1) / 1e6
			case u.until > r.Last:
				u.Locked -= (u.until - r.Last) / 1e6
			}
		}
		accounts = append(accounts, a)
	}
	slices.SortFunc(accounts, func(a, b *Account) int {
		return cmp.Or(cmp.Compare(b.Failures, a.Failures), strings.Compare(a.Name, b.Name))
	})
	var sources []*Source
	for _, s := range r.sources {
		s.Peaks, s.InVain = s.peak.most, s.tried.len()
		sources = append(sources, s)
	}
	slices.SortFunc(sources, func(a, b *Source) int {
		return cmp.Or(cmp.Compare(b.Failures, a.Failures), strings.Compare(a.Name, b.Name))
	})
	return accounts, sources
}

func keys(m map[string]bool) func(func(string) bool) {
	return func(yield func(string) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}
