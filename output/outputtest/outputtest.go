// Package outputtest has a small result for the tests of the forms that it is
// written in.
package outputtest

import (
	"bytes"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/rules"
	"yewcone/output"
)

// Fingerprints of the findings in a Result: two that are open, one accepted.
const (
	Critical = "aaaaaaaaaaaa"
	Low      = "bbbbbbbbbbbb"
	Accepted = "cccccccccccc"
)

// Nasty is the login of an account that no form may show as it is: for a
// terminal, a page, a table or a sheet it would be a command.
const Nasty = "=1+1\x1b[31m<b>|\u202e"

// Result is of two systems, of which the second was not read to its end.
func Result() *finding.Result {
	asOf := time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)
	blank, length, age := rules.Check("blank"), rules.Rule{Set: "house", Clause: "length"}, rules.Rule{Set: "house", Clause: "age"}
	reach := func(accounts int, logins ...string) finding.Reach {
		r := finding.Reach{Accounts: accounts, Privileged: 1}
		for i, login := range logins {
			r.Examples = append(r.Examples, finding.ExampleOf(&facts.Account{Login: login, Origin: facts.Origin{File: "a.csv", Line: i + 2}}, "", "", 0))
		}
		return r
	}
	spread := &finding.Spread{NeverEnds: 1, Overdue: 2}
	spread.Ages[3] = 3
	return &finding.Result{
		Estate: "Test & Co",
		Systems: []finding.SystemResult{
			{Name: "rota", AsOf: asOf, Accounts: 3, Policies: 1, Rules: []string{"house"}, Clauses: 2, Met: 0, Spread: spread,
				Outcomes: []finding.RuleState{{Rule: length, State: finding.Broken}, {Rule: age, State: finding.Open},
					{Rule: blank, State: finding.Broken}}},
			{Name: "tills", Accounts: 1, Partial: true, Refused: 1, Rules: []string{"house"},
				Outcomes: []finding.RuleState{{Rule: length, State: finding.Met}, {Rule: age, State: finding.NotForIt}},
				Notes: []facts.Note{{Kind: facts.NoteIncomplete, Origin: facts.Origin{File: "t.csv", Line: 9},
					Message: "it ends within a row"}}},
		},
		Findings: []finding.Finding{
			{Fingerprint: Critical, System: "rota", Rule: blank, Severity: rules.Critical, Sentence: "accounts that let anybody in",
				Asked: "not: blank", Because: "it is no password", Remedy: "set one", Reach: reach(2, Nasty, "bo")},
			{Fingerprint: Low, System: "rota", Rule: length, Severity: rules.Low, Sentence: "passwords of 8 characters are accepted",
				Setting: "min_length", Value: "8", Asked: "at least 14", Policy: "crew", Because: "short is guessed", Remedy: "set it",
				Origin: facts.Origin{File: "p.csv", Line: 4, Text: "Length: 8"}, Reach: reach(3, "al")},
		},
		Accepted: []finding.Finding{
			{Fingerprint: Accepted, System: "tills", Rule: length, Severity: rules.High, Sentence: "passwords of 4 characters are accepted",
				Setting: "min_length", Value: "4", Asked: "at least 14", Because: "short is guessed", Remedy: "set it",
				Reach: reach(1, "cy"),
				Exception: &rules.Exception{System: "tills", Rule: "house/length", Because: "old tills", Owner: "Bo",
					Until: time.Date(2027, 1, 31, 0, 0, 0, 0, time.UTC)}},
		},
		Unknowns: []finding.Unknown{{System: "rota", Setting: "max_age", Rules: []rules.Rule{age}, Reach: reach(3), ToKnow: "export it"}},
		Gaps:     &finding.Gaps{Profiles: []*gap.Profile{gap.NewProfile("rota"), gap.NewProfile("tills")}},
	}
}

// Written writes the result in a form.
func Written(t testing.TB, write func(*bytes.Buffer, *finding.Result, output.Options) error) string {
	t.Helper()
	var b bytes.Buffer
	if err := write(&b, Result(), output.Options{Width: 100, Version: "test"}); err != nil {
		t.Fatal(err)
	}
	return b.String()
}
