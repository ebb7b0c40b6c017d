package condition

import (
	"slices"

	"yewcone/core/facts"
)

var textOps = map[string]facts.QuestionOp{"==": facts.Equals, "!=": facts.Equals, "startsWith": facts.Begins, "endsWith": facts.Ends, "contains": facts.Holds}

// question is what a part of a condition asks of a fact that a mapping fills; none
// where it cannot be put so.
func question(f *Fact, op facts.QuestionOp, texts ...string) []facts.Question {
	switch fact, ok := varied[f.Name]; {
	case !ok:
		return nil
	case f.Name != "short_login":
		return []facts.Question{{Fact: fact, Op: op, Texts: texts}}
	case op == facts.Equals:
		return []facts.Question{{Fact: fact, Op: facts.NameOnly, Texts: texts}}
	}
	return nil
}

// Questions returns what is asked of a text or list that is filled by a mapping's
// fact; false where the text itself matters, as it does for all facts that are no
// such texts.
func (l *Likeness) Questions(fact string) ([]facts.Question, bool) {
	if _, whole := l.Of(fact); whole || l.open[fact] {
		return nil, false
	}
	return l.questions[fact], true
}

// note takes in how a part asks for a fact of a mapping.
func (l *Likeness) note(fact string, leaf *leaf) {
	if len(leaf.asks) == 0 {
		l.open[fact] = true
	}
	for _, q := range leaf.asks {
		if !slices.ContainsFunc(l.questions[fact], func(o facts.Question) bool { return o.Op == q.Op && slices.Equal(o.Texts, q.Texts) }) {
			l.questions[fact] = append(l.questions[fact], q)
		}
	}
}

// dates are the dates of an account that a fact can depend on, by the mapping's
// names for them. A fact that is not here depends on none.
var dates = map[string][]string{
	"created": {"created"}, "password_set": {"password_set"}, "last_sign_in": {"last_sign_in"}, "locked_since": {"locked_since"},
	"account_ends": {"account_ends"}, "account_age": {"created"}, "password_age": {"password_set", "created"},
	"idle": {"last_sign_in", "created"}, "locked_for": {"locked_since"}, "password_expires": ends, "overdue_for": ends,
	"overdue": ends, "shut": ends, "overdue_open": ends, "lasts_for_ever": ends,
	"used_after_end": {"last_sign_in", "password_set", "password_expires"}, "never_changed": {"password_set", "created"},
}

var ends = []string{"password_expires", "password_set"}

// joint are the dates that the part compares with each other: those of different
// facts, or of one that is itself such a comparison.
func (l *leaf) joint() []facts.Joint {
	var list []facts.Joint
	add := func(a, b string, aged bool) {
		if a == b && !aged {
			return
		}
		list = append(list, facts.Joint{A: a, B: b, Aged: aged && b == "password_set"})
		if aged && b == "password_set" && a != b {
			list = append(list, facts.Joint{A: a, B: b})
		}
	}
	for i, f := range l.own {
		switch f.Name {
		case "used_after_end":
			add("last_sign_in", "password_expires", false)
			add("last_sign_in", "password_set", true)
		case "never_changed":
			add("password_set", "created", false)
		}
		if f.num == nil {
			continue
		}
		for _, g := range l.own[i+1:] {
			if g.num == nil {
				continue
			}
			for _, a := range dates[f.Name] {
				for _, b := range dates[g.Name] {
					add(a, b, len(dates[g.Name]) == 2 && dates[g.Name][0] == ends[0])
					add(b, a, len(dates[f.Name]) == 2 && dates[f.Name][0] == ends[0])
				}
			}
		}
	}
	return list
}

// Joint returns the dates that the conditions compare with each other.
func (l *Likeness) Joint() []facts.Joint { return l.joint }

// NewSinglePattern returns a pattern that takes in only the questions that compare no
// two dates of the account.
func NewSinglePattern() *Pattern { return &Pattern{singly: true} }
