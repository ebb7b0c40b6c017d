// Package rows reads what database clients print: rows of named fields, as
// CSV, as tab-separated text with backslash escapes, as JSON or as XML.
package rows

import (
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/text"
)

// A Row is one row. It is only good until the next one is read.
type Row struct {
	Line  int // where it begins, counted from 1
	names []string
	texts []string
	nulls []bool
}

// CopyFrom makes the row a copy of another, which keeps its own memory.
func (r *Row) CopyFrom(o *Row) {
	r.Line = o.Line
	r.names, r.texts, r.nulls = append(r.names[:0], o.names...), append(r.texts[:0], o.texts...), append(r.nulls[:0], o.nulls...)
}

// Text returns a field, and false when the row lacks it or it is null.
func (r *Row) Text(name string) (string, bool) {
	for i := range r.names {
		if r.names[i] == name {
			return r.texts[i], !r.nulls[i]
		}
	}
	return "", false
}

// Has reports whether the rows have a column, null or not.
func (r *Row) Has(name string) bool {
	for i := range r.names {
		if r.names[i] == name {
			return true
		}
	}
	return false
}

// Plain is Text without telling an empty field from a missing one.
func (r *Row) Plain(name string) string {
	t, _ := r.Text(name)
	return t
}

// True reads a field as the clients write booleans: t, true, on, Y, 1.
func (r *Row) True(name string) bool {
	switch strings.ToLower(r.Plain(name)) {
	case "t", "true", "on", "y", "yes", "1":
		return true
	}
	return false
}

// Each hands over all fields that are not null.
func (r *Row) Each(yield func(name, text string)) {
	for i := range r.names {
		if !r.nulls[i] {
			yield(r.names[i], r.texts[i])
		}
	}
}

func (r *Row) add(name, text string, null bool) {
	r.names, r.texts, r.nulls = append(r.names, name), append(r.texts, text), append(r.nulls, null)
}

func (r *Row) reset(line int) {
	r.Line, r.names, r.texts, r.nulls = line, r.names[:0], r.texts[:0], r.nulls[:0]
}

// Extensions are the forms that are read, in the order of preference.
var Extensions = []string{".csv", ".tsv", ".json", ".jsonl", ".ndjson", ".xml"}

// Find returns the first file of a folder with one of the names and a known
// extension; false when there is none.
func Find(r *intake.Request, folder string, names ...string) (string, bool) {
	for _, name := range names {
		for _, ext := range Extensions {
			for _, packed := range []string{"", ".gz", ".zst"} {
				file := path.Join(folder, name+ext+packed)
				f, err := r.Open(file, "")
				if err == nil {
					f.Close()
				}
				if !errors.Is(err, fs.ErrNotExist) { // what is there and cannot be read is told by whoever reads it
					return file, true
				}
			}
		}
	}
	return "", false
}

// Read reads a file row by row. What cannot be read is noted; a file that is
// not there is an *intake.Unreadable. It stops at the first error of each.
// needs are the columns that each row must have: a file whose heading lacks
// one is not read, and a row without one is left out.
func Read(r *intake.Request, file string, notes *facts.Notes, each func(*Row) error, needs ...string) error {
	f, err := r.Open(file, "")
	if err != nil {
		return intake.CannotOpen(file, err)
	}
	defer f.Close()
	s := &source{file: file, notes: notes, lines: text.NewCounter(f), each: each, open: f, needs: needs}
	switch path.Ext(strings.TrimSuffix(strings.TrimSuffix(file, ".gz"), ".zst")) {
	case ".csv":
		err = s.csv()
	case ".json", ".jsonl", ".ndjson":
		err = text.ToldJSON(s.json())
	case ".xml":
		err = s.xml()
	default:
		err = s.batch()
	}
	var stop stopped
	if errors.As(err, &stop) {
		return stop.error
	}
	notes.Odd(facts.Origin{File: file}, f.Odd())
	if err != nil && !errors.Is(err, fs.ErrClosed) {
		notes.Incomplete(facts.Origin{File: file, Line: s.row.Line}, "the file cannot be read on: %s; take the export again", err)
	}
	return nil
}

