package audit

import (
	"slices"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// A Judge answers for one account at a time what a check answers for all, for
// packages that explain or compare.
type Judge struct{ engine *engine }

// NewJudge returns the judge of a system.
func NewJudge(s *Subject, o Options) (*Judge, error) {
	e, err := newEngine(s, &o)
	if err != nil {
		return nil, err
	}
	e.readRecord()
	return &Judge{e}, nil
}

// Resolve classifies an account and works out what holds for it. The account
// it stands for is good until the next call.
func (j *Judge) Resolve(a *facts.Account) (*effective.Settings, *condition.Subject) {
	settings := j.engine.resolve(a)
	for _, i := range j.engine.clauses {
		j.engine.reach[i] = j.engine.rules[i].clause.For.Test(&j.engine.about)
	}
	return settings, &j.engine.about
}

// An Answer is how one rule comes out for one account.
type Answer struct {
	Rule       rules.Rule
	NoPassword bool          // no password lets the account in, so that settings ask nothing of it
	Clause     *rules.Clause // nil for checks that are no conditions on accounts
	Reach      facts.Tri     // of the clause, once those that replace it are taken off
	DependsOn  []string      // facts that are not known and decide on Reach, or on Forbidden
	ReplacedBy []rules.Rule  // that take its place for this account
	Broken     []string      // what is wrong, in words
	Accepted   bool          // all of it is covered by exceptions
	Forbidden  facts.Tri     // whether what the clause forbids is so
	Unknown    []setting.ID  // settings that are asked for and not known
	Met        []setting.ID  // settings that are asked for and in order
}

// Answers tells how the rules come out for an account that was resolved; checks
// of whole systems and between systems are left out.
func (j *Judge) Answers(a *facts.Account, s *effective.Settings) []Answer {
	e := j.engine
	v := e.judge(s)
	var list []Answer
	for i := range e.rules {
		if r := &e.rules[i]; r.clause != nil || r.check.Settings != nil {
			list = append(list, e.answer(i, s, v, a))
		} else if r.check.SignIns != nil && e.signins.seen != nil {
			list = append(list, e.signInAnswer(i, a))
		}
	}
	return list
}

func (e *engine) answer(i int, s *effective.Settings, v *verdict, a *facts.Account) Answer {
	r := &e.rules[i]
	out := Answer{Rule: r.id, Clause: r.clause, Reach: facts.Yes, Forbidden: facts.No, Unknown: v.unknown[i]}
	if r.clause != nil {
		if out.Reach = e.afterReplacing(i); out.Reach == facts.Unknown {
			out.DependsOn = slices.Clone(e.reachFacts(i))
		}
		for _, n := range r.replacedBy {
			if e.reach[i] != facts.No && e.reach[n] == facts.Yes {
				out.ReplacedBy = append(out.ReplacedBy, e.rules[n].id)
			}
		}
		if r.clause.Forbid != nil {
			if out.Forbidden = r.clause.Forbid.Test(&e.about); out.Forbidden == facts.Unknown && out.Reach == facts.Yes {
				out.DependsOn = r.clause.Forbid.UnknownFacts(&e.about, nil)
			}
		}
	}
	hits := v.hits[i]
	if a.WithoutPassword() {
		hits, out.Unknown = nil, nil
		out.NoPassword = r.clause == nil || r.clause.Forbid == nil
	}
	if len(hits) == 0 && out.Forbidden == facts.Yes {
		hits = []hit{r.forbidden}
	}
	out.Accepted = len(hits) > 0
	for n := range hits {
		var f finding.Finding
		e.describe(&f, &hits[n], false)
		out.Broken = append(out.Broken, f.Sentence)
		covered, _ := e.excepted(r, &hits[n], a)
		out.Accepted = out.Accepted && covered > 0
	}
	for _, x := range r.expect {
		if x.requirement.Test(s.Get(x.setting).Value) == requirement.Meets {
			out.Met = append(out.Met, x.setting)
		}
	}
	return out
}

// An Asked is a clause of a rule set as it is asked of this system.
type Asked struct {
	Rule   rules.Rule
	For    *condition.Condition
	Expect []AskedSetting
	number int // among the engine's rules
}

// An AskedSetting is what a clause asks of one setting.
type AskedSetting struct {
	Setting     setting.ID
	Requirement requirement.Requirement
	Beyond      bool          // no value that the system can take meets it
	Limit       string        // where Beyond: what the system can do
	Nearest     setting.Value // where Beyond: the nearest that it can
}

// Asked lists the clauses of rule sets.
func (j *Judge) Asked() []Asked {
	var list []Asked
	for i := range j.engine.rules {
		r := &j.engine.rules[i]
		if r.id.BuiltIn {
			continue
		}
		a := Asked{Rule: r.id, For: r.clause.For, number: i}
		for _, x := range r.expect {
			s := AskedSetting{Setting: x.setting, Requirement: x.requirement, Beyond: x.beyond, Nearest: x.nearest}
			if x.beyond {
				s.Limit = j.engine.limits[x.setting].String()
			}
			a.Expect = append(a.Expect, s)
		}
		list = append(list, a)
	}
	return list
}

// Reaches tells whether a clause reaches the account that was resolved last,
// once clauses that replace it are taken off.
func (j *Judge) Reaches(a *Asked) facts.Tri { return j.engine.afterReplacing(a.number) }
