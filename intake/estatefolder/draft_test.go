package estatefolder

import (
	"math/rand/v2"
	"slices"
	"strconv"
	"testing"
	"time"

	"yewcone/core/audit"
	"yewcone/core/condition"
	"yewcone/core/facts"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/demo"
)

// TestDrafts: drafts of each pair of sets that come with the tool, for each system of
// the demo, are sound; and no account meets one and breaks a source, except where a
// cut says so. Accounts are made up at random, within what the system can do.
func TestDrafts(t *testing.T) {
	if testing.Short() {
		t.Skip("nothing runs side by side here")
	}
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	e, err := Load(folder)
	if err != nil {
		t.Fatal(err)
	}
	subjects, err := e.Subjects(nil, time.Time{})
	if err != nil {
		t.Fatal(err)
	}
	names := rules.ShippedNames()
	met, drafts := 0, 0
	for i := range subjects {
		s := &subjects[i]
		system := s.Export.System()
		limits, err := audit.Limits(system)
		if err != nil {
			t.Fatal(err)
		}
		says, err := audit.Says(s, audit.Options{Jobs: 1})
		if err != nil {
			t.Fatal(err)
		}
		for a := range names {
			for _, other := range append(names[a+1:], "house") {
				var sets []*rules.Set
				for _, name := range []string{names[a], other} {
					set, ok := rules.Shipped(name)
					if !ok {
						set = e.Rules[slices.IndexFunc(e.Rules, func(s *rules.Set) bool { return s.Name == name })]
					}
					sets = append(sets, set)
				}
				for _, loosest := range []bool{false, true} {
					d := rules.DraftOf(sets, rules.Drafting{Name: "draft", System: system.Name, Limits: limits, Loosest: loosest,
						Says: func(id setting.ID) bool { return says[id] }})
					drafts++
					text := d.YAML()
					draft, err := rules.Read("draft.yaml", []byte(text))
					if err != nil {
						if len(d.Clauses) == 0 {
							continue
						}
						t.Fatalf("%s of %s: %v\n%s", system.Name, d.From, err, text)
					}
					met += tryDraft(t, d, draft, sets, limits, says)
				}
			}
		}
	}
	if drafts < 300 || met < 10*drafts {
		t.Errorf("only %d accounts met one of %d drafts", met, drafts)
	}
}

// tryDraft makes up accounts, and returns how many of them met the draft.
func tryDraft(t *testing.T, d *rules.Draft, draft *rules.Set, sets []*rules.Set, limits map[setting.ID]requirement.Requirement, says [setting.Len]bool) (met int) {
	t.Helper()
	r := rand.New(rand.NewPCG(1, uint64(len(draft.Clauses))))
	moment := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	now := rules.AllAt(sets, moment)
	for range 40 {
		account := facts.Account{Enabled: facts.Yes, PasswordUsable: facts.Yes, Kind: facts.Kinds[r.IntN(3)],
			Privileged: []facts.Tri{facts.Yes, facts.No}[r.IntN(2)], SecondFactor: []facts.Tri{facts.Yes, facts.No}[r.IntN(2)]}
		about := &condition.Subject{System: &facts.System{Name: d.System}, Account: &account}
		var values [setting.Len]setting.Value
		for id := range setting.Len {
			if says[id] {
				values[id] = someValue(r, draft, about, limits[id], id)
			}
		}
		short := falling([]*rules.Set{draft.At(moment)}, about, values)
		theirs := falling(now, about, values)
		if len(short) == 0 {
			met++
		}
		for rule, id := range theirs {
			cut := slices.ContainsFunc(d.Cuts, func(c rules.Cut) bool { return c.Rule == rule && c.Setting == id })
			if len(short) == 0 && !cut && !d.Loosest {
				t.Errorf("%s of %s: an account meets the draft and breaks %s (%s %s)\n%s", d.System, d.From, rule, id, setting.At(id).Text(values[id]), d.YAML())
				return met
			}
		}
		if len(theirs) == 0 && len(short) > 0 {
			t.Errorf("%s of %s: an account meets both sets and breaks the draft: %v\n%s", d.System, d.From, short, d.YAML())
			return met
		}
	}
	return met
}

// falling are the clauses that values fall short of, with a setting.
func falling(sets []*rules.Set, about *condition.Subject, values [setting.Len]setting.Value) map[rules.Rule]setting.ID {
	out := map[rules.Rule]setting.ID{}
	replaced := map[string]bool{}
	for _, s := range sets {
		for i := range s.Clauses {
			if c := &s.Clauses[i]; c.For.Test(about) == facts.Yes {
				for _, name := range c.Replaces {
					replaced[name] = true
				}
			}
		}
	}
	for _, s := range sets {
		for i := range s.Clauses {
			c := &s.Clauses[i]
			if replaced[c.Rule.String()] || c.For.Test(about) != facts.Yes {
				continue
			}
			for _, x := range c.Expect {
				if x.Requirement.Test(values[x.Setting]) == requirement.FallsShort {
					out[c.Rule] = x.Setting
				}
			}
		}
	}
	return out
}

// someValue is one that the system can have, mostly one that the draft wants.
func someValue(r *rand.Rand, draft *rules.Set, about *condition.Subject, limit requirement.Requirement, id setting.ID) setting.Value {
	def := setting.At(id)
	var v setting.Value
	for try := range 200 {
		text := []string{"yes", "no", "never", "until unlocked", strconv.Itoa(r.IntN(24)), strconv.Itoa(64 * r.IntN(3)),
			strconv.Itoa(r.IntN(400)) + " days", strconv.Itoa(r.IntN(60)) + " minutes"}[r.IntN(8)]
		if len(def.Choices) > 0 {
			text = def.Choices[r.IntN(len(def.Choices))]
		}
		got, err := def.Parse(text)
		if err != nil || limit.Setting() != nil && limit.Test(got) != requirement.Meets {
			continue
		}
		v = got
		wrong := slices.ContainsFunc(draft.Clauses, func(c rules.Clause) bool {
			return c.For.Test(about) == facts.Yes && slices.ContainsFunc(c.Expect, func(x rules.Expectation) bool {
				return x.Setting == id && x.Requirement.Test(v) == requirement.FallsShort
			})
		})
		if !wrong || try > 150 {
			break
		}
	}
	return v
}
