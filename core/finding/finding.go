// Package finding holds what a check of an estate finds, ready for any output.
package finding

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/gap"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// A Result is what a check found, ready for any output.
type Result struct {
	Estate   string
	Systems  []SystemResult
	Findings []Finding // worst first
	Accepted []Finding // what exceptions cover, worst first
	Unknowns []Unknown // by system, in the order of the rules
	Gaps     *Gaps     // between systems; nil where they were not looked for
}

// TheEstate stands for a system's name in findings about the estate itself.
const TheEstate = "estate"

// A SystemResult sums up one system.
type SystemResult struct {
	Name         string
	Title        string
	AsOf         time.Time // zero when nothing says it
	AsOfFrom     string
	Policies     int
	Accounts     int
	Privileged   int
	Disabled     int
	KindsUnknown int  // accounts of which neither the export nor the estate tells the kind
	Refused      int  // rows or values that could not be read
	Partial      bool // a file was missing or cut off, or more was refused than the options bear
	Notes        []facts.Note
	Rules        []string // names of the rule sets
	Clauses      int      // clauses that were asked of somebody
	Met          int      // of these, clauses that hold throughout, apart from what was accepted
	Nobody       int      // clauses that reach nobody, or nobody of whom they could ask anything
	Accepted     int      // findings that exceptions cover
	Outcomes     []RuleState
	Owner        string             // who answers for it, as the estate says; "" for nobody
	Holds        map[string]Holding // by policy: for whom its values hold
	Asks         []Ask
	Spread       *Spread // of its enabled accounts; nil where it was not wanted
}

// Holding is the values of a policy that hold for somebody, in the order of the
// catalogue.
type Holding []Held

// At is what holds of a setting; the zero Held for nothing.
func (h Holding) At(id setting.ID) Held {
	for _, held := range h {
		if held.Setting == id {
			return held
		}
	}
	return Held{Setting: id}
}

// Add counts more accounts for whom a value holds.
func (h *Holding) Add(o Held) {
	at, there := slices.BinarySearchFunc(*h, o.Setting, func(h Held, id setting.ID) int { return cmp.Compare(h.Setting, id) })
	if !there {
		*h = slices.Insert(*h, at, o)
		return
	}
	mine := &(*h)[at]
	if o.Value.Known() {
		mine.Value = o.Value
	}
	mine.Accounts += o.Accounts
	mine.Privileged += o.Privileged
}

// Held is a value of a policy, with the accounts for which it holds.
type Held struct {
	Setting              setting.ID
	Value                setting.Value
	Accounts, Privileged int
}

// A RuleState is how a clause or check comes out for a whole system.
type RuleState struct {
	Rule  rules.Rule
	State string // Met, Broken, Open or NotForIt
	// Unsure: beside what is broken, it is not known for everybody.
	Unsure bool
}

// Word is how the rule comes out, in a word; "broken, unsure" where that is not
// known for everybody.
func (s *RuleState) Word() string {
	if s.Unsure && s.State == Broken {
		return s.State + ", unsure"
	}
	return s.State
}

// How a rule comes out, for an account or for a whole system.
const (
	Met      = "met"
	Broken   = "broken"
	Open     = "unknown"
	Accepted = "accepted"
	Replaced = "replaced"
	NotForIt = "not for it"
	Soon     = "soon" // a step of a rule that lies ahead, and that the account will fall short of
)

// An Ask is what a clause wants of a setting.
type Ask struct {
	Setting string
	Rule    rules.Rule
	Text    string
}

// A Finding is one thing that is not as the rules ask, for all the accounts
// where it is so for the same reason.
type Finding struct {
	Fingerprint string // the same in each run as long as the reason is
	System      string
	Rule        rules.Rule
	Between     bool // found by holding systems against one another
	Severity    rules.Severity
	Sentence    string // what is so, without the system's name
	Setting     string // "" for facts of accounts
	Value       string // as it is
	Asked       string // what the rule asks for
	Policy      string // where the value stands; "" for the account itself
	OnAccount   bool   // the value stands on the accounts themselves
	Split       string // "privileged" or "not privileged" where only such accounts are in it
	Origin      facts.Origin
	Because     string
	Remedy      string
	Wants       []Want // what would end it, all together; nil where no setting would by itself
	Also        []Want // what rules ask of settings that come into force once that is done
	Mark        string // the fact about accounts that it comes from, where taking that back ends it; "" for none
	Opens       string // what lets in anybody who tries, or reads a copy, in a few words; "" where nothing does
	OfRecord    bool   // it was seen in a record of sign-ins
	Seen        string // what was, in a few words behind a name or an address
	SeenOrder   int    // which of these come first
	Reach       Reach
	Exception   *rules.Exception // that covers it; nil for a finding proper
	Ended       *rules.Exception // that covered some of it and has ended
	Outgrown    *rules.Exception // that covers a stricter value than it is now
}

// A Want is what a finding wants of one setting.
type Want struct {
	Setting   setting.ID
	Asked     requirement.Requirement
	Limit     *requirement.Requirement // what the system can do; nil where that is not limited
	Now       setting.Value
	Policy    string // where it stands, or would have to; "" on accounts
	OnAccount bool   // it stands on the accounts themselves
	Mark      string // as the fact of a mark on the accounts; "" for a value
	Origin    facts.Origin
}

// A Reach says which accounts something concerns.
type Reach struct {
	Accounts   int
	Privileged int
	Unranked   int // of which it is not known whether they are privileged
	Disabled   int
	Audiences  [gap.Rest + 1]int // by audience
	Examples   []Example         // the first few, in the order of the export
}

