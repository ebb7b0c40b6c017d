package jsonrows

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake/intaketest"
	"yewcone/intake/text"
)

// compareTogether holds lines that are read together against the same one by one, member
// by member, and behind others, which are of the same look.
func compareTogether(t *testing.T, lines string) {
	t.Helper()
	piece := text.Piece{Text: lines, Line: 1, Last: true, Plain: controlsIn(lines) == strings.Count(lines, "\n")}
	half := piece
	half.Text = lines[text.AfterLine(lines[:len(lines)/2]):]
	told := func(together, behind, flat bool) string {
		whole := &jsonLines{left: map[string]bool{}}
		for _, c := range []string{"$.a", "$.b", "$.tags[*]", "$['odd name']", "$.never", "$.n.x", "$.n.in.y[*]", "$.n.z"} {
			if _, err := whole.Column(c); err != nil {
				t.Fatal(err)
			}
		}
		whole.tree.flat = flat
		var before, notes facts.Notes
		if behind {
			rows := whole.Part(half, &before)
			intaketest.Rows(rows, whole.Width(), true)
			whole.Absorb(rows)
		}
		rows := whole.Part(piece, &notes).(*jsonLineRows)
		read := intaketest.Rows(rows, whole.Width(), together)
		return fmt.Sprint(read, rows.count, rows.line.found, slices.Sorted(maps.Keys(rows.left)),
			slices.Sorted(maps.Keys(rows.line.left)), notes.List())
	}
	one := told(false, false, true)
	if members := told(false, false, false); one != members {
		t.Fatalf("%q\none by one       %s\nmember by member %s", lines, one, members)
	}
	if many := told(true, false, true); one != many {
		t.Fatalf("%q\none by one %s\ntogether   %s", lines, one, many)
	}
	if many := told(true, true, true); one != many {
		t.Fatalf("%q\none by one    %s\nbehind others %s", lines, one, many)
	}
}

// manyBent are lines with backslashes in most texts.
const manyBent = `{"a":"\u0041","free":"\u0042","odd name":"\/\/","b":"x\\"}` + "\n" + `{"a":"\u0041","free":"\u0042","odd name":"\/\/","b":"x\\"}` + "\n"

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
	`{"a":"x","n":null}` + "\n" + `{"a":"y","n":{"x":"p","in":""}}` + "\n" + `{"a":"z","n":{"x":"p","in":{"y":["q"],"more":1}}}` + "\n" +
		`{"a":"u","n":[]}` + "\n",
	`{"a":"x","more":"y","free":"z","b":""}` + "\n" + `{"a":"x","free":"z"`, `{"a":"x","more":"y","free":"z","b":""}` + "\n" + `{"a":"x","free":"z"}`,
	`{"a":"x"}` + "\n" + `{"n":{"x":"y"}}` + "\n" + `{"a":"z"}}` + "\n",
	`{"a":"x","n":{"x":"p","z":"q"},"b":"1"}` + "\n" + `{"a":"x"},"b":"1"}` + "\n" + `{"a":"x","z":"q"},"b":"1"}` + "\n" + `{"a":"x","b":"1"}` + "\n",
	`{"a":"x","b":"y"}` + "\n" + `{"b":"y"}` + "\n" + `{"b":"y"{"a":"x","b":"y"}` + "\n" + `{"a":null,"b":"y"}` + "\n" + `{"a":"x" ,"b":"y"}` + "\n",
	manyBent + `{"a":"x\",\"b\":\"y","free":"\\","odd name":"\\\"","b":"z"}` + "\n" + `{"a":"x","free":"\",","odd name":"y","b":"z\"}"}` + "\n",
	manyBent + `{"a":"x\","free":"y","odd name":"z","b":"\u0041"}` + "\n", // whose parts stand together by chance
	manyBent + `{"a":"x","free":"y","odd name":"z","b":"\"}` + "\n",
	manyBent + `{"a":"x","free":"\q","odd name":"z","b":"y"}` + "\n" + `{"a":"\ud83d\ude00","free":"\u12","odd name":"z","b":"y"}` + "\n",
	manyBent + `{"a":"\ud83d\ude00","free":"\udc00","odd name":7,"b":true}` + "\n" + `{"a":"x","free":"y","odd name":"\u0041","b":["\u0041"]}` + "\n" +
		`{"a":"x","free":"y","odd name":"z","b":"1"}` + "\n" + `{"a":"x","odd name":"\t","b":"\r"}` + "\n",
	`{"tags":["a"],"b":"1"}` + "\n" + `{"tags":["a","b"],"b":"1"}` + "\n" + `{"tags":"c","b":"1"}` + "\n" + `{"tags":[["a"]],"b":{"c":1}}` + "\n",
	`{"tags":["a"],"free":["z"],"b":"1"}` + "\n" + `{"tags":["a]","]b"],"free":["z]"],"b":"1"}` + "\n" + `{"tags":["a", "b" ,"c"],"free":[1],"b":"1"}` + "\n" +
		`{"tags":["a""b"],"free":["z"],"b":"1"}` + "\n" + `{"tags":["a,"],"free":[""],"b":"1"}` + "\n" + `{"tags":[,"a"],"free":[1"],"b":"1"}` + "\n" +
		`{"tags":[1"],"b":"1"}` + "\n" +
		`{"tags":["a",],"free":["z"],"b":"1"}` + "\n" + `{"tags":["a\"]","b"],"free":["\""],"b":"1"}` + "\n" +
		`{"tags":["],[","],["],"free":[["z"]],"b":"1"}` + "\n" +
		`{"tags":["]]]]]","b"],"free":["]]]]]"],"b":"1"}` + "\n" + `{"tags":["a"}` + "\n" + `{"tags":["a],"free":["z"],"b":"1"}` + "\n" +
		`{"tags":["a"],"b":"1"}` + "\n",
	`{"b":["x"],"tags":["p"]}` + "\n" + `{"b":["y","z"],"tags":["p","q"]}` + "\n" + `{"b":[],"tags":[]}` + "\n" + `{"b":"y","tags":null}` + "\n" +
		`{"b":["x"],"tags":["p"]` + "\n",
	`{"a":"x","tags":["p"]}` + "\n" + `{"a":"y","tags":["p","q"]}` + "\n" + `{"a":7,"tags":["p"]}` + "\n" + `{"a":["x"],"tags":["p"]}` + "\n" +
		`{"tags":["p"]}` + "\n" + `{"a":"x"}` + "\n",
	manyBent + `{"a":"\u0041","free":["\u0042"],"odd name":"\/\/","b":"x\\","tags":["\u0041","b"]}` + "\n" +
		`{"a":"\u0041","free":["z"],"odd name":"\/\/","b":"x\\","tags":["a\\","\"]","b"]}` + "\n",
}

