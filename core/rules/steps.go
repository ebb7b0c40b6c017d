package rules

import (
	"slices"
	"time"

	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// Coming is a step that a clause asks for later on.
type Coming struct {
	Setting setting.ID
	Step    requirement.Step
	Before  *requirement.Requirement // what is asked until then; nil for nothing
}

// At is the set as it holds at a moment: each expectation asks what its step of
// then asks, and those that do not ask yet are no expectations. What comes later
// stands in the clauses' Coming.
func (s *Set) At(moment time.Time) *Set {
	if !slices.ContainsFunc(s.Clauses, func(c Clause) bool { return c.climbs() }) {
		return s
	}
	out := *s
	out.Clauses = slices.Clone(s.Clauses)
	for i := range out.Clauses {
		if c := &out.Clauses[i]; c.climbs() {
			c.at(moment)
		}
	}
	return &out
}

// AllAt are sets as they hold at a moment.
func AllAt(sets []*Set, moment time.Time) []*Set {
	out := make([]*Set, len(sets))
	for i, s := range sets {
		out[i] = s.At(moment)
	}
	return out
}

// climbs reports whether what the clause asks depends on the moment.
func (c *Clause) climbs() bool {
	return slices.ContainsFunc(c.Expect, func(x Expectation) bool { return len(x.Ladder) > 1 || !x.Ladder[0].From.IsZero() })
}

func (c *Clause) at(moment time.Time) {
	all := c.Expect
	c.Expect = nil
	for _, x := range all {
		step, asked := x.Ladder.At(moment)
		var before *requirement.Requirement
		if asked {
			x.Requirement, x.Since, before = step.Requirement, step.From, &step.Requirement
			c.Expect = append(c.Expect, x)
		}
		for _, later := range x.Ladder.After(moment) {
			c.Coming = append(c.Coming, Coming{x.Setting, later, before})
			before = &later.Requirement
		}
	}
}

// Waits reports whether the clause asks for nothing yet.
func (c *Clause) Waits() bool { return len(c.Expect) == 0 && len(c.AnyOf) == 0 && c.Forbid == nil }
