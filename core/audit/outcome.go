package audit

import (
	"encoding/binary"
	"slices"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
)

// An outcome is what one account comes out as. Very many accounts come out
// alike, since they answer all questions alike and have the same settings;
// it is worked out for the first of them.
type outcome struct {
	reaches    []uint32 // places in engine.reaches; numbers, so that there is nothing in them for the collector to follow
	accounts   int
	privileged bool
	unranked   bool // privileged or not is not known
	disabled   bool
	audience   gap.Audience
	kept       bool
	number     uint32 // in a share; 0 for none
	sighted    uint32 // the sort of its accounts among those of people; 0 for none yet
	full       bool   // all that it reaches have their examples
}

// outcomesKept bounds how many outcomes are kept, for systems whose accounts
// are all different.
const outcomesKept = 1 << 15

// outcomeOf finds or works out the outcome of an account with settings that
// were judged.
func (e *engine) outcomeOf(a *facts.Account, v *verdict) *outcome {
	if o := e.knownOutcome(a, v); o != nil {
		return o
	}
	return e.newOutcome(a, v, e.clauses, nil)
}

// knownOutcome is outcomeOf where it was worked out before; else nil, and key is what it
// would be kept under.
func (e *engine) knownOutcome(a *facts.Account, v *verdict) *outcome {
	key := binary.LittleEndian.AppendUint32(e.key[:0], v.number)
	key = append(key, byte(a.Privileged)<<2|byte(a.Enabled), byte(gap.AudienceOf(a)))
	if e.share != nil { // where accounts are counted by their outcomes alone
		key = binary.LittleEndian.AppendUint32(key, e.counted.number)
		key = append(key, byte(a.SecondFactor), bit(a.Kind == ""))
	}
	key = e.pattern.AppendAnswers(key, &e.about)
	e.key = key
	return e.outcomes[string(key)]
}

// newOutcome works out that of an account from some clauses and what is known to be
// reached by the others.
func (e *engine) newOutcome(a *facts.Account, v *verdict, clauses []int, reached []uint32) *outcome {
	key := string(e.key)
	e.fresh.begin(a)
	e.fresh.reaches = append(e.fresh.reaches, reached...)
	for _, i := range v.checks {
		e.settings(i, v, a)
	}
	for _, i := range v.unsure {
		e.rules[i].open = true
	}
	for _, i := range clauses {
		e.reach[i] = e.rules[i].clause.For.Test(&e.about)
		e.rules[i].matched = e.rules[i].matched || e.reach[i] == facts.Yes
	}
	for _, i := range clauses {
		e.clause(i, v, a)
	}
	e.stepsAhead(v, a)
	if len(e.outcomes) >= outcomesKept || e.options.Singly {
		return &e.fresh
	}
	o := e.fresh
	o.kept, o.reaches = true, slices.Clone(o.reaches)
	e.outcomes[key] = &o
	return &o
}

// named reports whether all that an outcome reaches have their examples.
func (e *engine) named(o *outcome) bool {
	return !slices.ContainsFunc(o.reaches, func(n uint32) bool { return len(e.reaches[n].reach.Examples) < e.options.Examples })
}

// begin empties an outcome for an account.
func (o *outcome) begin(a *facts.Account) {
	*o = outcome{reaches: o.reaches[:0], privileged: a.Privileged == facts.Yes, unranked: a.Privileged == facts.Unknown,
		disabled: a.Enabled == facts.No, audience: gap.AudienceOf(a)}
}

// record enters an account into all that its outcome reaches.
func (e *engine) record(o *outcome, a *facts.Account) error {
	o.accounts++
	if !o.full {
		first, wanted := o.accounts == 1, 0
		o.full = true
		for _, n := range o.reaches {
			r := &e.reaches[n]
			had := len(r.reach.Examples)
			o.full = e.example(r, a) && o.full
			wanted += len(r.reach.Examples) - had
		}
		if e.share != nil && (first || wanted > 0) { // others are no one's first examples elsewhere either
			e.share.hand(e, o)
		}
	}
	if !o.kept {
		e.ledger.sumUp(o)
	}
	if e.options.Each == nil {
		return nil
	}
	for _, n := range o.reaches {
		g := e.reaches[n].group
		if g == nil || g.finding.Exception != nil {
			continue
		}
		if err := e.options.Each(&Reached{System: e.system.Name, Fingerprint: g.finding.Fingerprint, Rule: g.finding.Rule,
			Account: a, Derived: &e.about.Derived, Detail: e.detail(g.rule.shows)}); err != nil {
			return err
		}
	}
	return nil
}

