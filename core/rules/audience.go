package rules

import (
	"yewcone/core/condition"
	"yewcone/core/facts"
)

// An Audience is a kind of account that rules mostly tell apart, of which nothing
// else is known than that it is open and has a password.
type Audience struct {
	Name       string
	Kind       string
	Privileged facts.Tri
}

// Audiences are those that rules are told for.
var Audiences = []Audience{
	{"people", facts.Person, facts.No},
	{"administrators", facts.Person, facts.Yes},
	{"service accounts", facts.Service, facts.No},
	{"shared accounts", facts.Shared, facts.No},
	{"guests", facts.Guest, facts.No},
}

// Subject is the audience as conditions are asked of it.
func (a *Audience) Subject(system *facts.System) *condition.Subject {
	return &condition.Subject{System: system, Account: &facts.Account{Kind: a.Kind, Privileged: a.Privileged, Enabled: facts.Yes, PasswordUsable: facts.Yes}}
}

// A ForAudience is a clause that is for an audience, once those that replace it are
// taken off.
type ForAudience struct {
	Clause *Clause
	Sure   bool // else it depends on more than the audience
}

// ClausesFor are the clauses of sets that are for an audience, or for some of it.
func (a *Audience) ClausesFor(sets []*Set, system *facts.System) []ForAudience {
	subject := a.Subject(system)
	var list []ForAudience
	for _, s := range sets {
		for i := range s.Clauses {
			c := &s.Clauses[i]
			reach := c.For.Test(subject)
			if c.Forbid != nil && len(c.Expect)+len(c.AnyOf) == 0 && c.Forbid.Test(subject) == facts.No {
				continue
			}
			for _, o := range replacing(sets, c) {
				reach = reach.And(o.For.Test(subject).Not())
			}
			if reach != facts.No {
				list = append(list, ForAudience{c, reach == facts.Yes})
			}
		}
	}
	return list
}

// replacing are the clauses that replace one.
func replacing(sets []*Set, c *Clause) (list []*Clause) {
	for _, s := range sets {
		for i := range s.Clauses {
			for _, name := range s.Clauses[i].Replaces {
				if name == c.Rule.String() && !s.Clauses[i].Waits() {
					list = append(list, &s.Clauses[i])
				}
			}
		}
	}
	return list
}
