package audit

import (
	"cmp"
	"slices"

	"yewcone/core/check"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/password"
	"yewcone/core/setting"
)

// Relations are what an estate says of its systems together.
type Relations struct {
	Links  []gap.Link
	Match  []string // the keys that accounts of one person are matched by; none for no matching
	From   string   // the system whose accounts are all the people there are; "" for none
	Unused []string // rule sets that hold for no system
}

// relate holds the systems against one another.
func relate(engines []*engine, o *Options, result *finding.Result) error {
	g := &finding.Gaps{Below: map[finding.BelowKey]bool{}, Unused: o.Relations.Unused}
	result.Gaps = g
	by := map[string]*engine{}
	for _, e := range engines {
		by[e.system.Name] = e
		g.Profiles = append(g.Profiles, e.profile)
		for _, group := range e.groups {
			if f := &group.finding; f.Setting != "" && !f.Rule.BuiltIn {
				for a, n := range group.reach.Audiences {
					if n > 0 || group.reach.Accounts == 0 {
						g.Below[finding.BelowKey{System: f.System, Setting: f.Setting, Value: f.Value, Audience: gap.Audience(a)}] = true
					}
				}
			}
		}
		if len(e.summary.Rules) == 0 {
			g.Unruled = append(g.Unruled, e.system.Name)
		}
	}
	for i := range o.Relations.Links {
		l := &o.Relations.Links[i]
		if a, b := by[l.Between[0]], by[l.Between[1]]; a != nil && b != nil { // else one end is not looked at
			g.Links = append(g.Links, l.Check([2]*gap.Profile{a.profile, b.profile}))
		}
	}
	untold(g)
	guesses(g)
	if o.register != nil {
		o.register.Close()
		if err := matchPeople(g, engines, o); err != nil {
			return err
		}
	}
	betweenChecks(engines, result)
	return nil
}

// untold lists the settings that no system says.
func untold(g *finding.Gaps) {
	for id := range setting.Len {
		told := false
		for _, p := range g.Profiles {
			for a := gap.People; a <= gap.Rest && !told; a++ {
				told = p.Weakest(a, id).Value.Known()
			}
		}
		if !told {
			g.Untold = append(g.Untold, id.String())
		}
	}
}

// guesses gathers the guess budgets, the largest first.
func guesses(g *finding.Gaps) {
	for _, p := range g.Profiles {
		for _, a := range gap.Audiences {
			worst := p.Guesses(a)
			if worst == nil || p.Accounts(a) == 0 {
				continue
			}
			space := password.MeasureOf(func(id setting.ID) setting.Value { return p.Weakest(a, id).Value })
			g.Guesses = append(g.Guesses, finding.Guess{System: p.System, Audience: a, Accounts: p.Accounts(a),
				Guesses: *worst, Space: space})
		}
	}
	rank := func(g *finding.Guess) float64 { // those that are not known come last
		if !g.Known || !g.LifeKnown {
			return -1
		}
		return g.OverLife()
	}
	slices.SortStableFunc(g.Guesses, func(a, b finding.Guess) int {
		return cmp.Or(-cmp.Compare(rank(&a), rank(&b)), -cmp.Compare(a.PerDay, b.PerDay))
	})
}

// betweenChecks runs the checks between systems.
func betweenChecks(engines []*engine, result *finding.Result) {
	view := &check.EstateView{Gaps: result.Gaps}
	for _, e := range engines {
		view.Systems = append(view.Systems, check.SystemInEstate{Name: e.system.Name, AsOf: e.system.AsOf})
	}
	for _, c := range check.All() {
		if c.Between == nil {
			continue
		}
		view.Limit = func(system int) setting.Span {
			adjusted, _ := c.Adjusted(engines[system].subject.Checks[c.ID])
			return adjusted.Limit
		}
		c.Between(view, func(system int, found check.Hit) {
			if system == check.TheEstate {
				ofTheEstate(result, engines, c, &found)
			} else if i, on := engines[system].ruleOf(c.ID); on {
				engines[system].found(i, found)
			}
		})
	}
}

// ofTheEstate reports what was found about the estate itself, as its checks are
// set: for all systems alike.
func ofTheEstate(result *finding.Result, engines []*engine, c check.Check, found *check.Hit) {
	c, on := c.Adjusted(engines[0].subject.Checks[c.ID])
	if !on {
		return
	}
	f := finding.Finding{System: finding.TheEstate, Rule: c.Rule(), Between: true, Severity: c.Severity, Sentence: found.Says,
		Asked: c.Doc, Because: c.Doc, Remedy: c.Remedy, Origin: found.Origin}
	f.Fingerprint = finding.Fingerprint(append([]string{f.System, f.Rule.String()}, found.Key...)...)
	result.Findings = append(result.Findings, f)
}
