// Package ldifrows reads the entries of LDIF as a table.
package ldifrows

import (
	"encoding/json"
	"errors"
	"io"
	"maps"
	"slices"
	"strings"
	"sync"

	"yewcone/core/facts"
	"yewcone/intake/ldif"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// ldifTable reads the entries of LDIF as rows, with attributes as columns.
// Several values of an attribute stand on a line each.
type ldifTable struct {
	table.InPieces
	class   string // object class of the entries that are rows; "" for all
	names   []string
	small   []string // the names in small letters
	dn      []int    // columns that take the name of the entry
	twice   []bool   // whether several columns take the attribute
	wanted  map[string]bool
	found   []bool
	skipped map[string]bool
	closed  bool
	line    int
	all     int // entries, of other classes too
	ending  *ldif.Entries
	count   int
	spare   sync.Pool // of *ldifRows that were absorbed: they know how entries look
}

// Form is LDIF, with the object class of the entries that are rows.
var Form = table.Form{Name: "ldif", Endings: []string{".ldif", ".ldf"}, Open: open}

func open(s *table.Source) (table.Table, error) {
	f, err := table.OpenText(s)
	if err != nil {
		return nil, err
	}
	t := &ldifTable{ending: ldif.NewEntries(nil), wanted: map[string]bool{}, skipped: map[string]bool{}}
	for _, name := range []string{"dn", "version", "search", "result", "ref", "changetype", "objectclass"} {
		t.wanted[name] = true
	}
	if s.Rows != nil {
		t.class = s.Rows.Value
	}
	t.InPieces = table.NewInPieces(t, s.Name, f, text.NewPieces(f, ldif.AfterEntry), s.Notes)
	return t, nil
}

// Heading is an attribute.
func (t *ldifTable) Heading(c int) string { return t.names[c] }

// Width is how many attributes were asked for.
func (t *ldifTable) Width() int { return len(t.names) }

// Headings are none: entries differ.
func (t *ldifTable) Headings() []string { return nil }

// Column asks for an attribute.
func (t *ldifTable) Column(name string) (int, error) {
	small := strings.ToLower(name)
	t.names, t.small, t.found = append(t.names, name), append(t.small, small), append(t.found, false)
	t.wanted[small] = true
	if small == "dn" {
		t.dn = append(t.dn, len(t.names)-1)
	}
	t.twice = append(t.twice, false)
	for c, other := range t.small[:len(t.small)-1] {
		if other == small {
			t.twice[c], t.twice[len(t.small)-1] = true, true
		}
	}
	return len(t.names) - 1, nil
}

// ldifRows are the rows of one piece.
type ldifRows struct {
	*ldif.Entries
	whole  *ldifTable
	notes  *facts.Notes
	row    []string
	found  []bool
	late   []lateText
	joined []byte // what they are
	count  int
	all    int   // entries, of other classes too
	ahead  error // of the next entry
	shape  ldif.Shape
}

// Part reads the entries of a piece.
func (t *ldifTable) Part(piece text.Piece, notes *facts.Notes) table.Rows {
	r, _ := t.spare.Get().(*ldifRows)
	if r == nil || len(r.row) != len(t.names) {
		r = &ldifRows{Entries: ldif.NewEntries(t.wanted), whole: t, row: make([]string, len(t.names)), found: make([]bool, len(t.names))}
	}
	r.notes, r.count, r.all, r.ahead = notes, 0, 0, nil
	clear(r.found)
	r.Begin(piece)
	return r
}

// NextRows is of table.Batcher: entries that can be read.
func (r *ldifRows) NextRows(b *table.Batch) {
	own := r.row
	defer func() { r.row = own }()
	r.shape.Release()
	for r.row = b.Room(); r.row != nil && r.ahead == nil; r.row = b.Room() {
		if line := r.Entries.Again(&r.shape, r.row); line > 0 {
			r.all, r.count = r.all+1, r.count+1
			b.Add(table.Place{Line: line})
			continue
		}
		x, err := r.Entries.Next()
		if err != nil {
			r.ahead = err
			return
		}
		if r.all++; r.whole.class != "" && !x.Is(r.whole.class) {
			continue
		}
		r.count++
		r.fill(x)
		r.Entries.Learn(&r.shape, r.columnOf)
		b.Add(table.Place{Line: x.Line})
	}
}

// columnOf is the column that takes an attribute; -1 for none, and false where several
// do.
func (r *ldifRows) columnOf(name string) (int, bool) {
	c := slices.Index(r.whole.small, name)
	return c, c < 0 || !r.whole.twice[c]
}

// Next returns the next entry.
func (r *ldifRows) Next() ([]string, table.Place) {
	for {
		x, err := r.next()
		var bad *ldif.BadEntry
		switch {
		case err == io.EOF:
			return nil, table.Place{}
		case errors.As(err, &bad):
			bad.Tell(r.notes, r.whole.Name)
			continue
		}
		r.all++
		if r.whole.class != "" && !x.Is(r.whole.class) {
			continue
		}
		r.count++
		r.fill(x)
		return r.row, table.Place{Line: x.Line}
	}
}

func (r *ldifRows) next() (*ldif.Entry, error) {
	if err := r.ahead; err != nil {
		r.ahead = nil
		return nil, err
	}
	return r.Entries.Next()
}

// fill puts the attributes into their columns. Most entries have them in the
// same order as the columns.
func (r *ldifRows) fill(x *ldif.Entry) {
	clear(r.row)
	r.late, r.joined = r.late[:0], r.joined[:0]
	names, next := r.whole.small, 0
	for i := 0; i < len(x.Attrs); i++ {
		a := &x.Attrs[i]
		if next < len(names) && names[next] == a.Name && !r.whole.twice[next] && r.row[next] == "" && len(r.late) == 0 &&
			(i+1 == len(x.Attrs) || x.Attrs[i+1].Name != a.Name) {
			r.row[next], r.found[next] = a.Value, true
			next++
			continue
		}
		several := i + 1
		for several < len(x.Attrs) && x.Attrs[several].Name == a.Name {
			several++
		}
		value := r.together(x.Attrs[i:several])
		i = several - 1
		for range names {
			if next >= len(names) {
				next = 0
			}
			c := next
			next++
			if names[c] == a.Name {
				r.put(c, value)
				if !r.whole.twice[c] {
					break
				}
			}
		}
	}
	for _, c := range r.whole.dn {
		r.row[c], r.found[c] = x.DN, true
	}
	if len(r.late) > 0 {
		all := string(r.joined)
		for _, l := range r.late {
			r.row[l.column] = all[l.from:l.to]
		}
	}
}

// several values on a line each.
type several struct {
	text     string // of one, and of those that were joined at once
	from, to int    // of several, in what is joined; else 0
	lead     int    // empty ones before the first that is not
}

// lateText is of several values, which become one string when the row is whole.
type lateText struct{ column, from, to int }

// together joins the values of one attribute.
func (r *ldifRows) together(list []ldif.Attribute) several {
	if len(list) == 1 {
		return several{text: list[0].Value}
	}
	from, lead := len(r.joined), 0
	for i := range list {
		if len(r.joined) > from {
			r.joined = append(r.joined, '\n')
		}
		r.joined = append(r.joined, list[i].Value...)
		if len(r.joined) == from {
			lead++
		}
	}
	return several{from: from, to: len(r.joined), lead: lead}
}

// put puts values into a column, behind those that stand there.
func (r *ldifRows) put(c int, v several) {
	value := v.text
	if v.to > v.from {
		if r.row[c] == "" && !slices.ContainsFunc(r.late, func(l lateText) bool { return l.column == c }) {
			r.found[c] = true
			r.late = append(r.late, lateText{c, v.from, v.to})
			return
		}
		value = strings.Repeat("\n", v.lead) + string(r.joined[v.from:v.to])
	}
	if at := slices.IndexFunc(r.late, func(l lateText) bool { return l.column == c }); at >= 0 {
		r.row[c] = string(r.joined[r.late[at].from:r.late[at].to])
		r.late = slices.Delete(r.late, at, at+1)
	}
	r.found[c] = true
	if v.to == v.from && v.lead > 1 && r.row[c] != "" {
		value = strings.Repeat("\n", v.lead-1)
	}
	if r.row[c] == "" {
		r.row[c] = value
	} else {
		r.row[c] += "\n" + value
	}
}

// Absorb takes in what a part has found.
func (t *ldifTable) Absorb(rows table.Rows) {
	part := rows.(*ldifRows)
	t.count += part.count
	t.all += part.all
	t.ending.Merge(part.Entries)
	t.closed, t.line = part.Closed, part.Line
	maps.Copy(t.skipped, part.Skipped)
	for i, found := range part.found {
		t.found[i] = t.found[i] || found
	}
	part.Forget()
	t.spare.Put(part)
}

type packed struct {
	Rows, All, Told, Line int
	Failed                string
	Closed                bool
	Skipped               map[string]bool
	Found                 []bool
}

// Pack is of table.Divisible.
func (t *ldifTable) Pack(rows table.Rows) ([]byte, error) {
	part := rows.(*ldifRows)
	return json.Marshal(packed{part.count, part.all, part.Told, part.Line, part.Failed, part.Closed, part.Skipped, part.found})
}

// Unpack is of table.Divisible.
func (t *ldifTable) Unpack(data []byte) (table.Rows, error) {
	var p packed
	err := json.Unmarshal(data, &p)
	if len(p.Found) != len(t.found) {
		p.Found = nil
	}
	return &ldifRows{Entries: &ldif.Entries{Told: p.Told, Line: p.Line, Failed: p.Failed, Closed: p.Closed, Skipped: p.Skipped},
		count: p.Rows, all: p.All, found: p.Found}, err
}

// End tells what was not found, and whether the file is whole.
func (t *ldifTable) End(notes *facts.Notes) {
	origin := facts.Origin{File: t.Name, Line: t.line}
	if bad := t.ending.Bad(t.all); bad != "" {
		notes.Incomplete(origin, "%s", bad)
	}
	switch {
	case t.count == 0:
		notes.Incomplete(origin, "no entries were found here; check \"rows\" in the mapping, the object class of the entries, or "+
			"take the export again")
		return
	case !t.File.EndsInLine():
		notes.Incomplete(origin, "the file ends in the middle of a line: it was cut off; take the export again")
	case !t.closed:
		notes.Incomplete(origin, "the file ends without the empty line that closes an entry: it may have been cut off; take the "+
			"export again, or add the line if the file is whole")
	}
	for i, found := range t.found {
		if !found {
			notes.Remark(facts.Origin{File: t.Name}, "no entry has the attribute %s; what it was to bring stays unknown", t.names[i])
		}
	}
}

// Unread names the attributes that no column takes.
func (t *ldifTable) Unread() facts.Unread {
	return facts.Unread{File: t.Name, Names: slices.Sorted(maps.Keys(t.skipped))}
}
