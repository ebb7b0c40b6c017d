// Package table turns exports of no known format into rows of texts. Each kind
// of file has a folder below this one, and is listed in forms.
package table

import (
	"fmt"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/text"
)

// A Table is rows of texts, whatever file they stand in.
type Table interface {
	// Column finds a column by its heading, or by its path in a tree; the error
	// says what is wrong with the name.
	Column(name string) (int, error)
	// Heading is what a column is called, for people.
	Heading(column int) string
	// Headings lists all columns; nil where a file has none.
	Headings() []string
	Rows
	// Origin names the file, and the part of it that is read.
	Origin() facts.Origin
	Close()
}

// Rows are read one after the other.
type Rows interface {
	// Next returns the next row and where it stands, or nil at the end. The row
	// is only good until the next call.
	Next() ([]string, Place)
}

// A Place is where a row stands in its table.
type Place struct {
	Line int    // counted from 1
	Part string // what lines cannot say: the path in a document of one line; mostly ""
}

// In is the place within a file.
func (p Place) In(file facts.Origin) facts.Origin {
	if file.Line = p.Line; p.Part != "" {
		file.Line, file.Part = 0, p.Part
	}
	return file
}

// Absent stands in a row for what the row lacks: in JSON a member that is not
// there says less than one that is null or empty.
const Absent = "\x00"

// Cell is a trimmed text of a row; "" for what the row lacks.
func Cell(row []string, column int) string {
	if row[column] == Absent {
		return ""
	}
	return strings.TrimSpace(row[column])
}

// A Leaver knows after its last row what no column has taken.
type Leaver interface{ Unread() facts.Unread }

// From1904 is asked of tables that may count the days of dates from 1904.
type From1904 interface{ From1904() bool }

// A Source is a file, and what is known of its form.
type Source struct {
	Name      string // as origins show it
	File      string // to open
	Encoding  string // "" to find out
	Delimiter byte   // 0 to find out
	Rows      *strictyaml.Text
	Sheet     *strictyaml.Text
	Heading   int // the row with the headings; 0 for the first
	Notes     *facts.Notes
}

// Unsaid is what a mapping must say before a file can be read.
type Unsaid string

func (u Unsaid) Error() string { return string(u) }

// A Form is a kind of file.
type Form struct {
	Name    string
	Endings []string // of names
	Open    func(*Source) (Table, error)
}

// Find finds a heading; the error tells what there is instead. Headings are
// only shown where they can be no row of values.
func Find(file string, header []string, name string) (int, error) {
	for i, h := range header {
		if h == name {
			return i, nil
		}
	}
	if advice := nearword.Advice(name, header); advice != "" {
		return -1, fmt.Errorf("%s has no column %q%s", file, name, advice)
	}
	if odd := NoHeading(header); odd != "" {
		return -1, fmt.Errorf("%s has no column %q: its first row reads like values, not headings (%s); say under \"heading\" "+
			"which row has them", file, name, odd)
	}
	return -1, &NoColumn{file, name, header}
}

// NoColumn is the error of a heading that is not there. It does not show the
// others: a file that lost its headings has values of a person in their place.
type NoColumn struct {
	File, Name string
	Header     []string
}

func (n *NoColumn) Error() string {
	return fmt.Sprintf("%s has no column %q", n.File, n.Name)
}

// Beside tells which headings there are, given what shows that they are some: a
// text that names one of them.
func (n *NoColumn) Beside(named string) string {
	if slices.ContainsFunc(n.Header, func(h string) bool { return len(h) > 2 && strings.Contains(named, h) }) {
		return fmt.Sprintf("; it has %s", strings.Join(n.Header, ", "))
	}
	return fmt.Sprintf("; none of the %d texts in its first row is named here, so that it may have no headings: say under "+
		"\"heading\" which row has them", len(n.Header))
}

// LeadNowhere notes the paths that no row had.
func LeadNowhere(file string, paths []string, found []bool, notes *facts.Notes) {
	for i := range found {
		if !found[i] {
			notes.Remark(facts.Origin{File: file}, "the path %s leads nowhere in this file; what it was to bring stays unknown", paths[i])
		}
	}
}

// MostUnread is how many names are kept of what no column takes.
const MostUnread = 1000

// OpenText opens the text of a file, and notes where its encoding was guessed.
func OpenText(s *Source) (*text.File, error) {
	f, err := text.Open(s.File, s.Encoding)
	if err != nil {
		return nil, intake.CannotOpen(s.Name, err)
	}
	if f.Encoding == "windows-1252" && s.Encoding == "" {
		s.Notes.Remark(facts.Origin{File: s.Name}, "read as Windows-1252, since it is no UTF-8; say \"encoding\" in the "+
			"mapping if that is wrong")
	}
	return f, nil
}
