package check

import (
	"cmp"
	"slices"
	"strings"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/estate"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// engine checks one system.
type engine struct {
	subject  *Subject
	options  *Options
	system   *estate.System
	resolver *effective.Resolver
	clauses  []*rules.Clause
	replaced [][]int // for each clause, those that replace it

	about    condition.Subject
	reach    []estate.Tri
	verdicts map[*effective.Settings]*verdict
	groups   map[groupKey]*group
	unknowns map[unknownKey]*Reach
	touched  []touch // by clause
	missing  []string
	summary  SystemResult
}

// touch records whether a clause reaches anybody and is broken for somebody.
type touch struct{ reached, broken, open bool }

// verdict is how settings that many accounts share come out, by clause.
type verdict struct {
	short   [][]shortfall
	unknown [][]setting.ID
}

type shortfall struct {
	expectation *rules.Expectation
	from        *effective.Candidate
}

// groupKey is the reason of a finding.
type groupKey struct {
	clause     int
	setting    setting.ID // -1 for a forbidden fact
	value      setting.Value
	policy     string
	level      effective.Level
	privileged bool // only where privileged accounts weigh more
}

type group struct {
	finding Finding
	reach   Reach
}

type unknownKey struct {
	setting setting.ID // -1 for a fact
	fact    string
	clause  int
}

func newEngine(s *Subject, o *Options) *engine {
	system := s.Export.System()
	e := &engine{
		subject: s, options: o, system: system,
		resolver: effective.NewResolver(o.Catalogue, system),
		verdicts: map[*effective.Settings]*verdict{},
		groups:   map[groupKey]*group{},
		unknowns: map[unknownKey]*Reach{},
	}
	for _, set := range s.Rules {
		e.summary.Rules = append(e.summary.Rules, set.Name)
		for i := range set.Clauses {
			e.clauses = append(e.clauses, &set.Clauses[i])
		}
	}
	e.replaced = make([][]int, len(e.clauses))
	for i, c := range e.clauses {
		for _, name := range c.Replaces {
			for j, other := range e.clauses {
				if other.Rule == name {
					e.replaced[j] = append(e.replaced[j], i)
				}
			}
		}
	}
	e.reach = make([]estate.Tri, len(e.clauses))
	e.touched = make([]touch, len(e.clauses))
	return e
}

func (e *engine) run() error {
	err := e.subject.Export.Accounts(e.account)
	if err != nil || e.summary.Accounts > 0 {
		return err
	}
	notes := e.subject.Export.Notes()
	switch {
	case len(e.system.Policies) > 0:
		notes.Remark(estate.Origin{}, "the export names no accounts; only clauses without \"for\" and \"forbid\" are judged, on its policies")
		e.withoutAccounts()
	case !notes.Partial():
		notes.Cut(estate.Origin{}, "the export holds neither accounts nor policies; check that \"from\" names the right files and \"read\" their format")
	}
	return nil
}

// withoutAccounts checks the policies of a system whose export names no
// accounts, as they would hold for an account of which nothing is known.
func (e *engine) withoutAccounts() {
	names := []string{""}
	if e.system.Chooses != estate.ChooseSingle {
		for _, p := range e.system.Policies {
			names = append(names, p.Name)
		}
	}
	for _, name := range names {
		a := &estate.Account{Policy: name}
		settings := e.resolver.For(a)
		e.about = condition.Subject{Account: a, System: e.system, Dates: effective.DatesOf(a, settings, e.system)}
		for i, c := range e.clauses {
			if c.For == nil {
				e.settings(i, e.judge(settings), nil)
			}
		}
	}
}

func (e *engine) account(a *estate.Account) error {
	e.about = condition.Subject{Account: a, System: e.system}
	e.about.Dates.AsOf, e.about.Dates.AsOfKnown = e.system.AsOf.Unix(), !e.system.AsOf.IsZero()
	e.classify(a)
	settings := e.resolver.For(a)
	e.about.Dates = effective.DatesOf(a, settings, e.system)
	e.summary.Accounts++
	if a.Privileged == estate.Yes {
		e.summary.Privileged++
	}
	if a.Enabled == estate.No {
		e.summary.Disabled++
	}
	v := e.judge(settings)
	for i, c := range e.clauses {
		e.reach[i] = c.For.Test(&e.about)
	}
	for i, c := range e.clauses {
		reach := e.afterReplacing(i)
		if reach == estate.No {
			continue
		}
		e.touched[i].reached = true
		forbidden := estate.No
		if c.Forbid != nil {
			forbidden = c.Forbid.Test(&e.about)
		}
		if reach == estate.Unknown {
			if forbidden != estate.No || v.short[i] != nil || v.unknown[i] != nil {
				e.unknownFacts(i, c.For, a)
			}
			continue
		}
		if err := e.settings(i, v, a); err != nil {
			return err
		}
		switch forbidden {
		case estate.Yes:
			if err := e.forbidden(i, a); err != nil {
				return err
			}
		case estate.Unknown:
			e.unknownFacts(i, c.Forbid, a)
		}
	}
	return nil
}

// classify works out the account's kind and whether it is privileged. Where
// the estate file says which accounts are of other kinds, and the export does
// not say the kind itself, the rest are people.
func (e *engine) classify(a *estate.Account) {
	if len(e.subject.Kinds) > 0 {
		a.Kind = e.kindOf(a)
	}
	if e.subject.Privileged != nil {
		a.Privileged = e.subject.Privileged.Test(&e.about)
	}
}

func (e *engine) kindOf(a *estate.Account) string {
	for _, k := range e.subject.Kinds {
		switch k.If.Test(&e.about) {
		case estate.Yes:
			return k.Kind
		case estate.Unknown:
			return ""
		}
	}
	return cmp.Or(a.Kind, estate.Person)
}

// afterReplacing is the reach of a clause once those that replace it are
// taken off.
func (e *engine) afterReplacing(i int) estate.Tri {
	reach := e.reach[i]
	for _, j := range e.replaced[i] {
		if reach == estate.No || e.reach[j] == estate.Yes {
			return estate.No
		}
		if e.reach[j] == estate.Unknown {
			reach = estate.Unknown
		}
	}
	return reach
}

// judge tests settings against all clauses, once for all accounts that share
// them.
func (e *engine) judge(s *effective.Settings) *verdict {
	if v, ok := e.verdicts[s]; ok {
		return v
	}
	v := &verdict{short: make([][]shortfall, len(e.clauses)), unknown: make([][]setting.ID, len(e.clauses))}
	for i, c := range e.clauses {
		for j := range c.Expect {
			x := &c.Expect[j]
			holds := s.Get(x.Setting)
			if e.moot(s, x.Setting) {
				continue
			}
			switch x.Requirement.Test(holds.Value) {
			case requirement.FallsShort:
				v.short[i] = append(v.short[i], shortfall{x, holds.From})
			case requirement.Unknown:
				v.unknown[i] = append(v.unknown[i], x.Setting)
			}
		}
	}
	e.verdicts[s] = v
	return v
}

// moot reports whether a setting has no effect here, because the one that it
// needs is off: asking for it would only repeat what the other rule says.
func (e *engine) moot(s *effective.Settings, id setting.ID) bool {
	needed, ok := e.options.Catalogue.Find(e.options.Catalogue.At(id).Needs)
	return ok && s.Get(needed).Value.State() == setting.Off
}

// settings records what falls short or is unknown for an account; a nil
// account stands for nobody in particular.
func (e *engine) settings(i int, v *verdict, a *estate.Account) error {
	for _, s := range v.short[i] {
		key := groupKey{clause: i, setting: s.expectation.Setting, policy: s.from.Policy, level: s.from.Level, value: s.from.Value}
		if err := e.enter(key, a, func(f *Finding) { e.describe(f, s) }); err != nil {
			return err
		}
	}
	for _, id := range v.unknown[i] {
		e.unknown(unknownKey{setting: id, clause: i}, a)
	}
	return nil
}

func (e *engine) forbidden(i int, a *estate.Account) error {
	return e.enter(groupKey{clause: i, setting: -1}, a, func(f *Finding) {
		f.Sentence = e.clauses[i].Says
		if f.Sentence == "" {
			f.Sentence = "accounts of which the rules forbid: " + e.clauses[i].Forbid.String()
		}
		f.Asked = "not: " + e.clauses[i].Forbid.String()
		f.Remedy = cmp.Or(f.Remedy, "put these accounts in order, or write down why they may stay as they are")
	})
}

// enter adds an account to the finding with the given reason.
func (e *engine) enter(key groupKey, a *estate.Account, describe func(*Finding)) error {
	c := e.clauses[key.clause]
	e.touched[key.clause].broken = true
	severity := c.Severity
	if c.IfPrivileged != c.Severity && a != nil && a.Privileged == estate.Yes {
		key.privileged, severity = true, c.IfPrivileged
	}
	g, ok := e.groups[key]
	if !ok {
		g = &group{finding: Finding{System: e.system.Name, Rule: c.Rule, Severity: severity, Because: c.Because, Remedy: c.Remedy}}
		describe(&g.finding)
		g.finding.Fingerprint = e.fingerprint(key, &g.finding)
		e.groups[key] = g
	}
	if a == nil {
		return nil
	}
	g.reach.add(a, e.options.Examples)
	if e.options.Each != nil {
		return e.options.Each(&Reached{System: e.system.Name, Fingerprint: g.finding.Fingerprint, Rule: c.Rule, Account: a, Dates: &e.about.Dates})
	}
	return nil
}

// fingerprint: the value counts only where it stands on accounts, since a
// policy that is still too weak is still the same finding.
func (e *engine) fingerprint(key groupKey, f *Finding) string {
	value, privileged := "", ""
	if key.level == effective.OnAccount {
		value = f.Value
	}
	if key.privileged {
		privileged = "privileged"
	}
	return fingerprint(f.System, f.Rule, f.Setting, f.Policy, value, privileged)
}

func (e *engine) describe(f *Finding, s shortfall) {
	def := e.options.Catalogue.At(s.expectation.Setting)
	f.Setting = def.Name
	f.Value = def.Text(s.from.Value)
	f.Asked = s.expectation.Requirement.String()
	f.Policy = s.from.Policy
	f.Origin = s.from.Origin
	f.Sentence = def.Say(s.from.Value) + " (" + def.Name + " " + f.Value + "; the rules ask for " + f.Asked + ")"
	if f.Remedy == "" {
		f.Remedy = "set " + def.Name + " to " + f.Asked + " " + where(s.from)
	}
}

func where(c *effective.Candidate) string {
	if c.Level == effective.OnAccount {
		return "on these accounts"
	}
	return "in the policy " + c.Policy
}

func (e *engine) unknown(key unknownKey, a *estate.Account) {
	e.touched[key.clause].open = true
	reach := e.unknowns[key]
	if reach == nil {
		reach = &Reach{}
		e.unknowns[key] = reach
	}
	if a != nil {
		reach.add(a, e.options.Examples)
	}
}

func (e *engine) unknownFacts(i int, c *condition.Condition, a *estate.Account) {
	e.missing = c.UnknownFacts(&e.about, e.missing[:0])
	for _, fact := range e.missing {
		e.unknown(unknownKey{setting: -1, fact: fact, clause: i}, a)
	}
}

// report moves what was gathered into the result.
func (e *engine) report(r *Result) {
	s := &e.summary
	s.Name, s.Title, s.AsOf, s.AsOfFrom = e.system.Name, e.system.Title, e.system.AsOf, e.system.AsOfFrom
	s.Policies = len(e.system.Policies)
	notes := e.subject.Export.Notes()
	s.Notes, s.Refused, s.Partial = notes.List(), notes.Refused(), notes.Partial()
	for _, t := range e.touched {
		if t.reached {
			s.Clauses++
			if !t.broken && !t.open {
				s.Met++
			}
		}
	}
	r.Systems = append(r.Systems, *s)
	for _, g := range e.groups {
		g.finding.Reach = g.reach
		r.Findings = append(r.Findings, g.finding)
	}
	r.Unknowns = append(r.Unknowns, e.gatherUnknowns()...)
}

// gatherUnknowns puts together what several clauses ask.
func (e *engine) gatherUnknowns() []Unknown {
	keys := make([]unknownKey, 0, len(e.unknowns))
	for k := range e.unknowns {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b unknownKey) int {
		return cmp.Or(cmp.Compare(a.clause, b.clause), cmp.Compare(a.setting, b.setting), strings.Compare(a.fact, b.fact))
	})
	var list []Unknown
	for _, k := range keys {
		u := Unknown{System: e.system.Name, Fact: k.fact, Rules: []string{e.clauses[k.clause].Rule}, Reach: *e.unknowns[k]}
		if k.setting >= 0 {
			u.Setting = e.options.Catalogue.At(k.setting).Name
		}
		same := slices.IndexFunc(list, func(o Unknown) bool { return o.Setting == u.Setting && o.Fact == u.Fact })
		if same < 0 {
			list = append(list, u)
			continue
		}
		list[same].Rules = append(list[same].Rules, u.Rules...)
		if u.Reach.Accounts > list[same].Reach.Accounts {
			list[same].Reach = u.Reach
		}
	}
	return list
}
