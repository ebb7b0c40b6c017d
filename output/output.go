// Package output says what every form of a result has in common; the forms
// themselves are the packages below, and package formats lists them.
package output

import (
	"fmt"
	"io"
	"math"
	"slices"

	"yewcone/core/audit"
	"yewcone/core/drift"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/replay"
	"yewcone/core/trend"
)

// Options for writing.
type Options struct {
	Width   int  // columns of the terminal
	Color   bool // whether colours may be used
	Details bool // everything about every finding, also the less bad
	All     bool // every finding, not the first screen
	Version string
	AsIf    string           // the options that let other rules hold, to be given again; "" for none
	Drift   *drift.Drift     // since an earlier result; nil where none is given
	Since   string           // where that result is, as it was named
	Trend   *trend.Trend     // of the kept results; nil for none
	Asked   []audit.AskedOf  // what the rules ask on each system; nil where it was not gone through
	Replays []*replay.Result // of systems that have a record of sign-ins, with the lockout in force
}

// A CheckFormat writes the result of a check.
type CheckFormat struct {
	Name    string
	Endings []string // of files that it is written to, where nothing else is said
	Since   bool     // it tells what changed since an earlier result
	Spread  bool     // it shows how passwords' ages and ends are spread, which is counted only then
	Write   func(w io.Writer, r *finding.Result, o Options) error
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
func (o *GapOptions) Rows(g *finding.Gaps, a gap.Audience) []gap.Row {
	var rows []gap.Row
	for _, r := range g.Compare(a) {
		named := slices.Contains(o.Settings, r.Setting.Name)
		if named || len(o.Settings) == 0 && r.Told() && (r.Differs || !o.Differing) {
			rows = append(rows, r)
		}
	}
	return rows
}

// Count writes a large number so that it can be read.
func Count(n float64, known bool) string {
	switch {
	case !known:
		return "not known"
	case math.IsInf(n, 1):
		return "no bound"
	case n >= 1e15:
		return fmt.Sprintf("%.1e", n)
	}
	digits := fmt.Sprintf("%.0f", n)
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return digits
}
