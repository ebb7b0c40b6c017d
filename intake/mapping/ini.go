package mapping

import (
	"bufio"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake/text"
)

// iniTable reads lines "key = value" or "key: value" as rows with the columns
// key and value; [section] comes before the keys below it, with a dot.
type iniTable struct {
	name    string
	file    *text.File
	scan    *bufio.Scanner
	notes   *facts.Notes
	section string
	line    int
	row     [2]string
}

var iniHeader = []string{"key", "value"}

func newINI(name string, f *text.File, notes *facts.Notes) *iniTable {
	t := &iniTable{name: name, file: f, scan: bufio.NewScanner(f), notes: notes}
	t.scan.Buffer(nil, 1<<20)
	return t
}

func (t *iniTable) close()               { t.file.Close() }
func (t *iniTable) path() string         { return t.name }
func (t *iniTable) heading(c int) string { return iniHeader[c] }
func (t *iniTable) headings() []string   { return nil }

func (t *iniTable) column(p *plan, name strictyaml.Text) int {
	return columnOf(p, t.name, iniHeader, name)
}

func (t *iniTable) next() ([]string, int) {
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
		return t.row[:], t.line
	}
	if err := t.scan.Err(); err != nil {
		t.notes.Incomplete(facts.Origin{File: t.name, Line: t.line}, "the file cannot be read on: %s", err)
	} else if !t.file.EndsInLine() {
		t.notes.Remark(facts.Origin{File: t.name, Line: t.line}, "the file does not end with a line end: its last line may have been cut")
	}
	return nil, 0
}
