package condition

import (
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
)

// TestPlainFlags: subjects that look alike in all flags answer alike in every
// fact that is said to follow from them, and flags that differ show.
func TestPlainFlags(t *testing.T) {
	now := facts.At(time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC))
	moments := []facts.Moment{{}, facts.Never, now}
	var subjects []*Subject
	for i := range 20 {
		for answer := range 3 {
			s := &Subject{Account: &facts.Account{Enabled: facts.Yes, PasswordUsable: facts.Yes},
				System: &facts.System{}, Derived: facts.Derived{Overdue: facts.Yes}}
			a, d, tri := s.Account, &s.Derived, facts.Tri(answer)
			if flags := []*facts.Tri{
				&a.Enabled, &a.Locked, &a.MustChange, &a.NeverExpires, &a.CannotChange, &a.BlankAllowed, &a.Blank,
				&a.PasswordUsable, &a.SecondFactor, &a.Privileged,
				&d.Overdue, &d.Shut, &d.OlderPolicy, &d.OlderRules, &d.Missing, &d.Lasts,
			}; i < len(flags) {
				*flags[i] = tri
			} else {
				*[]*facts.Moment{&a.LastSignIn, &d.Expires, &a.PasswordSet, &a.Created}[i-len(flags)] = moments[answer]
			}
			subjects = append(subjects, s)
		}
	}
	for _, name := range plainFlags {
		c, err := Compile(strictyaml.Text{Value: name}, Complete)
		if err != nil {
			t.Fatal(err)
		}
		var p Pattern
		p.Add(c)
		alike, answers := map[string]facts.Tri{}, map[facts.Tri]bool{}
		for _, s := range subjects {
			key, answer := string(p.AppendAnswers(nil, s)), c.Test(s)
			if other, ok := alike[key]; ok && other != answer {
				t.Errorf("%s: subjects that look alike answer %v and %v", name, other, answer)
			}
			alike[key], answers[answer] = answer, true
		}
		if len(answers) != 3 {
			t.Errorf("%s: only the answers %v were tried", name, answers)
		}
	}
	for _, name := range plainDates {
		f := FindFact(name)
		alike := map[uint64]bool{}
		for _, s := range subjects {
			known, seen := alike[allFlags(s)]
			if seen && known != f.known(s) {
				t.Errorf("%s: subjects that look alike differ in whether it is known", name)
			}
			alike[allFlags(s)] = f.known(s)
		}
	}
}
