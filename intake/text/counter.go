package text

import (
	"bufio"
	"bytes"
	"io"
)

// A Counter tells on which line an offset of what was read through it lies.
type Counter struct {
	r      io.Reader
	feeds  []int64 // offsets of line feeds not yet passed
	passed int
	offset int64
	ended  bool
}

// NewCounter returns a counter that reads from r through a buffer.
func NewCounter(r io.Reader) *Counter { return &Counter{r: bufio.NewReaderSize(r, bufferSize)} }

// Read reads, and remembers where lines ended.
func (c *Counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	for at := 0; at < n; at++ {
		feed := bytes.IndexByte(p[at:n], '\n')
		if feed < 0 {
			break
		}
		at += feed
		c.feeds = append(c.feeds, c.offset+int64(at))
	}
	c.offset += int64(n)
	c.ended = c.ended || err == io.EOF
	return n, err
}

// Ended reports whether the end was read.
func (c *Counter) Ended() bool { return c.ended }

// Line returns the line, counted from 1, of a byte; offsets must be asked for
// in rising order.
func (c *Counter) Line(offset int64) int {
	n := 0
	for n < len(c.feeds) && c.feeds[n] < offset {
		n++
	}
	c.feeds = append(c.feeds[:0], c.feeds[n:]...)
	c.passed += n
	return c.passed + 1
}
