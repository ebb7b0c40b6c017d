// Package record is what is kept of one check, so that a later one can be held
// against it: findings, values with their places, what was asked for, and the
// state of accounts. No stored password and no candidate is in it.
package record

import (
	"errors"
	"math"
	"slices"
	"time"

	"yewcone/core/audit"
	"yewcone/core/change"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/spool"
)

// Version changes when a reader of an older version would go wrong.
const Version = 1

// A Record is what is kept of one check.
type Record struct {
	Version  int       `json:"version"`
	Tool     string    `json:"tool"`
	Estate   string    `json:"estate"`
	AsOf     time.Time `json:"as_of"` // the latest moment that an export speaks for
	Systems  []System  `json:"systems"`
	Findings []Finding `json:"findings"`
	Asked    []Asked   `json:"asked"` // the values that changes asked for then

	aside *spool.Spool
}

// A System is one system of a record.
type System struct {
	Name       string            `json:"name"`
	Title      string            `json:"title,omitempty"`
	Owner      string            `json:"owner,omitempty"`
	AsOf       time.Time         `json:"as_of"`
	Partial    bool              `json:"partial"`
	Accounts   int               `json:"accounts"`
	Privileged int               `json:"privileged"`
	Disabled   int               `json:"disabled"`
	Clauses    int               `json:"clauses"`
	Met        int               `json:"met"`
	Rules      []string          `json:"rules"`
	Outcomes   map[string]string `json:"outcomes"` // by rule: met, broken, unknown, not for it; "unsure" after broken
	Values     []Value           `json:"values"`
	Sources    Sources           `json:"sources,omitzero"`
	Measures   Measures          `json:"measures,omitzero"`
	Kinds      map[string]int    `json:"kinds,omitempty"`      // accounts by kind; "" where none is known
	Exceptions []Exception       `json:"exceptions,omitempty"` // that the estate has for it
	People     []Account         `json:"-"`                    // kept apart; nil where Read reads them
	Read       People            `json:"-"`                    // nil for none but People
	Valued     bool              `json:"valued"`               // the values are kept
	Listed     bool              `json:"listed"`               // the accounts are kept, since there are not too many
}

// Sources are the files that a system was judged from, by the SHA-256 of their
// bytes in hexadecimal digits.
type Sources struct {
	Exports map[string]string `json:"exports,omitempty"` // by path in the estate
	Mapping string            `json:"mapping,omitempty"`
	Rules   map[string]string `json:"rules,omitempty"` // by the name of the rule set
}

// Measures count accounts that a password lets in, and say how often one of
// them can be guessed.
type Measures struct {
	Accounts    int `json:"accounts"`
	Old         int `json:"old"`     // whose password is older than a year
	AgeKnown    int `json:"aged"`    // of whose password the age is known
	Factor      int `json:"factor"`  // that have a second factor
	FactorKnown int `json:"factors"` // of which that is known
	// Guesses is the most that one account lets be guessed in a day; -1 for as many
	// as the line takes, nil where it is not known of all.
	Guesses *float64 `json:"guesses,omitempty"`
}

// An Exception is one that the estate has, in force or over.
type Exception struct {
	Rule  string `json:"rule"`
	Until string `json:"until"` // its last day
}

// A Value is one setting of one policy.
type Value struct {
	Policy  string `json:"policy"`
	Setting string `json:"setting"`
	Value   string `json:"value"`
	Place   string `json:"place"`
}

// A Finding is one finding of a record.
type Finding struct {
	Fingerprint string `json:"fingerprint"`
	System      string `json:"system"`
	Rule        string `json:"rule"`
	Severity    string `json:"severity"`
	Sentence    string `json:"sentence"`
	Setting     string `json:"setting,omitempty"`
	Value       string `json:"value,omitempty"`
	Policy      string `json:"policy,omitempty"`
	OnAccount   bool   `json:"on_account,omitempty"`
	Split       string `json:"split,omitempty"`
	Accounts    int    `json:"accounts"`
	Privileged  int    `json:"privileged"`
	Unranked    int    `json:"unranked,omitempty"`
	Between     bool   `json:"between,omitempty"`  // it needs more than one system to be looked at
	Accepted    string `json:"accepted,omitempty"` // until when an exception covers it; "" for open ones
}

// Asked is a value that a change asked for.
type Asked struct {
	System  string `json:"system"`
	Policy  string `json:"policy"`
	Setting string `json:"setting"`
	From    string `json:"from"`
	To      string `json:"to"`
}

// mostAccounts is how many accounts of a system are kept one by one.
const mostAccounts = 200_000

