// Package trend puts kept results in a row: how many findings there were, and
// how many clauses were met, by system and for all.
package trend

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"yewcone/core/record"
	"yewcone/core/rules"
)

// A Sum is one system in one kept result.
type Sum struct {
	Result     int64
	AsOf       time.Time // of the result
	System     string
	Partial    bool
	Accounts   int
	Privileged int
	Disabled   int
	Clauses    int
	Met        int
	Counts     map[rules.Severity]int
	Accepted   int
	Breaking   *int // accounts that break the rule of the trend; nil where none is asked, or it was not looked at
	More
}

// More is what results have that were kept by newer programs; of older ones it is
// zero.
type More struct {
	Measures record.Measures `json:"measures,omitzero"`
	Rules    string          `json:"rules,omitempty"` // digest of the rule sets in force
	Mapping  string          `json:"mapping,omitempty"`
}

// Serious counts what is critical or high.
func (s *Sum) Serious() int { return s.Counts[rules.Critical] + s.Counts[rules.High] }

// A Line is one system over time; Sums has a place for each result, nil where
// the result does not have the system, or has it in part only.
type Line struct {
	System string
	Sums   []*Sum
}

// A Trend is all lines over the same results.
type Trend struct {
	Results []int64
	AsOf    []time.Time // of each result
	Whole   []bool      // every system that any result has was read to its end
	Lines   []Line      // by name
	All     []*Sum      // of the systems that every whole result has; nil where one of them is missing
	Common  []string    // these systems
	Rule    string      // of which the accounts are counted that break it; "" for none
}

// Of puts sums in a row, in whatever order they come. Of several results of one
// moment the one that was kept last counts.
func Of(sums []Sum) *Trend {
	t := &Trend{}
	type moment struct {
		at     time.Time
		result int64
	}
	latest := map[time.Time]int64{}
	for i := range sums {
		if at := sums[i].AsOf; sums[i].Result > latest[at] {
			latest[at] = sums[i].Result
		}
	}
	var moments []moment
	for at, result := range latest {
		moments = append(moments, moment{at, result})
	}
	slices.SortFunc(moments, func(a, b moment) int { return a.at.Compare(b.at) })
	place := map[int64]int{}
	for i, m := range moments {
		place[m.result] = i
		t.Results, t.AsOf = append(t.Results, m.result), append(t.AsOf, m.at)
	}
	byName := map[string]*Line{}
	for i := range sums {
		s := &sums[i]
		at, counts := place[s.Result]
		if !counts {
			continue
		}
		l := byName[s.System]
		if l == nil {
			l = &Line{System: s.System, Sums: make([]*Sum, len(moments))}
			byName[s.System] = l
		}
		if !s.Partial {
			l.Sums[at] = s
		}
	}
	for _, l := range byName {
		t.Lines = append(t.Lines, *l)
	}
	slices.SortFunc(t.Lines, func(a, b Line) int { return cmp.Or(strings.Compare(a.System, b.System)) })
	t.together()
	return t
}

// together sums up the systems that at least half of the results have; a result
// in which one of them is missing is a gap, not a fall.
func (t *Trend) together() {
	for i := range t.Lines {
		n := 0
		for _, s := range t.Lines[i].Sums {
			if s != nil {
				n++
			}
		}
		if 2*n >= len(t.Results) {
			t.Common = append(t.Common, t.Lines[i].System)
		}
	}
	t.All, t.Whole = make([]*Sum, len(t.Results)), make([]bool, len(t.Results))
	for at := range t.Results {
		all := &Sum{Result: t.Results[at], AsOf: t.AsOf[at], Counts: map[rules.Severity]int{}}
		whole := len(t.Common) > 0
		for i := range t.Lines {
			if !slices.Contains(t.Common, t.Lines[i].System) {
				continue
			}
			s := t.Lines[i].Sums[at]
			if s == nil {
				whole = false
				break
			}
			all.Accounts += s.Accounts
			all.Privileged += s.Privileged
			all.Disabled += s.Disabled
			all.Clauses += s.Clauses
			all.Met += s.Met
			all.Accepted += s.Accepted
			for severity, n := range s.Counts {
				all.Counts[severity] += n
			}
			all.Measures = plus(all.Measures, s.Measures)
			if s.Breaking != nil {
				n := *s.Breaking
				if all.Breaking != nil {
					n += *all.Breaking
				}
				all.Breaking = &n
			}
		}
		if t.Whole[at] = whole; whole {
			t.All[at] = all
		}
	}
}

// Ends are the first and the last sum of a row that are there; nil for none.
func Ends(row []*Sum) (first, last *Sum) {
	for _, s := range row {
		if s == nil {
			continue
		}
		if first == nil {
			first = s
		}
		last = s
	}
	return first, last
}

// plus takes the accounts of two systems together; guesses are of the one that
// allows more, and not known where those of one are not.
func plus(a, b record.Measures) record.Measures {
	sum := record.Measures{Accounts: a.Accounts + b.Accounts, Old: a.Old + b.Old, AgeKnown: a.AgeKnown + b.AgeKnown,
		Factor: a.Factor + b.Factor, FactorKnown: a.FactorKnown + b.FactorKnown}
	switch {
	case a.Accounts == 0:
		sum.Guesses = b.Guesses
	case b.Accounts == 0:
		sum.Guesses = a.Guesses
	case a.Guesses == nil || b.Guesses == nil:
	case *a.Guesses < 0 || *b.Guesses >= 0 && *a.Guesses > *b.Guesses:
		sum.Guesses = a.Guesses
	default:
		sum.Guesses = b.Guesses
	}
	return sum
}

// A Break is a result from which on a system was judged otherwise than before.
type Break struct {
	At       int      // the place of the result
	Rules    []string // systems for which other rules hold
	Mappings []string // systems that another mapping reads
}

// Breaks lists them in their order.
func (t *Trend) Breaks() []Break {
	var list []Break
	for at := range t.Results {
		b := Break{At: at}
		for i := range t.Lines {
			now := t.Lines[i].Sums[at]
			var was *Sum
			for back := at - 1; back >= 0 && was == nil; back-- {
				was = t.Lines[i].Sums[back]
			}
			if now == nil || was == nil {
				continue
			}
			if was.Rules != now.Rules && was.Rules != "" && now.Rules != "" {
				b.Rules = append(b.Rules, t.Lines[i].System)
			}
			if was.Mapping != now.Mapping && was.Mapping != "" && now.Mapping != "" {
				b.Mappings = append(b.Mappings, t.Lines[i].System)
			}
		}
		if b.Rules != nil || b.Mappings != nil {
			list = append(list, b)
		}
	}
	return list
}

// Breaking counts the accounts of a system that break a rule, accepted or not;
// ok is false where the rule did not hold for the system, or what it asks was
// not known. Of several settings that one rule asks, the one that most accounts
// fall short of counts.
func Breaking(r *record.Record, system, rule string) (n int, ok bool) {
	x := r.System(system)
	if x == nil || x.Outcomes[rule] == "" || x.Outcomes[rule] == "unknown" {
		return 0, false
	}
	bySetting := map[string]int{}
	for i := range r.Findings {
		if f := &r.Findings[i]; f.System == system && f.Rule == rule {
			bySetting[f.Setting] += f.Accounts
			n = max(n, bySetting[f.Setting])
		}
	}
	return n, true
}
