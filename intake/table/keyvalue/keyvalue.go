// Package keyvalue reads lines of keys and values as a table.
package keyvalue

import (
	"bufio"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// keyValue reads lines "key = value" or "key: value" as rows with the columns
// key and value; [section] comes before the keys below it, with a dot.
type keyValue struct {
	name    string
	file    *text.File
	scan    *bufio.Scanner
	notes   *facts.Notes
	section string
	line    int
	row     [2]string
}

// Header are the columns.
var Header = []string{"key", "value"}

// Form is lines of keys and values.
var Form = table.Form{Name: "ini", Endings: []string{".ini", ".conf", ".cfg", ".properties"}, Open: open}

func open(s *table.Source) (table.Table, error) {
	f, err := table.OpenText(s)
	if err != nil {
		return nil, err
	}
	t := &keyValue{name: s.Name, file: f, scan: text.NewScanner(f), notes: s.Notes}
	return t, nil
}

// Close closes the file.
func (t *keyValue) Close() { t.file.Close() }

// Origin names the file.
func (t *keyValue) Origin() facts.Origin { return facts.Origin{File: t.name} }

// Heading is key or value.
func (t *keyValue) Heading(c int) string { return Header[c] }

// Headings are none: the columns are always the same.
func (t *keyValue) Headings() []string { return nil }

// Column finds key or value.
func (t *keyValue) Column(name string) (int, error) { return table.Find(t.name, Header, name) }

// Next returns the next key and its value.
func (t *keyValue) Next() ([]string, table.Place) {
	for t.scan.Scan() {
		t.line++
		line := strings.TrimSpace(t.scan.Text())
		switch {
		case line == "" || line[0] == '#' || line[0] == ';':
			continue
		case line[0] == '[' && strings.HasSuffix(line, "]"):
			t.section = strings.TrimSpace(line[1:len(line)-1]) + "."
			continue
		}
		i := strings.IndexAny(line, "=:")
		if i <= 0 {
			t.notes.Refuse(facts.Origin{File: t.name, Line: t.line}, "the line is neither \"key = value\" nor [section]")
			continue
		}
		t.row = [2]string{t.section + strings.TrimSpace(line[:i]), strings.Trim(strings.TrimSpace(line[i+1:]), "\"'")}
		return t.row[:], table.Place{Line: t.line}
	}
	if err := t.scan.Err(); err != nil {
		t.notes.Incomplete(facts.Origin{File: t.name, Line: t.line}, "the file cannot be read on: %s", text.Told(err))
	} else if !t.file.EndsInLine() {
		t.notes.Remark(facts.Origin{File: t.name, Line: t.line}, "the file does not end with a line end: its last line may have been cut")
	}
	return nil, table.Place{}
}