// TestTogether: lines that are read together are those that are read one by one.
func TestTogether(t *testing.T) {
	for _, lines := range someTogether {
		compareTogether(t, lines)
	}
	wide := `{"a":"x"`
	for i := range 150 { // more than are gone through together
		wide += fmt.Sprintf(`,"m%d":"y"`, i)
	}
	compareTogether(t, strings.Repeat(wide+`,"b":"z"}`+"\n", 5)+wide+`,"b":null}`+"\n"+wide+`"b":"z"}`+"\n")
}

func FuzzTogether(f *testing.F) {
	for _, lines := range someTogether {
		f.Add(lines)
	}
	f.Fuzz(compareTogether)
}

// atRandom makes some lines with the members that columns ask for, mostly of one kind and
// in one order.
func atRandom(r *rand.Rand) string {
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	odd := 2 + r.IntN(30) // one in so many is not the usual
	text := func(usual string) string { return usual }
	if r.IntN(3) == 0 { // most have backslashes
		text = func(usual string) string {
			return pick(usual, `"\u0041b"`, `"x\/y\/"`, `"\\"`, `"\""`, `"x\","`, `"\ud83d\ude00"`, `"\ud83d"`, `"\t\n"`, `"a\\\""`)
		}
	}
	var value func(usual string, depth int) string
	value = func(usual string, depth int) string {
		if r.IntN(odd) > 0 {
			return usual
		}
		switch r.IntN(12) {
		case 0:
			return "null"
		case 1:
			return pick("true", "false", "-1.5e3", "0", "01", "tru", "\"\"", "\"\\u00e9\"", "\"a\\\\b\"", "\"\\ud800\"", "\"\xff\"")
		case 2:
			return pick("[]", "{}", `["p"]`, `["p]","[q"]`, `["p\"","]"]`, `["p", "q"]`, `["p" ,"q"]`, `["p""q"]`, `["","",""]`,
				`["p","q"]`, `["p",null]`, `["p",{}]`, `[{"x":1}]`, `{"x":"y"}`, `{"in":{"y":["z"]}}`, `{"x":1,"x":2}`)
		case 3:
			if depth < 3 {
				return `{"` + pick("x", "in", "z", "y", "", "other") + `":` + value(`"deep"`, depth+1) + "}"
			}
		}
		return usual
	}
	object := func(members []string) string {
		if r.IntN(odd) == 0 {
			r.Shuffle(len(members), func(i, j int) { members[i], members[j] = members[j], members[i] })
		}
		if len(members) > 0 && r.IntN(odd) == 0 {
			members = members[:r.IntN(len(members))]
		}
		if len(members) > 0 && r.IntN(3*odd) == 0 {
			members = append(members, members[r.IntN(len(members))])
		}
		return "{" + strings.Join(members, pick(",", ",", ", ")) + "}"
	}
	var lines strings.Builder
	for range 1 + r.IntN(40) {
		within := object([]string{`"y":` + value(`["q"]`, 1), `"more":` + value("1", 1)})
		n := object([]string{`"x":` + value(text(`"v"`), 1), `"in":` + value(within, 1), `"z":` + value("7", 1)})
		line := object([]string{`"a":` + value(text(`"x"`), 0), `"b":` + value("true", 0), `"tags":` + value(pick(`["t","u"]`, `["t"]`, "[]"), 0),
			`"n":` + value(n, 0), `"odd name":` + value(text("3"), 0),
			`"free":` + value(pick(text(`"w"`), text(`"w"`), `["w"]`), 0)})
		fmt.Fprint(&lines, line, pick("", "", "", "", " ", "}", ",", "\r"), "\n")
	}
	return lines.String()
}

// TestTogetherAtRandom is TestTogether on lines of all sorts.
func TestTogetherAtRandom(t *testing.T) {
	for seed := range uint64(2000) {
		compareTogether(t, atRandom(rand.New(rand.NewPCG(seed, 3))))
	}
}
