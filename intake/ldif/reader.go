// Package ldif reads LDIF (RFC 2849) entry by entry, and knows what its
// readers share: groups within groups, distinguished names, time stamps.
package ldif

import (
	"bufio"
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"strings"
)

// maxEntry bounds the bytes of one entry, against hostile files.
const maxEntry = 64 << 20

// An Attribute is one line of an entry, unfolded and decoded.
type Attribute struct {
	Name  string // small letters, without options such as ;lang-en
	Value string
	Line  int // where it begins, counted from 1
}

// An Entry is one record. It is only good until the next one is read.
type Entry struct {
	DN    string
	Line  int // of its dn
	Attrs []Attribute
}

// First returns the first value of an attribute, named in small letters.
func (e *Entry) First(name string) (Attribute, bool) {
	for i := range e.Attrs {
		if e.Attrs[i].Name == name {
			return e.Attrs[i], true
		}
	}
	return Attribute{}, false
}

// Text is First's value, or "".
func (e *Entry) Text(name string) string {
	a, _ := e.First(name)
	return a.Value
}

// Is reports whether the entry has an object class, named in small letters.
func (e *Entry) Is(class string) bool {
	for i := range e.Attrs {
		if e.Attrs[i].Name == "objectclass" && strings.EqualFold(e.Attrs[i].Value, class) {
			return true
		}
	}
	return false
}

// A reader reads the content records of LDIF (RFC 2849): folded lines, base64
// values, comments, CR LF. What slows a general reader down it leaves out:
// every entry reuses the memory of the one before.
type reader struct {
	r       *bufio.Reader
	line    int // of the last line read
	entry   Entry
	names   map[string]string
	wanted  map[string]bool // attributes that are kept, in small letters
	skipped map[string]bool // attributes that are not
	raw     []byte          // the unfolded line
	rawLine int
	closed  bool // the last entry was followed by an empty line
}

// errBadLine is wrapped by errors about one line; the reader can go on with
// the next entry.
var errBadLine = errors.New("no LDIF")

func newReader(r io.Reader, wanted map[string]bool) *reader {
	return &reader{r: bufio.NewReaderSize(r, 1<<16), names: map[string]string{}, wanted: wanted, skipped: map[string]bool{}}
}

// next returns the next entry, io.EOF at the end, or an error that wraps
// errBadLine and names the line in the reader's field rawLine.
func (r *reader) next() (*Entry, error) {
	e := &r.entry
	e.DN, e.Line, e.Attrs = "", 0, e.Attrs[:0]
	size := 0
	for {
		ok, err := r.logical()
		if err != nil {
			return nil, err
		}
		if !ok || len(r.raw) == 0 {
			if e.Line > 0 {
				r.closed = ok
				return e, nil
			}
			if !ok {
				return nil, io.EOF
			}
			continue
		}
		if r.raw[0] == '#' {
			continue
		}
		if size += len(r.raw); size > maxEntry {
			return nil, fmt.Errorf("an entry of more than %d MB: %w", maxEntry>>20, errBadLine)
		}
		if err := r.attribute(e); err != nil {
			r.skip()
			return nil, err
		}
	}
}

// attribute adds the unfolded line to the entry, if its name is wanted.
func (r *reader) attribute(e *Entry) error {
	colon := bytes.IndexByte(r.raw, ':')
	if colon <= 0 {
		return fmt.Errorf("expected \"attribute: value\", found no colon: %w", errBadLine)
	}
	name, ok := r.intern(r.raw[:colon])
	if !ok {
		return fmt.Errorf("%.40q is no name of an attribute: %w", r.raw[:colon], errBadLine)
	}
	switch {
	case e.Line == 0 && name == "version":
		return nil
	case e.Line == 0 && (name == "search" || name == "result" || name == "ref"):
		r.skip() // what a search tool writes after the entries
		return nil
	case e.Line == 0 && name != "dn":
		return fmt.Errorf("an entry must begin with \"dn:\", found %.40q: %w", r.raw[:colon], errBadLine)
	case name == "changetype":
		return fmt.Errorf("this is a list of changes, not an export; take it with slapcat or a search: %w", errBadLine)
	case e.Line != 0 && name == "":
		return nil
	}
	value, err := decodeValue(name, r.raw[colon+1:])
	if err != nil {
		return err
	}
	if e.Line == 0 {
		e.DN, e.Line = value, r.rawLine
		return nil
	}
	e.Attrs = append(e.Attrs, Attribute{Name: name, Value: value, Line: r.rawLine})
	return nil
}

// decodeValue reads what follows the first colon: " value", ": base64" or
// "< url".
func decodeValue(name string, rest []byte) (string, error) {
	switch {
	case len(rest) > 0 && rest[0] == ':':
		decoded, err := base64.StdEncoding.DecodeString(string(bytes.TrimSpace(rest[1:])))
		if err != nil {
			return "", fmt.Errorf("the value of %s is not base64 as \"::\" says: %w", name, errBadLine)
		}
		return string(decoded), nil
	case len(rest) > 0 && rest[0] == '<':
		return "", fmt.Errorf("the value of %s stands in another file (\":<\"), which is not read: %w", name, errBadLine)
	}
	return string(bytes.TrimLeft(rest, " ")), nil
}

// intern returns an attribute's name in small letters without its options, or
// "" when nobody wants it, without making a new string each time; false for
// what is no name.
func (r *reader) intern(name []byte) (string, bool) {
	if lower, ok := r.names[string(name)]; ok {
		return lower, true
	}
	for _, c := range name {
		if !(c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' || c == '.' || c == ';' || c == '_') {
			return "", false
		}
	}
	plain, _, _ := strings.Cut(string(name), ";")
	lower := strings.ToLower(plain)
	if !r.wanted[lower] {
		r.skipped[plain] = true
		lower = ""
	}
	if len(r.names) < 10000 {
		r.names[string(name)] = lower
	}
	return lower, true
}

// skip reads on to the empty line that ends the entry.
func (r *reader) skip() {
	line := r.rawLine
	for {
		ok, err := r.logical()
		if err != nil || !ok || len(r.raw) == 0 {
			break
		}
	}
	r.rawLine = line
	r.closed = true
}

// logical reads one line into r.raw with those that continue it; false at the
// end of the file.
func (r *reader) logical() (bool, error) {
	first, ok, err := r.physical()
	if !ok || err != nil {
		return ok, err
	}
	r.rawLine = r.line
	r.raw = append(r.raw[:0], first...)
	for len(r.raw) > 0 {
		next, err := r.r.Peek(1)
		if err != nil || next[0] != ' ' {
			break
		}
		more, _, err := r.physical()
		if err != nil {
			return false, err
		}
		r.raw = append(r.raw, more[1:]...)
		if len(r.raw) > maxEntry {
			return false, fmt.Errorf("a line of more than %d MB: %w", maxEntry>>20, errBadLine)
		}
	}
	return true, nil
}

// physical reads one line without its end.
func (r *reader) physical() ([]byte, bool, error) {
	line, err := r.r.ReadSlice('\n')
	if err == bufio.ErrBufferFull {
		long := append([]byte(nil), line...)
		for err == bufio.ErrBufferFull && len(long) <= maxEntry {
			line, err = r.r.ReadSlice('\n')
			long = append(long, line...)
		}
		line = long
	}
	if err == io.EOF && len(line) == 0 {
		return nil, false, nil
	}
	if err != nil && err != io.EOF {
		return nil, false, err
	}
	r.line++
	for len(line) > 0 && (line[len(line)-1] == '\n' || line[len(line)-1] == '\r') {
		line = line[:len(line)-1]
	}
	return line, true, nil
}
