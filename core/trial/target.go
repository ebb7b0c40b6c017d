// Package trial holds candidate passwords against systems: what each system,
// policy or account would refuse and why, trial files, and derivation and
// minting for systems. No result holds a candidate.
package trial

import (
	"slices"
	"strings"

	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/password"
	"yewcone/core/setting"
)

// A Subject is a system to try candidates on.
type Subject struct {
	Export facts.Export
	Lists  password.Lists
}

// A Target is what candidates are held against.
type Target struct {
	System  string
	Policy  string // "" where nothing holds, or for settings that are only proposed
	Account string // "" for nobody in particular
	Note    string // what is odd about it; "" for nothing

	Limits map[setting.ID]facts.Limit
	values []setting.Value         // by setting.ID
	asked  []string                // the rule sets that ask it; nil for what a system does
	of     string                  // the system on which they ask it
	by     map[setting.ID][]string // the clauses that ask it
	person *password.Person
	lists  password.Lists
}

// Value returns what holds of a setting.
func (t *Target) Value(id setting.ID) setting.Value { return t.values[id] }

// OfRules reports whether this is what rules ask, rather than what a system does.
func (t *Target) OfRules() bool { return t.asked != nil }

// Name tells targets of one system apart.
func (t *Target) Name() string {
	switch {
	case t.Account != "":
		return t.System + "/" + t.Account
	case t.Policy != "":
		return t.System + "/" + t.Policy
	}
	return t.System
}

// Against is what a candidate is judged by.
func (t *Target) Against(old *password.Candidate) *password.Against {
	return &password.Against{Settings: t.Value, Person: t.person, Old: old, Lists: t.lists}
}

// Accepts reports whether nothing refuses a candidate, as far as can be told.
func (t *Target) Accepts(text string) (bool, error) {
	j, err := password.Judge(password.NewCandidate(text), t.Against(nil))
	return err == nil && len(j.Refused) == 0, err
}

// Whom says what of a system candidates are tried on. The zero Whom is the
// policy of an account that is nobody in particular; where a system has none
// for it, all its policies.
type Whom struct {
	Policy  string // by its name
	Account string // by its sign-in name
}

// Targets finds what of a system candidates are held against. The error is
// *facts.NotFound or *NoPolicy where there is none of the name.
func Targets(s *Subject, whom Whom) ([]*Target, error) {
	system := s.Export.System()
	resolver := effective.NewResolver(system)
	of := func(a *facts.Account) *Target {
		t := &Target{System: system.Name, Limits: system.Limits, lists: s.Lists}
		t.hold(resolver.For(a))
		return t
	}
	switch {
	case whom.Account != "":
		a, err := find(s.Export, whom.Account)
		if err != nil {
			return nil, err
		}
		t := of(a)
		t.Account, t.person = a.Login, password.PersonOf(a)
		return []*Target{t}, nil
	case whom.Policy != "":
		p := system.Policy(whom.Policy)
		if p == nil {
			return nil, &NoPolicy{system.Name, whom.Policy, policyNames(system)}
		}
		t := of(under(system, p))
		t.Policy = p.Name
		return []*Target{t}, nil
	}
	if t := of(&facts.Account{RolesKnown: true}); t.Policy != "" || len(system.Policies) == 0 {
		return []*Target{t}, nil
	}
	var all []*Target
	for i := range system.Policies {
		t := of(under(system, &system.Policies[i]))
		t.Policy = system.Policies[i].Name
		all = append(all, t)
	}
	return all, nil
}

