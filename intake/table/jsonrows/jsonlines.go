package jsonrows

import (
	"bufio"
	"bytes"
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/segmentio/asm/ascii"

	"yewcone/core/facts"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// jsonLines reads a file with a JSON object on each line.
type jsonLines struct {
	table.InPieces
	paths []string
	steps [][]step
	tree  *jsonNode
	found []bool
	left  map[string]bool
	count int
	spare sync.Pool // of *jsonLine of parts that were absorbed: they know how lines look
}

// leftRows is in how many rows of a piece members are looked for that no
// column takes.
const leftRows = 50

// objectPerLine reports whether the first line is an object and nothing else.
func objectPerLine(r *bufio.Reader) bool {
	head, err := r.Peek(r.Size())
	head = bytes.TrimLeft(head, " \t\r\n")
	line, _, whole := bytes.Cut(head, []byte("\n"))
	return len(line) > 0 && line[0] == '{' && (whole || err != nil) && json.Valid(line)
}

func newJSONLines(name string, f *text.File, r *bufio.Reader, notes *facts.Notes) *jsonLines {
	t := &jsonLines{left: map[string]bool{}}
	t.InPieces = table.NewInPieces(t, name, f, text.NewPieces(r, text.AfterLine).Of(f), notes)
	return t
}

// Heading is the path to a value.
func (t *jsonLines) Heading(c int) string { return t.paths[c] }

// Width is how many paths were asked for.
func (t *jsonLines) Width() int { return len(t.paths) }

// Headings are none: objects differ.
func (t *jsonLines) Headings() []string { return nil }

// Column asks for what a path leads to.
func (t *jsonLines) Column(name string) (int, error) {
	steps, err := parsePath(name)
	if err != nil {
		return -1, err
	}
	t.paths, t.steps, t.found = append(t.paths, name), append(t.steps, steps), append(t.found, false)
	t.tree = jsonTree(t.steps)
	return len(t.paths) - 1, nil
}

// jsonLineRows are the rows of one piece.
type jsonLineRows struct {
	line  *jsonLine
	whole *jsonLines
	rest  string
	at    int
	last  bool
	notes *facts.Notes
	list  *jsonList // of which the lines are elements; nil for none
	places
	count int
	left  map[string]bool

	looked, clean bool // the piece was looked through; it is UTF-8 without control characters but line feeds
}

// Part reads the lines of a piece.
func (t *jsonLines) Part(piece text.Piece, notes *facts.Notes) table.Rows {
	line, _ := t.spare.Get().(*jsonLine)
	if line == nil || len(line.row) != len(t.paths) {
		line = &jsonLine{row: make([]string, len(t.paths)), found: make([]bool, len(t.paths))}
	}
	line.reuse()
	return &jsonLineRows{whole: t, rest: piece.Text, at: piece.Line - 1, last: piece.Last, clean: piece.Plain, notes: notes,
		line: line, left: map[string]bool{}}
}

// NextRows is of table.Batcher: lines as most exports write them.
func (r *jsonLineRows) NextRows(b *table.Batch) {
	own := r.line.row
	r.line.together, r.line.from = true, 0
	defer func() { r.line.row, r.line.together, r.line.plain, r.line.from = own, false, false, 0 }()
	if !r.looked {
		r.looked, r.clean = true, r.clean && (ascii.ValidString(r.rest) || utf8.ValidString(r.rest))
	}
	r.line.plain = r.clean
	for row := b.Room(); row != nil && r.whole.tree != nil; row = b.Room() {
		r.line.row = row
		length := 0
		if r.clean {
			length = r.line.again(r.rest)
		}
		if length == 0 {
			line, _, ended := strings.Cut(r.rest, "\n")
			if !ended || !r.line.quick(line, r.whole.tree) {
				return
			}
			length = len(line) + 1
			r.line.learn()
		}
		r.rest = r.rest[length:]
		r.at++
		r.counted()
		b.Add(r.place())
	}
}

// place is that of the row that was read last.
func (r *jsonLineRows) place() table.Place {
	if r.list == nil {
		return table.Place{Line: r.at}
	}
	return r.of(r.at, r.list)
}

// counted counts a row; members that no column takes are looked for in the first.
func (r *jsonLineRows) counted() {
	if r.count++; r.count == leftRows {
		r.left, r.line.left = r.line.left, nil
	}
}

// Next returns the next object.
func (r *jsonLineRows) Next() ([]string, table.Place) {
	for r.rest != "" {
		line, rest, ended := strings.Cut(r.rest, "\n")
		r.rest = rest
		r.at++
		if strings.TrimSpace(line) == "" {
			continue
		}
		var err error
		if r.list == nil {
			err = r.read(line)
		} else {
			r.readValue(line)
		}
		if err == nil {
			r.counted()
			return r.line.row, r.place()
		}
		origin := facts.Origin{File: r.whole.Name, Line: r.at}
		if r.last && r.rest == "" && !ended {
			r.notes.Incomplete(origin, "the file ends in the middle of a row: it was cut off; take the export again")
		} else {
			r.notes.Refuse(origin, "the line is no JSON object: %s", text.ToldJSON(err))
		}
	}
	return nil, table.Place{}
}

// read reads one object, by the tree where all paths fit into it.
func (r *jsonLineRows) read(line string) error {
	t := r.whole
	if t.tree != nil {
		if r.line.quick(line, t.tree) {
			return nil
		}
		return r.line.read(line, t.tree)
	}
	if err := r.line.read(line, nil); err != nil {
		return err
	}
	node, err := decoded(line)
	if err != nil {
		return err
	}
	for i, steps := range t.steps {
		text, found := valueAt(node, steps)
		r.line.row[i], r.line.found[i] = text, r.line.found[i] || found
	}
	return nil
}

// Absorb takes in what a part has found.
func (t *jsonLines) Absorb(rows table.Rows) {
	part := rows.(*jsonLineRows)
	t.count += part.count
	maps.Copy(t.left, part.left)
	maps.Copy(t.left, part.line.left)
	for i, found := range part.line.found {
		t.found[i] = t.found[i] || found
	}
	t.spare.Put(part.line)
}

type packed struct {
	Rows  int
	Left  map[string]bool
	Found []bool
}

// Pack is of table.Divisible.
func (t *jsonLines) Pack(rows table.Rows) ([]byte, error) {
	part := rows.(*jsonLineRows)
	p := packed{part.count, map[string]bool{}, part.line.found}
	maps.Copy(p.Left, part.left)
	maps.Copy(p.Left, part.line.left)
	return json.Marshal(p)
}

// Unpack is of table.Divisible.
func (t *jsonLines) Unpack(data []byte) (table.Rows, error) {
	var p packed
	err := json.Unmarshal(data, &p)
	if len(p.Found) != len(t.found) {
		p.Found = nil
	}
	return &jsonLineRows{count: p.Rows, left: p.Left, line: &jsonLine{found: p.Found}}, err
}

// Unread names the members that no column takes.
func (t *jsonLines) Unread() facts.Unread {
	return facts.Unread{File: t.Name, Names: slices.Sorted(maps.Keys(t.left))}
}

// End tells what was not found.
func (t *jsonLines) End(notes *facts.Notes) {
	if t.count == 0 {
		notes.Incomplete(facts.Origin{File: t.Name}, "no rows were found here; check \"rows\" in the mapping")
		return
	}
	table.LeadNowhere(t.Name, t.paths, t.found, notes)
}
