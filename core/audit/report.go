package audit

import (
	"cmp"
	"slices"
	"strings"

	"yewcone/core/check"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// finish looks at the whole system once its accounts went past.
func (e *engine) finish(jobs int) error {
	if err := e.sameStored(jobs); err != nil {
		return err
	}
	if e.summary.Accounts > 0 {
		e.reachingNobody()
		e.systemChecks()
		if err := e.recordChecks(); err != nil {
			return err
		}
		return e.tellUnmatched()
	}
	notes := e.subject.Export.Notes()
	switch {
	case len(e.system.Policies) > 0:
		notes.Remark(facts.Origin{}, "the export names no accounts; only clauses without \"for\" and \"forbid\" are judged, "+
			"on its policies")
		e.withoutAccounts()
	case !notes.Partial():
		notes.Incomplete(facts.Origin{}, "the export holds neither accounts nor policies; check that \"from\" names the right files and "+
			"\"read\" their format")
	}
	return nil
}

// forget drops what was worked out for accounts on the way and that is not told:
// there may be hundreds of systems, each with hundreds of policies.
func (e *engine) forget() {
	e.verdicts, e.latest, e.outcomes, e.marks = map[*effective.Settings]*verdict{}, nil, map[string]*outcome{}, parted{}
	e.resolver = effective.NewResolver(e.system)
	e.met = met{ready: true, off: true}
	e.about.Account = nil // the last, whose texts are parts of a piece of its file
}

// withoutAccounts checks the policies of a system whose export names no
// accounts, as they would hold for an account of which nothing is known.
func (e *engine) withoutAccounts() {
	names := []string{""}
	if e.system.Chooses != facts.ChooseSingle {
		for _, p := range e.system.Policies {
			names = append(names, p.Name)
		}
	}
	for _, name := range names {
		settings := e.resolver.For(&facts.Account{Policy: name, RolesKnown: true})
		v := e.judge(settings)
		e.profile.Add(gap.People, settings, 0)
		for i := range e.rules {
			r := &e.rules[i]
			if r.clause == nil && r.check.System == nil || r.clause != nil && r.clause.For == nil {
				e.settings(i, v, nil)
			}
		}
	}
	e.systemChecks()
}

// reachingNobody judges the policies by the clauses that are asked of no
// account today, though they are meant for all: a weak setting is weak before
// it reaches somebody.
func (e *engine) reachingNobody() {
	for i := range e.rules {
		r := &e.rules[i]
		if r.clause == nil || r.reached || r.clause.For != nil || r.clause.Forbid != nil {
			continue
		}
		v := e.judge(e.resolver.For(&facts.Account{RolesKnown: true}))
		for n := range v.hits[i] {
			e.enter(&v.hits[i][n], nil)
		}
	}
}

// systemChecks looks at the whole system once its accounts went past.
func (e *engine) systemChecks() {
	e.view.Accounts = e.summary.Accounts
	for i := range e.rules {
		if c := e.rules[i].check; c != nil && c.System != nil {
			c.System(&e.view, func(found check.Hit) { e.found(i, found) })
			e.rules[i].open = c.Unsure != nil && c.Unsure(&e.view)
		}
	}
}

// found enters something that was found in a whole system, which reaches no
// account by itself.
func (e *engine) found(i int, found check.Hit) {
	h := hit{reason: reason{rule: i, setting: noSetting, policy: found.Policy, text: found.Says}, value: found.Value, key: found.Key}
	h.from = &effective.Candidate{Sourced: facts.Sourced{Origin: found.Origin}, Policy: found.Policy}
	e.enter(&h, nil)
}

// sameStored finds accounts with the same stored password. Only where the marks of two
// are equal is it asked whose they are.
func (e *engine) sameStored(jobs int) error {
	i := slices.IndexFunc(e.rules, func(r rule) bool { return r.check != nil && r.check.SameStored })
	if i >= 0 && e.marks.count == 0 && e.summary.Accounts > 0 {
		e.rules[i].open = true // no stored password is visible
	}
	twice := e.marks.doubled(jobs)
	if i < 0 || len(twice) == 0 {
		return nil
	}
	same := hit{reason: reason{rule: i, setting: noSetting, text: e.rules[i].check.Title}}
	if e.options.Each == nil { // else each account is handed over
		return e.recallStored(twice, &same)
	}
	return e.readAgain(func(a *facts.Account) error {
		if _, is := twice[a.StoredMark]; !is || a.Enabled == facts.No {
			return nil
		}
		e.resolve(a)
		e.place++
		e.fresh.begin(a)
		e.enter(&same, a)
		return e.record(&e.fresh, a)
	})
}

// readAgain reads the accounts once more. What is to be noted of the reading
// was noted the first time.
func (e *engine) readAgain(yield func(*facts.Account) error) error {
	noted := e.subject.Export.Notes().Clone()
	defer func() { *e.subject.Export.Notes() = noted }()
	for h := range e.names.twice {
		e.names.twice[h] = false
	}
	return e.subject.Export.Accounts(func(a *facts.Account) error {
		if e.names.again(a) {
			return nil
		}
		return yield(a)
	})
}

// partial reports whether the export was not read to its end.
func (e *engine) partial() bool {
	notes := e.subject.Export.Notes()
	return notes.Partial() || notes.Refused() > max(e.options.MaxRefused, e.subject.MaxRefused)
}

// report moves what was gathered into the result.
func (e *engine) report(r *finding.Result) {
	s := &e.summary
	s.Name, s.Title, s.AsOf, s.AsOfFrom = e.system.Name, e.system.Title, e.system.AsOf, e.system.AsOfFrom
	s.Policies, s.Owner = len(e.system.Policies), e.subject.Owner
	notes := e.subject.Export.Notes()
	s.Notes, s.Refused, s.Partial = notes.List(), notes.Refused(), e.partial()
	for i := range e.rules {
		if c := e.rules[i].check; c != nil && c.Unused != nil {
			c.Unused(e.unusedExceptions(), func(found check.Hit) { e.found(i, found) })
		}
	}
	for i := range e.rules {
		switch t := &e.rules[i]; {
		case t.id.BuiltIn:
		case !t.reached:
			s.Nobody++
		default:
			s.Clauses++
			if !t.broken && !t.open {
				s.Met++
			}
		}
	}
	e.states()
	for _, g := range e.groups {
		g.finding.Reach = g.reach
		if g.finding.Exception != nil {
			r.Accepted = append(r.Accepted, g.finding)
			s.Accepted++
		} else {
			r.Findings = append(r.Findings, g.finding)
		}
	}
	r.Systems = append(r.Systems, *s)
	r.Unknowns = append(r.Unknowns, e.gatherUnknowns()...)
}

// states sums up how each rule comes out, and what it asks.
func (e *engine) states() {
	for i := range e.rules {
		t := &e.rules[i]
		state := finding.RuleState{Rule: t.id, State: finding.Met, Unsure: t.open}
		switch {
		case t.broken:
			state.State = finding.Broken
		case t.open:
			state.State = finding.Open
		case t.clause != nil && !t.reached, t.check != nil && e.notLookedAt(t.check):
			state.State = finding.NotForIt
		}
		e.summary.Outcomes = append(e.summary.Outcomes, state)
		if t.id.BuiltIn {
			continue
		}
		for _, list := range append([][]expectation{t.expect}, t.anyOf...) {
			for j := range list {
				text := list[j].requirement.String()
				if len(t.anyOf) > 0 {
					text += " (or another way)"
				}
				e.summary.Asks = append(e.summary.Asks, finding.Ask{Setting: list[j].setting.String(), Rule: t.id, Text: text})
			}
		}
	}
}

// notLookedAt reports whether nothing was looked at for a check: no people or
// systems were held against one another, or no account was read.
func (e *engine) notLookedAt(c *check.Check) bool {
	switch {
	case c.Person != nil:
		return e.options.register == nil
	case c.Between != nil:
		return e.options.Relations == nil
	case c.OfRecord():
		return e.signins.digest == nil
	}
	return e.summary.Accounts == 0 && c.Unused == nil
}

// beyond is where a policy has more of a setting than any system means; "" for nowhere.
func (e *engine) beyond(id setting.ID) string {
	if id == noSetting {
		return ""
	}
	for i := range e.system.Policies {
		if v := e.system.Policies[i].Value(id); v.Beyond {
			return v.Origin.String()
		}
	}
	return ""
}

// gatherUnknowns puts together what several clauses ask.
func (e *engine) gatherUnknowns() []finding.Unknown {
	keys := make([]unknownKey, 0, len(e.unknowns))
	for k := range e.unknowns {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b unknownKey) int {
		return cmp.Or(cmp.Compare(a.rule, b.rule), cmp.Compare(a.setting, b.setting), strings.Compare(a.fact, b.fact))
	})
	var list []finding.Unknown
	for _, k := range keys {
		u := finding.Unknown{System: e.system.Name, Fact: k.fact, Rules: []rules.Rule{e.rules[k.rule].id}, Reach: e.unknowns[k].reach}
		if k.setting != noSetting {
			u.Setting = setting.At(k.setting).Name
		}
		u.ToKnow = cmp.Or(e.system.ToKnow[u.Name()], e.system.ToKnow[""])
		if at := e.beyond(k.setting); at != "" {
			u.ToKnow = "put " + at + " right, where more stands than any system means, or take the export again"
		}
		if k.fact == "kind" {
			u.ToKnow = "say under \"kinds\" in estate.yaml which accounts are of which kind"
		}
		same := slices.IndexFunc(list, func(o finding.Unknown) bool { return o.Setting == u.Setting && o.Fact == u.Fact })
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
