// Package explain tells what holds for one account, and why.
package explain

import (
	"slices"
	"strings"
	"time"

	"yewcone/core/audit"
	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/nearword"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// An Explanation tells what holds for one account, and why.
type Explanation struct {
	System   *facts.System
	Account  facts.Account
	Facts    []KnownFact
	Derived  facts.Derived
	Settings []ExplainedSetting
	Rules    []RuleOutcome
	Others   []facts.Origin // of further accounts of the same name
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
	Origin facts.Origin
	Won    bool
	Why    string
}

// A RuleOutcome tells how one clause or check comes out for the account.
type RuleOutcome struct {
	Rule    rules.Rule
	Outcome string // as package finding names them
	Text    string // what is so; why it is open; what replaces it
}

// nearShown is how many near names are kept.
const nearShown = 4

// othersKept bounds how many further accounts of the same name are kept.
const othersKept = 10

// Account explains one account of a system, by its name, or by its policy's, a
// slash and its own; the first, where there are several. The error is
// *facts.NotFound when there is none.
func Account(subject *audit.Subject, login string, o audit.Options) (*Explanation, error) {
	judge, err := audit.NewJudge(subject, o)
	if err != nil {
		return nil, err
	}
	system := subject.Export.System()
	var near []string
	var x *Explanation
	err = subject.Export.Accounts(func(a *facts.Account) error {
		if a.Login != login && (a.Policy == "" || a.Policy+"/"+a.Login != login) {
			if len(near) < nearShown {
				if name, ok := nearword.Of(login, []string{a.Login}); ok {
					near = append(near, strings.Clone(name))
				}
			}
			return nil
		}
		if x == nil {
			x = explain(judge, system, a)
		} else if len(x.Others) < othersKept {
			x.Others = append(x.Others, a.Origin)
		}
		return nil
	})
	if err != nil || x != nil {
		return x, err
	}
	return nil, &facts.NotFound{System: system.Name, Login: login, Near: near}
}

// Holding tells which clauses hold for an account; where no account is named, or the
// system has none of the name, for a person who is no administrator, of whom nothing
// else is known.
func Holding(subject *audit.Subject, login string, o audit.Options) func(*rules.Clause) bool {
	if login != "" {
		if x, err := Account(subject, login, o); err == nil {
			return func(c *rules.Clause) bool {
				return slices.ContainsFunc(x.Rules, func(r RuleOutcome) bool {
					return r.Rule == c.Rule && r.Outcome != finding.NotForIt && r.Outcome != finding.Replaced
				})
			}
		}
	}
	anybody := condition.Subject{System: subject.Export.System(),
		Account: &facts.Account{Kind: facts.Person, Privileged: facts.No, Enabled: facts.Yes}}
	return func(c *rules.Clause) bool { return c.For.Test(&anybody) != facts.No }
}

func explain(judge *audit.Judge, system *facts.System, a *facts.Account) *Explanation {
	x := &Explanation{System: system}
	x.Account.CopyFrom(a)
	x.Account.Keep()
	a = &x.Account
	s, about := judge.Resolve(a)
	x.Derived = about.Derived
	for _, f := range condition.Facts() {
		if text, ok := f.Text(about); ok {
			x.Facts = append(x.Facts, KnownFact{f.Name, text})
		}
	}
	for id := range setting.Len {
		x.Settings = append(x.Settings, explainSetting(id, s, a))
	}
	for _, answer := range judge.Answers(a, s) {
		x.Rules = append(x.Rules, explainRule(&answer, s))
	}
	for _, step := range judge.Steps() {
		if judge.Breaks(&step, a, s) {
			def := setting.At(step.Setting)
			x.Rules = append(x.Rules, RuleOutcome{Rule: step.Rule, Outcome: finding.Soon, Text: "asks for " + def.Name + " " + step.Asks.String() +
				" from " + step.From.Format(time.DateOnly) + " on; it is " + def.Text(s.Get(step.Setting).Value)})
		}
	}
	return x
}

func explainSetting(id setting.ID, s *effective.Settings, a *facts.Account) ExplainedSetting {
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

// explainRule puts an answer into words.
func explainRule(answer *audit.Answer, s *effective.Settings) RuleOutcome {
	out := RuleOutcome{Rule: answer.Rule, Outcome: finding.Met}
	const notSaid = ", which the export does not show"
	switch {
	case len(answer.ReplacedBy) > 0:
		out.Outcome, out.Text = finding.Replaced, "by "+answer.ReplacedBy[len(answer.ReplacedBy)-1].String()
	case answer.Reach == facts.No:
		out.Outcome, out.Text = finding.NotForIt, answer.Clause.For.String()
	case answer.Reach == facts.Unknown:
		out.Outcome = finding.Open
		out.Text = "whether it reaches the account depends on " + strings.Join(answer.DependsOn, ", ") + notSaid
	case answer.NoPassword:
		out.Outcome, out.Text = finding.NotForIt, "no password lets the account in"
	case len(answer.Broken) > 0:
		out.Outcome, out.Text = finding.Broken, strings.Join(answer.Broken, "; ")
		if answer.Accepted {
			out.Outcome = finding.Accepted
		}
	case answer.Forbidden == facts.Unknown:
		out.Outcome = finding.Open
		out.Text = "depends on " + strings.Join(answer.DependsOn, ", ") + notSaid
	case len(answer.Unknown) > 0:
		out.Outcome, out.Text = finding.Open, "the export does not show "+strings.Join(setting.NamesOf(answer.Unknown), ", ")
	default:
		var texts []string
		for _, id := range answer.Met {
			texts = append(texts, id.String()+" "+setting.At(id).Text(s.Get(id).Value))
		}
		out.Text = strings.Join(texts, ", ")
	}
	return out
}
