// Package formats lists the forms in which results are written.
package formats

import (
	"io"

	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/feeds"
	"yewcone/output/html"
	"yewcone/output/jsonfile"
	"yewcone/output/markdown"
	"yewcone/output/reference"
	"yewcone/output/text"
	"yewcone/output/workbook"
)

// Check lists the forms of a check's result.
var Check = []output.CheckFormat{
	{Name: "text", Write: text.Check}, {Name: "json", Write: jsonfile.Check}, {Name: "html", Write: html.Check},
	{Name: "xlsx", Write: workbook.Check},
	{Name: "markdown", Write: markdown.Check}, {Name: "csv", Write: csvfile.Check}, {Name: "ndjson", Write: feeds.NDJSON},
	{Name: "sarif", Write: feeds.SARIF}, {Name: "junit", Write: feeds.JUnit}, {Name: "oscal", Write: feeds.OSCAL},
}

// CheckNames lists their names.
func CheckNames() []string {
	names := make([]string, len(Check))
	for i, f := range Check {
		names[i] = f.Name
	}
	return names
}

// FindCheck returns the form of a name.
func FindCheck(name string) (output.CheckFormat, bool) {
	for _, f := range Check {
		if f.Name == name {
			return f, true
		}
	}
	return output.CheckFormat{}, false
}

// Reference lists the forms of pages of reference for other programs and for
// documents; package text writes them for the terminal.
var Reference = map[string]func(io.Writer, reference.Page) error{"json": jsonfile.Reference, "markdown": markdown.Reference}
