package jsonrows

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"
)

var lineColumns = []string{"$.a", "$.b.c", "$.b", "$.list[*]", "$.list[0].x", "$['odd name']", "$.b.d.e", "$.tags[*]", "$.b.tags[*]"}

// compareLines holds jsonLine against encoding/json with paths followed one by
// one.
func compareLines(t *testing.T, line string) {
	t.Helper()
	if strings.Contains(line, "\n") {
		return
	}
	var paths [][]step
	for _, c := range lineColumns {
		steps, err := parsePath(c)
		if err != nil {
			t.Fatal(err)
		}
		paths = append(paths, steps)
	}
	p := jsonLine{row: make([]string, len(paths)), found: make([]bool, len(paths))}
	err := p.read(line, jsonTree(paths))
	flat := slices.Clone(paths)
	for i, c := range lineColumns {
		if c == "$.list[0].x" || c == "$.b" {
			flat[i], _ = parsePath("$.never") // with these, no line is read the quick way
		}
	}
	quick := jsonLine{row: make([]string, len(paths)), found: make([]bool, len(paths))}
	known := quick.quick(line, jsonTree(flat))

	d := json.NewDecoder(strings.NewReader(line))
	d.UseNumber()
	var node any
	want := d.Decode(&node)
	_, object := node.(map[string]any)
	sound := want == nil && object && strings.TrimSpace(line[d.InputOffset():]) == ""
	if !sound || !json.Valid([]byte(line)) {
		if err == nil || known {
			t.Fatalf("%q: no error, but encoding/json says %v", line, want)
		}
		return
	}
	if err != nil {
		t.Fatalf("%q: %v", line, err)
	}
	expected := func(paths [][]step) (texts []string) {
		for _, steps := range paths {
			text, _ := valueAt(node, steps)
			texts = append(texts, text)
		}
		return texts
	}
	if want := expected(flat); known && !slices.Equal(quick.row, want) {
		t.Fatalf("%q:\n quick %q\n  want %q", line, quick.row, want)
	}
	if want := expected(paths); !slices.Equal(p.row, want) {
		t.Fatalf("%q:\n got %q\nwant %q", line, p.row, want)
	}
}

var someLines = []string{
	`{}`, ` { "a" : 1 , "b" : { "c" : true } } `, `{"a":"x","b":{"c":null,"d":{"e":[1,{"z":2,"y":1}]}}}`,
	`{"list":[1,"two",{"x":3}],"odd name":-1.5e3}`,
	`{"list":[{"x":"first"}]}`, `{"a":"\u00e9\ud83d\ude00\ud83d \n\/"}`, `{"a":1,"a":2,"b":{"c":1},"b":3}`,
	`{"b":3,"b":{"c":1}}`, `{"list":[1],"list":5}`,
	`{"tags":["a","b"]}`, `{"tags":["a"],"tags":["b","\u00e9\n"],"b":{"tags":["ü",""]}}`, `{"tags":["a"],"tags":5}`, `{"tags":["a"],"tags":[]}`,
	`{"tags":["a",1]}`, `{"tags":["a",]}`, `{"tags":["a" "b"]}`, `{"tags":[ "a" , "b" ] }`, `{"tags":["a"`, `{"tags":["\x"]}`, `{"b":{"tags":["a"]},"b":{"c":1}}`,
	`{"b":{"tags":["a"]},"b":7}`, `{"tags":["a"],"tags":{"x":1}}`, `{"tags":[["a"]]}`, "{\"tags\":[\"\xff\"]}",
	`[1]`, `{"a":01}`, `{"a":1,}`, `{"a"}`, `{"a":tru}`, `{"a":"`, `{"a":"\x"}`, "{\"a\":\"\x01\"}", "{\"a\":\"\xff\xfe\"}",
	`{"a":1}{"a":2}`, `{"a":-}`, `{"a":1.}`, `{"a":1e}`, `{"a":[1,]}`, `{"a":[1 2]}`, `{"\u0061":7}`, ``,
	`{"a":"x","b":{"c":1,"d":{"e":"y"},"tags":["p","q"]},"tags":[],"other":[{"x":[1]}]}`, `{"b":{"d":{"e":1}},"b":{"c":1}}`, `{"b":{"d":null,"c":[1]}}`,
	`{"other":["a""b"]}`, `{"tags":["a""b"]}`, `{"a":"<&>","b":"<"}`, `{"b":{"q":"<"}}`,
}

// TestJSONLines: a line is read as encoding/json reads it, and refused where
// it refuses it.
func TestJSONLines(t *testing.T) {
	for _, line := range someLines {
		compareLines(t, line)
	}
	deep := strings.Repeat(`{"b":`, 20000) + "1" + strings.Repeat("}", 20000)
	compareLines(t, deep)
	compareLines(t, `{"b":`+strings.Repeat("[", 20000)+strings.Repeat("]", 20000)+"}")
}

func FuzzJSONLines(f *testing.F) {
	for _, line := range someLines {
		f.Add(line)
	}
	f.Fuzz(compareLines)
}
