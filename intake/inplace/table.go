package inplace

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/intake"
	"yewcone/intake/table"
)

// A Table is what a query brings.
type Table struct {
	DB      Database
	From    string // what stands after "from"
	Columns []Column
	Key     int // the column that orders rows; -1 until it is said
	name    string
	asked   []bool
	rows    chan answer
	stop    chan struct{}
	err     error
}

type answer struct {
	row []string
	err error
}

// Open describes what a file with a table's name or a query brings.
func Open(name, text string, connect func() (Database, error)) (*Table, error) {
	from, err := Source(text)
	if err == nil && connect == nil {
		err = errors.New("the system names no \"source\" that could be asked for it; say under \"source\" in estate.yaml which database (docs/live.md)")
	}
	if err != nil {
		return nil, &intake.Unreadable{File: name, Message: err.Error()}
	}
	db, err := connect()
	if err != nil {
		return nil, &intake.Unreadable{File: name, Message: "the database cannot be asked: " + err.Error(), Err: err}
	}
	t := &Table{DB: db, From: from, Key: -1, name: name}
	if t.Columns, err = db.Columns(from); err != nil {
		db.Close()
		return nil, &intake.Unreadable{File: name, Message: "the database does not answer this: " + err.Error(), Err: err}
	}
	t.asked = make([]bool, len(t.Columns))
	return t, nil
}

// Column finds a column by its name.
func (t *Table) Column(name string) (int, error) {
	names := t.Headings()
	i := slices.Index(names, name)
	if i < 0 {
		return -1, fmt.Errorf("%s has no column %q; it has %s%s", t.name, name, strings.Join(names, ", "), nearword.Advice(name, names))
	}
	t.asked[i] = true
	return i, nil
}

// Heading is the name of a column.
func (t *Table) Heading(column int) string { return t.Columns[column].Name }

// Headings are the names of all.
func (t *Table) Headings() []string {
	var names []string
	for _, c := range t.Columns {
		names = append(names, c.Name)
	}
	return names
}

// Origin names the file.
func (t *Table) Origin() facts.Origin { return facts.Origin{File: t.name} }

// Close ends the connection.
func (t *Table) Close() {
	if t.stop != nil {
		close(t.stop)
		for range t.rows { // until nothing asks any more
		}
		t.stop = nil
	}
	t.DB.Close()
}

// At is the place of the row with a key.
func (t *Table) At(key string) table.Place {
	if t.Key < 0 {
		return table.Place{}
	}
	return table.Place{Part: t.Columns[t.Key].Name + " " + key}
}

// Next returns the next row, in the order of the key.
func (t *Table) Next() ([]string, table.Place) {
	if t.rows == nil {
		t.start()
	}
	a, ok := <-t.rows
	if !ok {
		return nil, table.Place{}
	}
	if a.err != nil {
		t.err = a.err
		return nil, table.Place{}
	}
	key := ""
	if t.Key >= 0 {
		key = a.row[t.Key]
	}
	return a.row, t.At(key)
}

// Err is why rows ended before their end; nil where they did not.
func (t *Table) Err() error { return t.err }

var errStopped = errors.New("stopped")

// start asks for all columns that are taken.
func (t *Table) start() {
	var shown []string
	var at []int
	for i, c := range t.Columns {
		if t.asked[i] || i == t.Key {
			shown, at = append(shown, fmt.Sprintf("%s AS yewcone_t%d", t.DB.Text(c), i)), append(at, i)
		}
	}
	query := "SELECT " + strings.Join(shown, ", ") + " FROM " + t.From
	if t.Key >= 0 {
		query += " ORDER BY " + t.DB.Key(t.Columns[t.Key])
	}
	t.rows, t.stop = make(chan answer, 256), make(chan struct{})
	go func() {
		defer close(t.rows)
		err := t.DB.Ask(query, func(texts []string) error {
			row := make([]string, len(t.Columns))
			for i, text := range texts {
				if text == table.Absent {
					text += text // a character of the database, and not what a row lacks
				}
				row[at[i]] = text
			}
			select {
			case t.rows <- answer{row: row}:
				return nil
			case <-t.stop:
				return errStopped
			}
		})
		if err != nil && err != errStopped {
			select {
			case t.rows <- answer{err: err}:
			case <-t.stop:
			}
		}
	}()
}
