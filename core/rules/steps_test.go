package rules

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"yewcone/core/condition"
	"yewcone/core/facts"
)

func mustRead(t *testing.T, text string) *Set {
	t.Helper()
	set, err := Read("r.yaml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return set
}

// TestSteps: what is asked at a moment, what comes after it, and that a clause which
// asks for nothing yet replaces none.
func TestSteps(t *testing.T) {
	set := mustRead(t, `rules: r
clauses:
  - {id: length, expect: {min_length: at least 12; at least 14 from 2026-03-01; at least 16 or none from 2027-01-01 06:00, max_length: at least 64}}
  - {id: soon, expect: {history: at least 8 from 2027-01-01}, replaces: [length]}
`)
	for _, c := range []struct{ at, asked, coming string }{
		{"2026-02-28", "min_length at least 12, max_length at least 64", "min_length at least 14 from 2026-03-01, min_length at least 16 or none from 2027-01-01 06:00"},
		{"2026-03-01", "min_length at least 14, max_length at least 64", "min_length at least 16 or none from 2027-01-01 06:00"},
		{"2027-01-01", "min_length at least 14, max_length at least 64", "min_length at least 16 or none from 2027-01-01 06:00"},
		{"2027-01-02", "min_length at least 16 or none, max_length at least 64", ""},
	} {
		at, err := time.Parse(time.DateOnly, c.at)
		if err != nil {
			t.Fatal(err)
		}
		now := set.At(at)
		var asked, coming []string
		for _, x := range now.Clauses[0].Expect {
			asked = append(asked, x.Setting.String()+" "+x.Requirement.String())
		}
		for _, x := range now.Clauses[0].Coming {
			coming = append(coming, x.Setting.String()+" "+x.Step.Requirement.String()+" from "+x.Step.Day())
		}
		if got := strings.Join(asked, ", "); got != c.asked {
			t.Errorf("%s: %s, want %s", c.at, got, c.asked)
		}
		if got := strings.Join(coming, ", "); got != c.coming {
			t.Errorf("%s: there comes %s, want %s", c.at, got, c.coming)
		}
		if waits := now.Clauses[1].Waits(); waits != (c.at < "2027-01-01") {
			t.Errorf("%s: waits %v", c.at, waits)
		}
		people := Audiences[0]
		list := people.ClausesFor([]*Set{now}, &facts.System{})
		if sure := list[0].Clause.Rule.Clause; (sure == "length") != (c.at < "2027-01-01") {
			t.Errorf("%s: %s is first", c.at, sure)
		}
	}
	if text := set.Clauses[0].Expect[0].Ladder.String(); text != "at least 12; at least 14 from 2026-03-01; at least 16 or none from 2027-01-01 06:00" {
		t.Error(text)
	}
}

// TestWrongSteps: steps without a day, in the wrong order or with a wrong word are told
// at their place.
func TestWrongSteps(t *testing.T) {
	for phrase, want := range map[string]string{
		"at least 12; at least 14":                                      "r.yaml:2:53: a step needs the day",
		"at least 12 from 2027-01-01; at least 14 from 2027-01-01":      "r.yaml:2:69: the steps stand in the order",
		"at least 12; at leats 14 from 2027-01-01":                      "r.yaml:2:53: \"at leats\" begins no phrase; did you mean \"at least\"?",
		"at least 12; at least 14 from 2027-13-01":                      "r.yaml:2:70: expected the day",
		"at least 12; at least 14 from soon":                            "r.yaml:2:70: expected the day",
		"at least 12;":                                                  "expected a phrase",
		"at least 12 from 2026-01-01; none or at most 0 from 2025-1-01": "expected the day",
	} {
		_, err := Read("r.yaml", []byte("rules: r\nclauses: [{id: a, expect: {min_length: "+phrase+"}}]\n"))
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %s", phrase, err, want)
		}
	}
	if _, err := Read("r.yaml", []byte("rules: r\nclauses: [{id: a, any_of: [{min_length: at least 8 from 2027-01-01}]}]\n")); err == nil ||
		!strings.Contains(err.Error(), "stands under \"expect\"") {
		t.Error(err)
	}
}

