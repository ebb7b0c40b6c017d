// Package aligned reads what consoles print: tables whose columns stand below
// one another, and lines of a key and a value with blanks between.
package aligned

import (
	"bufio"
	"cmp"
	"fmt"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// Columns are tables of fixed width: each heading begins where its column
// does, and two blanks or more stand between headings.
var Columns = table.Form{Name: "columns", Open: openColumns}

// Blanks are lines of a key, blanks and a value: two blanks or a tab where a
// line has them, else the first blank.
var Blanks = table.Form{Name: "blanks", Open: openBlanks}

type lines struct {
	name   string
	file   *text.File
	scan   *bufio.Scanner
	notes  *facts.Notes
	line   int
	count  int  // of rows
	client bool // that of a database wrote it
	header []string
	row    []string
	cut    func(line string, row []string) bool // false for a line that is no row
}

func open(s *table.Source) (*lines, error) {
	f, err := table.OpenText(s)
	if err != nil {
		return nil, err
	}
	t := &lines{name: s.Name, file: f, scan: text.NewScanner(f), notes: s.Notes}
	return t, nil
}

func openBlanks(s *table.Source) (table.Table, error) {
	t, err := open(s)
	if err != nil {
		return nil, err
	}
	t.header, t.row = []string{"key", "value"}, make([]string, 2)
	t.cut = func(line string, row []string) bool {
		line = strings.TrimSpace(line)
		if line[0] == '#' || line[0] == ';' {
			return false
		}
		at := strings.IndexByte(line, '\t')
		if wide := strings.Index(line, "  "); at < 0 || wide >= 0 && wide < at {
			at = wide
		}
		if at < 0 {
			at = strings.IndexByte(line, ' ')
		}
		if at < 0 {
			at = len(line)
		}
		row[0], row[1] = line[:at], strings.Trim(strings.TrimSpace(line[at:]), "\"'")
		return true
	}
	return t, nil
}

func openColumns(s *table.Source) (table.Table, error) {
	t, err := open(s)
	if err != nil {
		return nil, err
	}
	t.client = true
	heading := ""
	for range cmp.Or(s.Heading, 1) {
		if !t.scan.Scan() {
			t.file.Close()
			return nil, &intake.Unreadable{File: s.Name, Message: fmt.Sprintf("there is no line %d with headings", cmp.Or(s.Heading, 1))}
		}
		t.line++
		heading = t.scan.Text()
	}
	var starts []int // counted in characters, as consoles align them
	at, blanks := 0, 2
	for _, r := range heading {
		switch {
		case r == ' ':
			blanks++
		default:
			if blanks >= 2 {
				starts = append(starts, at)
			}
			blanks = 0
		}
		at++
	}
	t.header, t.row = make([]string, len(starts)), make([]string, len(starts))
	cut(heading, starts, t.header)
	t.cut = func(line string, row []string) bool {
		if strings.Trim(line, "-=+| ") == "" {
			return false // a rule below the headings
		}
		cut(line, starts, row)
		return true
	}
	return t, nil
}

// cut takes a line apart at where columns start.
func cut(line string, starts []int, row []string) {
	clear(row)
	at := make([]int, 0, len(starts)+1) // in bytes
	n := 0
	for i := range line {
		for len(at) < len(starts) && n >= starts[len(at)] {
			at = append(at, i)
		}
		n++
	}
	for i, from := range at {
		to := len(line)
		if i+1 < len(at) {
			to = at[i+1]
		}
		row[i] = strings.TrimSpace(line[from:to])
	}
}

// Close closes the file.
func (t *lines) Close() { t.file.Close() }

// Origin names the file.
func (t *lines) Origin() facts.Origin { return facts.Origin{File: t.name} }

// Heading is the heading of a column.
func (t *lines) Heading(c int) string { return t.header[c] }

// Headings are all of them.
func (t *lines) Headings() []string { return t.header }

// Column finds a heading.
func (t *lines) Column(name string) (int, error) { return table.Find(t.name, t.header, name) }

// Next returns the next row.
func (t *lines) Next() ([]string, table.Place) {
	for t.scan.Scan() {
		t.line++
		line := t.scan.Text()
		if strings.TrimSpace(line) == "" || !t.cut(line, t.row) {
			continue
		}
		if ending, is := text.EndingOf(line); is && t.client {
			ending.Tell(t.notes, facts.Origin{File: t.name, Line: t.line}, t.count)
			continue
		}
		t.count++
		return t.row, table.Place{Line: t.line}
	}
	if err := t.scan.Err(); err != nil {
		t.notes.Incomplete(facts.Origin{File: t.name, Line: t.line}, "the file cannot be read on: %s", err)
	} else if !t.file.EndsInLine() {
		t.notes.Remark(facts.Origin{File: t.name, Line: t.line}, "the file does not end with a line end: its last line may have been cut")
	}
	return nil, table.Place{}
}