// Of makes the record of a check, which is to be closed. The subjects are read once more
// for their accounts, which are put aside: there may be millions. What changes ask for,
// which only a record that others are held against needs, is not in it.
func Of(r *finding.Result, subjects []audit.Subject, o audit.Options, tool string) (*Record, error) {
	rec := &Record{Version: Version, Tool: tool, Estate: r.Estate, aside: &spool.Spool{Open: o.Scratch}}
	for i := range r.Systems {
		s := &r.Systems[i]
		if s.AsOf.After(rec.AsOf) {
			rec.AsOf = s.AsOf
		}
		out := System{Name: s.Name, Title: s.Title, Owner: s.Owner, AsOf: s.AsOf, Partial: s.Partial, Accounts: s.Accounts, Privileged: s.Privileged,
			Disabled: s.Disabled, Clauses: s.Clauses, Met: s.Met, Rules: s.Rules, Outcomes: map[string]string{}}
		for _, x := range s.Outcomes {
			out.Outcomes[x.Rule.String()] = x.Word()
		}
		if i < len(subjects) {
			out.Values, out.Valued = valuesOf(subjects[i].Export.System()), true
			out.Listed = s.Accounts <= mostAccounts
			for _, x := range subjects[i].Exceptions {
				out.Exceptions = append(out.Exceptions, Exception{x.Rule, x.Until.Format(time.DateOnly)})
			}
		}
		rec.Systems = append(rec.Systems, out)
	}
	for _, list := range [][]finding.Finding{r.Findings, r.Accepted} {
		for i := range list {
			rec.Findings = append(rec.Findings, findingOf(&list[i]))
		}
	}
	for i := range min(len(rec.Systems), len(subjects)) {
		if err := rec.Systems[i].accounts(&subjects[i], rec.aside, o); err != nil {
			return nil, errors.Join(err, rec.Close())
		}
	}
	return rec, nil
}

// AskedBy lists the values that the changes for a result ask for.
func AskedBy(r *finding.Result) (list []Asked) {
	for _, c := range change.Of(r) {
		for _, s := range c.Steps {
			if def := s.Def(); def != nil {
				list = append(list, Asked{c.System, s.Policy, def.Name, def.Text(s.From), def.Text(s.To)})
			}
		}
	}
	return list
}

func findingOf(f *finding.Finding) Finding {
	out := Finding{Fingerprint: f.Fingerprint, System: f.System, Rule: f.Rule.String(), Severity: f.Severity.String(), Sentence: f.Sentence,
		Setting: f.Setting, Value: f.Value, Policy: f.Policy, OnAccount: f.OnAccount, Split: f.Split, Accounts: f.Reach.Accounts,
		Privileged: f.Reach.Privileged, Unranked: f.Reach.Unranked, Between: f.Between}
	if f.Exception != nil {
		out.Accepted = f.Exception.Until.Format(time.DateOnly)
	}
	return out
}

func valuesOf(s *facts.System) []Value {
	var list []Value
	for i := range s.Policies {
		p := &s.Policies[i]
		for id, v := range p.Values {
			if v.Known() {
				place := v.Origin.String()
				if v.Origin.Text != "" {
					place += "  " + v.Origin.Text
				}
				def := setting.At(id)
				list = append(list, Value{p.Name, def.Name, def.Text(v.Value), place})
			}
		}
	}
	return list
}

// accounts keeps the accounts, where they are listed, and measures all.
func (x *System) accounts(s *audit.Subject, aside *spool.Spool, o audit.Options) error {
	judge, err := audit.NewJudge(s, o)
	if err != nil {
		return err
	}
	noted := s.Export.Notes().Clone()
	defer func() { *s.Export.Notes() = noted }()
	guesses := map[*effective.Settings]gap.Guesses{} // the same for all with the same settings
	most, known := 0.0, true
	list := listing{aside: aside}
	err = s.Export.Accounts(func(a *facts.Account) error {
		settings, about := judge.Resolve(a)
		if x.Kinds == nil {
			x.Kinds = map[string]int{}
		}
		x.Kinds[a.Kind]++
		if x.Listed {
			list.add(&Account{Login: a.Login, Enabled: Answer(a.Enabled), Privileged: Answer(a.Privileged), NeverExpires: Answer(a.NeverExpires),
				CannotChange: Answer(a.CannotChange), BlankAllowed: Answer(a.BlankAllowed), SecondFactor: Answer(a.SecondFactor),
				PasswordSet: moment(a.PasswordSet), Policy: a.Policy, Under: settings.PolicyName()})
		}
		if a.Enabled == facts.No || a.WithoutPassword() {
			return nil
		}
		m := &x.Measures
		m.Accounts++
		if set, ok := a.PasswordSet.Unix(); ok && about.Derived.AsOfKnown {
			if m.AgeKnown++; about.Derived.AsOf-set > 365*86400 {
				m.Old++
			}
		}
		if a.SecondFactor != facts.Unknown {
			if m.FactorKnown++; a.SecondFactor == facts.Yes {
				m.Factor++
			}
		}
		g, there := guesses[settings]
		if !there {
			g = gap.GuessesOf(func(id setting.ID) setting.Value { return settings.Get(id).Value })
			guesses[settings] = g
		}
		known, most = known && g.Known, max(most, g.PerDay)
		return nil
	})
	if known && x.Measures.Accounts > 0 {
		if math.IsInf(most, 1) {
			most = -1
		}
		x.Measures.Guesses = &most
	}
	if x.Listed {
		x.Read = list.read
	}
	return errors.Join(err, aside.Err())
}

func moment(m facts.Moment) string {
	if !m.Known() {
		return ""
	}
	return m.String()
}

// Close gives back what accounts are put aside in.
func (r *Record) Close() error {
	if r.aside == nil {
		return nil
	}
	return r.aside.Close()
}

// Rank is how bad a finding is.
func (f *Finding) Rank() rules.Severity {
	s, _ := rules.ParseSeverity(f.Severity)
	return s
}

// Partial reports whether a system was not read to its end.
func (r *Record) Partial() bool {
	return slices.ContainsFunc(r.Systems, func(s System) bool { return s.Partial })
}

// System finds a system by its name; nil for none.
func (r *Record) System(name string) *System {
	for i := range r.Systems {
		if r.Systems[i].Name == name {
			return &r.Systems[i]
		}
	}
	return nil
}
