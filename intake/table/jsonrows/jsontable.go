// Package jsonrows reads JSON as a table, an object for each row.
package jsonrows

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// A step goes from a JSON value to those in it: to the member of a name, to
// the element of an index, or to all.
type step struct {
	name  string
	index int
	kind  stepKind
}

type stepKind uint8

const (
	toMember stepKind = iota
	toElement
	toAll
)

// parsePath reads a path as RFC 9535 writes it, without filters, slices and
// descendants: $.name, ['any name'], [0], [-1], [*].
func parsePath(path string) ([]step, error) {
	rest, ok := strings.CutPrefix(path, "$")
	if !ok {
		return nil, fmt.Errorf("%q is no path; a path begins with $, as in $.password.minLength", path)
	}
	bad := fmt.Errorf("%q is no path that is read here; write names, ['quoted names'], [0] and [*], as in $.Resources[*].name", path)
	var steps []step
	for rest != "" {
		if name, found := strings.CutPrefix(rest, "."); found {
			end := strings.IndexAny(name, ".[")
			if end < 0 {
				end = len(name)
			}
			if end == 0 {
				return nil, bad
			}
			s := step{name: name[:end]}
			if s.name == "*" {
				s = step{kind: toAll}
			}
			steps, rest = append(steps, s), name[end:]
			continue
		}
		if rest[0] != '[' {
			return nil, bad
		}
		s, tail, ok := bracket(rest[1:])
		if !ok {
			return nil, bad
		}
		steps, rest = append(steps, s), tail
	}
	return steps, nil
}

// bracket reads what follows an opening bracket, and returns what is left
// after the closing one.
func bracket(rest string) (s step, tail string, ok bool) {
	if rest != "" && (rest[0] == '\'' || rest[0] == '"') {
		end := strings.IndexByte(rest[1:], rest[0])
		if end < 0 || !strings.HasPrefix(rest[end+2:], "]") {
			return s, "", false
		}
		return step{name: rest[1 : end+1]}, rest[end+3:], true
	}
	inner, tail, ok := strings.Cut(rest, "]")
	if inner == "*" {
		return step{kind: toAll}, tail, ok
	}
	n, err := strconv.Atoi(inner)
	return step{kind: toElement, index: n}, tail, ok && err == nil
}

// follow appends what the steps lead to.
func follow(node any, steps []step, out []any) []any {
	if len(steps) == 0 {
		return append(out, node)
	}
	s := steps[0]
	switch n := node.(type) {
	case map[string]any:
		if s.kind == toAll {
			for _, name := range slices.Sorted(maps.Keys(n)) {
				out = follow(n[name], steps[1:], out)
			}
		} else if v, ok := n[s.name]; ok && s.kind == toMember {
			return follow(v, steps[1:], out)
		}
	case []any:
		switch {
		case s.kind == toAll:
			for _, v := range n {
				out = follow(v, steps[1:], out)
			}
		case s.kind == toElement && s.index >= 0 && s.index < len(n):
			return follow(n[s.index], steps[1:], out)
		case s.kind == toElement && s.index < 0 && -s.index <= len(n):
			return follow(n[len(n)+s.index], steps[1:], out)
		}
	}
	return out
}

// jsonTable reads rows out of JSON, one value after the other.
type jsonTable struct {
	name    string
	file    *text.File
	oneLine bool // of the file, so that lines tell nothing
	counter *text.Counter
	decoder *json.Decoder
	rows    []step
	paths   []string
	steps   [][]step
	found   []bool
	line    jsonLine
	tree    *jsonNode // of the paths; nil where they do not fit into one
	notes   *facts.Notes
	count   int
	told    int // entries that the service says it has, in all pages; 0 for not said
	left    map[string]bool
	walk    func() (jsonRow, error)
	stop    func()
	within  []byte // the brackets and braces that were opened
	base    int64  // where the decoder began in the document
	stopped int64  // where something is wrong that the decoder has not come to; else 0
}

type jsonRow struct {
	node any
	raw  string // what it is written as; "" where it was taken apart already
	line int
}

// Form is JSON: an object on each line, or a document with the path to its
// rows.
var Form = table.Form{Name: "json", Endings: []string{".json", ".jsonl", ".ndjson"}, Open: open}

func open(s *table.Source) (table.Table, error) {
	f, err := table.OpenText(s)
	if err != nil {
		return nil, err
	}
	buffered := bufio.NewReaderSize(f, 1<<16)
	if s.Rows == nil && objectPerLine(buffered) {
		return newJSONLines(s.Name, f, buffered, s.Notes), nil
	}
	t := &jsonTable{name: s.Name, file: f, oneLine: oneLine(buffered), counter: text.NewCounter(buffered), notes: s.Notes, left: map[string]bool{}}
	t.decoder = json.NewDecoder(t.counter)
	t.decoder.UseNumber()
	if s.Rows != nil {
		steps, err := parsePath(s.Rows.Value)
		if err != nil {
			f.Close()
			return nil, s.Rows.At(0, "%s", err)
		}
		t.rows = steps
	}
	if isList(buffered, t.rows, s.Rows != nil) {
		return newJSONList(t), nil
	}
	return t, nil
}

// oneLine reports whether a document is written without line ends, as far as
// its beginning tells.
func oneLine(r *bufio.Reader) bool {
	head, _ := r.Peek(r.Size())
	return !bytes.Contains(bytes.TrimSpace(head), []byte("\n"))
}

