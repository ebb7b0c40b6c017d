package finding

import (
	"strings"

	"yewcone/core/facts"
)

// An Example is one account that a finding reaches. There may be a hundred thousand
// findings with twenty of them each, so what most accounts lack takes no room.
type Example struct {
	Login  string
	Policy string // that holds for it; "" for none
	Place  int64  // in the order of the export

	file string
	line int
	rare *exampleRare // nil where all of it is ""
}

type exampleRare struct {
	dn, kind, detail, part, place, text string
}

// ExampleOf is an account as an example, with copies of its texts: its policy, the date
// or other fact that matters, and its place in the order of the export.
func ExampleOf(a *facts.Account, policy, detail string, place int64) Example {
	e := Example{Login: facts.Shortened(a.Login), Policy: policy, Place: place, file: a.Origin.File, line: a.Origin.Line}
	if rare := (exampleRare{a.DN, a.Kind, detail, a.Origin.Part, a.Origin.Place, a.Origin.Text}); rare != (exampleRare{}) {
		rare.dn, rare.kind = facts.Shortened(rare.dn), strings.Clone(rare.kind)
		e.rare = &rare
	}
	return e
}

func (e *Example) more() exampleRare {
	if e.rare == nil {
		return exampleRare{}
	}
	return *e.rare
}

// DN is its distinguished name; "" where the system has none.
func (e *Example) DN() string { return e.more().dn }

// Kind is that of the account; "" where it is not known.
func (e *Example) Kind() string { return e.more().kind }

// Detail is the date or other fact that matters; "" for none.
func (e *Example) Detail() string { return e.more().detail }

// Origin is where the account stands.
func (e *Example) Origin() facts.Origin {
	more := e.more()
	return facts.Origin{File: e.file, Part: more.part, Line: e.line, Place: more.place, Text: more.text}
}