func (r *reached) shows() *condition.Fact {
	if r.group == nil {
		return nil
	}
	return r.group.rule.shows
}

// example keeps an account as an example where more are wanted, and reports
// whether there are enough.
func (e *engine) example(r *reached, a *facts.Account) bool {
	return r.reach.Keep(e.options.Examples, func() finding.Example {
		return finding.ExampleOf(a, e.about.Derived.Policy, e.detail(r.shows()), e.place)
	})
}

// enter notes that an account belongs to the finding with the given reason, or
// to what was accepted; a nil account stands for nobody in particular.
func (e *engine) enter(h *hit, a *facts.Account) {
	r := &e.rules[h.reason.rule]
	g := e.group(r, h, a, r.ifPrivileged != r.severity && a != nil && a.Privileged == facts.Yes)
	if g.finding.Exception == nil {
		r.broken = true
	}
	if a != nil {
		e.fresh.reaches = append(e.fresh.reaches, g.place)
	}
}

// group finds or makes the group of a hit on an account.
func (e *engine) group(r *rule, h *hit, a *facts.Account, privileged bool) *group {
	why, severity := h.reason, r.severity
	if why.privileged = privileged; privileged {
		severity = r.ifPrivileged
	}
	var ended int
	why.exception, ended = e.excepted(r, h, a)
	g, ok := e.groups[why]
	if !ok {
		g = &group{rule: r, first: e.place, finding: finding.Finding{System: e.system.Name, Rule: r.id, Severity: severity,
			Between: r.check != nil && r.check.AcrossSystems(), Because: r.because, Remedy: r.remedy}}
		e.describe(&g.finding, h, privileged)
		if a != nil {
			if h.reason.level == effective.OnAccount {
				g.finding.Origin = ownOrigin(a, h)
			}
			g.finding.Wants, g.finding.Also = ownWants(a, h.wants), ownWants(a, h.also)
		}
		switch {
		case privileged:
			g.finding.Split = "privileged"
		case r.ifPrivileged != r.severity:
			g.finding.Split = "not privileged"
		}
		if why.exception > 0 {
			g.finding.Exception = e.exceptions[why.exception-1].exception
		}
		e.addGroup(why, g)
	}
	if ended > 0 && (g.ended == 0 || ended < g.ended) {
		g.ended, g.finding.Ended, g.finding.Outgrown = ended, nil, nil
		if use := e.exceptions[ended-1]; use.ended {
			g.finding.Ended = use.exception
		} else {
			g.finding.Outgrown = use.exception
		}
	}
	return g
}

// ownOrigin is where a value stands on the account at hand: settings are kept
// for the first account that has them, whose place would be another's.
func ownOrigin(a *facts.Account, h *hit) facts.Origin {
	if h.from == nil {
		return facts.Origin{}
	}
	if h.from.Flag {
		origin := a.Origin
		origin.Text = h.from.Origin.Text
		return origin
	}
	for i := range a.Overrides {
		if a.Overrides[i].Setting == h.about {
			return a.Overrides[i].Origin
		}
	}
	return h.from.Origin
}

// ownWants are what is wanted where some of it stands on the account at hand.
func ownWants(a *facts.Account, wants []finding.Want) []finding.Want {
	if !slices.ContainsFunc(wants, func(w finding.Want) bool { return w.OnAccount }) {
		return wants
	}
	own := slices.Clone(wants)
	for i := range own {
		w := &own[i]
		switch at := slices.IndexFunc(a.Overrides, func(o facts.Override) bool { return o.Setting == w.Setting }); {
		case !w.OnAccount:
		case w.Mark != "":
			text := w.Origin.Text
			w.Origin = a.Origin
			w.Origin.Text = text
		case at >= 0:
			w.Origin = a.Overrides[at].Origin
		}
	}
	return own
}

// open notes that something is not known of the account at hand.
func (e *engine) open(key unknownKey) {
	e.rules[key.rule].open = true
	e.fresh.reaches = append(e.fresh.reaches, e.unknownAt(key))
}

// detail is the fact of the account at hand in words.
func (e *engine) detail(f *condition.Fact) string {
	if f == nil {
		return e.told
	}
	text, _ := f.Text(&e.about)
	return text
}

// openFacts notes facts that a rule asks and nobody knows.
func (e *engine) openFacts(i int, names []string) {
	e.missing = names
	for _, fact := range names {
		e.open(unknownKey{setting: noSetting, fact: fact, rule: i})
	}
}
