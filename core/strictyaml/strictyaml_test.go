package strictyaml

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"unicode/utf16"
)

type document struct {
	Name  Text          `yaml:"name,required"`
	Count int           `yaml:"count"`
	On    bool          `yaml:"on"`
	List  []string      `yaml:"list"`
	Inner *inner        `yaml:"inner"`
	Items []inner       `yaml:"items"`
	Free  []Pair[Text]  `yaml:"free"`
	Maps  []Pair[inner] `yaml:"maps"`
	Texts []Text        `yaml:"texts"`
	Mark  string        `yaml:"mark,blank"`
	Words []string      `yaml:"words,empty"`
}

type inner struct {
	From Text   `yaml:"from,required,short"`
	Unit string `yaml:"unit"`
}

func decode(text string) (*document, error) {
	var d document
	return &d, Decode("x.yaml", []byte(text), &d)
}

// TestDecode: every kind of field, in the short and the long form, with the
// place of each text.
func TestDecode(t *testing.T) {
	d, err := decode("name: \"a: b\"\ncount: 3\non: yes\nlist: one\ninner: column\nitems:\n  - first\n  - {from: second, " +
		"unit: days}\nfree:\n  b: 1\n  '': 007\nmaps: {x: {from: y}}\ntexts: ['it''s', plain text]\nmark: ' '\nwords: ['', ' ']\n")
	if err != nil {
		t.Fatal(err)
	}
	if d.Name.Value != "a: b" || d.Name.Line != 1 || d.Name.Column != 7 || d.Count != 3 || !d.On || len(d.List) != 1 ||
		d.Inner.From.Value != "column" {
		t.Errorf("%+v", d)
	}
	if len(d.Items) != 2 || d.Items[0].From.Value != "first" || d.Items[1].Unit != "days" || d.Items[1].From.Line != 8 {
		t.Errorf("%+v", d.Items)
	}
	if d.Mark != " " || len(d.Words) != 2 {
		t.Errorf("%q %q", d.Mark, d.Words)
	}
	if len(d.Free) != 2 || d.Free[0].Key.Value != "b" || d.Free[1].Value.Value != "007" || d.Maps[0].Value.From.Value != "y" {
		t.Errorf("%+v %+v", d.Free, d.Maps)
	}
	if d.Texts[0].Value != "it's" || d.Texts[1].Value != "plain text" {
		t.Errorf("%+v", d.Texts)
	}
}

// TestProblems: each thing that is wrong is said with its line and column, all
// at once.
func TestProblems(t *testing.T) {
	for _, c := range []struct {
		text string
		want []string // "line:column: part of the message"
	}{
		{"", []string{"0:0: the file is empty"}},
		{"count: 1\n", []string{`1:1: the key "name" is missing here`}},
		{"name: a\nnaem: b\n", []string{`2:1: unknown key "naem"; did you mean "name"?`}},
		{"name: a\nname: b\n", []string{"2:1: "}},
		{"name: a\ncount: many\non: perhaps\n", []string{"2:8: ", "3:5: "}},
		{"name: [a]\n", []string{"1:7: "}},
		{"name: a\ninner: {unit: days}\n", []string{`"from"`}},
		{"name: a\ninner: {from: x, unti: days}\n", []string{`did you mean "unit"?`}},
		{"name: a\nfree: [1, 2]\n", []string{"2:7: "}},
		{"name: &x a\ntexts: [*x]\n", []string{""}},
		{"name: a\n---\nname: b\n", []string{"a second document begins here"}},
		{"name: 'a\n", []string{""}},
		{"name: a\n\tcount: 1\n", []string{""}},
		{"name: ''\ninner: ' '\nlist: [a, '']\nfree: {k: ''}\ntexts: ''\n", []string{`1:7: "name" is empty; write a text`, `2:8: "inner" is empty`,
			`3:11: "list" is empty; write a text, or leave it out`, `4:11: "k" is empty`, `5:8: "texts" is empty`}},
		{"name: a\nitems: [{from: b, unit: ''}, '']\nmark: ''\nwords: ['', ' ']\n", []string{`2:25: "unit"`, `2:30: "items"`, `3:7: "mark"`}},
		{"# a remark\r\n# another\r\nname: a\r\ncount: many\r\n", []string{"4:8: "}},
		{"# a remark\rname: a\rcount: many", []string{"3:8: "}},
		{"name: a\x00\n", []string{"0:0: the file is no UTF-8 text"}},
		{"name: \xff\n", []string{"0:0: the file is no UTF-8 text"}},
		{"name: " + strings.Repeat("[", 60) + "\n", []string{"nesting"}},
		{"name: a\n# " + strings.Repeat("x", maxBytes) + "\n", []string{"bytes"}},
	} {
		_, err := decode(c.text)
		var problems Problems
		if !errors.As(err, &problems) || len(problems) < len(c.want) {
			t.Errorf("%.40q: %v", c.text, err)
			continue
		}
		for i, want := range c.want {
			if got := fmt.Sprintf("%d:%d: %s", problems[i].Line, problems[i].Column, problems[i].Message); !strings.Contains(got, want) {
				t.Errorf("%.40q: %s, expected %s", c.text, got, want)
			}
		}
	}
}

// TestCaret: a problem shows the line with a mark under the place, also behind
// characters of several bytes.
func TestCaret(t *testing.T) {
	_, err := decode("name: a\ncount: 1\nfree: {Größe: 1, b: [x]}\n")
	if err == nil || !strings.Contains(err.Error(), "x.yaml:3:21") {
		t.Fatalf("%v", err)
	}
	lines := strings.Split(err.Error(), "\n")
	if len(lines) < 3 || !strings.ContainsRune(lines[2], '^') ||
		len([]rune(lines[2][:strings.IndexRune(lines[2], '^')])) != len([]rune(lines[1][:strings.IndexRune(lines[1],
			'[')])) {
		t.Errorf("%s", err)
	}
}

// TestDates: the forms of a moment, and what is none.
func TestDates(t *testing.T) {
	for text, want := range map[string]string{"2026-11-20": "2026-11-20 00:00", "2026-11-20 06:30": "2026-11-20 06:30",
		"2026-11-20T06:30:00Z": "2026-11-20 06:30"} {
		at, err := ParseDate(text)
		if err != nil || at.UTC().Format("2006-01-02 15:04") != want {
			t.Errorf("%s: %v, %v", text, at, err)
		}
	}
	for _, text := range []string{"", "soon", "2026-13-01", "2026-02-30", "20.11.2026", "2026-11-20 25:00"} {
		if at, err := ParseDate(text); err == nil {
			t.Errorf("%q is %v", text, at)
		}
	}
}

// TestWide: what a shell of Windows redirects into a file is UTF-16.
func TestWide(t *testing.T) {
	for _, big := range []bool{false, true} {
		text := []byte("\xff\xfe")
		for _, u := range utf16.Encode([]rune("\ufeffname: Zoë ⚓\r\ncount: 1\r\n"))[1:] {
			text = append(text, byte(u), byte(u>>8))
		}
		for i := 0; big && i < len(text); i += 2 {
			text[i], text[i+1] = text[i+1], text[i]
		}
		got, err := decode(string(text))
		if err != nil || got.Name.Value != "Zoë ⚓" {
			t.Errorf("%+v, %v", got, err)
		}
		if _, err := decode(string(text[:len(text)-1])); err == nil {
			t.Error("half a character is taken")
		}
	}
}
