package check

import (
	"cmp"

	"yewcone/core/effective"
	"yewcone/core/estate"
	"yewcone/core/gap"
	"yewcone/core/setting"
)

// meet classifies an account and works out what holds for it.
func (e *engine) meet(a *estate.Account) *effective.Settings {
	e.about.Account = a // the dates of the account before are overwritten below
	e.classify(a)
	settings := e.resolver.For(a)
	effective.SettleLock(a, settings, e.system)
	effective.DatesOf(&e.about.Dates, a, settings, e.system, e.rulesSince)
	return settings
}

// account takes in one account, which stands at a place in the order of the
// export.
func (e *engine) account(a *estate.Account, place int64) error {
	e.place = place
	settings := e.meet(a)
	v := e.judge(settings)
	e.count(a, v)
	if e.summary.Dates != nil {
		e.summary.Dates.add(a, &e.about.Dates)
	}
	if e.options.register != nil && matched(a) {
		e.enterPerson(a)
	}
	if withoutPassword(a) {
		v = e.empty
	} else if a.Enabled != estate.No {
		v.audiences[gap.AudienceOf(a)]++
	}
	return e.take(e.outcomeOf(a, v), a)
}

// peopleBatch is how many accounts enter the register of people at a time.
const peopleBatch = 1024

func (e *engine) enterPerson(a *estate.Account) {
	if e.people == nil {
		e.people = make([]gap.Entry, 0, peopleBatch)
	}
	e.people = append(e.people, e.options.register.Entry(a, e.subject.number, e.personal(a), e.subject.Unmatched))
	if len(e.people) == peopleBatch {
		e.enterPeople()
	}
}

func (e *engine) enterPeople() {
	if len(e.people) > 0 {
		e.options.register.Enter(e.people)
		e.people = e.people[:0]
	}
}

// clause holds one account against one clause, or a check that asks like one.
func (e *engine) clause(i int, v *verdict, a *estate.Account) {
	s := &e.sources[i]
	reach := e.afterReplacing(i)
	if reach == estate.No {
		return
	}
	s.reached = true
	forbidden := estate.No
	if s.clause.Forbid != nil {
		forbidden = s.clause.Forbid.Test(&e.about)
	}
	if reach == estate.Unknown {
		if forbidden != estate.No || v.hits[i] != nil || v.unknown[i] != nil {
			e.unknownFacts(i, s.clause.For)
		}
		return
	}
	e.settings(i, v, a)
	switch forbidden {
	case estate.Yes:
		e.enter(&s.forbidden, a)
	case estate.Unknown:
		e.unknownFacts(i, s.clause.Forbid)
	}
}

// withoutPassword reports whether no password lets the account in, nor would
// one once a lock is taken off: then there is no password of which settings
// could demand anything.
func withoutPassword(a *estate.Account) bool {
	return a.PasswordUsable == estate.No && a.Locked != estate.Yes
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

// count keeps the sums of a system.
func (e *engine) count(a *estate.Account, v *verdict) {
	e.summary.Accounts++
	if a.Privileged == estate.Yes {
		e.summary.Privileged++
	}
	if a.Enabled == estate.No {
		e.summary.Disabled++
	} else {
		v.secondFactor[a.SecondFactor]++
	}
	v.accounts++
	if a.StoredMark != 0 && a.Enabled != estate.No {
		e.marks = append(e.marks, a.StoredMark)
	}
}

// sumUp adds what was counted by verdict to the sums of the system.
func (e *engine) sumUp() {
	for _, v := range e.verdicts {
		for _, p := range v.settings.Reach {
			e.tally.PolicyReach[p.Name] += v.accounts
		}
		if _, ok := v.settings.Get(setting.MaxAge).Value.Span(); ok {
			e.tally.Expiring += v.accounts
		}
		if v.settings.Get(setting.SecondFactor).Value == setting.SecondFactorOptional {
			for answer, n := range v.secondFactor {
				e.tally.Optional += n
				e.tally.SecondFactor[estate.Tri(answer)] += n
			}
		}
		for a, n := range v.audiences {
			if n > 0 {
				e.profile.Add(gap.Audience(a), v.settings, n)
			}
		}
		v.accounts, v.secondFactor, v.audiences = 0, [3]int{}, [gap.Rest + 1]int{}
	}
}

// afterReplacing is the reach of a clause once those that replace it are
// taken off.
func (e *engine) afterReplacing(i int) estate.Tri {
	reach := e.reach[i]
	for _, j := range e.sources[i].replacedBy {
		if reach == estate.No || e.reach[j] == estate.Yes {
			return estate.No
		}
		if e.reach[j] == estate.Unknown {
			reach = estate.Unknown
		}
	}
	return reach
}

// settings records what is wrong or unknown for an account; a nil account
// stands for nobody in particular.
func (e *engine) settings(i int, v *verdict, a *estate.Account) {
	for n := range v.hits[i] {
		e.enter(&v.hits[i][n], a)
	}
	for _, id := range v.unknown[i] {
		e.unknown(unknownKey{setting: id, source: i})
	}
}
