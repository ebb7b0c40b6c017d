package mapping

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
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
	counter *text.Counter
	decoder *json.Decoder
	rows    []step
	paths   []string
	steps   [][]step
	found   []bool
	row     []string
	notes   *facts.Notes
	count   int
	left    map[string]bool
	walk    func() (jsonRow, error)
	stop    func()
}

type jsonRow struct {
	node any
	line int
}

func (e *export) openJSON(name string, f *text.File, s shape, notes *facts.Notes) (table, error) {
	buffered := bufio.NewReaderSize(f, 1<<16)
	if s.rows == nil && objectPerLine(buffered) {
		return newJSONLines(name, f, buffered, notes), nil
	}
	t := &jsonTable{name: name, file: f, counter: text.NewCounter(buffered), notes: notes, left: map[string]bool{}}
	t.decoder = json.NewDecoder(t.counter)
	t.decoder.UseNumber()
	if s.rows != nil {
		steps, err := parsePath(s.rows.Value)
		if err != nil {
			e.plan.fail(*s.rows, "%s", err)
		}
		t.rows = steps
	}
	return t, nil
}

func (t *jsonTable) close() {
	if t.stop != nil {
		t.stop()
	}
	t.file.Close()
}

func (t *jsonTable) path() string         { return t.name }
func (t *jsonTable) heading(c int) string { return t.paths[c] }
func (t *jsonTable) headings() []string   { return nil }

func (t *jsonTable) column(p *plan, name strictyaml.Text) int {
	steps, err := parsePath(name.Value)
	if err != nil {
		p.fail(name, "%s", err)
		return -1
	}
	t.paths, t.steps, t.found = append(t.paths, name.Value), append(t.steps, steps), append(t.found, false)
	return len(t.paths) - 1
}

func (t *jsonTable) next() ([]string, int) {
	if t.walk == nil {
		t.walk, t.stop = pull(t)
	}
	r, err := t.walk()
	if err != nil {
		t.end(err)
		return nil, 0
	}
	if t.count++; t.count <= leftRows {
		jsonTree(t.steps).noteUnread(r.node, t.left)
	}
	t.row = t.row[:0]
	for i, steps := range t.steps {
		value, found := valueAt(r.node, steps)
		t.found[i] = t.found[i] || found
		t.row = append(t.row, value)
	}
	return t.row, r.line
}

// end tells what went wrong, and which paths led nowhere.
func (t *jsonTable) end(err error) {
	origin := facts.Origin{File: t.name, Line: t.counter.Line(t.decoder.InputOffset())}
	if err != io.EOF {
		t.notes.Incomplete(origin, "the file cannot be read on as JSON: %s; take the export again", err)
		return
	}
	if t.count == 0 {
		t.notes.Incomplete(origin, "no rows were found here; check \"rows\" in the mapping")
		return
	}
	leadNowhere(t.name, t.paths, t.found, t.notes)
}

func (t *jsonTable) unread() facts.Unread {
	return facts.Unread{File: t.name, Names: slices.Sorted(maps.Keys(t.left))}
}

// leadNowhere notes the paths that no row had.
func leadNowhere(file string, paths []string, found []bool, notes *facts.Notes) {
	for i := range found {
		if !found[i] {
			notes.Remark(facts.Origin{File: file}, "the path %s leads nowhere in this file; what it was to bring stays unknown", paths[i])
		}
	}
}

// plainText writes a JSON value as the mapping sees it: texts without quotes,
// null as null, everything else as it stands.
func plainText(node any) string {
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
