package check

import (
	"crypto/sha256"
	"encoding/hex"
	"strings"
	"time"

	"yewcone/core/estate"
	"yewcone/core/rules"
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

// A SystemResult sums up one system.
type SystemResult struct {
	Name       string
	Title      string
	AsOf       time.Time // zero when nothing says it
	AsOfFrom   string
	Policies   int
	Accounts   int
	Privileged int
	Disabled   int
	Refused    int  // rows or values that could not be read
	Partial    bool // a file was missing or cut off, or more was refused than the options bear
	Notes      []estate.Note
	Rules      []string // names of the rule sets
	Clauses    int      // clauses that reach somebody
	Met        int      // of these, clauses that hold throughout, apart from what was accepted
	Accepted   int      // findings that exceptions cover
	Outcomes   []RuleState
	Asks       []Ask
	Dates      *Spread // of its enabled accounts; nil where it was not wanted
}

// A RuleState is how a clause or check comes out for a whole system.
type RuleState struct {
	Rule  string
	State string // Met, Broken, Open or NotForIt
}

// An Ask is what a clause wants of a setting.
type Ask struct {
	Setting string
	Rule    string
	Text    string
}

// Sizes of what a Spread counts.
const (
	AgeMonths   = 36 // of 30 days each
	ExpiryWeeks = 12
)

// A Spread counts enabled accounts that a password lets in by the age of their
// password and by its end.
type Spread struct {
	Ages       [AgeMonths + 1]int // by months of 30 days; the last for all that are older
	AgeUnknown int

	Overdue       int
	Weeks         [ExpiryWeeks]int // that end within the week, the next first
	Later         int
	NeverEnds     int
	ExpiryUnknown int
}

func (s *Spread) add(a *estate.Account, d *estate.Dates) {
	if a.Enabled == estate.No || withoutPassword(a) {
		return
	}
	const day = 86400
	if set, ok := a.PasswordSet.Unix(); ok && d.AsOfKnown {
		s.Ages[min(max(0, (d.AsOf-set)/(30*day)), AgeMonths)]++
	} else {
		s.AgeUnknown++
	}
	end, dated := d.Expires.Unix()
	switch {
	case d.Overdue == estate.Yes:
		s.Overdue++
	case d.Expires.IsNever():
		s.NeverEnds++
	case !dated || !d.AsOfKnown:
		s.ExpiryUnknown++
	case (end-d.AsOf)/(7*day) < ExpiryWeeks:
		s.Weeks[max(0, (end-d.AsOf)/(7*day))]++
	default:
		s.Later++
	}
}

func (s *Spread) merge(o *Spread) {
	for i, n := range o.Ages {
		s.Ages[i] += n
	}
	for i, n := range o.Weeks {
		s.Weeks[i] += n
	}
	s.AgeUnknown += o.AgeUnknown
	s.Overdue += o.Overdue
	s.Later += o.Later
	s.NeverEnds += o.NeverEnds
	s.ExpiryUnknown += o.ExpiryUnknown
}

// A Finding is one thing that is not as the rules ask, for all the accounts
// where it is so for the same reason.
type Finding struct {
	Fingerprint string // the same in each run as long as the reason is
	System      string
	Rule        string // set and clause
	Severity    rules.Severity
	Sentence    string // what is so, without the system's name
	Setting     string // "" for facts of accounts
	Value       string // as it is
	Asked       string // what the rule asks for
	Policy      string // where the value stands; "" for the account itself
	OnAccount   bool   // the value stands on the accounts themselves
	Split       string // "privileged" or "not privileged" where only such accounts are in it
	Origin      estate.Origin
	Because     string
	Remedy      string
	Reach       Reach
	Exception   *rules.Exception // that covers it; nil for a finding proper
	Ended       *rules.Exception // that covered some of it and has ended
}

// A Reach says which accounts something concerns.
type Reach struct {
	Accounts   int
	Privileged int
	Disabled   int
	Examples   []Example // the first few, in the order of the export
}

// An Example is one account that a finding reaches.
type Example struct {
	Login  string
	Detail string // the date or other fact that matters; "" for none
	Origin estate.Origin
	place  int64 // in the order of the export
}

// An Unknown is something that the rules ask and the export does not say.
type Unknown struct {
	System  string
	Setting string   // the setting, or ""
	Fact    string   // the fact about accounts, or ""
	Rules   []string // who asks
	Reach   Reach
	ToKnow  string // what to export to know it; "" where nobody can say
}

// OnlyChecks reports whether no rule of a rule set asks for it.
func (u *Unknown) OnlyChecks() bool {
	for _, r := range u.Rules {
		if !strings.HasPrefix(r, Prefix) {
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

// Partial reports whether an export could not be read to its end.
func (r *Result) Partial() bool {
	for _, s := range r.Systems {
		if s.Partial {
			return true
		}
	}
	return false
}

// fingerprint makes a short name out of what makes a finding what it is.
func fingerprint(parts ...string) string {
	h := sha256.New()
	for _, p := range parts {
		h.Write([]byte(p))
		h.Write([]byte{0})
	}
	return hex.EncodeToString(h.Sum(nil)[:6])
}
