package mapping

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"path"
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

// A table is rows of texts, whatever file they stand in.
type table interface {
	// column finds a column by its heading, or by its path in JSON, and notes
	// in the plan what is wrong with the name; -1 then.
	column(p *plan, name strictyaml.Text) int
	// heading is what a column is called, for people.
	heading(column int) string
	// headings lists all columns; nil where a file has none.
	headings() []string
	// next returns the next row and its line, or nil at the end. The row is
	// only good until the next call.
	next() ([]string, int)
	// path is the file, as origins name it.
	path() string
	close()
}

// shape is what a mapping says of the form of a file.
type shape struct {
	form    *strictyaml.Text // csv, json, ini or xlsx; by the name's ending when nil
	rows    *strictyaml.Text // path of the rows in JSON
	sheet   *strictyaml.Text // of a workbook
	heading int              // the row with the headings of a sheet
}

var forms = []string{"csv", "json", "ini", "xlsx"}

var formOfEnding = map[string]string{".json": "json", ".jsonl": "json", ".ndjson": "json", ".ini": "ini", ".conf": "ini", ".cfg": "ini", ".properties": "ini", ".xlsx": "xlsx"}

// openTable opens a file in the form that the mapping says or its name ends
// in.
func (e *export) openTable(name string, s shape) (table, error) {
	form := formOfEnding[path.Ext(strings.TrimSuffix(strings.TrimSuffix(name, ".gz"), ".zst"))]
	if s.form != nil {
		form = e.plan.choice(*s.form, forms...)
	}
	if form == "xlsx" {
		return e.openSheet(name, s)
	}
	f, err := text.Open(e.request.Path(name), e.plan.encoding)
	if err != nil {
		return nil, intake.CannotOpen(name, err)
	}
	if f.Encoding == "windows-1252" && e.plan.encoding == "" {
		e.notes.Remark(estate.Origin{File: name}, "read as Windows-1252, since it is no UTF-8; say \"encoding\" in the mapping if that is wrong")
	}
	switch form {
	case "json":
		return e.openJSON(name, f, s)
	case "ini":
		return newINI(name, f, &e.notes), nil
	}
	return e.openDelimited(name, f)
}

// delimited reads one delimited file with a heading.
type delimited struct {
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

func (e *export) openDelimited(name string, f *text.File) (table, error) {
	buffered := bufio.NewReaderSize(f, 1<<16)
	head, _ := buffered.Peek(1 << 12)
	t := &delimited{name: name, file: f, csv: csv.NewReader(buffered), notes: &e.notes}
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

func (t *delimited) close()               { t.file.Close() }
func (t *delimited) path() string         { return t.name }
func (t *delimited) heading(c int) string { return t.header[c] }
func (t *delimited) headings() []string   { return t.header }

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

// next returns the next row and its line, or nil at the end.
func (t *delimited) next() ([]string, int) {
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
func (t *delimited) end() {
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
func (t *delimited) flush() {
	if t.pending != nil {
		t.notes.Refuse(t.pending.Origin, "%s", t.pending.Message)
		t.pending = nil
	}
}

// refuse holds a bad row back for noting, and says whether to read on.
func (t *delimited) refuse(fields int, err error) bool {
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