// Parts divides the rows of a file into accounts: filler is of facts.Records. empty is
// said where there is no row; "" says nothing.
func Parts(r *intake.Request, file string, noted *facts.Notes, empty string, filler func() (func(*Row, *facts.Account) bool, *facts.Notes),
	yield func(facts.Part) error, needs ...string) error {
	all := facts.Records[Row]{Notes: noted, Filler: filler}
	all.Read = func(notes *facts.Notes, room func() (*Row, error)) error {
		some := false
		err := Read(r, file, notes, func(row *Row) error {
			some = true
			kept, err := room()
			if err == nil {
				kept.CopyFrom(row)
			}
			return err
		}, needs...)
		if !some && empty != "" {
			notes.Incomplete(facts.Origin{File: file}, "%s", empty)
		}
		return err
	}
	return all.Parts(yield)
}

// stopped carries an error of each through the readers.
type stopped struct{ error }

type source struct {
	file  string
	notes *facts.Notes
	lines *text.Counter
	each  func(*Row) error
	open  *text.File
	needs []string
	row   Row
	count int // of rows
}

// lacks says which of the columns that are needed is not among the names.
func (s *source) lacks(names []string) string {
	for _, need := range s.needs {
		if !slices.Contains(names, need) {
			return need
		}
	}
	return ""
}

// headed checks the heading of a table.
func (s *source) headed(names []string) error {
	need := s.lacks(names)
	if need == "" {
		return nil
	}
	if form := (&Table{Needs: s.needs}).formOf(strings.Join(names, ",")); form != "" {
		return fmt.Errorf("the heading has no column %q: this seems to be %s", need, form)
	}
	return fmt.Errorf("the heading has no column %q", need)
}

func (s *source) emit() error {
	s.count++
	if need := s.lacks(s.row.names); need != "" {
		s.notes.Refuse(facts.Origin{File: s.file, Line: s.row.Line}, "the row has no %q", need)
		return nil
	}
	if err := s.each(&s.row); err != nil {
		return stopped{err}
	}
	return nil
}

func (s *source) csv() error {
	s.open.Mark()
	r := csv.NewReader(s.lines)
	header, err := r.Read()
	if err == io.EOF {
		return errors.New("it is empty")
	}
	if err == nil {
		err = s.headed(header)
	}
	if err != nil {
		return err
	}
	r.ReuseRecord = true
	for {
		s.open.Mark()
		record, err := r.Read()
		if err == io.EOF {
			return s.end()
		}
		line, _ := 0, 0
		if len(record) > 0 {
			line, _ = r.FieldPos(0)
		}
		if errors.Is(err, csv.ErrFieldCount) && !s.last() {
			s.odd(record, len(header), line)
			continue
		}
		if err != nil {
			return err
		}
		s.row.reset(line)
		for i, field := range record {
			s.row.add(header[i], field, field == "")
		}
		if err := s.emit(); err != nil {
			return err
		}
	}
}

// odd notes what is no row: a line of the client, or one that was damaged.
func (s *source) odd(fields []string, want, line int) {
	origin := facts.Origin{File: s.file, Line: line}
	if ending, is := text.EndingOf(fields[0]); is {
		ending.Tell(s.notes, origin, s.count)
		return
	}
	s.notes.Refuse(origin, "the row has %d fields where the heading has %d", len(fields), want)
}

// last reports whether the file ended within the row just read.
func (s *source) last() bool { return s.lines.Ended() && !s.open.EndsInLine() }

// end: a file without a last line end was probably cut off.
func (s *source) end() error {
	if !s.open.EndsInLine() {
		return errors.New("it ends without a line end, and may have been cut off")
	}
	return nil
}

