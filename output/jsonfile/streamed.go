package jsonfile

import (
	"bufio"
	"bytes"
	"io"
)

// streamed writes a document whose last members are lists too long to be held:
// the same bytes as encode of all at once.
type streamed struct {
	w    io.Writer
	out  *bufio.Writer
	one  bytes.Buffer
	list string // that is open
	err  error
}

// begin writes the members of a struct, which must have some.
func (s *streamed) begin(head any) {
	s.out = bufio.NewWriterSize(s.w, 1<<16)
	s.one.Reset()
	s.err = encode(&s.one, head)
	_, _ = s.out.Write(bytes.TrimSuffix(s.one.Bytes(), []byte("\n}\n")))
}

// add writes one more of a list.
func (s *streamed) add(list string, element any) {
	if s.err != nil {
		return
	}
	if s.list == list {
		_, _ = s.out.WriteString(",")
	} else {
		s.list = list
		_, _ = s.out.WriteString(",\n  \"" + list + "\": [")
	}
	_, _ = s.out.WriteString("\n    ")
	s.one.Reset()
	e := newEncoder(&s.one)
	e.SetIndent("    ", "  ")
	s.err = e.Encode(element)
	_, _ = s.out.Write(bytes.TrimSuffix(s.one.Bytes(), []byte("\n")))
}

// addAll writes a list of its own.
func addAll[From, To any](s *streamed, list string, of []From, as func(*From) To) {
	for i := range of {
		s.add(list, as(&of[i]))
	}
	s.end(list)
}

// end ends a list, which may have nothing in it.
func (s *streamed) end(list string) {
	if s.list == list {
		_, _ = s.out.WriteString("\n  ]")
	} else {
		_, _ = s.out.WriteString(",\n  \"" + list + "\": []")
	}
	s.list = ""
}

func (s *streamed) close() error {
	_, _ = s.out.WriteString("\n}\n")
	if s.err != nil {
		return s.err
	}
	return s.out.Flush() // and the first error of all that was written
}
