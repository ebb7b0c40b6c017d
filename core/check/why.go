package check

import (
	"fmt"
	"strings"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/estate"
	"yewcone/core/nearword"
	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// An Explanation tells what holds for one account, and why.
type Explanation struct {
	System   *estate.System
	Account  estate.Account
	Facts    []KnownFact
	Dates    estate.Dates
	Settings []ExplainedSetting
	Rules    []RuleOutcome
	Others   []estate.Origin // of further accounts of the same name
}

// A KnownFact is a fact about the account in words.
type KnownFact struct{ Name, Text string }

// An ExplainedSetting is the value that holds of one setting, with all that
// stood for it. Value is "unknown" where nothing does.
type ExplainedSetting struct {
	Name  string
	Group string
	Value string
	Trail []TrailStep
}

// Winner is the value that holds; nil where nothing says anything.
func (s *ExplainedSetting) Winner() *TrailStep {
	for i := range s.Trail {
		if s.Trail[i].Won {
			return &s.Trail[i]
		}
	}
	return nil
}

// A TrailStep is one value that stood for a setting.
type TrailStep struct {
	Value  string
	Where  string // the policy, or the account itself
	Origin estate.Origin
	Won    bool
	Why    string
}

// How a rule comes out for an account.
const (
	Met      = "met"
	Broken   = "broken"
	Open     = "unknown"
	Accepted = "accepted"
	Replaced = "replaced"
	NotForIt = "not for it"
)

// A RuleOutcome tells how one clause or check comes out for the account.
type RuleOutcome struct {
	Rule    string
	Outcome string
	Text    string // what is so; why it is open; what replaces it
}

// A NotFound means that a system has no account of a name.
type NotFound struct {
	System string
	Login  string
	Near   []string // names that may have been meant
}

func (n *NotFound) Error() string {
	text := fmt.Sprintf("%s has no account %q", n.System, n.Login)
	if len(n.Near) > 0 {
		text += "; did you mean " + strings.Join(n.Near, ", ") + "?"
	}
	return text
}

// nearShown is how many near names are kept.
const nearShown = 4

// othersKept bounds how many further accounts of the same name are kept.
const othersKept = 10

// Why explains one account of a system, by its name, or by its policy's, a
// slash and its own; the first, where there are several. The error is
// *NotFound when there is none.
func Why(subject *Subject, login string, o Options) (*Explanation, error) {
	e, err := newEngine(subject, &o)
	if err != nil {
		return nil, err
	}
	var near []string
	var x *Explanation
	err = subject.Export.Accounts(func(a *estate.Account) error {
		if a.Login != login && (a.Policy == "" || a.Policy+"/"+a.Login != login) {
			if len(near) < nearShown {
				if name, ok := nearword.Of(login, []string{a.Login}); ok {
					near = append(near, strings.Clone(name))
				}
			}
			return nil
		}
		if x == nil {
			x = e.explain(a)
		} else if len(x.Others) < othersKept {
			x.Others = append(x.Others, a.Origin)
		}
		return nil
	})
	if err != nil || x != nil {
		return x, err
	}
	return nil, &NotFound{System: e.system.Name, Login: login, Near: near}
}

func (e *engine) explain(a *estate.Account) *Explanation {
	s := e.meet(a)
	x := &Explanation{System: e.system, Dates: e.about.Dates}
	x.Account.CopyFrom(a)
	for _, f := range condition.Facts() {
		if text, ok := f.Text(&e.about); ok {
			x.Facts = append(x.Facts, KnownFact{f.Name, text})
		}
	}
	for id := range setting.Len {
		x.Settings = append(x.Settings, e.explainSetting(setting.ID(id), s, a))
	}
	v := e.judge(s)
	for i := range e.sources {
		if c := e.sources[i].clause; c != nil {
			e.reach[i] = c.For.Test(&e.about)
		}
	}
	for i := range e.sources {
		if e.sources[i].clause != nil || e.sources[i].settings != nil {
			x.Rules = append(x.Rules, e.explainRule(i, s, v, a))
		}
	}
	return x
}

func (e *engine) explainSetting(id setting.ID, s *effective.Settings, a *estate.Account) ExplainedSetting {
	def, holds := setting.At(id), s.Get(id)
	out := ExplainedSetting{Name: def.Name, Group: def.Group, Value: def.Text(holds.Value)}
	for i := range holds.Trail {
		c := &holds.Trail[i]
		step := TrailStep{Value: def.Text(c.Value), Where: c.Describe(), Origin: c.Origin, Won: c.Won, Why: c.Why}
		if c.Level == effective.OnAccount {
			step.Origin.File, step.Origin.Line = a.Origin.File, a.Origin.Line
		}
		out.Trail = append(out.Trail, step)
	}
	return out
}

func (e *engine) explainRule(i int, s *effective.Settings, v *verdict, a *estate.Account) RuleOutcome {
	src := &e.sources[i]
	out := RuleOutcome{Rule: src.rule, Outcome: Met}
	if src.clause != nil && e.reach[i] == estate.No {
		out.Outcome, out.Text = NotForIt, src.clause.For.String()
		return out
	}
	if src.clause != nil && e.afterReplacing(i) == estate.No {
		for _, j := range src.replacedBy {
			if e.reach[j] == estate.Yes {
				out.Outcome, out.Text = Replaced, "by "+e.sources[j].rule
			}
		}
		return out
	}
	if src.clause != nil && e.reach[i] == estate.Unknown {
		out.Outcome, out.Text = Open, "whether it reaches the account depends on "+
			""+strings.Join(src.clause.For.UnknownFacts(&e.about, nil), ", ")+", which the export does not say"
		return out
	}
	if len(v.hits[i]) > 0 {
		var texts []string
		accepted := true
		for _, h := range v.hits[i] {
			var f Finding
			e.describe(&f, &h, false)
			texts = append(texts, f.Sentence)
			covered, _ := e.excepted(src, &h, a)
			accepted = accepted && covered > 0
		}
		out.Outcome, out.Text = Broken, strings.Join(texts, "; ")
		if accepted {
			out.Outcome = Accepted
		}
		return out
	}
	if src.clause != nil && src.clause.Forbid != nil {
		return e.explainForbid(i, out, a)
	}
	if len(v.unknown[i]) > 0 {
		var names []string
		for _, id := range v.unknown[i] {
			names = append(names, setting.At(id).Name)
		}
		out.Outcome, out.Text = Open, "the export does not say "+strings.Join(names, ", ")
		return out
	}
	var texts []string
	for _, x := range src.expect {
		def := setting.At(x.setting)
		if x.requirement.Test(s.Get(x.setting).Value) == requirement.Meets {
			texts = append(texts, def.Name+" "+def.Text(s.Get(x.setting).Value))
		}
	}
	out.Text = strings.Join(texts, ", ")
	return out
}

func (e *engine) explainForbid(i int, out RuleOutcome, a *estate.Account) RuleOutcome {
	src := &e.sources[i]
	switch src.clause.Forbid.Test(&e.about) {
	case estate.Yes:
		h := hit{key: groupKey{source: i, setting: -1}}
		out.Outcome, out.Text = Broken, src.clause.Says
		if covered, _ := e.excepted(src, &h, a); covered > 0 {
			out.Outcome = Accepted
		}
	case estate.Unknown:
		out.Outcome, out.Text = Open, "depends on "+strings.Join(src.clause.Forbid.UnknownFacts(&e.about, nil),
			", ")+", which the export does not say"
	}
	return out
}
