package check

import (
	"encoding/binary"
	"slices"
	"strings"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/estate"
)

// An outcome is what one account comes out as. Very many accounts come out
// alike, since they answer all questions alike and have the same settings;
// it is worked out for the first of them.
type outcome struct {
	reaches    []uint32 // places in engine.reaches; numbers, so that there is nothing in them for the collector to follow
	accounts   int
	privileged bool
	disabled   bool
	kept       bool
	full       bool // all that it reaches have their examples
}

// outcomesKept bounds how many outcomes are kept, for systems whose accounts
// are all different.
const outcomesKept = 1 << 15

// outcomeOf finds or works out the outcome of an account with settings that
// were judged.
func (e *engine) outcomeOf(a *estate.Account, v *verdict) *outcome {
	key := binary.LittleEndian.AppendUint32(e.key[:0], v.number)
	key = append(key, byte(a.Privileged)<<2|byte(a.Enabled))
	key = e.pattern.AppendAnswers(key, &e.about)
	e.key = key
	if o, ok := e.outcomes[string(key)]; ok {
		return o
	}
	e.fresh = outcome{reaches: e.fresh.reaches[:0], privileged: a.Privileged == estate.Yes, disabled: a.Enabled == estate.No}
	for _, i := range v.checks {
		e.settings(i, v, a)
	}
	for _, i := range e.clauses {
		e.reach[i] = e.sources[i].clause.For.Test(&e.about)
	}
	for _, i := range e.clauses {
		e.clause(i, v, a)
	}
	if len(e.outcomes) >= outcomesKept || e.options.alone {
		return &e.fresh
	}
	o := e.fresh
	o.kept, o.reaches = true, slices.Clone(o.reaches)
	e.outcomes[string(key)] = &o
	return &o
}

// take enters an account into all that its outcome reaches.
func (e *engine) take(o *outcome, a *estate.Account) error {
	o.accounts++
	if !o.full {
		o.full = true
		for _, n := range o.reaches {
			r := &e.reaches[n]
			o.full = e.example(r.reach, a, r.shows()) && o.full
		}
	}
	if !o.kept {
		e.sumUpOutcome(o)
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
			Account: a, Dates: &e.about.Dates}); err != nil {
			return err
		}
	}
	return nil
}

// reached is something that accounts are entered into.
type reached struct {
	reach *Reach
	group *group // nil for what is unknown
}

func (r *reached) shows() *condition.Fact {
	if r.group == nil {
		return nil
	}
	return r.group.source.shows
}

// example keeps an account as an example where more are wanted, and reports
// whether there are enough.
func (e *engine) example(r *Reach, a *estate.Account, shows *condition.Fact) bool {
	if len(r.Examples) < e.options.Examples {
		r.Examples = append(r.Examples, Example{Login: strings.Clone(a.Login), Origin: a.Origin, Detail: e.detail(shows), place: e.place})
	}
	return len(r.Examples) >= e.options.Examples
}

// sumUpOutcome adds the accounts of an outcome to all that it reaches.
func (e *engine) sumUpOutcome(o *outcome) {
	for _, n := range o.reaches {
		r := e.reaches[n].reach
		r.Accounts += o.accounts
		if o.privileged {
			r.Privileged += o.accounts
		}
		if o.disabled {
			r.Disabled += o.accounts
		}
	}
	o.accounts = 0
}

// enter notes that an account belongs to the finding with the given reason, or
// to what was accepted; a nil account stands for nobody in particular.
func (e *engine) enter(h *hit, a *estate.Account) {
	s := &e.sources[h.key.source]
	g := e.group(s, h, a, s.ifPrivileged != s.severity && a != nil && a.Privileged == estate.Yes)
	if g.finding.Exception == nil {
		s.broken = true
	}
	if a != nil {
		e.fresh.reaches = append(e.fresh.reaches, g.place)
	}
}

// group finds or makes the group of a hit on an account.
func (e *engine) group(s *source, h *hit, a *estate.Account, privileged bool) *group {
	key, severity := h.key, s.severity
	if key.privileged = privileged; privileged {
		severity = s.ifPrivileged
	}
	var ended int
	key.exception, ended = e.excepted(s, h, a)
	g, ok := e.groups[key]
	if !ok {
		g = &group{source: s, first: e.place, finding: Finding{System: e.system.Name, Rule: s.rule, Severity: severity,
			Because: s.because, Remedy: s.remedy}}
		e.describe(&g.finding, h, privileged)
		if h.key.level == effective.OnAccount && a != nil {
			g.finding.Origin = ownOrigin(a, h)
		}
		switch {
		case privileged:
			g.finding.Split = "privileged"
		case s.ifPrivileged != s.severity:
			g.finding.Split = "not privileged"
		}
		if key.exception > 0 {
			g.finding.Exception = e.exceptions[key.exception-1].exception
		}
		e.groups[key] = g
		g.place = e.addReach(reached{&g.reach, g})
	}
	if ended > 0 && (g.ended == 0 || ended < g.ended) {
		g.ended, g.finding.Ended = ended, e.exceptions[ended-1].exception
	}
	return g
}

// ownOrigin is where a value stands on the account at hand: settings are kept
// for the first account that has them, whose place would be another's.
func ownOrigin(a *estate.Account, h *hit) estate.Origin {
	if h.from == nil {
		return estate.Origin{}
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

// unknown notes that something is not known of the account at hand.
func (e *engine) unknown(key unknownKey) {
	e.sources[key.source].open = true
	place, ok := e.unknownPlaces[key]
	if !ok {
		reach := &Reach{}
		e.unknowns[key] = reach
		place = e.addReach(reached{reach: reach})
		e.unknownPlaces[key] = place
	}
	e.fresh.reaches = append(e.fresh.reaches, place)
}

func (e *engine) addReach(r reached) uint32 {
	e.reaches = append(e.reaches, r)
	return uint32(len(e.reaches) - 1)
}

// detail is the fact of the account at hand in words.
func (e *engine) detail(f *condition.Fact) string {
	if f == nil {
		return ""
	}
	text, _ := f.Text(&e.about)
	return text
}

func (e *engine) unknownFacts(i int, c *condition.Condition) {
	e.missing = c.UnknownFacts(&e.about, e.missing[:0])
	for _, fact := range e.missing {
		e.unknown(unknownKey{setting: -1, fact: fact, source: i})
	}
}
