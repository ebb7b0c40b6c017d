package jsonrows

import (
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

var listColumns = []string{"$.a", "$.b.c", "$.tags[*]", "$.b"}

// readList reads the rows of a document, with the place of each, and tells what was noted.
func readList(t *testing.T, document, rows string) (read [][]string, places []table.Place, notes facts.Notes) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "x.json")
	if err := os.WriteFile(file, []byte(document), 0o600); err != nil {
		t.Fatal(err)
	}
	s := &table.Source{Name: "x.json", File: file, Notes: &notes}
	if rows != "" {
		s.Rows = &strictyaml.Text{Value: rows}
	}
	list, err := Form.Open(s)
	if err != nil {
		t.Fatal(err)
	}
	defer list.Close()
	for _, c := range listColumns {
		if _, err := list.Column(c); err != nil {
			t.Fatal(err)
		}
	}
	for row, at := list.Next(); row != nil; row, at = list.Next() {
		read, places = append(read, slices.Clone(row)), append(places, at)
	}
	return read, places, notes
}

// compareList holds the rows of "r" in an object against encoding/json.
func compareList(t *testing.T, document string) {
	t.Helper()
	if strings.Count(document, "r\"") > 1 || !utf8.ValidString(document) || strings.ContainsAny(document, "\\\x00\ufeff") {
		return // a name may stand twice; it may be of another encoding
	}
	var want [][]string
	sound := true
	for d := json.NewDecoder(strings.NewReader(document)); ; {
		d.UseNumber()
		var node any
		if err := d.Decode(&node); err == io.EOF {
			break
		} else if err != nil {
			sound = false
			break
		}
		object, is := node.(map[string]any)
		list, there := object["r"].([]any)
		if _, has := object["r"]; !is || has && !there {
			sound = false
			break
		}
		for _, row := range list {
			var texts []string
			for _, c := range listColumns {
				steps, _ := parsePath(c)
				text, _ := valueAt(row, steps)
				texts = append(texts, text)
			}
			want = append(want, texts)
		}
	}
	got, _, notes := readList(t, document, "$.r[*]")
	if broken := !sound || len(want) == 0; notes.Partial() != broken || sound && fmt.Sprint(got) != fmt.Sprint(want) {
		t.Fatalf("%q: partial %v\n got %q\nwant %q, sound %v", document, notes.List(), got, want, sound)
	}
}

var someLists = []string{
	`{"r":[{"a":1},{"a":"x","b":{"c":2},"tags":["p","q"]},5,null,[{"a":1}],{}]}`,
	"{ \"q\" : [1,{\"r\":2}] , \"r\" : [\n{\"a\":\n 1}\n,\n{}\n]\n, \"totalResults\":9}\n",
	`{"r":[]}`, `{"r":[1 2]}`, `{"r":[1,]}`, `{"r":[,1]}`, `{"r":[{"a":1}`, `{"r":[{"a":1}]`, `{"r":[{"a":1}]}}`, `{"r":[{"a":1}]} {"x":1}`,
	`{"r":[tru]}`, `{"r":{"a":1}}`, `{"r":[12`, `{"r":[1]} x`, `[{"r":1}]`, `{"r":[-]}`, `{"r":["a` + "\n" + `"]}`, `{"r":[{"a":1}],"s":[}`,
	`{"r":[{"a":1}],`,
}

// TestList: rows of a list in a document are what encoding/json makes of them, however
// little is looked at together.
func TestList(t *testing.T) {
	for _, size := range []int{16, 40, 1 << 18} {
		small(t, size)
		for _, document := range someLists {
			compareList(t, document)
		}
	}
}

// small makes pieces and what is looked at of a document short until the test ends.
func small(t *testing.T, size int) {
	piece, window := text.PieceSize, windowSize
	text.PieceSize, windowSize = size, min(size, windowSize)
	t.Cleanup(func() { text.PieceSize, windowSize = piece, window })
}

// TestPlacesInList: rows are on the lines on which they begin, or have their number where
// the document has one line.
func TestPlacesInList(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		small(t, 16+r.IntN(300))
		var b strings.Builder
		line := 1
		gap := func(most int) {
			for range r.IntN(most + 1) {
				if r.IntN(2) == 0 {
					b.WriteByte('\n')
					line++
				}
				b.WriteByte(' ')
			}
		}
		count := 1 + r.IntN(20)
		spread := r.IntN(3)
		b.WriteString("{")
		gap(spread)
		b.WriteString(`"totalResults":7,"r":[`)
		for i := range count {
			if gap(spread); i > 0 {
				b.WriteByte(',')
			}
			gap(spread)
			fmt.Fprintf(&b, `{"a":%d,`, line)
			gap(spread)
			b.WriteString(`"b":{"c":"` + strings.Repeat("ü", r.IntN(30)) + `"}}`)
		}
		b.WriteString("]}")
		rows, places, notes := readList(t, b.String(), "$.r[*]")
		if len(rows) != count || notes.Partial() {
			t.Fatalf("%s\n%d rows, %v", b.String(), len(rows), notes.List())
		}
		for i, row := range rows {
			want := table.Place{Line: 1, Part: fmt.Sprintf("$.r[%d]", i)}
			if line > 1 {
				_, _ = fmt.Sscan(row[0], &want.Line)
				want.Part = ""
			}
			if places[i] != want {
				t.Fatalf("%s\nrow %d is at %v, want %v", b.String(), i, places[i], want)
			}
		}
		at := r.IntN(count)
		_, single, _ := readList(t, b.String(), fmt.Sprintf("$.r[%d]", at))
		if len(single) != 1 || single[0].Line != places[at].Line {
			t.Fatalf("%s\n$.r[%d] is at %v, want %v", b.String(), at, single, places[at])
		}
	}
}

func FuzzList(f *testing.F) {
	for _, document := range someLists {
		f.Add(document, uint8(20))
	}
	f.Fuzz(func(t *testing.T, document string, size uint8) {
		small(t, 16+int(size))
		compareList(t, document)
	})
}
