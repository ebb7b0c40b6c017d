// Package formats lists the forms in which results are written.
package formats

import (
	"io"
	"slices"
	"strings"

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

// Check lists the forms of a check's result. Adding one means a file and a
// line here.
var Check = []output.CheckFormat{
	{Name: "text", Endings: []string{".txt"}, Write: text.Check},
	{Name: "json", Endings: []string{".json"}, Write: jsonfile.Check},
	{Name: "html", Endings: []string{".html", ".htm"}, Spread: true, Since: true, Write: html.Check},
	{Name: "xlsx", Endings: []string{".xlsx"}, Since: true, Write: workbook.Check},
	{Name: "markdown", Endings: []string{".md"}, Since: true, Write: markdown.Check},
	{Name: "csv", Endings: []string{".csv"}, Write: csvfile.Check},
	{Name: "ndjson", Endings: []string{".ndjson", ".jsonl"}, Write: feeds.NDJSON},
	{Name: "sarif", Endings: []string{".sarif"}, Write: feeds.SARIF},
	{Name: "junit", Endings: []string{".xml"}, Write: feeds.JUnit},
	{Name: "oscal", Write: feeds.OSCAL},
}

// Page is the form of a whole report where nothing else is said.
const Page = "html"

// CheckByEnding returns the form for a file, by the end of its name.
func CheckByEnding(ending string) (output.CheckFormat, bool) {
	for _, f := range Check {
		if slices.Contains(f.Endings, strings.ToLower(ending)) {
			return f, true
		}
	}
	return output.CheckFormat{}, false
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
