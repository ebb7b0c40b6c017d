package handout

import (
	"strings"
	"testing"
	"time"

	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// TestSentences: every form that can be asked of every setting has a sentence, which
// holds what is asked, and no two that ask different things are worded alike.
func TestSentences(t *testing.T) {
	amounts := map[setting.Kind][]string{setting.CountKind: {"2", "4"}, setting.DurationKind: {"2 days", "4 days"}}
	for _, def := range setting.All() {
		id, _ := setting.Find(def.Name)
		phrases := []string{"set", "same as directory"}
		values := amounts[def.Kind]
		switch def.Kind {
		case setting.ChoiceKind:
			values = def.Choices
			phrases = append(phrases, values...)
		case setting.FlagKind:
			phrases = append(phrases, "yes", "no")
		default:
			phrases = append(phrases, values[0], "at least 1"+strings.TrimPrefix(values[0], "2"), "at most 1"+strings.TrimPrefix(values[0], "2"))
		}
		if def.OffIs != setting.NoOff {
			phrases = append(phrases, def.OffWord)
		}
		if def.Unlock {
			phrases = append(phrases, "until unlocked")
		}
		if def.All {
			phrases = append(phrases, "all")
		}
		if def.Kind != setting.FlagKind {
			phrases = append(phrases, "at least "+values[0], "at most "+values[0], "between "+values[0]+" and "+values[1], "one of "+values[0]+", "+values[1],
				"at most "+values[0]+" or same as rota", "at least "+values[1])
		}
		asked, said := map[string]string{}, map[string]requirement.Requirement{}
		for _, phrase := range phrases {
			r, err := requirement.Parse(def, phrase)
			if err != nil {
				t.Errorf("%s %s: %v", def.Name, phrase, err)
				continue
			}
			text := Sentence(id, r)
			for _, wrong := range []string{"{", "}", " .", "  ", "unknown", " is ."} {
				if strings.Contains(text, wrong) {
					t.Errorf("%s %s: %q", def.Name, phrase, text)
				}
			}
			if len(text) < 12 || text[0] < 'A' || text[0] > 'Z' || !strings.HasSuffix(text, ".") {
				t.Errorf("%s %s: %q is no sentence", def.Name, phrase, text)
			}
			if def.Kind != setting.FlagKind && def.Kind != setting.ChoiceKind && strings.HasSuffix(phrase, values[0]) && !strings.Contains(text, "2") {
				t.Errorf("%s %s: %q does not say how much", def.Name, phrase, text)
			}
			if other, ok := said[text]; ok && !(other.Implies(r) && r.Implies(other)) {
				t.Errorf("%s: %q is said of %q and of %q", def.Name, text, asked[text], phrase)
			}
			asked[text], said[text] = phrase, r
		}
	}
}

func read(t *testing.T, text string) *rules.Set {
	t.Helper()
	set, err := rules.Read("r.yaml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return set
}

// TestHandout: who is asked what, with what takes the place of what, what depends on
// more than the audience, what comes, and what changed.
func TestHandout(t *testing.T) {
	house := read(t, `rules: house
title: House
clauses:
  - {id: length, for: 'kind == "person"', expect: {min_length: at least 12; at least 14 from 2026-03-01; at least 16 from 2027-01-01}, because: long is good}
  - {id: lock, expect: {lockout_attempts: at most 10, lockout_duration: at least 15 minutes}}
  - {id: old, for: 'under(unit, "Old")', expect: {max_age: at most 90 days or never}}
  - {id: agency, forbid: privileged and login == "x", says: administrators named x}
`)
	admins := read(t, `rules: admins
clauses:
  - {id: length, for: privileged, expect: {min_length: at least 20}, replaces: [house/length]}
  - {id: lock, for: privileged, expect: {lockout_attempts: at most 5}}
`)
	at := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	former := read(t, strings.NewReplacer("at most 10", "at most 20", "  - {id: agency", "  - {id: gone, expect: {hint_allowed: no}}\n  - {id: agency").
		Replace("rules: house\nclauses:\n  - {id: lock, expect: {lockout_attempts: at most 10, lockout_duration: at least 15 minutes}}\n"+
			"  - {id: agency, forbid: privileged and login == \"x\", says: administrators named x}\n"))
	h := Of("Marrowby", []System{{Name: "a", Title: "A", Rules: []*rules.Set{house, admins}, Moment: at},
		{Name: "b", Rules: []*rules.Set{house, admins}, Moment: at},
		{Name: "c", Moment: at}}, []System{{Name: "a", Rules: []*rules.Set{former}, Moment: at},
		{Name: "b", Rules: []*rules.Set{former}, Moment: at}}, "spring")
	if len(h.Parts) != 2 || h.Parts[0].Name() != "A, b" || h.Parts[1].From() != "Nobody has said which rules hold here." {
		t.Fatalf("%+v", h.Parts)
	}
	got := map[string]string{}
	for _, s := range h.Parts[0].Sections {
		for k, l := range s.Lines {
			mark := ""
			if l.New {
				mark = "new "
			} else if l.Was != "" {
				mark = "was " + l.Was + " "
			}
			got[s.Name()] += mark + l.When() + " " + l.Text + " " + s.Why(k) + "\n"
		}
		for _, l := range s.Gone {
			got[s.Name()] += "gone " + l.Text + "\n"
		}
	}
	want := map[string]string{
		"People": `new  A password has at least 14 characters. Long is good.
new Where under(unit, "Old"): A password is changed after 90 days at the latest, or a password does not run out. 
was An account is locked after at most 20 wrong passwords, for at least 15 minutes.  An account is locked after at most 10 wrong passwords, for at least 15 minutes. 
new From 2027-01-01 on: A password has at least 16 characters. 
gone A password has no hint.
`,
		"Administrators": `new  A password has at least 20 characters. 
new Where under(unit, "Old"): A password is changed after 90 days at the latest, or a password does not run out. 
was An account is locked after at most 20 wrong passwords, for at least 15 minutes.  An account is locked after at most 5 wrong passwords, for at least 15 minutes. 
 Not allowed: administrators named x. 
gone A password has no hint.
`,
		"Service accounts, shared accounts, guests": `new Where under(unit, "Old"): A password is changed after 90 days at the latest, or a password does not run out. 
was An account is locked after at most 20 wrong passwords, for at least 15 minutes.  An account is locked after at most 10 wrong passwords, for at least 15 minutes. 
gone A password has no hint.
`}
	for name, text := range want {
		if got[name] != text {
			t.Errorf("%s:\n%s\nwant\n%s", name, got[name], text)
		}
	}
	if len(got) != len(want) {
		t.Errorf("%v", got)
	}
}
