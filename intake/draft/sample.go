package draft

import (
	"encoding/json"
	"maps"
	"path"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/table"
	"yewcone/intake/table/forms"
	"yewcone/intake/table/jsonrows"
	"yewcone/intake/table/keyvalue"
	"yewcone/intake/table/workbook"
	"yewcone/intake/text"
)

// takeSamples reads the first rows of every table in a file.
func takeSamples(r *intake.Request, name string) ([]sample, error) {
	base := path.Base(name)
	switch form := forms.Of("", name).Name; form {
	case "ldif", "xml":
		return treeSample(r, name, base, form)
	case "xlsx":
		return sheetSamples(r, name, base)
	case "json":
		return jsonSamples(r, name, base)
	case "parquet":
		t, err := openTable(r, name, "", nil)
		if err != nil {
			return nil, err
		}
		defer t.Close()
		for _, heading := range t.Headings() {
			if _, err := t.Column(heading); err != nil { // only what is asked for is read
				return nil, err
			}
		}
		return []sample{{file: base, header: t.Headings(), rows: firstRows(t)}}, nil
	case "ini":
		t, err := openTable(r, name, "", nil)
		if err != nil {
			return nil, err
		}
		defer t.Close()
		return []sample{{file: base, header: keyvalue.Header, rows: firstRows(t)}}, nil
	}
	samples, err := delimitedSample(r, name, base)
	if len(samples) == 1 && len(samples[0].header) > 1 && len(samples[0].rows) > 0 || strings.HasSuffix(name, ".csv") || strings.HasSuffix(name, ".tsv") {
		return samples, err
	}
	if printed := printedSample(r, name, base); printed != nil {
		return []sample{*printed}, nil
	}
	return samples, err
}

// printedSample takes what a console printed: columns below one another, or
// lines of keys and values; nil where it reads like neither.
func printedSample(r *intake.Request, name, base string) *sample {
	for heading := 1; heading <= deepestHeading; heading++ {
		t, err := forms.Of("columns", name).Open(&table.Source{Name: name, File: r.Path(name), Heading: heading, Notes: &facts.Notes{}})
		if err != nil {
			break
		}
		s := sample{file: base, heading: heading, form: "columns", header: t.Headings(), rows: firstRows(t)}
		t.Close()
		if len(s.header) >= 2 && table.NoHeading(s.header) == "" && len(s.rows) > 0 && s.kindOf() == "accounts" {
			return &s
		}
	}
	t, err := openTable(r, name, "blanks", nil)
	if err != nil {
		return nil
	}
	defer t.Close()
	if s := (sample{file: base, form: "blanks", header: t.Headings(), rows: firstRows(t)}); s.kindOf() == "pairs" {
		return &s
	}
	return nil
}

// deepestHeading is how far down headings are looked for, below titles.
const deepestHeading = 15

// delimitedSample takes the rows of a delimited file below its headings: the
// first row that can be one of headings and has rows of its width below it. Where
// there is none, the first row is not shown.
func delimitedSample(r *intake.Request, name, base string) ([]sample, error) {
	var first []string
	for heading := 1; heading <= deepestHeading; heading++ {
		notes := &facts.Notes{}
		t, err := forms.Of("", name).Open(&table.Source{Name: name, File: r.Path(name), Heading: heading, Notes: notes})
		if err != nil && heading == 1 {
			return nil, err
		}
		if err != nil {
			break
		}
		header, rows := t.Headings(), firstRows(t)
		t.Close()
		if first == nil {
			first = header
		}
		if len(header) >= 2 && mostly(header) && table.NoHeading(header) == "" && (len(rows) > 0 || heading == 1) && notes.Refused() <= len(rows) {
			return []sample{{file: base, heading: heading, header: header, rows: rows}}, nil
		}
	}
	if odd := table.NoHeading(first); odd != "" {
		return nil, &intake.Unreadable{File: name, Line: 1, Message: "the first row reads like values, not headings (" + odd +
			"); put a row of headings above it"}
	}
	return []sample{{file: base, header: first}}, nil
}

// mostly reports whether more than half of a row is filled; a title stands
// alone in one that is not.
func mostly(row []string) bool {
	filled := 0
	for _, cell := range row {
		if cell != "" {
			filled++
		}
	}
	return 2*filled > len(row)
}

func openTable(r *intake.Request, name, form string, rows *strictyaml.Text) (table.Table, error) {
	return forms.Of(form, name).Open(&table.Source{Name: name, File: r.Path(name), Rows: rows, Notes: &facts.Notes{}})
}

func firstRows(t table.Table) [][]string {
	var rows [][]string
	for row, _ := t.Next(); row != nil && len(rows) < sampleRows; row, _ = t.Next() {
		rows = append(rows, slices.Clone(row))
	}
	return rows
}

