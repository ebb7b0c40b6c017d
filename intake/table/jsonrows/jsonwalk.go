package jsonrows

import (
	"encoding/json"
	"fmt"
	"io"
	"iter"
	"slices"
	"strconv"
	"strings"
	"unsafe"

	"yewcone/intake/text"
)

// pull returns a function that gives the rows of the table one by one, then
// io.EOF or what went wrong, and one that stops it.
func pull(t *jsonTable) (next func() (jsonRow, error), stop func()) {
	var failed error
	sequence := func(yield func(jsonRow) bool) {
		failed = t.all(func(r jsonRow) bool {
			r.raw = strings.Clone(r.raw)
			return yield(r)
		})
	}
	step, stop := iter.Pull(sequence)
	return func() (jsonRow, error) {
		row, ok := step()
		switch {
		case ok:
			return row, nil
		case failed != errStopped:
			return row, failed
		}
		return row, io.EOF
	}, stop
}

// all yields all rows, whose texts are good until the next; it returns what it ended
// with, io.EOF where all went well.
func (t *jsonTable) all(yield func(jsonRow) bool) (err error) {
	for err == nil {
		err = t.descend(t.rows, yield, 0)
	}
	return err
}

var errStopped = fmt.Errorf("stopped")

// descend reads one value and yields what the steps lead to, skipping the
// rest. A list at the top without steps is a list of rows.
func (t *jsonTable) descend(steps []step, yield func(jsonRow) bool, depth int) error {
	if depth > text.MaxDepth {
		return fmt.Errorf("the rows lie more than %d levels deep", text.MaxDepth)
	}
	t.file.Mark()
	if len(steps) == 0 {
		return t.value(yield, depth)
	}
	token, err := t.decoder.Token()
	if err != nil {
		return err
	}
	s := steps[0]
	if sign, opens := token.(json.Delim); opens {
		t.within = append(t.within, byte(sign))
		defer func() { t.within = t.within[:len(t.within)-1] }()
	}
	switch {
	case token == json.Delim('[') && s.kind == toAll && len(steps) == 1:
		if err := t.elements(yield); err != nil {
			return err
		}
	case token == json.Delim('{') && s.kind == toMember:
		for t.decoder.More() {
			key, err := t.decoder.Token()
			if err != nil {
				return unexpected(err)
			}
			if key == s.name {
				err = t.descend(steps[1:], yield, depth+1)
			} else if depth == 0 && key == "totalResults" {
				err = t.total()
			} else {
				err = t.skip(0)
			}
			if err != nil {
				return unexpected(err)
			}
		}
	case token == json.Delim('[') && s.kind != toMember:
		for i := 0; t.decoder.More(); i++ {
			if s.kind == toAll || i == s.index {
				err = t.descend(steps[1:], yield, depth+1)
			} else {
				err = t.skip(0)
			}
			if err != nil {
				return unexpected(err)
			}
		}
	default:
		return fmt.Errorf("the path of the rows does not fit: found %v", token)
	}
	_, err = t.decoder.Token()
	return unexpected(err)
}

// unexpected turns an end inside a value into an error.
func unexpected(err error) error {
	if err == io.EOF {
		return io.ErrUnexpectedEOF
	}
	return err
}

// byMembers reports whether all columns lie in members of the row that they name.
func (t *jsonTable) byMembers() bool {
	return !slices.ContainsFunc(t.steps, func(path []step) bool { return len(path) == 0 || path[0].kind != toMember })
}

// object reads a document of settings, which may hold all accounts too: of members
// in which no column lies only the name is kept.
func (t *jsonTable) object() (map[string]any, error) {
	if _, err := t.decoder.Token(); err != nil {
		return nil, err
	}
	object := map[string]any{}
	for t.decoder.More() {
		t.file.Mark()
		key, err := t.decoder.Token()
		if err != nil {
			return nil, unexpected(err)
		}
		name, _ := key.(string)
		var value any
		if slices.ContainsFunc(t.steps, func(path []step) bool { return path[0].name == name }) {
			err = t.decoder.Decode(&value)
		} else {
			err = t.skip(0)
		}
		if err != nil {
			return nil, unexpected(err)
		}
		object[name] = value
	}
	_, err := t.decoder.Token()
	return object, unexpected(err)
}

// total reads how many entries a service has.
func (t *jsonTable) total() error {
	var raw json.RawMessage
	if err := t.decoder.Decode(&raw); err != nil {
		return err
	}
	if n, err := strconv.Atoi(string(raw)); err == nil {
		t.told = n
	}
	return nil
}

// skip passes over a value, however long it is, at so many levels of others that
// were passed over: the elements of a list one by one, as they are read fastest.
func (t *jsonTable) skip(depth int) error {
	if depth > text.MaxDepth {
		return fmt.Errorf("it lies more than %d levels deep", text.MaxDepth)
	}
	t.file.Mark()
	token, err := t.decoder.Token()
	if err != nil {
		return err
	}
	var raw json.RawMessage
	switch token {
	case json.Delim('['):
		for err == nil && t.decoder.More() {
			t.file.Mark()
			err = t.decoder.Decode(&raw)
		}
	case json.Delim('{'):
		for err == nil && t.decoder.More() {
			if _, err = t.decoder.Token(); err == nil {
				err = t.skip(depth + 1)
			}
		}
	default:
		return nil
	}
	if err == nil {
		_, err = t.decoder.Token()
	}
	return err
}

func (t *jsonTable) value(yield func(jsonRow) bool, depth int) error {
	t.decoder.More() // goes on to where the value begins
	line := t.lineOf(t.ahead())
	if depth == 0 && t.nextIs('[') {
		return t.descend([]step{{kind: toAll}}, yield, 0)
	}
	row := jsonRow{line: line}
	if depth == 0 && t.steps != nil && t.nextIs('{') && t.byMembers() {
		object, err := t.object()
		if err != nil {
			return err
		}
		row.node = object
	} else {
		var raw json.RawMessage
		if err := t.decoder.Decode(&raw); err != nil {
			return err
		}
		row.raw = unsafe.String(unsafe.SliceData([]byte(raw)), len(raw))
	}
	if !yield(row) {
		return errStopped
	}
	return nil
}

// ahead is how many bytes before the value come next, as far as they were read.
func (t *jsonTable) ahead() (n int64) {
	next, _ := t.decoder.Buffered().(io.ByteReader)
	for next != nil {
		if c, err := next.ReadByte(); err != nil || strings.IndexByte(" \t\r\n,:", c) < 0 {
			break
		}
		n++
	}
	return n
}

// nextIs reports whether the value that comes next begins with a sign.
func (t *jsonTable) nextIs(sign byte) bool {
	var next [1]byte
	n, _ := t.decoder.Buffered().Read(next[:])
	return n == 1 && next[0] == sign
}
