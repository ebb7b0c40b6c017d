package mapping

import (
	"path"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/text"
)

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

// absent stands in a row for what the row lacks: in JSON a member that is not
// there says less than one that is null or empty.
const absent = "\x00"

// cell is a trimmed text of a row; "" for what the row lacks.
func cell(row []string, column int) string {
	if row[column] == absent {
		return ""
	}
	return strings.TrimSpace(row[column])
}

// shape is what a mapping says of the form of a file.
type shape struct {
	form    *strictyaml.Text // csv, json, ini, ldif, xml or xlsx; by the name's ending when nil
	rows    *strictyaml.Text // path of the rows in JSON and XML, object class of the entries in LDIF
	sheet   *strictyaml.Text // of a workbook
	heading int              // the row with the headings of a sheet
}

var forms = []string{"csv", "json", "ini", "ldif", "xml", "xlsx"}

var formOfEnding = map[string]string{".json": "json", ".jsonl": "json", ".ndjson": "json", ".ini": "ini", ".conf": "ini",
	".cfg": "ini", ".properties": "ini", ".xlsx": "xlsx", ".xml": "xml", ".ldif": "ldif", ".ldf": "ldif"}

// openTable opens a file in the form that the mapping says or its name ends
// in.
func (e *export) openTable(name string, s shape, notes *facts.Notes) (table, error) {
	form := formOfEnding[path.Ext(strings.TrimSuffix(strings.TrimSuffix(name, ".gz"), ".zst"))]
	if s.form != nil {
		form = e.plan.choice(*s.form, forms...)
	}
	if form == "xlsx" {
		return e.openSheet(name, s, notes)
	}
	f, err := text.Open(e.request.Path(name), e.plan.encoding)
	if err != nil {
		return nil, intake.CannotOpen(name, err)
	}
	if f.Encoding == "windows-1252" && e.plan.encoding == "" {
		notes.Remark(facts.Origin{File: name}, "read as Windows-1252, since it is no UTF-8; say \"encoding\" in the "+
			"mapping if that is wrong")
	}
	switch form {
	case "json":
		return e.openJSON(name, f, s, notes)
	case "ini":
		return newINI(name, f, notes), nil
	case "xml":
		return e.openXML(name, f, s, notes), nil
	case "ldif":
		return newLDIF(name, f, s, notes), nil
	}
	return e.openDelimited(name, f, notes)
}
