package jsonfile

import (
	"bufio"
	"bytes"
	"io"
)

// document is an object on its way out, of which no list is held whole: there may be
// a hundred thousand findings.
type document struct {
	w   *bufio.Writer
	one bytes.Buffer
	err error
}

// begin writes what comes before the lists.
func begin(w io.Writer, head any) *document {
	d := &document{w: bufio.NewWriterSize(w, 1<<16)}
	d.write(bytes.TrimSuffix(d.text(head, ""), []byte("\n}")))
	return d
}

// list writes a list of the object, in the form that the whole would have.
func list[From, To any](d *document, name string, of []From, as func(*From) To) {
	d.write([]byte(",\n  \"" + name + "\": ["))
	for i := range of {
		if i > 0 {
			d.write([]byte(","))
		}
		d.write([]byte("\n    "))
		d.write(d.text(as(&of[i]), "    "))
	}
	if len(of) > 0 {
		d.write([]byte("\n  "))
	}
	d.write([]byte("]"))
}

func (d *document) end() error {
	d.write([]byte("\n}\n"))
	if d.err != nil {
		return d.err
	}
	return d.w.Flush()
}

// text is a value with each line but the first behind a prefix, good until the next.
func (d *document) text(value any, prefix string) []byte {
	d.one.Reset()
	e := newEncoder(&d.one)
	e.SetIndent(prefix, "  ")
	if err := e.Encode(value); err != nil && d.err == nil {
		d.err = err
	}
	return bytes.TrimSuffix(d.one.Bytes(), []byte("\n"))
}

func (d *document) write(p []byte) {
	if d.err == nil {
		_, d.err = d.w.Write(p)
	}
}