// sheetSamples takes each sheet; the headings are the first row with at least
// two texts, below titles.
func sheetSamples(r *intake.Request, name, base string) ([]sample, error) {
	book, err := excelize.OpenFile(r.Path(name), workbook.Options)
	if err != nil {
		return nil, &intake.Unreadable{File: name, Message: "no workbook: " + err.Error(), Err: err}
	}
	defer book.Close()
	var samples []sample
	for _, sheet := range book.GetSheetList() {
		cursor, err := book.Rows(sheet)
		if err != nil {
			return nil, &intake.Unreadable{File: name, Message: err.Error(), Err: err}
		}
		s := sample{file: base, sheet: sheet}
		for n := 1; cursor.Next() && len(s.rows) < sampleRows; n++ {
			cells, err := cursor.Columns(excelize.Options{RawCellValue: true})
			if err != nil {
				break
			}
			texts := slices.DeleteFunc(slices.Clone(cells), func(c string) bool { return c == "" || numbers([]string{c}) })
			switch {
			case s.header == nil && len(texts) >= 2 && len(texts) == len(cells):
				s.header, s.heading = cells, n
			case s.header != nil && strings.Join(cells, "") != "":
				for len(cells) < len(s.header) {
					cells = append(cells, "")
				}
				s.rows = append(s.rows, cells)
			}
		}
		cursor.Close()
		if s.header != nil {
			samples = append(samples, s)
		}
	}
	return samples, nil
}

// jsonSamples takes the texts of the document itself as one sample, and each
// list of objects in it as another.
func jsonSamples(r *intake.Request, name, base string) ([]sample, error) {
	f, err := text.Open(r.Path(name), "")
	if err != nil {
		return nil, intake.CannotOpen(name, err)
	}
	defer f.Close()
	d := json.NewDecoder(f)
	d.UseNumber()
	var doc any
	if err := d.Decode(&doc); err != nil {
		return nil, &intake.Unreadable{File: name, Message: "no JSON: " + text.ToldJSON(err).Error(), Err: err}
	}
	if docs := []any{doc}; d.More() { // an object on each line
		for len(docs) < sampleRows && d.Decode(&doc) == nil {
			docs = append(docs, doc)
			doc = nil
		}
		return []sample{objectSample(base, "", docs)}, nil
	}
	if list, ok := doc.([]any); ok {
		return []sample{objectSample(base, "", list)}, nil
	}
	leaves, lists := map[string]string{}, map[string][]any{}
	flatten("$", doc, leaves, lists, 0)
	var samples []sample
	settings := sample{file: base, document: true, header: slices.Sorted(maps.Keys(leaves)), rows: [][]string{nil}}
	known := 0
	for _, h := range settings.header {
		settings.rows[0] = append(settings.rows[0], leaves[h])
		if match(settingClues, h) != "" {
			known++
		}
	}
	if known >= 2 {
		samples = append(samples, settings)
	}
	for _, p := range slices.Sorted(maps.Keys(lists)) {
		samples = append(samples, objectSample(base, p+"[*]", lists[p]))
	}
	return samples, nil
}

// flatten lists the paths of single values, and of lists of objects.
func flatten(path string, node any, leaves map[string]string, lists map[string][]any, depth int) {
	if depth > 6 {
		return
	}
	switch n := node.(type) {
	case map[string]any:
		for name, v := range n {
			flatten(jsonrows.Member(path, name), v, leaves, lists, depth+1)
		}
	case []any:
		if len(n) == 0 {
			return
		}
		if _, ok := n[0].(map[string]any); ok {
			lists[path] = n
			return
		}
		leaves[path+"[*]"] = ""
	default:
		leaves[path] = jsonrows.Text(node)
	}
}

// objectSample makes a table of a list of objects, with a column for each path
// that leads to a single value in any of them.
func objectSample(base, path string, list []any) sample {
	if len(list) > sampleRows {
		list = list[:sampleRows]
	}
	var flat []map[string]string
	columns := map[string]bool{}
	for _, node := range list {
		leaves, lists := map[string]string{}, map[string][]any{}
		flatten("$", node, leaves, lists, 0)
		for p, inner := range lists { // a list of objects with names, such as groups
			if first, ok := inner[0].(map[string]any); ok {
				for _, name := range []string{"display", "value", "name"} {
					if v, ok := first[name]; ok {
						leaves[p+"[*]."+name] = jsonrows.Text(v)
						break
					}
				}
			}
		}
		for p := range leaves {
			columns[p] = true
		}
		flat = append(flat, leaves)
	}
	s := sample{file: base, path: path, header: slices.Sorted(maps.Keys(columns))}
	for _, leaves := range flat {
		row := make([]string, len(s.header))
		for i, h := range s.header {
			row[i] = leaves[h]
		}
		s.rows = append(s.rows, row)
	}
	return s
}
