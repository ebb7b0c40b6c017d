package mapping

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"

	"yewcone/core/estate"
	"yewcone/core/nearword"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/text"
)

// Rows that cannot be read end the reading when there are more than
// refusedMost and they are more than a tenth.
const refusedMost = 1000

// table reads one delimited file with a heading.
type table struct {
	name   string
	file   *text.File
	csv    *csv.Reader
	header []string
	notes  *estate.Notes
	rows   int
	bad    int
	line   int // of the last row

	pending     *estate.Note // a bad row, until it is known whether it is the last
	pendingOpen bool         // it ends inside a quoted field
}

func (e *export) openTable(name string) (*table, error) {
	f, err := text.Open(e.request.Path(name), e.plan.encoding)
	if err != nil {
		return nil, intake.CannotOpen(name, err)
	}
	if f.Encoding == "windows-1252" && e.plan.encoding == "" {
		e.notes.Remark(estate.Origin{File: name}, "read as Windows-1252, since it is no UTF-8; say \"encoding\" in the mapping if that is wrong")
	}
	buffered := bufio.NewReaderSize(f, 1<<16)
	head, _ := buffered.Peek(1 << 12)
	t := &table{name: name, file: f, csv: csv.NewReader(buffered), notes: &e.notes}
	t.csv.Comma = e.plan.delimiter
	if t.csv.Comma == 0 {
		t.csv.Comma = findDelimiter(head)
	}
	header, err := t.csv.Read()
	if err != nil {
		f.Close()
		if err == io.EOF {
			return nil, &intake.Unreadable{File: name, Message: "the file is empty; take the export again"}
		}
		return nil, &intake.Unreadable{File: name, Line: 1, Message: "the heading cannot be read: " + err.Error(), Err: err}
	}
	for i := range header {
		t.header = append(t.header, strings.TrimSpace(header[i]))
	}
	t.csv.ReuseRecord = true
	return t, nil
}

func (t *table) close() { t.file.Close() }

// findDelimiter takes the character that the heading has most often.
func findDelimiter(head []byte) rune {
	line, _, _ := strings.Cut(string(head), "\n")
	best, most := ',', 0
	for _, r := range ",;\t|" {
		if n := strings.Count(line, string(r)); n > most {
			best, most = r, n
		}
	}
	return best
}

// column finds a heading.
func (t *table) column(p *plan, name strictyaml.Text) int {
	for i, h := range t.header {
		if h == name.Value {
			return i
		}
	}
	advice := nearword.Advice(name.Value, t.header)
	if advice == "" {
		advice = "; it has " + strings.Join(t.header, ", ")
	}
	p.fail(name, "%s has no column %q%s", t.name, name.Value, advice)
	return -1
}

// next returns the next row and its line, or nil at the end.
func (t *table) next() ([]string, int) {
	for {
		row, err := t.csv.Read()
		if err == io.EOF {
			t.end()
			return nil, 0
		}
		t.flush()
		t.rows++
		if err == nil {
			line, _ := t.csv.FieldPos(0)
			t.line = line
			return row, line
		}
		if !t.refuse(len(row), err) {
			return nil, 0
		}
	}
}

// end judges the file's last row: one without a line end may have been cut.
func (t *table) end() {
	switch {
	case t.pending != nil && (t.pendingOpen || !t.file.EndsInLine()):
		t.notes.Cut(t.pending.Origin, "the file ends in the middle of a row: it was cut off; take the export again")
	case t.pending != nil:
		t.flush()
	case !t.file.EndsInLine():
		t.notes.Remark(estate.Origin{File: t.name, Line: t.line}, "the file does not end with a line end: its last row may have been cut")
	}
	t.pending = nil
}

// flush notes the bad row that was held back until it was known not to be the
// last one.
func (t *table) flush() {
	if t.pending != nil {
		t.notes.Refuse(t.pending.Origin, "%s", t.pending.Message)
		t.pending = nil
	}
}

// refuse holds a bad row back for noting, and says whether to read on.
func (t *table) refuse(fields int, err error) bool {
	t.bad++
	var at *csv.ParseError
	if !errors.As(err, &at) {
		t.notes.Cut(estate.Origin{File: t.name}, "the file cannot be read on after %d rows: %s", t.rows-1, err)
		return false
	}
	t.line, t.pendingOpen = at.StartLine, errors.Is(err, csv.ErrQuote)
	message := "the row cannot be read: " + at.Err.Error()
	switch {
	case errors.Is(err, csv.ErrFieldCount):
		message = fmt.Sprintf("the row has %d fields where the heading has %d", fields, len(t.header))
	case t.pendingOpen:
		message = "a quoted field is not closed, or has a quote inside that is not doubled"
	case errors.Is(err, csv.ErrBareQuote):
		message = "a quote stands inside a field that is not quoted"
	}
	t.pending = &estate.Note{Origin: estate.Origin{File: t.name, Line: at.StartLine}, Message: message}
	if t.bad > refusedMost && t.bad > t.rows/10 {
		t.notes.Cut(t.pending.Origin, "more than a tenth of the first %d rows cannot be read; check the delimiter and the encoding", t.rows)
		return false
	}
	return true
}
