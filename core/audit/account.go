package audit

import (
	"cmp"

	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/setting"
)

// resolve classifies an account and works out what holds for it.
func (e *engine) resolve(a *facts.Account) *effective.Settings {
	e.about.Account = a // the dates of the account before are overwritten below
	e.meetRecord(a)
	e.classify(a)
	settings := e.resolver.For(a)
	effective.SettleLock(a, settings, e.system)
	effective.DatesOf(&e.about.Derived, a, settings, e.system, e.rulesOf())
	return settings
}

// account takes in one account, which stands at a place in the order of the
// export.
func (e *engine) account(a *facts.Account, place int64) error {
	if e.names.again(a) {
		e.names.leave(a.Origin)
		return nil
	}
	if e.names.twice == nil {
		e.addName(e.names.hash(a))
	}
	e.place = place
	if e.share != nil {
		e.share.raw.CopyFrom(a) // as the other process will take it in
	}
	settings := e.resolve(a)
	v := e.judge(settings)
	e.count(a, v, 1)
	e.counted = v
	if e.summary.Spread != nil {
		e.summary.Spread.Add(a, &e.about.Derived)
	}
	if a.WithoutPassword() {
		v = e.empty
	}
	o := e.outcomeOf(a, v)
	if a.StoredMark != 0 && a.Enabled != facts.No {
		e.addStored(a, o, a.StoredMark)
	}
	if e.options.register != nil && hasPerson(a) {
		e.enterPerson(a, o)
	}
	e.met.remember(e, a, settings, e.verdicts[settings], o)
	if err := e.record(o, a); err != nil || e.signins.seen == nil {
		return err
	}
	return e.signInChecks(a)
}

// clause holds one account against one clause, or a check that asks like one.
func (e *engine) clause(i int, v *verdict, a *facts.Account) {
	s := &e.rules[i]
	reach := e.afterReplacing(i)
	if reach == facts.No {
		return
	}
	s.reached = s.reached || v != e.empty || s.clause.Forbid != nil
	forbidden := facts.No
	if s.clause.Forbid != nil {
		forbidden = s.clause.Forbid.Test(&e.about)
	}
	if reach == facts.Unknown {
		if forbidden != facts.No || v.hits[i] != nil || v.unknown[i] != nil {
			e.openFacts(i, e.reachFacts(i))
		}
		return
	}
	e.settings(i, v, a)
	switch forbidden {
	case facts.Yes:
		e.enter(&s.forbidden, a)
	case facts.Unknown:
		e.openFacts(i, s.clause.Forbid.UnknownFacts(&e.about, e.missing[:0]))
	}
}

// classify works out the account's kind and whether it is privileged. Where
// the estate file says which accounts are of other kinds, and the export does
// not say the kind itself, the rest are people.
func (e *engine) classify(a *facts.Account) {
	if len(e.subject.Kinds) > 0 {
		a.Kind = e.kindOf(a)
	}
	if e.subject.Privileged != nil {
		a.Privileged = e.subject.Privileged.Test(&e.about)
		e.privilegedMatched = e.privilegedMatched || a.Privileged == facts.Yes
	}
}

func (e *engine) kindOf(a *facts.Account) string {
	for i, k := range e.subject.Kinds {
		switch k.If.Test(&e.about) {
		case facts.Yes:
			e.kindMatched[i] = true
			return k.Kind
		case facts.Unknown:
			return ""
		}
	}
	return cmp.Or(a.Kind, facts.Person)
}

// count adds so many accounts, of which one is at hand, to the sums of a system.
func (e *engine) count(a *facts.Account, v *verdict, n int) {
	e.summary.Accounts += n
	if a.Privileged == facts.Yes {
		e.summary.Privileged += n
		v.privileged += n
	}
	if a.Kind == "" {
		e.summary.KindsUnknown += n
	}
	if a.Enabled == facts.No {
		e.summary.Disabled += n
	} else {
		v.secondFactor[a.SecondFactor] += n
		if !a.WithoutPassword() {
			v.audiences[gap.AudienceOf(a)] += n
		}
	}
	v.accounts += n
}

// sumUp adds what was counted by verdict to the sums of the system.
func (e *engine) sumUp() {
	e.met.sumUp(e)
	for _, v := range e.verdicts {
		for _, p := range v.settings.Reach {
			e.view.PolicyReach[p.Name] += v.accounts
		}
		if _, ok := v.settings.Get(setting.MaxAge).Value.Span(); ok {
			e.view.Expiring += v.accounts
		} else if !v.settings.Get(setting.MaxAge).Value.Known() {
			e.view.AgeUnknown += v.accounts
		}
		if v.settings.Get(setting.SecondFactor).Value == setting.SecondFactorOptional {
			for answer, n := range v.secondFactor {
				e.view.Optional += n
				e.view.SecondFactor[facts.Tri(answer)] += n
			}
		}
		for a, n := range v.audiences {
			if n > 0 {
				e.profile.Add(gap.Audience(a), v.settings, n)
			}
		}
		for id := range setting.Len {
			if from := v.settings.Get(id).From; from != nil && from.Level == effective.OnPolicy {
				e.held(from.Policy, id, v)
			}
		}
		v.privileged = 0
		v.accounts, v.secondFactor, v.audiences = 0, [3]int{}, [gap.Rest + 1]int{}
	}
}

// held counts the accounts of a verdict with those for whom a value holds.
func (e *engine) held(policy string, id setting.ID, v *verdict) {
	if e.summary.Holds == nil {
		e.summary.Holds = map[string]finding.Holding{}
	}
	holding := e.summary.Holds[policy]
	holding.Add(finding.Held{Setting: id, Value: v.settings.Get(id).Value, Accounts: v.accounts, Privileged: v.privileged})
	e.summary.Holds[policy] = holding
}

// settings records what is wrong or unknown for an account; a nil account
// stands for nobody in particular.
func (e *engine) settings(i int, v *verdict, a *facts.Account) {
	for n := range v.hits[i] {
		e.enter(&v.hits[i][n], a)
	}
	for _, id := range v.unknown[i] {
		e.open(unknownKey{setting: id, rule: i})
	}
}
