package condition

import (
	"slices"

	"yewcone/core/facts"
)

// undated are the facts that depend on no date of the account. A fact that is
// not among them is taken for one that does.
var undated = []string{
	"login", "short_login", "display_name", "first_name", "last_name", "email", "employee_no", "description", "unit", "groups", "roles",
	"labels", "system", "kind", "enabled", "must_change", "never_expires", "cannot_change", "blank_allowed", "blank", "password_is_login",
	"as_delivered", "password_usable", "preauthenticates", "remote_password", "unasked_power", "enters_unasked", "second_factor",
	"privileged", "policy_missing", "password_length", "failures", "grace_used", "hash_rounds", "connection_tries", "power_tries",
	"policy", "storage", "locked",
}

func (f *Fact) dated() bool { return !slices.Contains(undated, f.Name) }

// Dated reports whether the condition asks for what depends on a date of the
// account.
func (c *Condition) Dated() bool { return c != nil && slices.ContainsFunc(c.asks, (*Fact).dated) }

// NewDatedPattern returns a pattern that takes in only the questions of which the
// answer depends on a date of the account.
func NewDatedPattern() *Pattern { return &Pattern{datedOf: true} }

// varied are the texts and lists that differ from account to account, by the fact
// of a mapping that fills them.
var varied = map[string]string{
	"login": "login", "short_login": "login", "display_name": "display_name", "first_name": "first_name", "last_name": "last_name",
	"email": "email", "employee_no": "employee_no", "description": "description", "unit": "unit", "groups": "groups", "roles": "roles",
}

// A Likeness tells how much of an account's texts and lists some conditions ask for:
// accounts of which one text differs come out alike where all questions about it
// answer alike.
type Likeness struct {
	asks  map[string][]func(*Subject) facts.Tri
	whole map[string]bool
	seen  map[string]bool

	questions map[string][]facts.Question
	open      map[string]bool // something is asked that is no such question
	joint     []facts.Joint
}

// Add takes in the questions of a condition; nil asks none.
func (l *Likeness) Add(c *Condition) {
	if c == nil {
		return
	}
	if l.seen == nil {
		l.asks, l.whole, l.seen = map[string][]func(*Subject) facts.Tri{}, map[string]bool{}, map[string]bool{}
		l.questions, l.open = map[string][]facts.Question{}, map[string]bool{}
	}
	for i := range c.leaves {
		leaf := &c.leaves[i]
		if l.seen[leaf.written] {
			continue
		}
		l.seen[leaf.written] = true
		for _, j := range leaf.joint() {
			if !slices.Contains(l.joint, j) {
				l.joint = append(l.joint, j)
			}
		}
		for _, f := range leaf.own {
			switch fact, ok := varied[f.Name]; {
			case ok && len(leaf.own) == 1:
				l.asks[fact] = append(l.asks[fact], leaf.itself)
				l.note(fact, leaf)
			case ok:
				l.whole[fact] = true
			}
		}
	}
}

// Of returns the questions about a text or list that is filled by a mapping's fact;
// whole where the text itself matters, as it does for all other facts.
func (l *Likeness) Of(fact string) (asks []func(*Subject) facts.Tri, whole bool) {
	if _, ok := varied[fact]; !ok || l.whole[fact] {
		return nil, true
	}
	return l.asks[fact], false
}
