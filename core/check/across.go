package check

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"yewcone/core/effective"
	"yewcone/core/estate"
	"yewcone/core/gap"
	"yewcone/core/password"
	"yewcone/core/setting"
)

// Across is what an estate says of its systems together.
type Across struct {
	Links  []gap.Link
	Match  []string // the keys that accounts of one person are matched by; none for no matching
	From   string   // the system whose accounts are all the people there are; "" for none
	Unused []string // rule sets that hold for no system
}

// Gaps are what no system's own console can show.
type Gaps struct {
	Profiles []*gap.Profile // by system, in the order of the estate
	Links    []*gap.LinkResult
	Guesses  []Guess // the largest budget over a password's life first
	People   *PeopleSums
	Unruled  []string // systems without rules
	Unused   []string // rule sets without systems
	Old      []Old
	Untold   []string // settings that no system says

	below map[belowKey]bool
}

// A Guess is the guess budget of one audience on one system.
type Guess struct {
	System   string
	Audience gap.Audience
	Accounts int
	gap.Guesses
	Space password.Measure // of what holds for most of the audience
}

// An Old export is one that lies behind the newest.
type Old struct {
	System string
	AsOf   time.Time
	Days   int
}

// PeopleSums are counts of people across systems.
type PeopleSums struct {
	Match     []string
	From      string
	People    int // told apart, ambiguous ones left out
	Several   int // of these, on more than one system
	Ambiguous int
	Weakest   []int // by system: people whose weakest enabled account is there
}

type belowKey struct{ system, setting, value string }

// Compare sets the systems side by side for an audience.
func (g *Gaps) Compare(a gap.Audience) []gap.Row {
	return gap.Compare(g.Profiles, a, func(system, name string, v setting.Value) bool {
		id, _ := setting.Find(name)
		return g.below[belowKey{system, name, setting.At(id).Text(v)}]
	})
}

// source finds a check of the engine; false where it is switched off.
func (e *engine) source(id string) (int, bool) {
	i := slices.IndexFunc(e.sources, func(s source) bool { return s.rule == Prefix+id })
	return i, i >= 0
}

// limitOf is the length of time of a check, as the estate may have set it.
func (e *engine) limitOf(id string) setting.Span {
	if change := e.subject.Checks[id]; change.Limit != nil {
		return *change.Limit
	}
	all := All()
	return all[slices.IndexFunc(all, func(c Check) bool { return c.ID == id })].Limit
}

// found enters something that was found across systems, which reaches no
// account by itself.
func (e *engine) found(id, text string, about gap.Cell) {
	i, ok := e.source(id)
	if !ok {
		return
	}
	h := hit{key: groupKey{source: i, setting: -1, policy: about.Policy, text: text}}
	h.from = &effective.Candidate{Sourced: estate.Sourced{Value: about.Value, Origin: about.Origin}, Policy: about.Policy}
	e.enter(&h, nil)
}

// across holds the systems against one another.
func across(engines []*engine, o *Options, register *gap.Register) (*Gaps, error) {
	g := &Gaps{below: map[belowKey]bool{}}
	by := map[string]*engine{}
	for _, e := range engines {
		by[e.system.Name] = e
		g.Profiles = append(g.Profiles, e.profile)
		for _, group := range e.groups {
			if f := &group.finding; f.Setting != "" && !strings.HasPrefix(f.Rule, Prefix) {
				g.below[belowKey{f.System, f.Setting, f.Value}] = true
			}
		}
		if len(e.summary.Rules) == 0 {
			g.Unruled = append(g.Unruled, e.system.Name)
			e.found(unruled, "no rules hold for it, so that only the built-in checks look at it", gap.Cell{})
		}
	}
	g.links(o.Across.Links, by)
	g.odd(engines)
	g.coverage(engines, o)
	g.guess(engines)
	if register != nil {
		register.Close()
		if err := g.people(engines, o, register); err != nil {
			return nil, err
		}
	}
	return g, nil
}

func (g *Gaps) links(list []gap.Link, by map[string]*engine) {
	for i := range list {
		l := &list[i]
		a, b := by[l.Between[0]], by[l.Between[1]]
		if a == nil || b == nil {
			continue // one end is not looked at
		}
		r := l.Check([2]*gap.Profile{a.profile, b.profile})
		g.Links = append(g.Links, r)
		for _, u := range r.Unequal {
			def := setting.At(u.ID)
			text := fmt.Sprintf("%s is %s here and %s on %s, and must be equal (%s)", def.Name, def.Text(u.Cells[0].Value),
				def.Text(u.Cells[1].Value), b.system.Name, l.Because)
			if u.ID == setting.LockoutAttempts && r.Locks != "" {
				text += ": " + r.Locks
			}
			a.found(linkUnequal, text, u.Cells[0])
		}
		for _, claims := range r.Collide {
			a.found(linkApart, fmt.Sprintf("no password satisfies it together with %s (%s): %s", b.system.Name, l.Because,
				password.Clash(claims)), gap.Cell{})
		}
		for _, text := range r.Ages {
			a.found(linkAges, text+" ("+l.Because+")", gap.Cell{})
		}
	}
}

