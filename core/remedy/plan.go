package remedy

import (
	"cmp"
	"slices"

	"yewcone/core/change"
	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/finding"
)

// A Told is a change in the words of its system.
type Told struct {
	change.Change
	Blocks []Block
	Cannot []Cannot
	// Done is what is done to accounts one by one, which no block says.
	Done []Done
}

// Done is something to do to some accounts.
type Done struct {
	Do      string
	Reach   finding.Reach
	AtLeast bool    // it may reach more
	Typed   []Typed // the ways of doing it that the system has words for
}

// Typed is what is typed to do something to accounts, for as many as the
// finding names.
type Typed struct {
	Act      check.Act
	Block    Block
	Accounts int
}

// Tell says changes in the words of their systems; exports are found by their
// names. With undo, the way back to what the exports say.
func Tell(r *finding.Result, list []change.Change, export func(system string) facts.Export, undo bool) []Told {
	var told []Told
	for i := range list {
		c := &list[i]
		t := Told{Change: *c}
		var steps []Step
		for j := range c.Steps {
			if s := &c.Steps[j]; s.IsSetting {
				steps = append(steps, Step{Policy: s.Policy, Setting: s.Setting, From: s.From, To: s.To, Enough: s.Does})
			} else {
				t.Done = append(t.Done, doneTo(r, s, export(c.System), undo))
			}
		}
		if len(steps) > 0 {
			t.Blocks, t.Cannot = Of(export(c.System), steps, undo)
		}
		told = append(told, t)
	}
	return told
}

// together is whom several findings reach: at least as many as the one that
// reaches most, and as are named.
func together(r *finding.Result, list []int) finding.Reach {
	reach := r.Findings[list[0]].Reach
	reach.Examples = nil
	named := map[string]bool{}
	for _, i := range list {
		o := &r.Findings[i].Reach
		if o.Accounts > reach.Accounts {
			reach.Accounts, reach.Disabled, reach.Unranked = o.Accounts, o.Disabled, o.Unranked
		}
		reach.Privileged = max(reach.Privileged, o.Privileged)
		for _, e := range o.Examples {
			if !named[e.Login] {
				named[e.Login] = true
				reach.Examples = append(reach.Examples, e)
			}
		}
	}
	reach.Accounts = max(reach.Accounts, len(reach.Examples))
	slices.SortStableFunc(reach.Examples, func(a, b finding.Example) int { return cmp.Compare(a.Place, b.Place) })
	return reach
}

// doneTo says what a step does to accounts.
func doneTo(r *finding.Result, s *change.Step, export facts.Export, undo bool) Done {
	f := &r.Findings[s.Findings[0]]
	done := Done{Do: s.Do, Reach: together(r, s.Findings), AtLeast: s.AtLeast}
	teller, ok := export.(AccountTeller)
	if !ok || undo && f.Opens != "" {
		return done // nobody opens again what was open to anybody
	}
	for _, act := range actsOf(f, s) {
		typed := Typed{Act: act.Act}
		for _, e := range done.Reach.Examples {
			if act.Act == check.AskNew && e.Kind() != "" && e.Kind() != facts.Person {
				continue // nobody is there to be asked
			}
			where, language, lines := teller.Account(act, Who{Login: e.Login, DN: e.DN(), Policy: e.Policy}, undo)
			if lines == nil {
				continue
			}
			if language == LDIF && typed.Block.Lines != nil {
				lines = append([]string{""}, lines...)
			}
			typed.Block.Where, typed.Block.Language, typed.Block.Lines = where, language, append(typed.Block.Lines, lines...)
			typed.Accounts++
		}
		if typed.Accounts > 0 {
			done.Typed = append(done.Typed, typed)
		}
	}
	return done
}

// actsOf lists what ends a finding for one account.
func actsOf(f *finding.Finding, s *change.Step) []Act {
	switch {
	case s.Mark != "":
		return []Act{{Act: check.Unmark, Mark: s.Mark}}
	case s.To.Known():
		return []Act{{Act: check.SetOwn, Setting: s.Setting, To: s.To}}
	}
	var acts []Act
	for _, c := range check.All() {
		if c.Rule() == f.Rule {
			for _, a := range c.Acts {
				acts = append(acts, Act{Act: a})
			}
		}
	}
	return acts
}
