package jsonrows

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"slices"
	"strconv"
	"strings"
	"unsafe"

	"yewcone/core/facts"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// jsonList reads rows that are the elements of a list in a document. They are found one
// after the other and written into pieces as lines, which are then read as such.
type jsonList struct {
	jsonLines
	document *jsonTable
	next     func() (listPiece, bool)
	stop     func()
	path     string // to a row of a document of one line, up to its number; else ""
	rows     int    // that were found
	failed   error
}

// listPiece is some rows, one on each line.
type listPiece struct {
	text  []byte
	first int     // the number of its first row, from 0
	lines []int32 // on which rows begin
}

// isList reports whether rows lie in a list that only names lead to. A document without
// a path to its rows is one where it begins as one.
func isList(r *bufio.Reader, rows []step, named bool) bool {
	if named {
		return len(rows) > 0 && slices.IndexFunc(rows, func(s step) bool { return s.kind != toMember }) == len(rows)-1 && rows[len(rows)-1].kind == toAll
	}
	head, _ := r.Peek(r.Size())
	return bytes.HasPrefix(bytes.TrimLeft(head, " \t\r\n"), []byte("["))
}

func newJSONList(document *jsonTable) *jsonList {
	t := &jsonList{document: document}
	if t.left = map[string]bool{}; document.oneLine {
		t.path = strings.TrimSuffix(document.pathOf(0), "0]")
	}
	t.InPieces = table.NewInPieces(t, document.name, document.file, nil, document.notes)
	t.next, t.stop = iter.Pull(t.gather)
	return t
}

// Close closes the file.
func (t *jsonList) Close() {
	t.stop()
	t.InPieces.Close()
}

// Told is how many rows there were, and how many the service says that there are; see
// jsonTable.
func (t *jsonList) Told() (rows, all int) { return t.rows, t.document.told }

// gather writes rows into pieces.
func (t *jsonList) gather(yield func(listPiece) bool) {
	var p listPiece
	begin := func() { p = listPiece{text: make([]byte, 0, text.PieceSize+text.PieceSize/4), first: t.rows} }
	begin()
	t.failed = t.document.all(func(r jsonRow) bool {
		from := len(p.text)
		p.text = append(append(p.text, r.raw...), '\n')
		flatten(p.text[from : len(p.text)-1])
		p.lines = append(p.lines, int32(r.line))
		t.rows++
		if len(p.text) < text.PieceSize {
			return true
		}
		more := yield(p)
		begin()
		return more
	})
	if len(p.lines) > 0 && !errors.Is(t.failed, errStopped) {
		yield(p)
	}
}

// flatten turns white space between values into blanks: texts have no line ends.
func flatten(raw []byte) {
	for i, c := range raw {
		if c < ' ' {
			raw[i] = ' '
		}
	}
}

// NextPiece is of table.Divisible. Its line is the number of its first row in the
// document, from 1.
func (t *jsonList) NextPiece(notes *facts.Notes) (text.Piece, bool) {
	p, ok := t.next()
	if !ok {
		if t.failed != nil && t.failed != io.EOF {
			t.document.broken(notes, t.failed)
		}
		return text.Piece{}, false
	}
	return text.Piece{Text: unsafe.String(unsafe.SliceData(p.text), len(p.text)), Line: p.first + 1, Plain: true, Lines: p.lines}, true
}

// Part reads the rows of a piece.
func (t *jsonList) Part(piece text.Piece, notes *facts.Notes) table.Rows {
	r := t.jsonLines.Part(piece, notes).(*jsonLineRows)
	r.list, r.at, r.places = t, 0, places{lines: piece.Lines, first: piece.Line - 1}
	return r
}

// readValue reads a row of a list, which is sound but may be no object.
func (r *jsonLineRows) readValue(line string) {
	t := r.whole
	if t.tree != nil && line[0] == '{' && (r.line.quick(line, t.tree) || r.line.read(line, t.tree) == nil) {
		return
	}
	node, _ := decoded(line)
	for i, steps := range t.steps {
		text, found := valueAt(node, steps)
		r.line.row[i], r.line.found[i] = text, r.line.found[i] || found
	}
}

// places are those of the rows of a piece.
type places struct {
	lines []int32
	first int
	paths []byte // written so far, of a document of one line
}

// of is the place of a row, counted from 1.
func (p *places) of(n int, list *jsonList) table.Place {
	at := table.Place{Line: int(p.lines[n-1])}
	if path := list.path; path != "" {
		from := len(p.paths)
		p.paths = append(strconv.AppendInt(append(p.paths, path...), int64(p.first+n-1), 10), ']')
		at.Part = unsafe.String(&p.paths[from], len(p.paths)-from) // what is written stays
	}
	return at
}

