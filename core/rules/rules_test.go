package rules

import (
	"strings"
	"testing"
	"time"

	"yewcone/core/setting"
)

// TestRead: what a clause says, what it leaves out, and that a set may have the
// name that stands before built-in checks.
func TestRead(t *testing.T) {
	set, err := Read("r.yaml", []byte(`rules: check
title: House
in_force: 2026-01-01
clauses:
  - id: length
    for: kind == "person"
    expect: {min_length: at least 14, max_age: at most 90 days or never}
    severity: high
    because: short is guessed
  - {id: blank, forbid: blank, says: empty ones, if_privileged: critical, replaces: [length, other/one]}
  - {id: either, any_of: [{second_factor: at least everyone}, {min_length: at least 20}]}
`))
	if err != nil {
		t.Fatal(err)
	}
	length, blank, either := &set.Clauses[0], &set.Clauses[1], &set.Clauses[2]
	if length.Rule.String() != "check/length" || length.Rule.BuiltIn || length.Rule == Check("length") {
		t.Errorf("%+v", length.Rule)
	}
	if length.Severity != High || length.IfPrivileged != High || blank.Severity != Medium || blank.IfPrivileged != Critical {
		t.Errorf("%v %v %v %v", length.Severity, length.IfPrivileged, blank.Severity, blank.IfPrivileged)
	}
	if len(length.Expect) != 2 || length.Expect[1].Setting != setting.MaxAge || length.For == nil || blank.Forbid == nil ||
		len(either.AnyOf) != 2 || strings.Join(blank.Replaces, " ") != "check/length other/one" || set.InForce.Year() != 2026 {
		t.Errorf("%+v", set)
	}
	if set.Clause("check/blank") != blank || set.Clause("check/none") != nil {
		t.Error("a clause is not found by its name")
	}
}

// TestWrongRules: each slip is told with its place, all at once.
func TestWrongRules(t *testing.T) {
	_, err := Read("r.yaml", []byte(`rules: a b
clauses:
  - {id: one, expect: {min_lenth: at least 14}}
  - {id: one, expect: {min_length: at leats 14}}
  - {id: two}
  - {id: three, forbid: blnk}
  - {id: four, forbid: blank, replaces: [four, five]}
  - {id: five, expect: {min_length: 3}, severity: hgih}
`))
	if err == nil {
		t.Fatal("no error")
	}
	for _, part := range []string{"1:8", "3:24", "4:10", "4:36", "5:6", "6:25", "7:42", "8:51"} {
		if !strings.Contains(err.Error(), "r.yaml:"+part+": ") {
			t.Errorf("%s is not told in\n%v", part, err)
		}
	}
}

// TestExceptionEnds with its last day.
func TestExceptionEnds(t *testing.T) {
	x := Exception{Until: time.Date(2026, 11, 30, 0, 0, 0, 0, time.UTC)}
	if x.Ended(time.Date(2026, 11, 30, 23, 59, 59, 0, time.UTC)) || !x.Ended(time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)) {
		t.Error("it does not hold through the whole of its last day, or longer")
	}
}

// TestShippedAreSound: all sets that come with the tool read, under their own
// names.
func TestShippedAreSound(t *testing.T) {
	for _, name := range ShippedNames() {
		if set, ok := Shipped(name); !ok || set.Name != name || len(set.Clauses) == 0 || set.Source == "" {
			t.Errorf("%s", name)
		}
	}
}
