package audit

import (
	"slices"

	"golang.org/x/sync/errgroup"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/setting"
)

// hasPerson reports whether an account is of a person who may have others.
func hasPerson(a *facts.Account) bool { return a.Kind == facts.Person }

// personal are the facts about an account that count for its person.
func (e *engine) personal(a *facts.Account) uint8 {
	var bits uint8
	if a.Enabled != facts.No {
		bits |= gap.Enabled
		if a.Privileged == facts.Yes {
			bits |= gap.Admin
		}
	}
	if a.Privileged == facts.Yes {
		switch a.SecondFactor {
		case facts.Yes:
			bits |= gap.FactorYes
		case facts.No:
			bits |= gap.FactorNo
		}
	}
	switch end := e.about.Derived.Expires; {
	case a.Enabled == facts.No:
	case end.Dated() == facts.Yes:
		bits |= gap.Expires
	case end.IsNever():
		bits |= gap.NeverExpires
	}
	set, dated := a.PasswordSet.Unix()
	if !dated || !e.about.Derived.AsOfKnown || e.about.Derived.AsOf-set < e.stale {
		bits |= gap.Fresh
	}
	return bits
}

// matchPeople says of each account of a person what the person has elsewhere.
func matchPeople(g *finding.Gaps, engines []*engine, o *Options) error {
	g.People = &finding.PeopleSums{Match: o.Relations.Match, From: o.Relations.From, Weakest: make([]int, len(engines))}
	countPeople(g, o.register)
	from := slices.IndexFunc(engines, func(e *engine) bool { return e.system.Name == o.Relations.From })
	names := make([]string, len(engines))
	for i, e := range engines {
		names[i] = e.system.Name
	}
	var group errgroup.Group
	group.SetLimit(max(1, o.Jobs))
	if o.Each != nil {
		group.SetLimit(1) // each account is handed over in its order
	}
	for i, e := range engines {
		if !slices.Contains(e.subject.Unmatched[:len(o.Relations.Match)], false) {
			continue // no key says anything on it
		}
		group.Go(func() error {
			return e.comparePeople(&check.PersonView{System: i, From: from, Systems: names})
		})
	}
	return group.Wait()
}

func countPeople(g *finding.Gaps, register *gap.Register) {
	sums := g.People
	register.Each(func(p *gap.Person) {
		if p.Ambiguous {
			sums.Ambiguous++
			return
		}
		sums.People++
		if p.On() < 2 {
			return
		}
		sums.Several++
		if i := weakestOf(g.Profiles, p); i >= 0 {
			sums.Weakest[i]++
		}
	})
}

// weakestOf is the system on which a person's enabled account has the largest
// guess budget; the first of several, -1 for none.
func weakestOf(profiles []*gap.Profile, p *gap.Person) int {
	best, most := -1, -1.0
	for i, bits := range p.Facts {
		if bits&gap.Enabled == 0 {
			continue
		}
		a := gap.People
		if bits&gap.Admin != 0 {
			a = gap.Privileged
		}
		worst := profiles[i].Guesses(a)
		if worst == nil || !worst.Known || !worst.LifeKnown {
			continue
		}
		if budget := worst.OverLife(); budget > most {
			best, most = i, budget
		}
	}
	return best
}

// personRules are the rules that look at accounts with their people, with the
// limits they have.
func (e *engine) personRules() (list []int, limits []setting.Span) {
	for i := range e.rules {
		if c := e.rules[i].check; c != nil && c.Person != nil {
			list, limits = append(list, i), append(limits, c.Limit)
		}
	}
	return list, limits
}

// comparePeople looks at the accounts of one system, with what their people
// have on the others: as they were sighted, or else read once more.
func (e *engine) comparePeople(v *check.PersonView) error {
	rules, limits := e.personRules()
	if e.options.Each == nil { // else each account is handed over
		return e.recall(v, rules, limits)
	}
	register := e.options.register
	bits := make([]uint8, 0, len(v.Systems))
	e.place = 0
	return e.readAgain(func(a *facts.Account) error {
		e.place++
		e.resolve(a)
		v.Account, v.Own = a, e.personal(a)
		if !hasPerson(a) || v.Own&gap.Enabled == 0 {
			return nil
		}
		entry := register.Entry(a, v.System, 0, e.subject.Unmatched)
		v.Person, v.Known = register.Of(&entry, bits)
		v.Shared = register.SharedLogin(entry.Found())
		e.fresh.begin(a)
		e.meetPerson(v, rules, limits)
		if len(e.fresh.reaches) == 0 {
			return nil
		}
		return e.record(&e.fresh, a)
	})
}

// meetPerson enters the account of a view into all that is found of its person.
func (e *engine) meetPerson(v *check.PersonView, rules []int, limits []setting.Span) {
	for n, i := range rules {
		v.Limit = limits[n]
		if text := e.rules[i].check.Person(v); text != "" {
			e.enter(&hit{reason: reason{rule: i, setting: noSetting, text: text}}, v.Account)
		}
	}
}
