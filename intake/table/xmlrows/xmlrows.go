// Package xmlrows reads elements of XML as a table.
package xmlrows

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"golang.org/x/text/encoding/htmlindex"

	"yewcone/core/facts"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// xmlTable reads elements of XML as rows. A column is the path to an element
// below the row, "name" or "address/city", or to an attribute, "@id" or
// "address/@kind"; "." is the row's own text. Texts of several elements stand
// on a line each.
type xmlTable struct {
	name    string
	file    *text.File
	decoder *xml.Decoder
	notes   *facts.Notes
	rows    []string // the last names of the path to the rows
	columns []string
	index   map[string]int
	found   []bool
	row     []string
	left    map[string]bool // what no column takes
	within  []string        // the names of the elements around
	count   int
}

// Form is XML, with the path to the elements that are rows.
var Form = table.Form{Name: "xml", Endings: []string{".xml"}, Open: open}

func open(s *table.Source) (table.Table, error) {
	f, err := table.OpenText(s)
	if err != nil {
		return nil, err
	}
	t := &xmlTable{name: s.Name, file: f, decoder: xml.NewDecoder(f), notes: s.Notes, index: map[string]int{}, left: map[string]bool{}}
	t.decoder.CharsetReader = func(label string, r io.Reader) (io.Reader, error) {
		// The bytes were decoded already; that the declaration names something
		// known is all there is to ask.
		if _, err := htmlindex.Get(label); err != nil {
			return nil, errors.New("the encoding that it names is not known")
		}
		return r, nil
	}
	if s.Rows == nil {
		f.Close()
		return nil, table.Unsaid(s.Name + " is XML: say under \"rows\" which elements are the rows, as in users/user")
	}
	t.rows = strings.Split(strings.Trim(s.Rows.Value, "/"), "/")
	return t, nil
}

// Close closes the file.
func (t *xmlTable) Close() { t.file.Close() }

// Origin names the file.
func (t *xmlTable) Origin() facts.Origin { return facts.Origin{File: t.name} }

// Heading is the path to a part of a row.
func (t *xmlTable) Heading(c int) string { return t.columns[c] }

// Headings are none: elements differ.
func (t *xmlTable) Headings() []string { return nil }

// Column asks for a part of the rows.
func (t *xmlTable) Column(name string) (int, error) {
	if c, ok := t.index[name]; ok {
		return c, nil
	}
	t.columns, t.found, t.row = append(t.columns, name), append(t.found, false), append(t.row, "")
	t.index[name] = len(t.columns) - 1
	return len(t.columns) - 1, nil
}

// Next returns the next row.
func (t *xmlTable) Next() ([]string, table.Place) {
	row, line, err := t.read()
	if err == nil {
		t.count++
		return row, table.Place{Line: line}
	}
	at, _ := t.decoder.InputPos()
	origin := facts.Origin{File: t.name, Line: at}
	switch {
	case err != io.EOF:
		t.notes.Incomplete(origin, "the file cannot be read on as XML: %s; take the export again", text.ToldXML(err))
	case len(t.within) > 0:
		t.notes.Incomplete(origin, "the file ends inside of an element: it was cut off; take the export again")
	case t.count == 0:
		t.notes.Incomplete(origin, "no rows were found here; check \"rows\" in the mapping")
	default:
		table.LeadNowhere(t.name, t.columns, t.found, t.notes)
	}
	return nil, table.Place{}
}

// read goes on to the next row and reads it.
func (t *xmlTable) read() ([]string, int, error) {
	for {
		t.file.Mark()
		token, err := t.decoder.Token()
		if err != nil {
			return nil, 0, err
		}
		switch x := token.(type) {
		case xml.StartElement:
			if err := t.enter(x.Name.Local); err != nil {
				return nil, 0, err
			}
			if t.atRow() {
				line, _ := t.decoder.InputPos()
				row, err := t.element(x)
				return row, line, err
			}
		case xml.EndElement:
			t.within = t.within[:len(t.within)-1]
		}
	}
}

func (t *xmlTable) enter(name string) error {
	if len(t.within) >= text.MaxDepth {
		return fmt.Errorf("elements lie more than %d levels deep", text.MaxDepth)
	}
	t.within = append(t.within, name)
	return nil
}

// atRow reports whether the path ends with that of the rows.
func (t *xmlTable) atRow() bool {
	return len(t.within) >= len(t.rows) && slices.Equal(t.within[len(t.within)-len(t.rows):], t.rows)
}

// element reads a row to its end.
func (t *xmlTable) element(start xml.StartElement) ([]string, error) {
	clear(t.row)
	top := len(t.within)
	if err := t.attributes(start, top); err != nil {
		return nil, err
	}
	texts, parts := [][]byte{nil}, 0
	for {
		token, err := t.decoder.Token()
		if err == io.EOF {
			err = errors.New("it ends inside of a row")
		}
		if err != nil {
			return nil, err
		}
		switch x := token.(type) {
		case xml.StartElement:
			if err := t.enter(x.Name.Local); err != nil {
				return nil, err
			}
			if parts++; parts > text.MaxParts {
				return nil, text.ErrManyParts
			}
			texts = append(texts, nil)
			if err := t.attributes(x, top); err != nil {
				return nil, err
			}
		case xml.CharData:
			last := len(texts) - 1
			texts[last] = append(texts[last], x...)
		case xml.EndElement:
			t.put(strings.Join(t.within[top:], "/"), string(bytes.TrimSpace(texts[len(texts)-1])))
			texts = texts[:len(texts)-1]
			t.within = t.within[:len(t.within)-1]
			if len(t.within) < top {
				return t.row, nil
			}
		}
	}
}

func (t *xmlTable) attributes(x xml.StartElement, top int) error {
	for _, a := range x.Attr {
		t.put(strings.Join(append(slices.Clone(t.within[top:]), "@"+a.Name.Local), "/"), a.Value)
	}
	return nil
}

// put keeps the text at a path below the row.
func (t *xmlTable) put(path, value string) {
	if path == "" {
		path = "."
	}
	c, ok := t.index[path]
	if !ok {
		if value != "" && path != "." && len(t.left) < table.MostUnread {
			t.left[path] = true
		}
		return
	}
	if t.found[c] = true; t.row[c] == "" {
		t.row[c] = value
	} else {
		t.row[c] += "\n" + value
	}
}

// Unread names the parts of rows that no column takes.
func (t *xmlTable) Unread() facts.Unread {
	return facts.Unread{File: t.name, Names: slices.Sorted(maps.Keys(t.left))}
}
