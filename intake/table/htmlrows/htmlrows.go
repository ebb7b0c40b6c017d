// Package htmlrows reads the tables of HTML pages, as consoles print them.
package htmlrows

import (
	"cmp"
	"fmt"
	"io"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/table"
)

// Form is a page of HTML, with the table that has the rows: by its number on
// the page, by its id or by a text that stands in its caption. The first is
// read when nothing is said.
var Form = table.Form{Name: "html", Endings: []string{".html", ".htm"}, Open: open}

// most is how many rows a table of a page may have: it is held in memory.
const most = 1 << 20

type page struct {
	file   facts.Origin
	header []string
	rows   [][]string
	next   int
	notes  *facts.Notes
}

type found struct {
	id, caption string
	cut         bool // the page ends within it
	rows        [][]string
}

func open(s *table.Source) (table.Table, error) {
	f, err := table.OpenText(s)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	tables, err := read(f)
	if err != nil {
		return nil, &intake.Unreadable{File: s.Name, Message: "the page cannot be read: " + err.Error(), Err: err}
	}
	at := 0
	if s.Rows != nil {
		if at = choose(tables, s.Rows.Value); at < 0 {
			return nil, s.Rows.At(0, "%s has no table %q; it has %d, named by number, id or caption", s.Name, s.Rows.Value, len(tables))
		}
	}
	if at >= len(tables) {
		return nil, &intake.Unreadable{File: s.Name, Message: "the page has no table; take the export again"}
	}
	t := &page{file: facts.Origin{File: s.Name}, rows: tables[at].rows, notes: s.Notes}
	if len(tables) > 1 {
		t.file.Part = fmt.Sprintf("table %d", at+1)
	}
	if tables[at].cut {
		s.Notes.Incomplete(t.file, "the page ends inside of the table: it was cut off; take the export again")
	}
	t.next = cmp.Or(s.Heading, 1)
	if t.next > len(t.rows) {
		return nil, &intake.Unreadable{File: s.Name, Message: fmt.Sprintf("the table has no row %d with headings", t.next)}
	}
	t.header = t.rows[t.next-1]
	return t, nil
}

func choose(tables []found, name string) int {
	if n, err := strconv.Atoi(name); err == nil && n >= 1 && n <= len(tables) {
		return n - 1
	}
	for i, t := range tables {
		if name != "" && (t.id == name || strings.Contains(t.caption, name)) {
			return i
		}
	}
	return -1
}

// read gathers the tables of a page; tables within tables stand after them.
func read(r io.Reader) ([]found, error) {
	var all []found
	var open []int // the tables around
	var row []string
	var cell *strings.Builder
	var span int
	caption, over := false, false
	z := html.NewTokenizer(r)
	z.SetMaxBuf(1 << 24)
	endCell := func() {
		if cell != nil {
			text := strings.Join(strings.Fields(cell.String()), " ")
			for range max(1, min(span, 1000)) {
				row = append(row, text)
				text = ""
			}
			cell = nil
		}
	}
	endRow := func() {
		endCell()
		if row != nil && len(open) > 0 {
			t := &all[open[len(open)-1]]
			if over = over || len(t.rows) >= most; !over {
				t.rows = append(t.rows, row)
			}
		}
		row = nil
	}
	for {
		switch z.Next() {
		case html.ErrorToken:
			if err := z.Err(); err != io.EOF {
				return nil, err
			}
			endRow()
			if over {
				return nil, fmt.Errorf("a table has more than %d rows", most)
			}
			for _, t := range open {
				all[t].cut = true
			}
			return all, nil
		case html.StartTagToken, html.SelfClosingTagToken:
			token := z.Token()
			switch token.Data {
			case "table":
				endRow()
				all, open = append(all, found{id: attribute(token, "id")}), append(open, len(all))
			case "caption":
				caption = true
			case "tr":
				endRow()
			case "td", "th":
				endCell()
				cell = &strings.Builder{}
				span, _ = strconv.Atoi(attribute(token, "colspan"))
			case "br":
				if cell != nil {
					cell.WriteByte(' ')
				}
			}
		case html.EndTagToken:
			switch z.Token().Data {
			case "table":
				endRow()
				if len(open) > 0 {
					open = open[:len(open)-1]
				}
			case "caption":
				caption = false
			case "tr":
				endRow()
			case "td", "th":
				endCell()
			}
		case html.TextToken:
			text := z.Token().Data
			if cell != nil {
				cell.WriteString(text)
			} else if caption && len(open) > 0 {
				all[open[len(open)-1]].caption += text
			}
		}
	}
}

func attribute(t html.Token, name string) string {
	for _, a := range t.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// Close does nothing: the page was read to its end.
func (t *page) Close() {}

// Origin names the file and, where it has several, the table.
func (t *page) Origin() facts.Origin { return t.file }

// Heading is the heading of a column.
func (t *page) Heading(c int) string { return t.header[c] }

// Headings are all of them.
func (t *page) Headings() []string { return t.header }

// Column finds a heading.
func (t *page) Column(name string) (int, error) { return table.Find(t.file.String(), t.header, name) }

// Next returns the next row that has as many fields as there are headings.
func (t *page) Next() ([]string, table.Place) {
	for t.next < len(t.rows) {
		row := t.rows[t.next]
		t.next++
		if len(row) == len(t.header) {
			return row, table.Place{Line: t.next}
		}
		if strings.Join(row, "") != "" {
			t.notes.Refuse(table.Place{Line: t.next}.In(t.file), "the row has %d fields where the heading has %d", len(row), len(t.header))
		}
	}
	return nil, table.Place{}
}