// Reaching are what of a system candidates are held against by each policy that
// reaches some account, or by what holds for nobody in particular where none does.
func Reaching(s *Subject) ([]*Target, error) {
	system := s.Export.System()
	resolver, reached := effective.NewResolver(system), map[string]bool{}
	var last *effective.Settings
	err := s.Export.Accounts(func(a *facts.Account) error {
		if holds := resolver.For(a); holds != last {
			last = holds
			for _, p := range holds.Reach {
				reached[p.Name] = true
			}
			reached[holds.PolicyName()] = true
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	var all []*Target
	for i := range system.Policies {
		if p := &system.Policies[i]; reached[p.Name] {
			t := &Target{System: system.Name, Limits: system.Limits, lists: s.Lists}
			t.hold(resolver.For(under(system, p)))
			t.Policy = p.Name
			all = append(all, t)
		}
	}
	if all == nil {
		return Targets(s, Whom{})
	}
	return all, nil
}

// hold keeps what holds.
func (t *Target) hold(s *effective.Settings) {
	t.Policy = s.PolicyName()
	t.values = make([]setting.Value, setting.Len)
	for id := range t.values {
		t.values[id] = s.Get(setting.ID(id)).Value
	}
}

// under is an account that a policy reaches, and no other.
func under(system *facts.System, p *facts.Policy) *facts.Account {
	a := &facts.Account{Unit: p.Unit, Roles: p.Roles[:min(1, len(p.Roles))], RolesKnown: true}
	if len(p.Roles) == 0 && p.Unit == "" && p.Name != system.Default {
		a.Policy = p.Name
	}
	return a
}

func policyNames(system *facts.System) []string {
	var names []string
	for i := range system.Policies {
		names = append(names, system.Policies[i].Name)
	}
	return names
}

// NoPolicy means that a system has no policy of a name.
type NoPolicy struct {
	System, Policy string
	Has            []string
}

func (n *NoPolicy) Error() string {
	text := n.System + " has no policy \"" + n.Policy + "\""
	if advice := nearword.Advice(n.Policy, n.Has); advice != "" {
		return text + advice
	}
	if len(n.Has) == 0 {
		return text + "; its export has none"
	}
	return text + "; it has " + strings.Join(n.Has, ", ")
}

// find copies the first account of a name.
func find(export facts.Export, login string) (*facts.Account, error) {
	var found *facts.Account
	var near []string
	err := export.Accounts(func(a *facts.Account) error {
		if a.Login == login && found == nil {
			found = &facts.Account{RolesKnown: true}
			found.CopyFrom(a)
			for _, text := range []*string{&found.Login, &found.DisplayName, &found.FirstName, &found.LastName,
				&found.Description, &found.Policy, &found.Unit} {
				*text = strings.Clone(*text)
			}
		} else if found == nil && len(near) < 4 {
			if name, ok := nearword.Of(login, []string{a.Login}); ok {
				near = append(near, strings.Clone(name))
			}
		}
		return nil
	})
	if err == nil && found == nil {
		err = &facts.NotFound{System: export.System().Name, Login: login, Near: near}
	}
	return found, err
}

// Proposed is a target of settings that stand in no export. What is not among
// them asks nothing, and the empty password is refused.
func Proposed(name string, values map[setting.ID]setting.Value, lists password.Lists) *Target {
	t := &Target{System: name, lists: lists, values: make([]setting.Value, setting.Len)}
	for _, d := range password.Demands() {
		id := d.Setting
		switch def := setting.At(id); {
		case def.OffIs != setting.NoOff:
			t.values[id] = setting.OffValue
		case def.Kind == setting.FlagKind:
			t.values[id] = setting.No
		case id == setting.Alphabet:
			t.values[id] = setting.ChoiceAt(len(def.Choices) - 1)
		default:
			t.values[id] = setting.ChoiceAt(0)
		}
	}
	t.values[setting.BlankAllowed] = setting.No
	t.values[setting.SubstitutionsSeen] = setting.No
	for id, v := range values {
		t.values[id] = v
	}
	return t
}

// For makes the target one for the account of another.
func (t *Target) For(other *Target) { t.person, t.Account = other.person, other.Account }

// An Outcome is how a candidate comes out.
type Outcome string

// The outcomes.
const (
	Accepted Outcome = "accepted"
	Open     Outcome = "accepted?" // nothing refuses it, but not all could be judged
	Refused  Outcome = "refused"
)

// OutcomeOf puts a judgement into one word.
func OutcomeOf(j *password.Judgement) Outcome {
	switch {
	case len(j.Refused) > 0:
		return Refused
	case len(j.Open) > 0:
		return Open
	}
	return Accepted
}

// A Row is one candidate on all targets.
type Row struct {
	Number     int // counted from 1
	Characters int
	Judgements []*password.Judgement // beside Table.Targets
	ByRules    []*password.Judgement // beside Table.Rules; what is refused breaks them
	Common     bool                  // on the list of well-known passwords
	House      bool                  // nothing but words of the house or the calendar, decorated
}

// A Table is candidates against targets, and against what rules ask.
type Table struct {
	Targets []*Target
	Rules   []*Target
	Rows    []Row
}

// Try holds candidates against targets, and against what rules ask. common and house
// are what any system aside would be guessed by.
func Try(candidates []string, old string, targets, asked []*Target, common password.Lookup, house *password.House) (*Table, error) {
	t := &Table{Targets: targets, Rules: asked}
	var before *password.Candidate
	if old != "" {
		before = password.NewCandidate(old)
	}
	measured := make([]*password.Candidate, len(candidates))
	for i, text := range candidates {
		measured[i] = password.NewCandidate(text)
	}
	if err := prepare(measured, slices.Concat(targets, asked)); err != nil {
		return nil, err
	}
	for i, c := range measured {
		row := Row{Number: i + 1, Characters: c.Length()}
		for _, target := range targets {
			j, err := password.Judge(c, target.Against(before))
			if err != nil {
				return nil, err
			}
			row.Judgements = append(row.Judgements, j)
		}
		for _, target := range asked {
			j, err := password.Judge(c, target.Against(before))
			if err != nil {
				return nil, err
			}
			if least := target.values[setting.MinLength]; c.Length() == 0 && least.Known() && least.State() != setting.Off {
				j.Refused = append(j.Refused, password.Reason{Setting: setting.MinLength, Text: "it is empty"})
			}
			row.ByRules = append(row.ByRules, j)
		}
		var err error
		if row.Common, err = password.OnList(c, common); err != nil {
			return nil, err
		}
		row.House = house.Decorated(c)
		t.Rows = append(t.Rows, row)
	}
	return t, nil
}

// prepare asks each list that wants it once for all candidates.
func prepare(candidates []*password.Candidate, targets []*Target) error {
	asked := map[password.Asker]bool{}
	for _, t := range targets {
		for _, l := range []password.List{t.lists.Common, t.lists.Dictionary, t.lists.Breached} {
			if asker, ok := l.Lookup.(password.Asker); ok && !asked[asker] {
				asked[asker] = true
				if err := password.Prepare(candidates, asker); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// Refusals counts the candidates that a target refuses.
func (t *Table) Refusals() int {
	n := 0
	for i := range t.Rows {
		if slices.ContainsFunc(t.Rows[i].Judgements, func(j *password.Judgement) bool { return len(j.Refused) > 0 }) {
			n++
		}
	}
	return n
}
