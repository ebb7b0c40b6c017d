package mapping

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"github.com/xuri/excelize/v2"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/strictyaml"
	"yewcone/intake"
)

// Limits on what a workbook may unpack to, in bytes.
const (
	maxWorkbook = 4 << 30
	maxPart     = 64 << 20 // held in memory; larger parts go through a file
)

// sheetTable reads one sheet of a workbook. Cells come as they are stored:
// dates as days since 1899-12-30, yes and no as 1 and 0.
type sheetTable struct {
	name   string
	book   *excelize.File
	rows   *excelize.Rows
	header []string
	line   int
	row    []string
	notes  *facts.Notes
}

func (e *export) openSheet(name string, s shape, notes *facts.Notes) (table, error) {
	book, err := excelize.OpenFile(e.request.Path(name), excelize.Options{UnzipSizeLimit: maxWorkbook, UnzipXMLSizeLimit: maxPart})
	if errors.Is(err, fs.ErrNotExist) {
		return nil, intake.CannotOpen(name, err)
	}
	if err != nil {
		return nil, &intake.Unreadable{File: name, Message: "no workbook: " + err.Error() + "; take the export again", Err: err}
	}
	t := &sheetTable{name: name, book: book, notes: notes}
	sheets := book.GetSheetList()
	sheet := sheets[0]
	if s.sheet != nil {
		sheet = s.sheet.Value
	}
	if t.rows, err = book.Rows(sheet); err != nil {
		t.close()
		if s.sheet == nil {
			return nil, &intake.Unreadable{File: name, Message: err.Error(), Err: err}
		}
		return nil, s.sheet.At(0, "%s has no sheet %q; it has %s%s", name, sheet, strings.Join(sheets, ", "),
			nearword.Advice(sheet, sheets))
	}
	for range cmp.Or(s.heading, 1) {
		cells, ok := t.read()
		if !ok {
			t.close()
			return nil, &intake.Unreadable{File: name, Message: fmt.Sprintf("the sheet %s has no row %d with headings",
				sheet, cmp.Or(s.heading, 1))}
		}
		t.header = append([]string(nil), cells...)
	}
	return t, nil
}

func (t *sheetTable) close() {
	if t.rows != nil {
		t.rows.Close()
	}
	t.book.Close()
}

func (t *sheetTable) path() string         { return t.name }
func (t *sheetTable) heading(c int) string { return t.header[c] }
func (t *sheetTable) headings() []string   { return t.header }

func (t *sheetTable) column(p *plan, name strictyaml.Text) int {
	return columnOf(p, t.name, t.header, name)
}

// read returns the cells of the next row.
func (t *sheetTable) read() ([]string, bool) {
	if !t.rows.Next() {
		if err := t.rows.Error(); err != nil {
			t.notes.Incomplete(facts.Origin{File: t.name, Line: t.line}, "the sheet cannot be read on: %s", err)
		}
		return nil, false
	}
	t.line++
	cells, err := t.rows.Columns(excelize.Options{RawCellValue: true})
	if err != nil {
		t.notes.Incomplete(facts.Origin{File: t.name, Line: t.line}, "the sheet cannot be read on: %s", err)
		return nil, false
	}
	for i := range cells {
		cells[i] = strings.TrimSpace(cells[i])
	}
	return cells, true
}

// next leaves out rows that are empty throughout.
func (t *sheetTable) next() ([]string, int) {
	for {
		cells, ok := t.read()
		if !ok {
			return nil, 0
		}
		if strings.Join(cells, "") == "" {
			continue
		}
		t.row = append(t.row[:0], cells...)
		for len(t.row) < len(t.header) {
			t.row = append(t.row, "")
		}
		return t.row, t.line
	}
}