// odd finds systems that are weaker than all others in a setting on which
// these agree.
func (g *Gaps) odd(engines []*engine) {
	for _, row := range g.Compare(gap.People) {
		for i := range row.Cells {
			if c := &row.Cells[i]; c.Odd && c.Loosest {
				other := row.Cells[slices.IndexFunc(row.Cells, func(o gap.Cell) bool { return o.Value.Known() && o.System != c.System })]
				engines[i].found(oddOneOut, fmt.Sprintf("%s is %s for people, and %s on all other systems that say it",
					row.Setting.Name, row.Setting.Text(c.Value), row.Setting.Text(other.Value)), *c)
			}
		}
	}
}

func (g *Gaps) coverage(engines []*engine, o *Options) {
	g.Unused = o.Across.Unused
	var newest time.Time
	for _, e := range engines {
		if e.system.AsOf.After(newest) {
			newest = e.system.AsOf
		}
	}
	for _, e := range engines {
		if e.system.AsOf.IsZero() {
			continue
		}
		behind := newest.Sub(e.system.AsOf)
		if limit := e.limitOf(exportOld); behind > time.Duration(limit.Length())*time.Second {
			days := int(behind.Hours() / 24)
			g.Old = append(g.Old, Old{e.system.Name, e.system.AsOf, days})
			e.found(exportOld, fmt.Sprintf("its export is %d days older than the newest of the estate", days), gap.Cell{})
		}
	}
	for id := range setting.Len {
		told := false
		for _, p := range g.Profiles {
			for a := gap.People; a <= gap.Rest && !told; a++ {
				told = p.Weakest(a, setting.ID(id)).Value.Known()
			}
		}
		if !told {
			g.Untold = append(g.Untold, setting.At(setting.ID(id)).Name)
		}
	}
}

func (g *Gaps) guess(engines []*engine) {
	for _, e := range engines {
		for _, a := range gap.Audiences {
			worst := e.profile.Guesses(a)
			if worst == nil || e.profile.Accounts(a) == 0 {
				continue
			}
			space := password.MeasureOf(func(id setting.ID) setting.Value { return e.profile.Weakest(a, id).Value })
			g.Guesses = append(g.Guesses, Guess{e.system.Name, a, e.profile.Accounts(a), *worst, space})
		}
	}
	slices.SortStableFunc(g.Guesses, func(a, b Guess) int {
		return cmp.Or(-cmp.Compare(a.rank(), b.rank()), -cmp.Compare(a.PerDay, b.PerDay))
	})
}

// rank orders budgets; those that are not known come last.
func (g *Guess) rank() float64 {
	if !g.Known || !g.LifeOK {
		return -1
	}
	return g.OverLife()
}

// people reads all exports once more and says of each account what its person
// has elsewhere.
func (g *Gaps) people(engines []*engine, o *Options, register *gap.Register) error {
	sums := &PeopleSums{Match: o.Across.Match, From: o.Across.From, Weakest: make([]int, len(engines))}
	g.People = sums
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
		if i := g.weakest(p, engines); i >= 0 {
			sums.Weakest[i]++
		}
	})
	from := slices.IndexFunc(engines, func(e *engine) bool { return e.system.Name == o.Across.From })
	var group errgroup.Group
	group.SetLimit(max(1, o.Jobs))
	if o.Each != nil {
		group.SetLimit(1) // each account is handed over in its order
	}
	for i, e := range engines {
		if !slices.Contains(e.subject.Unmatched[:len(o.Across.Match)], false) {
			continue // no key says anything on it
		}
		group.Go(func() error { return e.across(i, from, engines, register) })
	}
	return group.Wait()
}

// weakest is the system on which a person's enabled account has the largest
// guess budget; the first of several, -1 for none.
func (g *Gaps) weakest(p *gap.Person, engines []*engine) int {
	best, most := -1, -1.0
	for i, facts := range p.Facts {
		if facts&gap.Enabled == 0 {
			continue
		}
		a := gap.People
		if facts&gap.Admin != 0 {
			a = gap.Privileged
		}
		worst := engines[i].profile.Guesses(a)
		if worst == nil || !worst.Known || !worst.LifeOK {
			continue
		}
		if budget := worst.OverLife(); budget > most {
			best, most = i, budget
		}
	}
	return best
}

// personal are the facts about an account that count for its person.
func (e *engine) personal(a *estate.Account) uint8 {
	var facts uint8
	if a.Enabled != estate.No {
		facts |= gap.Enabled
		if a.Privileged == estate.Yes {
			facts |= gap.Admin
		}
	}
	if a.Privileged == estate.Yes {
		switch a.SecondFactor {
		case estate.Yes:
			facts |= gap.FactorYes
		case estate.No:
			facts |= gap.FactorNo
		}
	}
	switch end := e.about.Dates.Expires; {
	case a.Enabled == estate.No:
	case end.Dated() == estate.Yes:
		facts |= gap.Expires
	case end.IsNever():
		facts |= gap.NeverExpires
	}
	set, dated := a.PasswordSet.Unix()
	if !dated || !e.about.Dates.AsOfKnown || e.about.Dates.AsOf-set < e.stale {
		facts |= gap.Fresh
	}
	return facts
}

