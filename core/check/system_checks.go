package check

import (
	"fmt"
	"slices"

	"yewcone/core/estate"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// sameStoredID names the check whose work is the engine's, since it must read
// the accounts again.
const sameStoredID = "same-stored"

var systemChecks = []Check{
	{
		ID: sameStoredID, Title: "accounts with the same stored password as another", Severity: rules.High,
		Doc:    "whoever knows one of them knows all; with a salted hash, the value was copied.",
		Remedy: "set a password of its own on each",
	},
	{
		ID: "policy-unused", Title: "policies that cover no account", Severity: rules.Info,
		Doc:    "somebody believes that it protects somebody.",
		Remedy: "assign the policy, or remove it",
		System: func(t *Tally, hit func(Hit)) {
			for i := range t.System.Policies {
				if p := &t.System.Policies[i]; t.Accounts > 0 && t.PolicyReach[p.Name] == 0 {
					hit(Hit{Says: fmt.Sprintf("the policy %s covers no account", p.Name), Policy: p.Name, Origin: p.Origin})
				}
			}
		},
	},
	{
		ID: "policy-without-effect", Title: "policies of which no value holds for anybody", Severity: rules.Low,
		Doc:    "other policies come first in everything it says.",
		Remedy: "remove the policy, or change the order",
		System: func(t *Tally, hit func(Hit)) {
			for i := range t.System.Policies {
				p := &t.System.Policies[i]
				says := slices.ContainsFunc(p.Values, func(v estate.Sourced) bool { return v.Known() })
				if says && t.PolicyReach[p.Name] > 0 && !t.PolicyWon[p.Name] {
					hit(Hit{Says: fmt.Sprintf("the policy %s reaches %d accounts and has no effect on them: other policies "+
						"come first in everything it says", p.Name, t.PolicyReach[p.Name]), Policy: p.Name,
						Origin: p.Origin})
				}
			}
		},
	},
	{
		ID: "policy-circle", Title: "policies that inherit from themselves", Severity: rules.High,
		Doc:    "what holds depends on where one begins to read.",
		Remedy: "break the circle",
		System: func(t *Tally, hit func(Hit)) {
			for i := range t.System.Policies {
				p := &t.System.Policies[i]
				if circular(t.System, p) {
					hit(Hit{Says: fmt.Sprintf("the policy %s inherits from itself, by way of %s", p.Name, p.Parent),
						Policy: p.Name, Origin: p.Origin})
				}
			}
		},
	},
	{
		ID: "policy-parent-missing", Title: "policies that inherit from one which does not exist", Severity: rules.High,
		Doc:    "what they do not say themselves, nothing says.",
		Remedy: "correct the name, or make the policy",
		System: func(t *Tally, hit func(Hit)) {
			for i := range t.System.Policies {
				p := &t.System.Policies[i]
				if p.Parent != "" && t.System.Policy(p.Parent) == nil {
					hit(Hit{Says: fmt.Sprintf("the policy %s inherits from %s, which does not exist", p.Name, p.Parent),
						Policy: p.Name, Origin: p.Origin})
				}
			}
		},
	},
	{
		ID: "expiry-for-nobody", Title: "an age is set and holds for nobody", Severity: rules.Medium,
		Doc:    "the number on the policy page does nothing.",
		Remedy: "switch expiry on where it should hold, or remove the age",
		System: func(t *Tally, hit func(Hit)) {
			id := setting.MaxAge
			for i := range t.System.Policies {
				p := &t.System.Policies[i]
				v := p.Value(id)
				if _, ok := v.Span(); ok && t.Accounts > 0 && t.Expiring == 0 {
					hit(Hit{Says: fmt.Sprintf("the policy %s sets an age of %s, and no account's password expires", p.Name,
						setting.At(id).Text(v.Value)), Policy: p.Name, Origin: v.Origin})
				}
			}
		},
	},
	{
		ID: "second-factor-unused", Title: "a second factor is offered and nobody has one", Severity: rules.Medium,
		Doc:    "what is optional is not there.",
		Remedy: "demand the second factor, from administrators first",
		System: func(t *Tally, hit func(Hit)) {
			if t.Optional > 0 && t.SecondFactor[estate.Yes] == 0 && t.SecondFactor[estate.Unknown] == 0 {
				hit(Hit{Says: fmt.Sprintf("a second factor is offered to %d accounts, and nobody has enrolled one", t.Optional)})
			}
		},
	},
}

// circular reports whether a policy's line of inheritance comes back to it.
func circular(system *estate.System, p *estate.Policy) bool {
	next := system.Policy(p.Parent)
	for range system.Policies {
		if next == nil {
			return false
		}
		if next == p {
			return true
		}
		next = system.Policy(next.Parent)
	}
	return false
}
