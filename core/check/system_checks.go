package check

import (
	"fmt"

	"yewcone/core/facts"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

var systemChecks = []Check{
	{
		ID: "same-stored", Title: "accounts with the same stored password as another", Severity: rules.High,
		Doc:    "whoever knows one of them knows all; with a salted hash, the value was copied.",
		Remedy: "set a password of its own on each", SameStored: true,
	},
	{
		ID: "policy-unused", Title: "policies that cover no account", Severity: rules.Info,
		Doc:    "somebody believes that it protects somebody.",
		Remedy: "assign the policy, or remove it",
		Unsure: (*SystemView).openPolicies,
		System: func(v *SystemView, hit func(Hit)) {
			for i := range v.System.Policies {
				if p := &v.System.Policies[i]; v.Accounts > 0 && v.PolicyReach[p.Name] == 0 && !p.Open && !v.openPolicies() {
					hit(Hit{Says: fmt.Sprintf("the policy %s covers no account", p.Name), Policy: p.Name, Origin: p.Origin})
				}
			}
		},
	},
	{
		ID: "policy-without-effect", Title: "policies of which no value holds for anybody", Severity: rules.Low,
		Doc:    "other policies come first in everything it says.",
		Remedy: "remove the policy, or change the order",
		Unsure: (*SystemView).openPolicies,
		System: func(v *SystemView, hit func(Hit)) {
			for i := range v.System.Policies {
				p := &v.System.Policies[i]
				if p.Says() && v.PolicyReach[p.Name] > 0 && !v.PolicyWon[p.Name] && !v.openPolicies() {
					hit(Hit{Says: fmt.Sprintf("the policy %s reaches %d accounts and has no effect on them: other policies "+
						"come first in everything it says", p.Name, v.PolicyReach[p.Name]), Policy: p.Name,
						Origin: p.Origin})
				}
			}
		},
	},
	{
		ID: "policy-circle", Title: "policies that inherit from themselves", Severity: rules.High,
		Doc:    "what holds depends on where one begins to read.",
		Remedy: "break the circle",
		System: func(v *SystemView, hit func(Hit)) {
			for i := range v.System.Policies {
				p := &v.System.Policies[i]
				if circular(v.System, p) {
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
		System: func(v *SystemView, hit func(Hit)) {
			for i := range v.System.Policies {
				p := &v.System.Policies[i]
				if p.Parent != "" && v.System.Policy(p.Parent) == nil {
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
		Unsure: func(v *SystemView) bool { return v.AgeUnknown > 0 },
		System: func(v *SystemView, hit func(Hit)) {
			id := setting.MaxAge
			for i := range v.System.Policies {
				p := &v.System.Policies[i]
				age := p.Value(id)
				if _, ok := age.Span(); ok && v.Accounts > 0 && v.Expiring == 0 && v.AgeUnknown == 0 {
					hit(Hit{Says: fmt.Sprintf("the policy %s sets an age of %s, and no account's password expires", p.Name,
						setting.At(id).Text(age.Value)), Policy: p.Name, Origin: age.Origin})
				}
			}
		},
	},
	{
		ID: "second-factor-unused", Title: "a second factor is offered and nobody has one", Severity: rules.Medium,
		Doc:    "what is optional is not there.",
		Remedy: "demand the second factor, from administrators first",
		Unsure: func(v *SystemView) bool { return v.SecondFactor[facts.Unknown] > 0 },
		System: func(v *SystemView, hit func(Hit)) {
			if v.Optional > 0 && v.SecondFactor[facts.Yes] == 0 && v.SecondFactor[facts.Unknown] == 0 {
				hit(Hit{Says: fmt.Sprintf("a second factor is offered to %d accounts, and nobody has enrolled one", v.Optional)})
			}
		},
	},
	{
		ID: "exception-unused", Title: "exceptions that match nothing any more", Severity: rules.Info,
		Doc:    "what was mended needs no exception, and one with a slip in it covers nothing.",
		Remedy: "remove the exception, or correct what it names",
		Unused: func(list []*rules.Exception, hit func(Hit)) {
			for _, x := range list {
				hit(Hit{Says: fmt.Sprintf("an exception to %s matches nothing any more", x.Rule),
					Origin: facts.Origin{File: x.Place.File(), Line: x.Place.Line, Text: x.Because},
					Key:    []string{x.Rule, x.Setting, x.Policy, x.Value, x.Accounts.String()}})
			}
		},
	},
}

// circular reports whether a policy's line of inheritance comes back to it.
func circular(system *facts.System, p *facts.Policy) bool {
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