// End tells what was not found.
func (t *jsonList) End(notes *facts.Notes) {
	switch {
	case t.failed != nil && t.failed != io.EOF:
	case t.rows == 0:
		notes.Incomplete(facts.Origin{File: t.Name}, "no rows were found here; check \"rows\" in the mapping")
	default:
		table.LeadNowhere(t.Name, t.paths, t.found, notes)
	}
}

// elements yields those of a list whose opening bracket was read, and leaves the decoder
// before its closing one.
func (t *jsonTable) elements(yield func(jsonRow) bool) error {
	w := window{t: t, from: t.base + t.decoder.InputOffset()}
	w.buf, _ = io.ReadAll(t.decoder.Buffered())
	for first := true; ; first = false {
		sign, err := w.sign()
		if err != nil {
			return err
		}
		if sign == ']' {
			t.resume(&w)
			return nil
		}
		if !first {
			if sign != ',' {
				return w.fail(fmt.Sprintf("expected a comma or a closing bracket, found %q", sign))
			}
			w.at++
			if _, err := w.sign(); err != nil {
				return err
			}
		}
		row := jsonRow{line: t.counter.Line(w.from + int64(w.at))}
		if row.raw, err = w.value(); err != nil {
			return err
		}
		if !yield(row) {
			return errStopped
		}
	}
}

// resume goes on with the decoder behind a window, with a new one that has read what
// brings it to the same place: there is no other way to put text back.
func (t *jsonTable) resume(w *window) {
	var within []byte
	for _, sign := range t.within {
		if within = append(within, sign); sign == '{' {
			within = append(within, `"":`...)
		}
	}
	rest := slices.Concat(within, w.buf[w.at:])
	t.base = w.from + int64(w.at-len(within))
	t.decoder = json.NewDecoder(io.MultiReader(bytes.NewReader(rest), t.counter))
	t.decoder.UseNumber()
	for range len(t.within) + bytes.Count(t.within, []byte{'{'}) {
		_, _ = t.decoder.Token()
	}
}

// A window is what was read of a list and is looked at.
type window struct {
	t     *jsonTable
	buf   []byte
	at    int   // in it
	from  int64 // where it begins in the document
	ended bool  // there is no more
	line  jsonLine
}

// windowSize is how much is read at a time; tests make it small.
var windowSize = 1 << 16

// more reads on. What was looked at is let go.
func (w *window) more() error {
	if len(w.buf)-w.at > text.MaxRow {
		w.t.stopped = w.from + int64(w.at)
		return text.ErrTooLong
	}
	w.from += int64(w.at)
	w.buf = w.buf[:copy(w.buf, w.buf[w.at:])]
	w.at = 0
	w.t.file.Mark()
	size := len(w.buf)
	w.buf = slices.Grow(w.buf, max(size, windowSize))
	n, err := io.ReadFull(w.t.counter, w.buf[size:cap(w.buf)])
	w.buf = w.buf[:size+n]
	if err == io.EOF || err == io.ErrUnexpectedEOF {
		w.ended, err = true, nil
	}
	return err
}

// sign is the next one that is no white space.
func (w *window) sign() (byte, error) {
	for {
		for w.at < len(w.buf) {
			switch c := w.buf[w.at]; c {
			case ' ', '\t', '\r', '\n':
				w.at++
			default:
				return c, nil
			}
		}
		if w.ended {
			w.t.stopped = w.from + int64(w.at)
			return 0, io.ErrUnexpectedEOF
		}
		if err := w.more(); err != nil {
			return 0, err
		}
	}
}

// value is the next value as it is written; good until the next one is read.
func (w *window) value() (string, error) {
	const longest = len("false") + 1 // what may be cut off, with a bad sign before it in sight
	for {
		p := &w.line
		p.s, p.i = unsafe.String(&w.buf[w.at], len(w.buf)-w.at), 0
		err := p.skip(1)
		if w.ended || err == nil && p.i < len(p.s) || err != nil && p.i+longest < len(p.s) {
			switch {
			case err != nil && p.i >= len(p.s):
				w.at = len(w.buf)
				w.t.stopped = w.from + int64(w.at)
				return "", io.ErrUnexpectedEOF
			case err != nil:
				w.at += p.i
				_, what, _ := strings.Cut(err.Error(), ": ")
				return "", w.fail(what)
			case p.i > text.MaxRow:
				w.t.stopped = w.from + int64(w.at)
				return "", text.ErrTooLong
			}
			w.at += p.i
			return p.s[:p.i], nil
		}
		if err := w.more(); err != nil {
			return "", err
		}
	}
}

// fail is an error at the place that was come to.
func (w *window) fail(what string) error {
	w.t.stopped = w.from + int64(w.at)
	return errors.New(what)
}
