package mapping

import (
	"bufio"
	"encoding/csv"
	"io"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/text"
)

// A reading is taken for a mistake when more than refusedMost rows cannot be
// read and they are more than a tenth.
const refusedMost = 1000

// delimited reads one delimited file with a heading.
type delimited struct {
	inPieces
	header []string
	comma  byte
	rows   int
	bad    int
}

func (e *export) openDelimited(name string, f *text.File, notes *facts.Notes) (table, error) {
	buffered := bufio.NewReaderSize(f, 1<<16)
	head, _ := buffered.Peek(1 << 12)
	t := &delimited{comma: byte(e.plan.delimiter)}
	if t.comma == 0 {
		t.comma = findDelimiter(head)
	}
	t.inPieces = newInPieces(t, name, f, text.NewPieces(buffered, afterRecord(t.comma)), notes)
	piece, err := t.pieces.Next()
	if err == io.EOF {
		f.Close()
		return nil, &intake.Unreadable{File: name, Message: "the file is empty; take the export again"}
	}
	if err != nil {
		f.Close()
		return nil, &intake.Unreadable{File: name, Line: 1, Message: "the heading cannot be read: " + err.Error(), Err: err}
	}
	r := records{text: piece.Text, line: piece.Line, comma: t.comma}
	header, _, ok, err := r.next()
	if err != nil || !ok {
		f.Close()
		return nil, &intake.Unreadable{File: name, Line: 1, Message: "the heading cannot be read: " + why(err)}
	}
	for _, h := range header {
		t.header = append(t.header, strings.Clone(strings.TrimSpace(h)))
	}
	t.waiting = &text.Piece{Text: piece.Text[r.pos:], Line: r.line, Last: piece.Last}
	return t, nil
}

func (t *delimited) heading(c int) string { return t.header[c] }
func (t *delimited) headings() []string   { return t.header }

// findDelimiter takes the character that the heading has most often.
func findDelimiter(head []byte) byte {
	line, _, _ := strings.Cut(string(head), "\n")
	best, most := byte(','), 0
	for _, r := range ",;\t|" {
		if n := strings.Count(line, string(r)); n > most {
			best, most = byte(r), n
		}
	}
	return best
}

// column finds a heading.
func (t *delimited) column(p *plan, name strictyaml.Text) int {
	return columnOf(p, t.name, t.header, name)
}

// columnOf finds a heading.
func columnOf(p *plan, file string, header []string, name strictyaml.Text) int {
	for i, h := range header {
		if h == name.Value {
			return i
		}
	}
	advice := nearword.Advice(name.Value, header)
	if advice == "" {
		advice = "; it has " + strings.Join(header, ", ")
	}
	p.fail(name, "%s has no column %q%s", file, name.Value, advice)
	return -1
}

// why says in words what is wrong with a row.
func why(err error) string {
	switch err {
	case nil:
		return "there is none"
	case csv.ErrQuote:
		return "a quoted field is not closed, or has a quote inside that is not doubled"
	case csv.ErrBareQuote:
		return "a quote stands inside a field that is not quoted"
	}
	return err.Error()
}

// delimitedRows are the rows of one piece.
type delimitedRows struct {
	records
	whole *delimited
	last  bool // of the file's pieces
	notes *facts.Notes
	count int
	bad   int
}

func (t *delimited) part(piece text.Piece, notes *facts.Notes) pieceRows {
	return &delimitedRows{records: records{text: piece.Text, line: piece.Line, comma: t.comma}, whole: t, last: piece.Last, notes: notes}
}

func (r *delimitedRows) next() ([]string, int) {
	for {
		row, line, ok, err := r.records.next()
		if !ok {
			return nil, 0
		}
		r.count++
		if err == nil && len(row) == len(r.whole.header) {
			if r.atEnd() && !strings.HasSuffix(r.text, "\n") {
				r.notes.Remark(facts.Origin{File: r.whole.name, Line: line},
					"the file does not end with a line end: its last row may have been cut")
			}
			return row, line
		}
		r.refuse(row, line, err)
	}
}

// atEnd reports whether the file ends with the row just read.
func (r *delimitedRows) atEnd() bool { return r.last && r.pos >= len(r.text) }

// refuse notes a bad row; one at the end of the file may have been cut.
func (r *delimitedRows) refuse(row []string, line int, err error) {
	r.bad++
	origin := facts.Origin{File: r.whole.name, Line: line}
	switch {
	case r.atEnd() && (err == csv.ErrQuote || !strings.HasSuffix(r.text, "\n")):
		r.notes.Incomplete(origin, "the file ends in the middle of a row: it was cut off; take the export again")
	case err != nil:
		r.notes.Refuse(origin, "%s", why(err))
	default:
		r.notes.Refuse(origin, "the row has %d fields where the heading has %d", len(row), len(r.whole.header))
	}
}

func (t *delimited) absorb(r pieceRows) {
	part := r.(*delimitedRows)
	t.rows, t.bad = t.rows+part.count, t.bad+part.bad
}

func (t *delimited) end(notes *facts.Notes) {
	if t.bad > refusedMost && t.bad > t.rows/10 {
		notes.Incomplete(facts.Origin{File: t.name}, "%d of %d rows cannot be read; check the delimiter and the encoding", t.bad, t.rows)
	}
}
