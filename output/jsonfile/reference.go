package jsonfile

import (
	"io"

	"yewcone/output/reference"
)

// ReferenceVersion changes when a reader of an older version would go wrong.
const ReferenceVersion = 1

type referenceDocument struct {
	Format  string           `json:"format"`
	Version int              `json:"version"`
	Entries []referenceEntry `json:"entries"`
}

type referenceEntry struct {
	reference.Entry
	Fields map[string]string `json:"fields"`
}

// Reference writes a page of reference.
func Reference(w io.Writer, page reference.Page) error {
	d := referenceDocument{Format: "yewcone " + page.Name, Version: ReferenceVersion, Entries: []referenceEntry{}}
	for _, e := range page.Entries {
		fields := map[string]string{}
		for _, f := range e.Fields {
			fields[f.Label] = f.Text
		}
		d.Entries = append(d.Entries, referenceEntry{e, fields})
	}
	return encode(w, d)
}
