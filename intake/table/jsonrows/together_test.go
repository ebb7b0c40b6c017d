package jsonrows

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake/intaketest"
	"yewcone/intake/text"
)

// compareTogether holds lines that are read together against the same one by one.
func compareTogether(t *testing.T, lines string) {
	t.Helper()
	told := func(together bool) string {
		whole := &jsonLines{left: map[string]bool{}}
		for _, c := range []string{"$.a", "$.b", "$.tags[*]", "$['odd name']", "$.never", "$.n.x", "$.n.in.y[*]", "$.n.z"} {
			if _, err := whole.Column(c); err != nil {
				t.Fatal(err)
			}
		}
		var notes facts.Notes
		rows := whole.Part(text.Piece{Text: lines, Line: 1, Last: true, Plain: controlsIn(lines) == strings.Count(lines, "\n")}, &notes).(*jsonLineRows)
		read := intaketest.Rows(rows, whole.Width(), together)
		return fmt.Sprint(read, rows.count, rows.line.found, slices.Sorted(maps.Keys(rows.left)),
			slices.Sorted(maps.Keys(rows.line.left)), notes.List())
	}
	if one, many := told(false), told(true); one != many {
		t.Fatalf("%q\none by one %s\ntogether   %s", lines, one, many)
	}
}

var someTogether = []string{
	`{"a":"x","b":true,"tags":["p","q"],"odd name":7}` + "\n" + `{"a":"y","b":false,"tags":[],"odd name":-1.5}` + "\n" +
		`{"a":"","b":null,"tags":["ü"],"odd name":"z"}` + "\n",
	`{"a": "x", "more": ["p", 1], "b": 1}` + "\n" + `{"a": "y", "more": ["p"], "b": 2} ` + "\n" +
		`{"a": "y", "more": ["p"], "b": 02}` + "\n" + `{"b": "y", "a": "\n"}` + "\n",
	`{"a":"x","a":"y"}` + "\n" + `{"a":"x","b":"y"}` + "\r\n" + `{"a":"x","b":"y"}` + "\n" + `{"a":"x","b":"y"}}` + "\n",
	"{\"a\":\"x\"}\n{\"a\":\"\xff\"}\n{\"a\":\"\x01\"}\n{\"a\":tru}\n{\"a\":truefalse}\n{\"a\":\"x\"\n\n{\"a\":[1]}\n{\"tags\":\"x\"}\n{\"a\":\"x\"}",
	`{"a":"x","n":{"x":1,"in":{"y":["p","q"],"other":{"deep":[{}]}},"z":"u"}}` + "\n" + `{"a":"x","n":{"x":2,"in":{"y":[],"other":{"deep":[1]}},"z":"v"}}` + "\n" +
		`{"a":"x","n":{"x":2},"n":{"z":"v"}}` + "\n" + `{"a":"x","n":{"x":2},"n":null}` + "\n" + `{"a":"x","n":{}}` + "\n" + `{"a":"x","n":[{}],"n":{"z":1}}` + "\n" +
		`{"a":"x","n":null}` + "\n" + `{"a":"x","n":{"z":"u","x":1}} ` + "\n" + `{"a":"x","n":{"z":"u","x":1}}}` + "\n",
	`{"a":"x","n":null}` + "\n" + `{"a":"y","n":{"x":"p","in":""}}` + "\n" + `{"a":"z","n":{"x":"p","in":{"y":["q"],"more":1}}}` + "\n" + `{"a":"u","n":[]}` + "\n",
	`{"a":"x"}` + "\n" + `{"n":{"x":"y"}}` + "\n" + `{"a":"z"}}` + "\n",
	`{"tags":["a"],"b":"1"}` + "\n" + `{"tags":["a","b"],"b":"1"}` + "\n" + `{"tags":"c","b":"1"}` + "\n" + `{"tags":[["a"]],"b":{"c":1}}` + "\n",
}

// TestTogether: lines that are read together are those that are read one by one.
func TestTogether(t *testing.T) {
	for _, lines := range someTogether {
		compareTogether(t, lines)
	}
}

func FuzzTogether(f *testing.F) {
	for _, lines := range someTogether {
		f.Add(lines)
	}
	f.Fuzz(compareTogether)
}
