package finding

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/core/rules"
)

// TestSince: gone is what was looked at again and is not there; new what was
// looked at before and was not there.
func TestSince(t *testing.T) {
	length := rules.Rule{Set: "house", Clause: "length"}
	earlier := func(fingerprint, system, rule string) Earlier {
		return Earlier{Fingerprint: fingerprint, System: system, Rule: rule}
	}
	before := &Kept{
		Systems: map[string]bool{"a": true, "b": true, "cut": true, "half": false},
		Findings: []Earlier{earlier("same", "a", "house/length"), earlier("gone", "a", "house/length"),
			earlier("left", "b", "house/length"),
			earlier("cut", "cut", "house/length"), earlier("rule", "a", "old/rule"), earlier("unsure", "a", "house/age"),
			earlier("taken", "a", "house/length"), earlier("nobody", "a", "house/shared"),
			{Fingerprint: "rank", System: "b", Rule: "check/overdue", Privileged: 1}},
		Accepted: map[string]string{"back": "2026-11-01"},
	}
	r := &Result{
		Systems: []SystemResult{
			{Name: "a", Outcomes: []RuleState{{Rule: length, State: Broken},
				{Rule: rules.Rule{Set: "house", Clause: "age"}, State: Broken, Unsure: true},
				{Rule: rules.Rule{Set: "house", Clause: "shared"}, State: NotForIt}}},
			{Name: "cut", Partial: true, Outcomes: []RuleState{{Rule: length, State: Met}}}, {Name: "half"}, {Name: "fresh"},
		},
		Findings: []Finding{{Fingerprint: "same", System: "a"}, {Fingerprint: "back", System: "a"}, {Fingerprint: "new", System: "a"},
			{Fingerprint: "h", System: "half"}, {Fingerprint: "f", System: "fresh"},
			{Fingerprint: "unranked", System: "b", Rule: rules.Rule{Set: "check", Clause: "overdue"},
				Split: "not privileged", Reach: Reach{Unranked: 1}}},
		Accepted: []Finding{{Fingerprint: "taken", System: "a"}},
	}
	c := r.Since(before)
	names := func(list []Earlier) (names []string) {
		for _, e := range list {
			names = append(names, e.Fingerprint)
		}
		return names
	}
	var unseen []string
	for _, n := range c.NotLooked {
		unseen = append(unseen, n.Fingerprint+": "+n.Why)
	}
	got := fmt.Sprintf("%d same, new %v, gone %v, accepted %v, reopened %v, first %v\n%s", c.Same, c.New, names(c.Gone), names(c.Accepted),
		c.Reopened, c.FirstSeen, strings.Join(unseen, "\n"))
	want := `1 same, new [new unranked], gone [gone], accepted [taken], reopened [back], first [h f]
left: the system was not looked at
cut: its export was not read to the end
rule: the rule was not asked
unsure: what the rule asks is not known for everybody
nobody: the rule was asked of nobody
rank: which of the accounts that break the rule are privileged is not known`
	if got != want {
		t.Errorf("%s\nexpected\n%s", got, want)
	}
	if got := c.Sum(); got != "2 new, 1 gone, 1 as before, 1 no longer accepted, 1 accepted since, 2 on systems that were "+
		"not read then, 6 not looked at this time" {
		t.Error(got)
	}
}
