package audit

import (
	"testing"

	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

func houseRules(t *testing.T) *rules.Set {
	t.Helper()
	set, err := rules.Read("house.yaml", []byte("rules: house\nclauses:\n  - {id: length, expect: {min_length: at least 20}}\n"+
		"  - {id: shared, forbid: kind == \"shared\"}\n"))
	if err != nil {
		t.Fatal(err)
	}
	return set
}

func resultOf(t *testing.T, f *fake, sets ...*rules.Set) *finding.Result {
	t.Helper()
	f.Of.AsOf = asOf
	r, err := Run("test", []Subject{{Export: f, Rules: sets}}, Options{Examples: 5})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func stateOf(r *finding.Result, rule string) string {
	for _, o := range r.Systems[0].Outcomes {
		if o.Rule.String() == rule {
			return o.State
		}
	}
	return "not there"
}

// TestAskedOfNobodyIsNotMet: neither accounts that were not read nor those that
// no password lets in count as if they met what nobody asked of them; a weak
// setting is told all the same.
func TestAskedOfNobodyIsNotMet(t *testing.T) {
	shut := ordinary("ann")
	shut.PasswordUsable = facts.No
	for what, f := range map[string]*fake{"no account": single(t, nil), "no password": single(t, nil, shut)} {
		r := resultOf(t, f, houseRules(t))
		s := &r.Systems[0]
		met := map[string]string{"no account": "reach nobody", "no password": "1 of 1"}[what]
		if s.ClausesMet() != met || s.Nobody == 0 {
			t.Errorf("%s: %s, %d reach nobody", what, s.ClausesMet(), s.Nobody)
		}
		told := false
		for _, f := range r.Findings {
			told = told || f.Rule.String() == "house/length" && f.Reach.Accounts == 0
		}
		if !told || stateOf(r, "house/length") != finding.Broken {
			t.Errorf("%s: 14 where 20 are asked is not told: %s", what, stateOf(r, "house/length"))
		}
	}
	r := resultOf(t, single(t, map[string]string{"min_length": "20"}, shut), houseRules(t))
	if got := stateOf(r, "house/length"); got != finding.NotForIt {
		t.Errorf("asked of nobody: %s", got)
	}
}

// TestClearNeedsKnowing: a check on settings whose values nobody knows has not
// found nothing; nor has one of accounts when there are none.
func TestClearNeedsKnowing(t *testing.T) {
	known := single(t, nil, ordinary("ann"))
	if got := stateOf(resultOf(t, known), "check/low-ceiling"); got != finding.Met {
		t.Errorf("known: %s", got)
	}
	open := single(t, nil, ordinary("ann"))
	open.Of.Policies[0].Set(setting.MaxLength, setting.Value{}, facts.Origin{})
	if got := stateOf(resultOf(t, open), "check/low-ceiling"); got != finding.Open {
		t.Errorf("not known: %s", got)
	}
	if got := stateOf(resultOf(t, single(t, nil)), "check/low-ceiling"); got != finding.NotForIt {
		t.Errorf("no accounts: %s", got)
	}
	if got := stateOf(resultOf(t, known), "check/person-stale"); got != finding.NotForIt {
		t.Errorf("people are not matched: %s", got)
	}
	if got := stateOf(resultOf(t, known), "check/same-stored"); got != finding.Open {
		t.Errorf("no stored password is visible: %s", got)
	}
}

// TestReplacedUnlessUnknown: a clause that another may replace, if a fact is
// so which nobody knows, is open and names the fact.
func TestReplacedUnlessUnknown(t *testing.T) {
	set, err := rules.Read("r.yaml", []byte("rules: r\nclauses:\n  - {id: all, expect: {min_length: at least 20}}\n"+
		"  - {id: some, for: privileged, expect: {min_length: at least 10}, replaces: [all]}\n"))
	if err != nil {
		t.Fatal(err)
	}
	a := ordinary("ann")
	a.Privileged = facts.Unknown
	r := resultOf(t, single(t, nil, a), set)
	if stateOf(r, "r/all") != finding.Open || r.Systems[0].Met != 1 {
		t.Errorf("%s, %d met", stateOf(r, "r/all"), r.Systems[0].Met)
	}
	for _, u := range r.Unknowns {
		if u.Fact == "privileged" && u.Rules[0].String() == "r/all" {
			return
		}
	}
	t.Errorf("privileged is not asked for: %+v", r.Unknowns)
}

// TestExceptionsCoverWhatWasAccepted: the value that was accepted and stricter
// ones; a weaker one comes back, with the exception that it outgrew.
func TestExceptionsCoverWhatWasAccepted(t *testing.T) {
	for value, covered := range map[string]bool{"10": true, "12": true, "9": false, "none": false} {
		f := single(t, map[string]string{"min_length": value}, ordinary("ann"))
		f.Of.AsOf = asOf
		x := &rules.Exception{System: "x", Rule: "house/length", Setting: "min_length", Value: "10", Until: asOf.AddDate(1, 0, 0)}
		r, err := Run("test", []Subject{{Export: f, Rules: []*rules.Set{houseRules(t)}, Exceptions: []*rules.Exception{x}}},
			Options{Examples: 5})
		if err != nil {
			t.Fatal(err)
		}
		open, outgrown := false, false
		for _, f := range r.Findings {
			if f.Rule.String() == "house/length" {
				open, outgrown = true, f.Outgrown == x
			}
			if f.Rule.String() == "check/exception-unused" {
				t.Errorf("%s: the exception matches nothing", value)
			}
		}
		if open == covered || open && !outgrown {
			t.Errorf("%s: open %v, outgrown %v", value, open, outgrown)
		}
	}
}