// An Unknown is something that the rules ask and the export does not show.
type Unknown struct {
	System  string
	Setting string       // the setting, or ""
	Fact    string       // the fact about accounts, or ""
	Rules   []rules.Rule // who asks
	Reach   Reach
	ToKnow  string // what to export to know it; "" where nobody can say
}

// ClausesMet says in a few words how the clauses of a system came out; no
// clause that was asked of nobody counts as met.
func (s *SystemResult) ClausesMet() string {
	switch {
	case len(s.Rules) == 0:
		return "no rules"
	case s.Clauses == 0 && s.Partial:
		return "not read"
	case s.Clauses == 0:
		return "reach nobody"
	}
	text := fmt.Sprintf("%d of %d", s.Met, s.Clauses)
	if s.Partial {
		text += " (partial)"
	}
	return text
}

// OnlyChecks reports whether no rule of a rule set asks for it.
func (u *Unknown) OnlyChecks() bool {
	for _, r := range u.Rules {
		if !r.BuiltIn {
			return false
		}
	}
	return true
}

// Name returns the setting or fact.
func (u *Unknown) Name() string {
	if u.Setting != "" {
		return u.Setting
	}
	return u.Fact
}

// Worst returns the highest severity among the findings; 0 for none.
func (r *Result) Worst() rules.Severity {
	var worst rules.Severity
	for i := range r.Findings {
		worst = max(worst, r.Findings[i].Severity)
	}
	return worst
}

// CountBySeverity counts findings, of one system or of all with "".
func (r *Result) CountBySeverity(system string) map[rules.Severity]int {
	counts := map[rules.Severity]int{}
	for i := range r.Findings {
		if system == "" || r.Findings[i].System == system {
			counts[r.Findings[i].Severity]++
		}
	}
	return counts
}

// WorstSystem names the system with the most findings of the highest
// severities; "" when there are no findings.
func (r *Result) WorstSystem() string {
	best, bestCounts := "", map[rules.Severity]int{}
	for _, s := range r.Systems {
		counts := r.CountBySeverity(s.Name)
		for _, severity := range rules.Severities {
			if counts[severity] != bestCounts[severity] {
				if counts[severity] > bestCounts[severity] {
					best, bestCounts = s.Name, counts
				}
				break
			}
		}
	}
	return best
}

// WorstSystems returns the places of at most so many systems, those with the
// worst findings, in their own order.
func (r *Result) WorstSystems(most int) []int {
	var places []int
	counts := make([]map[rules.Severity]int, len(r.Systems))
	for i := range r.Systems {
		places = append(places, i)
		counts[i] = r.CountBySeverity(r.Systems[i].Name)
	}
	slices.SortStableFunc(places, func(a, b int) int {
		for _, s := range rules.Severities {
			if c := cmp.Compare(counts[b][s], counts[a][s]); c != 0 {
				return c
			}
		}
		return 0
	})
	places = places[:min(most, len(places))]
	slices.Sort(places)
	return places
}

// Partial reports whether an export could not be read to its end.
func (r *Result) Partial() bool {
	for _, s := range r.Systems {
		if s.Partial {
			return true
		}
	}
	return false
}

// Ask says what is asked, where that is of a setting, else what is so.
func (f *Finding) Ask() string {
	if f.Setting == "" {
		return f.Sentence
	}
	return f.Setting + " " + f.Asked + ", where it is " + f.Value
}

// Fingerprint makes a short name out of what makes a finding what it is.
func Fingerprint(parts ...string) string {
	h := sha256.New()
	for _, p := range parts {
		h.Write([]byte(p))
		h.Write([]byte{0})
	}
	return hex.EncodeToString(h.Sum(nil)[:6])
}

// Sort puts findings in order, the worst first.
func (r *Result) Sort() {
	order := map[string]int{}
	for i, s := range r.Systems {
		order[s.Name] = i
	}
	worstFirst := func(a, b Finding) int {
		return cmp.Or(cmp.Compare(b.Severity, a.Severity), cmp.Compare(b.Reach.Accounts, a.Reach.Accounts),
			cmp.Compare(order[a.System], order[b.System]), strings.Compare(a.Rule.String(), b.Rule.String()),
			strings.Compare(a.Fingerprint, b.Fingerprint), strings.Compare(a.Sentence, b.Sentence),
			cmp.Compare(a.Exception.Order(), b.Exception.Order()))
	}
	slices.SortStableFunc(r.Findings, worstFirst)
	slices.SortStableFunc(r.Accepted, worstFirst)
}

// Keep adds an account as an example where more are wanted, and reports
// whether there are enough.
func (r *Reach) Keep(wanted int, example func() Example) bool {
	if n := len(r.Examples); n < wanted {
		if n == cap(r.Examples) { // many findings have few, and there may be a hundred thousand findings
			r.Examples = append(make([]Example, 0, min(wanted, 2*n+1)), r.Examples...)
		}
		r.Examples = append(r.Examples, example())
	}
	return len(r.Examples) >= wanted
}

// Merge adds other accounts of the same export, and keeps the examples that
// come first.
func (r *Reach) Merge(o *Reach, examples int) {
	r.Accounts += o.Accounts
	r.Privileged += o.Privileged
	r.Unranked += o.Unranked
	r.Disabled += o.Disabled
	for a, n := range o.Audiences {
		r.Audiences[a] += n
	}
	r.Examples = append(r.Examples, o.Examples...)
	slices.SortFunc(r.Examples, func(a, b Example) int { return cmp.Compare(a.Place, b.Place) })
	r.Examples = r.Examples[:min(len(r.Examples), examples)]
}
