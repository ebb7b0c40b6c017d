package jsonrows

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake/table"
)

// TestPaths: what paths lead to, and what is none.
func TestPaths(t *testing.T) {
	var doc any
	d := json.NewDecoder(strings.NewReader(`{"a": {"b c": [1, {"d": "x"}, {"d": null}], "e": true}, "f": [], "urn:x:2.0": {"g": "y"}}`))
	d.UseNumber()
	if err := d.Decode(&doc); err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]string{
		"$.a.e": "true", "$.a['b c'][0]": "1", "$.a['b c'][1].d": "x", "$.a['b c'][*].d": "x|null", "$.a['b c'][-1].d": "null",
		"$['urn:x:2.0'].g": "y", "$.f[*]": "", "$.f[0]": "", "$.nowhere": "", "$.a.e.deeper": "", "$.a.*": `[1,{"d":"x"},{"d":null}]|true`,
		"$.f": "[]",
	} {
		steps, err := parsePath(path)
		if err != nil {
			t.Errorf("%s: %v", path, err)
			continue
		}
		var got []string
		for _, n := range follow(doc, steps, nil) {
			got = append(got, Text(n))
		}
		if text := strings.Join(got, "|"); text != want {
			t.Errorf("%s leads to %q, want %q", path, text, want)
		}
	}
	for _, path := range []string{"", "a.b", "$a", "$.", "$..b", "$[", "$[x]", "$['a'", "$['a'x]", "$.a[?@.b]", "$.a[0:2]"} {
		if steps, err := parsePath(path); err == nil {
			t.Errorf("%q is read as %v", path, steps)
		}
	}
}

// TestCutDocument: a document that ends anywhere before its last brace was cut off.
func TestCutDocument(t *testing.T) {
	const document = `{"x":{"y":[1]},"r":[{"a":1},{"a":2}],"z":3}`
	for end := range len(document) + 1 {
		file := filepath.Join(t.TempDir(), "x.json")
		if err := os.WriteFile(file, []byte(document[:end]), 0o600); err != nil {
			t.Fatal(err)
		}
		var notes facts.Notes
		rows, err := Form.Open(&table.Source{Name: "x.json", File: file, Notes: &notes, Rows: &strictyaml.Text{Value: "$.r[*]"}})
		if err != nil {
			t.Fatal(err)
		}
		for row, _ := rows.Next(); row != nil; row, _ = rows.Next() {
		}
		if rows.Close(); notes.Partial() != (end < len(document)) {
			t.Errorf("%q: %v", document[:end], notes.List())
		}
	}
}