// pathOf is the path to a row of the document, counted from 0.
func (t *jsonTable) pathOf(n int) string {
	if t.rows == nil {
		return fmt.Sprintf("$[%d]", n)
	}
	path, lists := "$", 0
	for _, s := range t.rows {
		if s.kind == toAll {
			lists++
		}
	}
	for _, s := range t.rows {
		switch {
		case s.kind == toAll && lists == 1:
			path += fmt.Sprintf("[%d]", n)
		case s.kind == toAll:
			path += "[*]"
		case s.kind == toElement:
			path += fmt.Sprintf("[%d]", s.index)
		default:
			path = Member(path, s.name)
		}
	}
	if lists > 1 {
		path += fmt.Sprintf(" row %d", n+1)
	}
	return path
}

// Member writes the path of a member.
func Member(path, name string) string {
	for i := range len(name) {
		c := name[i]
		if !(c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '_' || i > 0 && c >= '0' && c <= '9') {
			return fmt.Sprintf("%s['%s']", path, name)
		}
	}
	return path + "." + name
}

// Close closes the file.
func (t *jsonTable) Close() {
	if t.stop != nil {
		t.stop()
	}
	t.file.Close()
}

// Origin names the file.
func (t *jsonTable) Origin() facts.Origin { return facts.Origin{File: t.name} }

// Heading is the path to a value.
func (t *jsonTable) Heading(c int) string { return t.paths[c] }

// Headings are none: objects differ.
func (t *jsonTable) Headings() []string { return nil }

// Column asks for what a path leads to.
func (t *jsonTable) Column(name string) (int, error) {
	steps, err := parsePath(name)
	if err != nil {
		return -1, err
	}
	t.paths, t.steps, t.found = append(t.paths, name), append(t.steps, steps), append(t.found, false)
	return len(t.paths) - 1, nil
}

// Next returns the next row.
func (t *jsonTable) Next() ([]string, table.Place) {
	if t.walk == nil {
		t.walk, t.stop = pull(t)
	}
	r, err := t.walk()
	if err != nil {
		t.end(err)
		return nil, table.Place{}
	}
	t.count++
	row := t.fill(&r)
	if t.oneLine {
		return row, table.Place{Line: r.line, Part: t.pathOf(t.count - 1)}
	}
	return row, table.Place{Line: r.line}
}

// fill puts what the paths lead to into a row: by their tree where they fit into one.
func (t *jsonTable) fill(r *jsonRow) []string {
	p := &t.line
	if p.row == nil {
		t.tree = jsonTree(t.steps)
		*p = jsonLine{row: make([]string, len(t.steps)), found: t.found, left: t.left}
	}
	if t.count > leftRows {
		p.left = nil
	}
	if t.tree != nil && r.raw != "" && r.raw[0] == '{' && (p.quick(r.raw, t.tree) || p.read(r.raw, t.tree) == nil) {
		return p.row
	}
	if r.raw != "" {
		r.node, _ = decoded(r.raw) // which the decoder of the whole has read
	}
	if p.left != nil {
		t.tree.noteUnread(r.node, t.left)
	}
	for i, steps := range t.steps {
		value, found := valueAt(r.node, steps)
		p.row[i], t.found[i] = value, t.found[i] || found
	}
	return p.row
}

// Told is how many rows there were, and how many the service said that there are in
// all its pages (totalResults of RFC 7644, section 3.4.2); 0 where it did not say.
func (t *jsonTable) Told() (rows, all int) { return t.count, t.told }

// end tells what went wrong, and which paths led nowhere.
func (t *jsonTable) end(err error) {
	if err != io.EOF {
		t.broken(t.notes, err)
		return
	}
	if t.count == 0 {
		t.notes.Incomplete(facts.Origin{File: t.name, Line: t.lineOf(0)}, "no rows were found here; check \"rows\" in the mapping")
		return
	}
	table.LeadNowhere(t.name, t.paths, t.found, t.notes)
}

// broken tells that the document cannot be read on.
func (t *jsonTable) broken(notes *facts.Notes, err error) {
	notes.Incomplete(facts.Origin{File: t.name, Line: t.lineOf(0)}, "the file cannot be read on as JSON: %s; take the export again", text.ToldJSON(err))
}

// lineOf is the line of the place so far behind the one that was come to.
func (t *jsonTable) lineOf(behind int64) int {
	return t.counter.Line(max(t.stopped, t.base+t.decoder.InputOffset()) + behind)
}

// Unread names the members that no column takes.
func (t *jsonTable) Unread() facts.Unread {
	return facts.Unread{File: t.name, Names: slices.Sorted(maps.Keys(t.left))}
}

// decoded is a value, with numbers as they are written.
func decoded(raw string) (node any, err error) {
	d := json.NewDecoder(strings.NewReader(raw))
	d.UseNumber()
	err = d.Decode(&node)
	return node, err
}

// Text writes a JSON value as the mapping sees it: texts without quotes,
// null as null, everything else as it stands.
func Text(node any) string {
	switch n := node.(type) {
	case string:
		return n
	case json.Number:
		return n.String()
	case bool:
		return strconv.FormatBool(n)
	case nil:
		return "null"
	}
	raw, err := json.Marshal(node)
	if err != nil {
		return ""
	}
	return string(raw)
}
