// Package output says what every form of a result has in common; the forms
// themselves are the packages below, and package formats lists them.
package output

import (
	"io"
	"slices"

	"yewcone/core/check"
	"yewcone/core/gap"
)

// Options for writing.
type Options struct {
	Width   int  // columns of the terminal
	Color   bool // whether colours may be used
	Details bool // everything about every finding, also the less bad
	Version string
}

// A CheckFormat writes the result of a check.
type CheckFormat struct {
	Name  string
	Write func(w io.Writer, r *check.Result, o Options) error
}

// GapOptions say which part of a comparison to write.
type GapOptions struct {
	Options
	Audience   gap.Audience
	Differing  bool     // only settings in which systems differ
	Settings   []string // only these; all that a system says when empty
	Arithmetic bool     // how each guess budget comes about
}

// Rows are the settings that the options ask for.
func (o *GapOptions) Rows(g *check.Gaps, a gap.Audience) []gap.Row {
	var rows []gap.Row
	for _, r := range g.Compare(a) {
		named := slices.Contains(o.Settings, r.Setting.Name)
		if named || len(o.Settings) == 0 && r.Told() && (r.Differs || !o.Differing) {
			rows = append(rows, r)
		}
	}
	return rows
}
