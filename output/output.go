// Package output says what every form of a result has in common; the forms
// themselves are the packages below, and package formats lists them.
package output

import (
	"io"

	"yewcone/core/check"
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
