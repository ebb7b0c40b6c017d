package check

import (
	"cmp"
	"slices"
	"strings"

	"yewcone/core/effective"
	"yewcone/core/estate"
	"yewcone/core/gap"
	"yewcone/core/setting"
)

// finish looks at the whole system once its accounts went past.
func (e *engine) finish() error {
	if err := e.sameStored(); err != nil {
		return err
	}
	if e.summary.Accounts > 0 {
		e.systemChecks()
		return nil
	}
	notes := e.subject.Export.Notes()
	switch {
	case len(e.system.Policies) > 0:
		notes.Remark(estate.Origin{}, "the export names no accounts; only clauses without \"for\" and \"forbid\" are "+
			"judged, on its policies")
		e.withoutAccounts()
	case !notes.Partial():
		notes.Cut(estate.Origin{}, "the export holds neither accounts nor policies; check that \"from\" names the right "+
			"files and \"read\" their format")
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
		settings := e.resolver.For(&estate.Account{Policy: name})
		v := e.judge(settings)
		e.profile.Add(gap.People, settings, 0)
		for i := range e.sources {
			if s := &e.sources[i]; s.system == nil && (s.clause == nil || s.clause.For == nil) {
				s.reached = true
				e.settings(i, v, nil)
			}
		}
	}
	e.systemChecks()
}

// systemChecks looks at the whole system once its accounts went past.
func (e *engine) systemChecks() {
	e.tally.Accounts = e.summary.Accounts
	for i := range e.sources {
		s := &e.sources[i]
		if s.system == nil {
			continue
		}
		s.system(&e.tally, func(found Hit) {
			h := hit{key: groupKey{source: i, setting: -1, policy: found.Policy, text: found.Says}}
			h.from = &effective.Candidate{Sourced: estate.Sourced{Origin: found.Origin}, Policy: found.Policy}
			e.enter(&h, nil)
		})
	}
}

// sameStored finds accounts with the same stored password. The marks of all
// accounts are sorted; only where two are equal are the accounts read again.
func (e *engine) sameStored() error {
	i := slices.IndexFunc(e.sources, func(s source) bool { return s.rule == Prefix+sameStoredID })
	slices.Sort(e.marks)
	twice := map[uint64]bool{}
	for n := 1; n < len(e.marks); n++ {
		if e.marks[n] == e.marks[n-1] {
			twice[e.marks[n]] = true
		}
	}
	e.marks = nil
	if i < 0 || len(twice) == 0 {
		return nil
	}
	same := hit{key: groupKey{source: i, setting: -1, text: systemChecks[0].Title}}
	noted := *e.subject.Export.Notes()
	defer func() { *e.subject.Export.Notes() = noted }() // what is refused was counted already
	return e.subject.Export.Accounts(func(a *estate.Account) error {
		if !twice[a.StoredMark] || a.Enabled == estate.No {
			return nil
		}
		e.meet(a)
		e.place++
		e.fresh = outcome{privileged: a.Privileged == estate.Yes, disabled: a.Enabled == estate.No}
		e.enter(&same, a)
		return e.take(&e.fresh, a)
	})
}

// report moves what was gathered into the result.
func (e *engine) report(r *Result) {
	s := &e.summary
	s.Name, s.Title, s.AsOf, s.AsOfFrom = e.system.Name, e.system.Title, e.system.AsOf, e.system.AsOfFrom
	s.Policies = len(e.system.Policies)
	notes := e.subject.Export.Notes()
	s.Notes, s.Refused, s.Partial = notes.List(), notes.Refused(), notes.Partial() || notes.Refused() > max(e.options.Bear, e.subject.Bear)
	for i := range e.sources {
		if t := &e.sources[i]; t.reached && !strings.HasPrefix(t.rule, Prefix) {
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
	r.Findings = append(r.Findings, e.unusedExceptions()...)
	r.Systems = append(r.Systems, *s)
	r.Unknowns = append(r.Unknowns, e.gatherUnknowns()...)
}

// states sums up how each rule comes out, and what it asks.
func (e *engine) states() {
	for i := range e.sources {
		t := &e.sources[i]
		state := RuleState{t.rule, Met}
		switch {
		case t.broken:
			state.State = Broken
		case t.open:
			state.State = Open
		case t.clause != nil && !t.reached:
			state.State = NotForIt
		}
		e.summary.Outcomes = append(e.summary.Outcomes, state)
		if strings.HasPrefix(t.rule, Prefix) {
			continue
		}
		for _, list := range append([][]expectation{t.expect}, t.anyOf...) {
			for j := range list {
				text := list[j].requirement.String()
				if len(t.anyOf) > 0 {
					text += " (or another way)"
				}
				e.summary.Asks = append(e.summary.Asks, Ask{setting.At(list[j].setting).Name, t.rule, text})
			}
		}
	}
}

// gatherUnknowns puts together what several clauses ask.
func (e *engine) gatherUnknowns() []Unknown {
	keys := make([]unknownKey, 0, len(e.unknowns))
	for k := range e.unknowns {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b unknownKey) int {
		return cmp.Or(cmp.Compare(a.source, b.source), cmp.Compare(a.setting, b.setting), strings.Compare(a.fact, b.fact))
	})
	var list []Unknown
	for _, k := range keys {
		u := Unknown{System: e.system.Name, Fact: k.fact, Rules: []string{e.sources[k.source].rule}, Reach: *e.unknowns[k]}
		if k.setting >= 0 {
			u.Setting = setting.At(k.setting).Name
		}
		u.ToKnow = cmp.Or(e.system.ToKnow[u.Name()], e.system.ToKnow[""])
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