// TestNamedConditions: a name means its condition wherever it is asked, also in
// another name, and wrong names are told.
func TestNamedConditions(t *testing.T) {
	set := mustRead(t, `rules: r
who: {staff: kind == "person", admins: staff and privileged, robots: login startsWith "svc-" or login == "x"}
clauses:
  - {id: a, for: not admins and not robots, expect: {min_length: at least 8}}
  - {id: b, forbid: robots and enabled, says: robots}
`)
	named, err := NamedOf([]*Set{set}, nil)
	if err != nil || len(named) != 3 {
		t.Fatal(named, err)
	}
	ask := func(c *condition.Condition, login, kind string, privileged facts.Tri) facts.Tri {
		return c.Test(&condition.Subject{System: &facts.System{}, Account: &facts.Account{Login: login, Kind: kind, Privileged: privileged, Enabled: facts.Yes}})
	}
	for _, c := range []struct {
		login, kind string
		privileged  facts.Tri
		a, b        facts.Tri
	}{
		{"ada", facts.Person, facts.Yes, facts.No, facts.No}, {"ada", facts.Person, facts.No, facts.Yes, facts.No},
		{"ada", facts.Person, facts.Unknown, facts.Unknown, facts.No}, {"svc-a", facts.Service, facts.Yes, facts.No, facts.Yes},
		{"x", "", facts.No, facts.No, facts.Yes},
	} {
		if a, b := ask(set.Clauses[0].For, c.login, c.kind, c.privileged), ask(set.Clauses[1].Forbid, c.login, c.kind, c.privileged); a != c.a || b != c.b {
			t.Errorf("%+v: %v %v", c, a, b)
		}
	}
	if text := set.Clauses[0].For.Expanded(); text != `not (kind == "person" and privileged) and not (login startsWith "svc-" or login == "x")` {
		t.Error(text)
	}
	for condition, column := range map[string]int{`login == "ü" and idle between days(1) and dyas(2) and enabled`: 61, `idle between days(1) and days(2) and enbled`: 56,
		`idle not between hours(1) and days(2) and not (enabled and nobody)`: 78} {
		_, err := Read("r.yaml", []byte("rules: r\nclauses:\n  - {id: c, for: '"+condition+"', expect: {min_length: 8}}\n"))
		if want := fmt.Sprintf("r.yaml:3:%d: no fact", column); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %s", condition, err, want)
		}
	}
	for who, want := range map[string]string{
		"{Staff: enabled}":                         "cannot name a condition",
		"{kind: enabled}":                          "is a fact about accounts already",
		"{days: enabled}":                          "is a word of the language",
		"{in: enabled}":                            "is a word of the language",
		"{a: b, b: enabled}":                       "no fact about accounts is named \"b\"",
		"{staff: enabled and login}":               "2:22: and joins what is yes or no, and one of its sides is a text",
		"{a: enabled, b: a and kind == \"prson\"}": "is no kind",
	} {
		_, err := Read("r.yaml", []byte("rules: r\nwho: "+who+"\nclauses: [{id: c, expect: {min_length: at least 8}}]\n"))
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %s", who, err, want)
		}
	}
	other := mustRead(t, "rules: s\nwho: {staff: enabled}\nclauses: [{id: c, for: staff, expect: {min_length: at least 8}}]\n")
	if named, err := NamedOf([]*Set{other}, []*Set{set, other}); err != nil || len(named) != 3 || named["staff"].String() != "enabled" {
		t.Error(named, err)
	}
	if named, err := NamedOf(nil, []*Set{set, other}); err != nil || len(named) != 2 {
		t.Error(named, err)
	}
	if _, err := NamedOf([]*Set{set, other}, nil); err == nil || !strings.Contains(err.Error(), `"staff" means one thing in r and another in s`) {
		t.Error(err)
	}
	if _, err := Read("r.yaml", []byte("rules: s\nwho: {staff: enabled}\nclauses: [{id: c, for: stafff, expect: {min_length: at least 8}}]\n")); err == nil ||
		!strings.Contains(err.Error(), `did you mean "staff"`) {
		t.Error(err)
	}
}
