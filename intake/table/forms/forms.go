// Package forms lists the kinds of files that tables are read from.
package forms

import (
	"path"
	"slices"
	"strings"

	"yewcone/intake/table"
	"yewcone/intake/table/aligned"
	"yewcone/intake/table/delimited"
	"yewcone/intake/table/htmlrows"
	"yewcone/intake/table/jsonrows"
	"yewcone/intake/table/keyvalue"
	"yewcone/intake/table/ldifrows"
	"yewcone/intake/table/parquetrows"
	"yewcone/intake/table/workbook"
	"yewcone/intake/table/xmlrows"
)

// All are the forms; the first is for names that tell nothing.
var All = []table.Form{delimited.Form, jsonrows.Form, keyvalue.Form, ldifrows.Form, xmlrows.Form, workbook.Form, parquetrows.Form, htmlrows.Form,
	aligned.Columns, aligned.Blanks}

// Names are the names of all of them.
func Names() []string {
	var names []string
	for _, f := range All {
		names = append(names, f.Name)
	}
	return names
}

// Of finds a form by its name or, where that is "", by the ending of a file's.
func Of(name, file string) *table.Form {
	ending := strings.ToLower(path.Ext(strings.TrimSuffix(strings.TrimSuffix(file, ".gz"), ".zst")))
	for i := range All {
		if All[i].Name == name || name == "" && slices.Contains(All[i].Endings, ending) {
			return &All[i]
		}
	}
	return &All[0]
}
