// Package inplace has accounts judged where they lie: in a database that is asked by
// SQL. It writes the queries that count accounts which come out alike, and reads the
// rows of those that must be seen one by one.
package inplace

import (
	"fmt"
	"strings"

	"yewcone/core/onuse"
	"yewcone/intake"
)

// The columns of a database, and how it is asked.
type (
	Kind     = intake.ColumnKind
	Column   = intake.Column
	Database = intake.Database
	Dialect  = intake.Dialect
	Later    = intake.Later
)

// The kinds of columns.
const (
	Text    = intake.TextColumn
	Number  = intake.NumberColumn
	Instant = intake.InstantColumn
	Local   = intake.LocalColumn
	Day     = intake.DayColumn
	List    = intake.ListColumn
	Seconds = intake.SecondsColumn
	Millis  = intake.MillisColumn
)

var tableName = onuse.Regexp("^[\\pL_][\\pL\\pN_$]*(\\.[\\pL_][\\pL\\pN_$]*)*$")

// Source is what stands after "from" for what a file says: the name of a table, or a
// query.
func Source(text string) (string, error) {
	text = strings.TrimRight(strings.TrimSpace(strings.TrimPrefix(text, "\ufeff")), "; \t\r\n")
	switch {
	case text == "":
		return "", fmt.Errorf("the file says nothing; expected the name of a table, or one SELECT")
	case tableName().MatchString(text):
		return text, nil
	}
	return "(" + text + "\n) AS yewcone_rows", nil
}

// literals are texts as a list that one may be in.
func literals(d Dialect, texts []string) string {
	list := make([]string, len(texts))
	for i, text := range texts {
		list[i] = d.Literal(text)
	}
	return strings.Join(list, ", ")
}
