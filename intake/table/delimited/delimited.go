// Package delimited reads delimited files as tables.
package delimited

import (
	"bufio"
	"cmp"
	"encoding/csv"
	"encoding/json"
	"io"
	"strings"
	"sync"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// A reading is taken for a mistake when more than refusedMost rows cannot be
// read and they are more than a tenth.
const refusedMost = 1000

// delimited reads one delimited file with a heading.
type delimited struct {
	table.InPieces
	header []string
	comma  byte
	rows   int
	bad    int
	told   *toldRows // what a client says of its rows; nil where none does
	spare  sync.Pool // of *delimitedRows that were absorbed: they have room for places
}

// toldRows is a line of a client that tells how many rows it wrote.
type toldRows struct{ Rows, Line int }

// Form is rows of fields with a character between them, as RFC 4180 writes
// them, below a row of headings.
var Form = table.Form{Name: "csv", Open: open}

func open(s *table.Source) (table.Table, error) {
	f, err := table.OpenText(s)
	if err != nil {
		return nil, err
	}
	name := s.Name
	buffered := bufio.NewReaderSize(f, 1<<16)
	head, _ := buffered.Peek(1 << 12)
	t := &delimited{comma: s.Delimiter}
	if t.comma == 0 {
		t.comma = findDelimiter(head, cmp.Or(s.Heading, 1))
	}
	t.InPieces = table.NewInPieces(t, name, f, text.NewPieces(buffered, afterRecord(t.comma)).Of(f), s.Notes)
	piece, err := t.First()
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
	for n := 1; n < s.Heading && ok; n++ { // titles
		header, _, ok, err = r.next()
	}
	if err != nil || !ok {
		f.Close()
		return nil, &intake.Unreadable{File: name, Line: 1, Message: "the heading cannot be read: " + why(err)}
	}
	for _, h := range header {
		t.header = append(t.header, strings.Clone(strings.TrimSpace(h)))
	}
	if r.pos >= len(piece.Text) && piece.Last && !strings.HasSuffix(piece.Text, "\n") {
		s.Notes.Incomplete(facts.Origin{File: name, Line: 1}, "the file ends in its headings: it was cut off; take the export again")
	}
	piece.Text, piece.Line = piece.Text[r.pos:], r.line
	t.Waiting = &piece
	return t, nil
}

// Heading is the heading of a column.
func (t *delimited) Heading(c int) string { return t.header[c] }

// Width is how many there are.
func (t *delimited) Width() int { return len(t.header) }

// Headings are all of them.
func (t *delimited) Headings() []string { return t.header }

// findDelimiter takes the character that the heading has most often.
func findDelimiter(head []byte, heading int) byte {
	line, rest, _ := strings.Cut(string(head), "\n")
	for n := 1; n < heading; {
		if line, rest, _ = strings.Cut(rest, "\n"); strings.TrimSpace(line) != "" || rest == "" {
			n++
		}
	}
	best, most := byte(','), 0
	for _, r := range ",;\t|" {
		if n := strings.Count(line, string(r)); n > most {
			best, most = byte(r), n
		}
	}
	return best
}

// Column finds a heading.
func (t *delimited) Column(name string) (int, error) { return table.Find(t.Name, t.header, name) }

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
	told  *toldRows
}

// Part reads the rows of a piece.
func (t *delimited) Part(piece text.Piece, notes *facts.Notes) table.Rows {
	r, _ := t.spare.Get().(*delimitedRows)
	if r == nil {
		r = &delimitedRows{}
	}
	*r = delimitedRows{records: r.records, whole: t, last: piece.Last, notes: notes}
	r.begin(piece.Text, piece.Line, t.comma)
	return r
}

// NextRows is of table.Batcher.
func (r *delimitedRows) NextRows(b *table.Batch) {
	before := b.Count
	r.records.batch(b)
	r.count += b.Count - before
}

// Next returns the next row.
func (r *delimitedRows) Next() ([]string, table.Place) {
	for {
		row, line, ok, err := r.records.next()
		if !ok {
			return nil, table.Place{}
		}
		r.count++
		if err == nil && len(row) == len(r.whole.header) {
			if r.atEnd() && !strings.HasSuffix(r.text, "\n") {
				r.notes.Remark(facts.Origin{File: r.whole.Name, Line: line},
					"the file does not end with a line end: its last row may have been cut")
			}
			return row, table.Place{Line: line}
		}
		r.refuse(row, line, err)
	}
}

// atEnd reports whether the file ends with the row just read.
func (r *delimitedRows) atEnd() bool { return r.last && r.pos >= len(r.text) }

// refuse notes a bad row; one at the end of the file may have been cut.
func (r *delimitedRows) refuse(row []string, line int, err error) {
	r.bad++
	origin := facts.Origin{File: r.whole.Name, Line: line}
	switch {
	case r.atEnd() && (err == csv.ErrQuote || !strings.HasSuffix(r.text, "\n")):
		r.notes.Incomplete(origin, "the file ends in the middle of a row: it was cut off; take the export again")
	case err != nil:
		r.notes.Refuse(origin, "%s", why(err))
	default:
		ending, is := text.EndingOf(row[0])
		switch {
		case is && ending.Failed:
			ending.Tell(r.notes, origin, r.count)
		case is:
			r.count, r.bad, r.told = r.count-1, r.bad-1, &toldRows{ending.Rows, line}
		default:
			r.notes.Refuse(origin, "the row has %d fields where the heading has %d", len(row), len(r.whole.header))
		}
	}
}

// Absorb counts a part's rows.
func (t *delimited) Absorb(r table.Rows) {
	part := r.(*delimitedRows)
	t.rows, t.bad = t.rows+part.count, t.bad+part.bad
	if part.told != nil {
		t.told = part.told
	}
	t.spare.Put(part)
}

type packed struct {
	Rows, Bad int
	Told      *toldRows `json:",omitempty"`
}

// Pack is of table.Divisible.
func (t *delimited) Pack(r table.Rows) ([]byte, error) {
	part := r.(*delimitedRows)
	return json.Marshal(packed{part.count, part.bad, part.told})
}

// Unpack is of table.Divisible.
func (t *delimited) Unpack(data []byte) (table.Rows, error) {
	var p packed
	err := json.Unmarshal(data, &p)
	return &delimitedRows{count: p.Rows, bad: p.Bad, told: p.Told}, err
}

// End tells where too many rows were refused, or fewer were read than written.
func (t *delimited) End(notes *facts.Notes) {
	if t.bad > refusedMost && t.bad > t.rows/10 {
		notes.Incomplete(facts.Origin{File: t.Name}, "%d of %d rows cannot be read; check the delimiter and the encoding", t.bad, t.rows)
	}
	if t.told != nil {
		text.Ending{Rows: t.told.Rows}.Tell(notes, facts.Origin{File: t.Name, Line: t.told.Line}, t.rows)
	}
}