var unescape = strings.NewReplacer(`\t`, "\t", `\n`, "\n", `\\`, `\`, `\0`, "\x00")

// batch reads a client's batch output: a heading, tabs, backslash escapes, and
// the word NULL.
func (s *source) batch() error {
	scan := text.NewScanner(s.open)
	var header []string
	for n := 1; scan.Scan(); n++ {
		fields := strings.Split(scan.Text(), "\t")
		if header == nil {
			header = fields
			if err := s.headed(header); err != nil {
				return err
			}
			continue
		}
		if len(fields) != len(header) {
			s.odd(fields, len(header), n)
			continue
		}
		s.row.reset(n)
		for i, field := range fields {
			s.row.add(header[i], unescape.Replace(field), field == "NULL")
		}
		if err := s.emit(); err != nil {
			return err
		}
	}
	if scan.Err() != nil {
		return text.Told(scan.Err())
	}
	if header == nil { // the client prints no heading where there are no rows
		s.notes.Remark(facts.Origin{File: s.file}, "the file is empty: no rows")
		return nil
	}
	return s.end()
}

// json reads an array of objects, objects one after the other, or one object
// whose keys are names and whose values are settings ("name" and "value").
func (s *source) json() error {
	s.open.Mark()
	d := json.NewDecoder(s.lines)
	d.UseNumber()
	first, err := d.Token()
	if err == io.EOF {
		return errors.New("it is empty")
	}
	if err != nil {
		return err
	}
	switch first {
	case json.Delim('['):
		for d.More() {
			if err := s.object(d, nil); err != nil {
				return err
			}
		}
		_, err := d.Token()
		return err
	case json.Delim('{'):
		if err := s.object(d, first); err != nil {
			return err
		}
		for {
			if err := s.object(d, nil); err == io.EOF {
				return nil
			} else if err != nil {
				return err
			}
		}
	}
	return fmt.Errorf("expected a list of objects, found %v", first)
}

// object reads one object; its opening brace may be read already.
func (s *source) object(d *json.Decoder, opened json.Token) error {
	s.open.Mark()
	s.row.reset(s.lines.Line(d.InputOffset()))
	if opened == nil {
		token, err := d.Token()
		if err != nil {
			return err
		}
		if token != json.Delim('{') {
			return fmt.Errorf("expected an object, found %v", token)
		}
		s.row.Line = s.lines.Line(d.InputOffset())
	}
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return inside(err)
		}
		var raw json.RawMessage
		if err := d.Decode(&raw); err != nil {
			return inside(err)
		}
		if len(s.row.names) == text.MaxParts {
			return text.ErrManyParts
		}
		value, null := plain(raw)
		s.row.add(fmt.Sprint(key), value, null)
	}
	if _, err := d.Token(); err != nil {
		return inside(err)
	}
	return s.emit()
}

// inside: an end within an object is not the end of the objects.
func inside(err error) error {
	if err == io.EOF {
		return io.ErrUnexpectedEOF
	}
	return err
}

// plain writes a JSON value as text: strings without quotes, everything else
// as it stands.
func plain(raw json.RawMessage) (value string, null bool) {
	if string(raw) == "null" {
		return "", true
	}
	if json.Unmarshal(raw, &value) == nil {
		return value, false
	}
	return string(raw), false
}

// xml reads a result set: rows of fields with a name attribute; xsi:nil marks
// a null.
func (s *source) xml() error {
	s.open.Mark()
	d := xml.NewDecoder(s.lines)
	d.Strict = true
	name, null, inField, inRow := "", false, false, false
	var value []byte
	depth, begun := 0, false
	for {
		token, err := d.Token()
		if err == io.EOF {
			if !begun {
				return errors.New("it is empty")
			}
			if depth > 0 {
				return errors.New("it ends before its last element is closed")
			}
			return nil
		}
		if err != nil {
			s.row.Line, _ = d.InputPos()
			return text.ToldXML(err)
		}
		if !inRow {
			s.open.Mark()
		}
		switch t := token.(type) {
		case xml.StartElement:
			begun = true
			if depth++; depth > text.MaxDepth {
				return errors.New("its elements are nested too deeply")
			}
			switch t.Name.Local {
			case "row":
				line, _ := d.InputPos()
				s.row.reset(line)
				inRow = true
			case "field":
				name, value, null, inField = "", value[:0], false, true
				for _, a := range t.Attr {
					switch a.Name.Local {
					case "name":
						name = a.Value
					case "nil":
						null = a.Value == "true"
					}
				}
			}
		case xml.CharData:
			if inField {
				value = append(value, t...)
			}
		case xml.EndElement:
			depth--
			switch t.Name.Local {
			case "field":
				if len(s.row.names) == text.MaxParts {
					return text.ErrManyParts
				}
				s.row.add(name, string(value), null)
				inField = false
			case "row":
				if err := s.emit(); err != nil {
					return err
				}
				inRow = false
			}
		}
	}
}
