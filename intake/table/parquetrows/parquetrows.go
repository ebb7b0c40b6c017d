// Package parquetrows reads the rows of Parquet files (Apache Parquet format 2):
// only the columns that are asked for, row group by row group.
package parquetrows

import (
	"encoding/json"
	"errors"
	"io"
	"os"
	"slices"
	"strings"
	"sync/atomic"

	"github.com/parquet-go/parquet-go"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// Form is a Parquet file.
var Form = table.Form{Name: "parquet", Endings: []string{".parquet"}, Open: open}

// fileTable reads one file. Values come as files of text have them: dates and moments
// by ISO 8601, yes and no as true and false, the elements of a list on a line each.
// Its pieces are its row groups, each of which can be read on its own.
type fileTable struct {
	name     string
	os       *os.File
	file     *parquet.File
	leaves   []*parquet.Column
	headings []string
	wanted   []bool // by heading
	groups   []parquet.RowGroup
	group    int   // the next one
	rows     int64 // that were read
	broken   bool
	now      *groupRows
	using    atomic.Int32 // who needs the file open
	notes    *facts.Notes
}

func open(s *table.Source) (t table.Table, err error) {
	if err := text.Regular(s.File); err != nil {
		return nil, intake.CannotOpen(s.Name, err)
	}
	f, err := os.Open(s.File)
	if err != nil {
		return nil, intake.CannotOpen(s.Name, err)
	}
	text.Opening(s.File)
	defer func() {
		if wrong := recover(); wrong != nil { // the library trusts what stands in the file's own description
			err = &intake.Unreadable{File: s.Name, Message: "no sound Parquet file; take the export again", Err: errDamaged}
		}
		if err != nil {
			f.Close()
		}
	}()
	info, err := f.Stat()
	if err != nil {
		return nil, intake.CannotOpen(s.Name, err)
	}
	file, err := parquet.OpenFile(f, info.Size(), parquet.SkipPageIndex(true), parquet.SkipBloomFilters(true))
	if err != nil {
		return nil, &intake.Unreadable{File: s.Name, Message: "no whole Parquet file: " + err.Error() + "; take the export again", Err: err}
	}
	out := &fileTable{name: s.Name, os: f, file: file, groups: file.RowGroups(), notes: s.Notes}
	out.using.Store(1)
	out.gather(file.Root(), nil)
	if len(out.leaves) > text.MaxParts {
		return nil, &intake.Unreadable{File: s.Name, Message: text.ErrManyParts.Error(), Err: text.ErrManyParts}
	}
	out.wanted = make([]bool, len(out.leaves))
	return out, nil
}

var errDamaged = errors.New("the file is damaged")

// gather lists the columns that hold values.
func (t *fileTable) gather(c *parquet.Column, path []string) {
	if len(path) > text.MaxDepth {
		return
	}
	for _, child := range c.Columns() {
		below := append(slices.Clone(path), child.Name())
		if child.Leaf() {
			t.leaves, t.headings = append(t.leaves, child), append(t.headings, headingOf(child, below))
			continue
		}
		t.gather(child, below)
	}
}

// headingOf is the path of a column; of a list without the names that its elements lie
// under.
func headingOf(c *parquet.Column, path []string) string {
	if n := len(path); n >= 3 && c.MaxRepetitionLevel() == 1 && slices.Contains([]string{"list", "bag", "array"}, path[n-2]) {
		path = path[:n-2]
	}
	return strings.Join(path, ".")
}

// Close closes the file, once all row groups that were given out are read: they may
// be read after it.
func (t *fileTable) Close() {
	if t.now != nil {
		t.now.close()
	}
	t.release()
}

func (t *fileTable) release() {
	if t.using.Add(-1) == 0 {
		t.os.Close()
	}
}

// Origin names the file.
func (t *fileTable) Origin() facts.Origin { return facts.Origin{File: t.name} }

// Heading is the heading of a column.
func (t *fileTable) Heading(c int) string { return t.headings[c] }

// Width is how many there are.
func (t *fileTable) Width() int { return len(t.headings) }

// Headings are all of them.
func (t *fileTable) Headings() []string { return t.headings }

// Column asks for a column.
func (t *fileTable) Column(name string) (int, error) {
	i, err := table.Find(t.name, t.headings, name)
	if err == nil {
		t.wanted[i] = true
	}
	return i, err
}

// NextPiece returns the next row group, by its number as a line; false at the end.
func (t *fileTable) NextPiece(*facts.Notes) (text.Piece, bool) {
	if t.group >= len(t.groups) {
		return text.Piece{}, false
	}
	t.group++
	t.using.Add(1)
	return text.Piece{Line: t.group, Last: t.group == len(t.groups)}, true
}

// Part reads the rows of a row group.
func (t *fileTable) Part(piece text.Piece, notes *facts.Notes) table.Rows {
	r := &groupRows{whole: t, group: t.groups[piece.Line-1], row: make([]string, len(t.leaves)), notes: notes}
	for _, before := range t.groups[:piece.Line-1] {
		r.before += before.NumRows()
	}
	return r
}

// Absorb takes in what a part has found.
func (t *fileTable) Absorb(rows table.Rows) {
	part := rows.(*groupRows)
	part.close() // where it was not read to its end
	t.rows += part.rows
	t.broken = t.broken || part.broken
}

type packed struct {
	Rows   int64
	Broken bool
}

// Pack is of table.Divisible.
func (t *fileTable) Pack(rows table.Rows) ([]byte, error) {
	part := rows.(*groupRows)
	return json.Marshal(packed{part.rows, part.broken})
}

// Unpack is of table.Divisible.
func (t *fileTable) Unpack(data []byte) (table.Rows, error) {
	var p packed
	err := json.Unmarshal(data, &p)
	return &groupRows{rows: p.Rows, broken: p.Broken, closed: true}, err
}

// Pass is of table.Divisible.
func (t *fileTable) Pass(text.Piece) { t.release() }

// Finish judges the whole.
func (t *fileTable) Finish(notes *facts.Notes) { t.End(notes) }

// End says where the file tells of more rows than there were.
func (t *fileTable) End(notes *facts.Notes) {
	all := t.file.NumRows()
	switch {
	case t.broken:
	case all != t.rows:
		notes.Incomplete(t.Origin(), "the file says that it has %d rows, and has %d; take the export again", all, t.rows)
	case t.rows == 0:
		notes.Incomplete(t.Origin(), "no rows were found here")
	}
}

// Next returns the next row and its number.
func (t *fileTable) Next() ([]string, table.Place) {
	for {
		if t.now == nil {
			piece, ok := t.NextPiece(t.notes)
			if !ok {
				t.Finish(t.notes)
				return nil, table.Place{}
			}
			t.now = t.Part(piece, t.notes).(*groupRows)
		}
		if row, at := t.now.Next(); row != nil {
			return row, at
		}
		t.Absorb(t.now)
		t.now = nil
	}
}

// groupRows are the rows of one row group.
type groupRows struct {
	whole   *fileTable
	group   parquet.RowGroup
	before  int64     // rows of the groups before it
	columns []*column // by heading; nil for what nobody asks for; none before it is begun
	row     []string
	rows    int64 // that were read
	ends    error // at the next row
	broken  bool
	closed  bool
	notes   *facts.Notes
}

// damaged is the error of a panic.
func damaged(wrong any) error {
	if told, ok := wrong.(error); ok && errors.Is(told, text.ErrTooLong) {
		return told
	}
	return errDamaged
}

// NextRows is of table.Batcher. Columns are read one after the other; at the first
// row of which one cannot be read the batch ends.
func (r *groupRows) NextRows(b *table.Batch) {
	if r.closed || r.ends != nil {
		return
	}
	if r.columns == nil {
		if r.ends = r.begin(); r.ends != nil {
			return
		}
	}
	before, all := b.Count, b.Count
	for left := r.group.NumRows() - r.rows; left > 0 && b.Room() != nil; left-- {
		b.Add(table.Place{Line: int(r.before+r.rows) + 1 + b.Count - before})
		all = b.Count
	}
	for i, c := range r.columns {
		texts := b.Texts[before*b.Width+i:]
		if c == nil {
			for row := range all - before {
				texts[row*b.Width] = ""
			}
			continue
		}
		if v := b.Values(i); v != nil && before == 0 {
			apart, err := c.apart(v, all)
			if err != nil {
				all, r.ends = 0, err
			}
			if apart || err != nil {
				continue
			}
		}
		if n, err := c.fill(texts, b.Width, all-before); err != nil {
			all, r.ends = before+n, err
		}
	}
	b.Count = all
	r.rows += int64(all - before)
}

// Next returns the next row and its number in the file.
func (r *groupRows) Next() (row []string, at table.Place) {
	defer func() {
		if wrong := recover(); wrong != nil {
			row, at = r.fail(damaged(wrong))
		}
	}()
	if r.ends != nil {
		return r.fail(r.ends)
	}
	if r.closed {
		return nil, table.Place{}
	}
	if r.columns == nil {
		if err := r.begin(); err != nil {
			return r.fail(err)
		}
	}
	if r.broken || r.rows >= r.group.NumRows() {
		r.close()
		return nil, table.Place{}
	}
	for i, c := range r.columns {
		if c == nil {
			continue
		}
		value, err := c.next()
		if err != nil {
			return r.fail(err)
		}
		r.row[i] = value
	}
	r.rows++
	return r.row, table.Place{Line: int(r.before + r.rows)}
}

func (r *groupRows) begin() error {
	r.columns = make([]*column, len(r.whole.leaves))
	chunks := r.group.ColumnChunks()
	for i, leaf := range r.whole.leaves {
		if !r.whole.wanted[i] {
			continue
		}
		if leaf.Index() >= len(chunks) {
			return errDamaged
		}
		r.columns[i] = newColumn(leaf, r.whole.file.Root())
		r.columns[i].pages = chunks[leaf.Index()].Pages()
	}
	if text.Heed != nil {
		text.Heed()
	}
	return nil
}

func (r *groupRows) close() {
	if r.closed {
		return
	}
	r.closed = true
	defer r.whole.release()
	for _, c := range r.columns {
		if c != nil {
			c.close()
		}
	}
}

func (r *groupRows) fail(err error) ([]string, table.Place) {
	r.broken = true
	r.close()
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = errors.New("a column has fewer values than there are rows")
	}
	r.notes.Incomplete(table.Place{Line: int(r.before + r.rows)}.In(r.whole.Origin()), "the file cannot be read on: %s; take the export again", err)
	return nil, table.Place{}
}

// Unread names the columns that nobody asked for.
func (t *fileTable) Unread() facts.Unread {
	u := facts.Unread{File: t.name}
	for i, wanted := range t.wanted {
		if !wanted && len(u.Names) < table.MostUnread {
			u.Names = append(u.Names, t.headings[i])
		}
	}
	slices.Sort(u.Names)
	return u
}