// matched reports whether an account is of a person who may have others.
func matched(a *estate.Account) bool { return a.Kind == estate.Person }

// across looks at the accounts of one system, the export's number i, with what
// their people have on the others.
func (e *engine) across(i, from int, engines []*engine, register *gap.Register) error {
	noted := *e.subject.Export.Notes()
	defer func() { *e.subject.Export.Notes() = noted }() // what is refused was counted already
	facts := make([]uint8, 0, len(engines))
	l := &acrossLook{engine: e, number: i, from: from, engines: engines}
	e.place = 0
	return e.subject.Export.Accounts(func(a *estate.Account) error {
		e.place++
		e.meet(a)
		if !matched(a) {
			return nil
		}
		entry := register.Entry(a, i, 0, e.subject.Unmatched)
		person, known := register.Of(&entry, facts)
		l.account, l.own, l.person, l.known = a, e.personal(a), person, known
		l.shared = register.SharedLogin(&entry)
		e.fresh = outcome{reaches: e.fresh.reaches[:0], privileged: a.Privileged == estate.Yes, disabled: a.Enabled == estate.No}
		l.look()
		if len(e.fresh.reaches) == 0 {
			return nil
		}
		return e.take(&e.fresh, a)
	})
}

// acrossLook is one account with its person.
type acrossLook struct {
	engine  *engine
	engines []*engine
	number  int
	from    int

	account *estate.Account
	own     uint8
	person  gap.Person
	known   bool
	shared  bool
}

func (l *acrossLook) hit(id, text string) {
	if i, ok := l.engine.source(id); ok {
		l.engine.enter(&hit{key: groupKey{source: i, setting: -1, text: text}}, l.account)
	}
}

// others lists the other systems for whose facts a test holds.
func (l *acrossLook) others(test func(facts uint8) bool) string {
	var names []string
	for i, facts := range l.person.Facts {
		if i != l.number && facts&gap.Present != 0 && test(facts) {
			names = append(names, l.engines[i].system.Name)
		}
	}
	return strings.Join(names, " and ")
}

func (l *acrossLook) look() {
	enabled := l.own&gap.Enabled != 0
	if !enabled {
		return
	}
	switch {
	case !l.known:
		l.hit(personNobody, "accounts of people without any of the keys that people are matched by")
		return
	case l.person.Ambiguous:
		l.hit(personAmbiguous, "accounts whose keys lead to several people, so that they are not matched")
		return
	case l.from >= 0 && l.from != l.number && l.person.Facts[l.from]&gap.Present == 0:
		l.hit(personNobody, "accounts of people whom "+l.engines[l.from].system.Name+" does not know")
	}
	if l.account.Enabled == estate.Yes {
		if off := l.others(func(f uint8) bool { return f&gap.Enabled == 0 }); off != "" {
			l.hit(personOff, "enabled accounts of people who are switched off on "+off)
		}
	}
	if l.own&gap.FactorNo != 0 && l.own&gap.Admin != 0 {
		if with := l.others(func(f uint8) bool { return f&gap.FactorYes != 0 }); with != "" {
			l.hit(personFactor, "privileged accounts without a second factor, of people who have one as privileged on "+with)
		}
	}
	if l.own&gap.NeverExpires != 0 {
		if ends := l.others(func(f uint8) bool { return f&gap.Expires != 0 }); ends != "" {
			l.hit(personNever, "passwords that never end, of people whose passwords end on "+ends)
		}
	}
	if l.person.First(l.number) && l.person.On() > 1 && !slices.ContainsFunc(l.person.Facts,
		func(f uint8) bool { return f&gap.Fresh != 0 }) {
		limit := l.engine.limitOf(personStale)
		l.hit(personStale, "people whose passwords are more than "+limit.String()+" old on every system they are on")
	}
	if l.shared {
		l.hit(personLogin, "sign-in names that belong to different people on other systems")
	}
}

// TheEstate stands for a system's name in findings about the estate itself.
const TheEstate = "estate"

// unusedRules reports rule sets that hold for no system.
func (r *Result) unusedRules(names []string, subjects []Subject) {
	i := slices.IndexFunc(acrossChecks, func(c Check) bool { return c.ID == rulesUnused })
	c := &acrossChecks[i]
	severity := c.Severity
	for j := range subjects {
		if change := subjects[j].Checks[rulesUnused]; change.Off {
			return
		} else if change.Severity != 0 {
			severity = change.Severity
		}
	}
	for _, name := range names {
		f := Finding{System: TheEstate, Rule: Prefix + rulesUnused, Severity: severity,
			Sentence: "the rule set " + name + " holds for no system", Asked: c.Doc, Because: c.Doc, Remedy: c.Remedy}
		f.Fingerprint = fingerprint(f.System, f.Rule, "", "", name, "")
		r.Findings = append(r.Findings, f)
	}
}
