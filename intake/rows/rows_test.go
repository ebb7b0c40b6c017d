package rows

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
)

// read gathers the rows of a file as "a=1 b=- line 2", and the notes.
func read(t *testing.T, name, data string, needs ...string) (string, *facts.Notes) {
	t.Helper()
	folder := t.TempDir()
	if err := os.WriteFile(filepath.Join(folder, name), []byte(data), 0o600); err != nil {
		t.Fatal(err)
	}
	var notes facts.Notes
	var out strings.Builder
	err := Read(&intake.Request{Folder: folder}, name, &notes, func(r *Row) error {
		for _, column := range []string{"a", "b"} {
			text, ok := r.Text(column)
			if !ok {
				text = "-"
			}
			fmt.Fprintf(&out, "%s=%s ", column, text)
		}
		fmt.Fprintf(&out, "line %d\n", r.Line)
		return nil
	}, needs...)
	if err != nil {
		t.Fatal(err)
	}
	return out.String(), &notes
}

// TestForms: the same rows come out of every form that database clients print.
func TestForms(t *testing.T) {
	for name, data := range map[string]string{
		"x.csv":   "a,b\n1,\n\"two, with \"\"quotes\"\"\",x\n",
		"x.tsv":   "a\tb\n1\tNULL\ntwo, with \"quotes\"\tx\n",
		"x.jsonl": "{\"a\":1,\"b\":null}\n{\"b\":\"x\",\"a\":\"two, with \\\"quotes\\\"\"}\n",
		"x.json":  "[{\"a\":1,\"b\":null},\n\n {\"b\":\"x\",\"a\":\"two, with \\\"quotes\\\"\"}]\n",
		"x.xml": "<resultset>\n<row><field name=\"a\">1</field><field name=\"b\" xsi:nil=\"true\" /></row>\n<row><field " +
			"name=\"a\">two, with &quot;quotes&quot;</field><field name=\"b\">x</field></row></resultset>\n",
		"x.ndjson": "{\"a\":1,\"b\":null,\"c\":{}}{\"b\":\"x\",\"a\":\"two, with \\\"quotes\\\"\"}",
	} {
		got, notes := read(t, name, data, "a", "b")
		rest := strings.NewReplacer(" line 1\n", "\n", " line 2\n", "\n", " line 3\n", "\n").Replace(got)
		if rest != "a=1 b=-\na=two, with \"quotes\" b=x\n" || len(notes.List()) > 0 {
			t.Errorf("%s: %q, %v", name, got, notes.List())
		}
	}
}

// TestDamage: what is missing is said with its place.
func TestDamage(t *testing.T) {
	for _, c := range []struct{ name, data, rows, says string }{
		{"x.csv", "b,c\n1,2\n", "", `the heading has no column "a"`},
		{"x.csv", "a,b\n1,2,3\n4,5\n", "a=4 b=5 line 3\n", "the row has 3 fields where the heading has 2"},
		{"x.csv", "a,b\n1,2\n3", "a=1 b=2 line 2\n", "wrong number of fields"},
		{"x.csv", "a,b\n1,2\n3,4", "a=1 b=2 line 2\na=3 b=4 line 3\n", "it ends without a line end"},
		{"x.csv", "", "", "it is empty"},
		{"x.tsv", "a\n1\n", "", `the heading has no column "b"`},
		{"x.tsv", "a\tb\n1\n2\t3\n", "a=2 b=3 line 3\n", "the row has 1 fields where the heading has 2"},
		{"x.json", `[{"a":1,"b":2},{"b":3}]`, "a=1 b=2 line 1\n", `the row has no "a"`},
		{"x.json", `[{"a":1,"b":2},{"a":3`, "a=1 b=2 line 1\n", "the file cannot be read on"},
		{"x.jsonl", `{"a":1,"b":2}` + "\n" + `{"a":1,`, "a=1 b=2 line 1\n", "the file cannot be read on"},
		{"x.json", `5`, "", "expected a list of objects, found 5"},
		{"x.xml", `<r><row><field name="a">1</field></row><row>`, "", `the row has no "b"`},
		{"x.xml", strings.Repeat("<x>", 200), "", "nested too deeply"},
	} {
		got, notes := read(t, c.name, c.data, "a", "b")
		said := fmt.Sprint(notes.List())
		if got != c.rows || !strings.Contains(said, c.says) || notes.Refused() == 0 && !notes.Partial() {
			t.Errorf("%s %q: %q, %s, expected %q", c.name, c.data, got, said, c.says)
		}
	}
}

// TestFields: fields come as they are asked for; what is null is no answer.
func TestFields(t *testing.T) {
	r := &Row{}
	r.reset(7)
	r.add("yes", "t", false)
	r.add("no", "off", false)
	r.add("none", "", true)
	if !r.True("yes") || r.True("no") || r.True("none") || r.True("gone") || !r.Has("none") || r.Has("gone") || r.Plain("gone") != "" {
		t.Errorf("%+v", r)
	}
	var names []string
	r.Each(func(name, _ string) { names = append(names, name) })
	if strings.Join(names, ",") != "yes,no" {
		t.Errorf("%q", names)
	}
}
