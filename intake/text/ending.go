package text

import (
	"strconv"
	"strings"
	"yewcone/core/facts"
	"yewcone/core/onuse"
)

// failing is how clients begin the errors that they print among rows.
var failing = onuse.Regexp(`(?i)^(error|fatal|panic)\b ?[:(0-9]|^[a-z][\w./-]*: (error|fatal|could not|cannot|unable|connection|server closed|access denied|permission denied)|` +
	`^ldap_\w+(\(\))?:|\b(can't contact ldap server|(size|time|administrative) limit exceeded|lost connection|server closed the connection|connection reset by|query execution was interrupted|canceling statement)\b`)

// counting is how they tell how many rows they have written.
var counting = onuse.Regexp(`(?i)^\(?(\d+) rows?( in set| selected| affected| returned)?\b.{0,40}$`)

// An Ending is a line that a client prints behind rows, or among them.
type Ending struct {
	Failed bool // it is an error: what was to come is missing
	Rows   int  // that it says to have written; -1 where it does not say
}

// EndingOf reads a line that is no row of a table with several columns, by its first
// field. Nothing of it is to be shown.
func EndingOf(first string) (e Ending, is bool) {
	first = strings.TrimSpace(first)
	e.Rows = -1
	if len(first) < len("1 row") || len(first) > 1000 {
		return e, false
	}
	if failing().MatchString(first) {
		e.Failed = true
		return e, true
	}
	if m := counting().FindStringSubmatch(first); m != nil {
		if n, err := strconv.Atoi(m[1]); err == nil {
			e.Rows = n
			return e, true
		}
	}
	return e, false
}

// Tell notes what a client says at a place behind so many rows, where that is no good
// end.
func (e Ending) Tell(notes *facts.Notes, at facts.Origin, rows int) {
	switch {
	case e.Failed:
		notes.Incomplete(at, "the program that wrote this tells an error here: what was to come is missing; take the export again")
	case e.Rows != rows:
		notes.Incomplete(at, "the program that wrote this says that it wrote %d rows, and %d were read; take the export again", e.Rows, rows)
	}
}
