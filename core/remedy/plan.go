package remedy

import (
	"yewcone/core/change"
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
	Do     string
	Reach  finding.Reach
	Policy string
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
				t.Done = append(t.Done, Done{Do: s.Do, Reach: r.Findings[s.Findings[0]].Reach})
			}
		}
		if len(steps) > 0 {
			t.Blocks, t.Cannot = Of(export(c.System), steps, undo)
		}
		told = append(told, t)
	}
	return told
}
