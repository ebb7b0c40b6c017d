package audit

import (
	"slices"
	"time"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// momentOf is the one by which steps of rules are told: that of the export, else
// that of the run.
func momentOf(s *Subject, o *Options) time.Time {
	if at := s.Export.System().AsOf; !at.IsZero() {
		return at
	}
	return o.Now
}

// sinceStep is a step in force that passwords were chosen before or after.
type sinceStep struct {
	reaches *condition.Condition
	from    int64
}

// stepAhead is a step that lies ahead.
type stepAhead struct {
	rule   int // of the clause
	coming rules.Coming
	then   expectation
	before *expectation // what is asked until then
}

// prepareSteps gathers the steps of the clauses. Those in force make passwords old
// only where they are about the password itself.
func (e *engine) prepareSteps() {
	for i := range e.rules {
		c := e.rules[i].clause
		if c == nil {
			continue
		}
		for _, x := range c.Expect {
			if !x.Since.IsZero() && setting.At(x.Setting).Group == "complexity" && !c.For.Derived() {
				e.since = append(e.since, sinceStep{c.For, x.Since.Unix()})
			}
		}
		for _, coming := range c.Coming {
			e.rules[i].heeded = true
			a := stepAhead{rule: i, coming: coming, then: e.prepareOne(coming.Setting, coming.Step.Requirement)}
			if coming.Before != nil {
				before := e.prepareOne(coming.Setting, *coming.Before)
				a.before = &before
			}
			e.ahead = append(e.ahead, a)
		}
	}
}

// rulesOf is since when the rules ask of the account at hand what they ask of its
// password.
func (e *engine) rulesOf() int64 {
	since := e.rulesSince
	for i := range e.since {
		if e.since[i].from > since && e.since[i].reaches.Test(&e.about) == facts.Yes {
			since = e.since[i].from
		}
	}
	return since
}

// breaks reports whether settings fall short of the step, and not of what is asked
// until then.
func (e *engine) breaks(x *stepAhead, s *effective.Settings) bool {
	value := s.Get(x.then.setting).Value
	return !e.moot(s, x.then.setting) && x.then.requirement.Test(value) == requirement.FallsShort &&
		(x.before == nil || x.before.requirement.Test(value) != requirement.FallsShort)
}

// stepsAhead notes the steps that the account at hand meets today and will not.
func (e *engine) stepsAhead(v *verdict, a *facts.Account) {
	if len(e.ahead) == 0 || v == e.empty {
		return
	}
	i, on := e.ruleOf("step-ahead")
	if !on {
		return
	}
	for n := range e.ahead {
		x := &e.ahead[n]
		if e.afterReplacing(x.rule) != facts.Yes || !e.breaks(x, v.settings) {
			continue
		}
		holds := v.settings.Get(x.then.setting)
		def := setting.At(x.then.setting)
		text := def.Name + " is " + def.Text(holds.Value) + ", and " + e.rules[x.rule].id.String() + " asks " + x.then.requirement.String() +
			" from " + x.coming.Step.Day() + " on"
		h := hit{reason: reason{rule: i, setting: noSetting, policy: holds.From.Policy, level: holds.From.Level, text: text}, from: holds.From, about: x.then.setting}
		h.key = []string{e.rules[x.rule].id.String(), def.Name, x.coming.Step.Day(), holds.From.Policy}
		if holds.From.Level == effective.OnAccount {
			h.key = append(h.key, rules.OnAccount, def.Text(holds.Value))
		}
		e.enter(&h, a)
	}
}

// A StepAhead is a step of a clause that lies ahead.
type StepAhead struct {
	Rule    rules.Rule
	Setting setting.ID
	From    time.Time
	Asks    requirement.Requirement
	Until   string // what is asked until then; "" for nothing
	number  int
}

// Steps lists the steps that lie ahead.
func (j *Judge) Steps() []StepAhead {
	var list []StepAhead
	for n := range j.engine.ahead {
		x := &j.engine.ahead[n]
		s := StepAhead{Rule: j.engine.rules[x.rule].id, Setting: x.then.setting, From: x.coming.Step.From, Asks: x.then.requirement, number: n}
		if x.before != nil {
			s.Until = x.before.requirement.String()
		}
		list = append(list, s)
	}
	slices.SortStableFunc(list, func(a, b StepAhead) int { return a.From.Compare(b.From) })
	return list
}

// Breaks reports whether the account that was resolved last, with its settings, will
// fall short of a step that it meets until then.
func (j *Judge) Breaks(step *StepAhead, a *facts.Account, s *effective.Settings) bool {
	x := &j.engine.ahead[step.number]
	return !a.WithoutPassword() && j.engine.afterReplacing(x.rule) == facts.Yes && j.engine.breaks(x, s)
}
