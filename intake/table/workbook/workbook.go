// Package workbook reads the sheets of workbooks as tables.
package workbook

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"github.com/xuri/excelize/v2"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/intake"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// Limits on what a workbook may unpack to, in bytes.
const (
	maxWorkbook = 1 << 30
	maxPart     = 64 << 20 // held in memory; larger parts go through a file
)

// sheetTable reads one sheet of a workbook. Cells come as they are stored:
// dates as days since 1899-12-30 or 1904-01-01, yes and no as 1 and 0.
type sheetTable struct {
	file   facts.Origin
	book   *excelize.File
	rows   *excelize.Rows
	header []string
	line   int
	row    []string
	notes  *facts.Notes
}

// Form is a workbook, with the sheet that has the rows.
var Form = table.Form{Name: "xlsx", Endings: []string{".xlsx"}, Open: open}

// Options are how workbooks are opened.
var Options = excelize.Options{UnzipSizeLimit: maxWorkbook, UnzipXMLSizeLimit: maxPart}

func open(s *table.Source) (table.Table, error) {
	name := s.Name
	if err := text.Regular(s.File); err != nil {
		return nil, intake.CannotOpen(name, err)
	}
	if err := whole(s.File); errors.Is(err, fs.ErrPermission) {
		return nil, intake.CannotOpen(name, err)
	} else if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, &intake.Unreadable{File: name, Message: "no whole workbook: " + err.Error() + "; take the export again", Err: err}
	}
	book, err := excelize.OpenFile(s.File, Options)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, intake.CannotOpen(name, err)
	}
	if err != nil {
		return nil, &intake.Unreadable{File: name, Message: "no workbook: " + err.Error() + "; take the export again", Err: err}
	}
	t := &sheetTable{file: facts.Origin{File: name}, book: book, notes: s.Notes}
	sheets := book.GetSheetList()
	sheet := sheets[0]
	if s.Sheet != nil {
		sheet = s.Sheet.Value
	}
	if len(sheets) > 1 {
		t.file.Part = sheet
	}
	if t.rows, err = book.Rows(sheet); err != nil {
		t.Close()
		if s.Sheet == nil {
			return nil, &intake.Unreadable{File: name, Message: err.Error(), Err: err}
		}
		return nil, s.Sheet.At(0, "%s has no sheet %q; it has %s%s", name, sheet, strings.Join(sheets, ", "),
			nearword.Advice(sheet, sheets))
	}
	for range cmp.Or(s.Heading, 1) {
		cells, ok := t.read()
		if !ok {
			t.Close()
			return nil, &intake.Unreadable{File: name, Message: fmt.Sprintf("the sheet %s has no row %d with headings",
				sheet, cmp.Or(s.Heading, 1))}
		}
		t.header = append([]string(nil), cells...)
	}
	return t, nil
}

// From1904 reports whether the workbook counts days from 1904.
func (t *sheetTable) From1904() bool {
	properties, err := t.book.GetWorkbookProps()
	return err == nil && properties.Date1904 != nil && *properties.Date1904
}

// Close closes the workbook.
func (t *sheetTable) Close() {
	if t.rows != nil {
		t.rows.Close()
	}
	t.book.Close()
}

// Origin names the file and, where it has several, the sheet.
func (t *sheetTable) Origin() facts.Origin { return t.file }

// Heading is the heading of a column.
func (t *sheetTable) Heading(c int) string { return t.header[c] }

// Headings are all of them.
func (t *sheetTable) Headings() []string { return t.header }

// Column finds a heading.
func (t *sheetTable) Column(name string) (int, error) {
	return table.Find(t.file.String(), t.header, name)
}

// read returns the cells of the next row.
func (t *sheetTable) read() ([]string, bool) {
	if !t.rows.Next() {
		if err := t.rows.Error(); err != nil {
			t.notes.Incomplete(table.Place{Line: t.line}.In(t.file), "the sheet cannot be read on: %s", err)
		}
		return nil, false
	}
	t.line++
	cells, err := t.rows.Columns(excelize.Options{RawCellValue: true})
	if err != nil {
		t.notes.Incomplete(table.Place{Line: t.line}.In(t.file), "the sheet cannot be read on: %s", err)
		return nil, false
	}
	for i := range cells {
		cells[i] = strings.TrimSpace(cells[i])
	}
	return cells, true
}

// Next leaves out rows that are empty throughout.
func (t *sheetTable) Next() ([]string, table.Place) {
	for {
		cells, ok := t.read()
		if !ok {
			return nil, table.Place{}
		}
		if strings.Join(cells, "") == "" {
			continue
		}
		t.row = append(t.row[:0], cells...)
		for len(t.row) < len(t.header) {
			t.row = append(t.row, "")
		}
		return t.row, table.Place{Line: t.line}
	}
}
