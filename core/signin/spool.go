package signin

import (
	"encoding/binary"
	"errors"
	"io"
	"sync"
)

// A Scratch is a file for what does not stay in memory.
type Scratch interface {
	io.WriterAt
	io.ReaderAt
	io.Closer
}

// inMemory is how much is kept before a file is asked for, in bytes.
const inMemory = 1 << 20

// A spool keeps pieces of bytes: the first in memory, the others in a file. Several
// may put and get pieces at a time.
type spool struct {
	open func() (Scratch, error) // nil for all in memory

	mu   sync.Mutex
	mem  []byte
	file Scratch
	end  int64 // of the file
	err  error
}

// put keeps a piece and returns where it lies.
func (s *spool) put(piece []byte) int64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.file == nil && (s.open == nil || len(s.mem)+len(piece) <= inMemory) {
		s.mem = append(s.mem, piece...)
		return int64(len(s.mem) - len(piece))
	}
	if s.file == nil && s.err == nil {
		s.file, s.err = s.open()
	}
	if s.err != nil {
		return 0
	}
	if _, err := s.file.WriteAt(piece, s.end); err != nil {
		s.err = err
	}
	s.end += int64(len(piece))
	return inMemory + s.end - int64(len(piece))
}

// get reads what lies at a place into a piece of that length, which is nothing but
// zeros where it returns false.
func (s *spool) get(piece []byte, at int64) bool {
	s.mu.Lock()
	file, err := s.file, s.err
	if err == nil && (file == nil || at < inMemory) {
		copy(piece, s.mem[at:])
		file = nil
	}
	s.mu.Unlock()
	if err == nil && file != nil {
		if _, err = file.ReadAt(piece, at-inMemory); err != nil {
			s.fail(err)
		}
	}
	if err != nil {
		clear(piece)
	}
	return err == nil
}

func (s *spool) fail(err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.err = errors.Join(s.err, err)
}

// close gives the file back, and says what failed of it.
func (s *spool) close() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.file != nil {
		s.err = errors.Join(s.err, s.file.Close())
	}
	s.file, s.mem = nil, nil
	return s.err
}

// blockSize is the size of the pieces that streams are made of, in bytes.
const blockSize = 1 << 13

// A stream is bytes that are written one after the other, and read so.
type stream struct {
	blocks []int64 // where they lie
	tail   []byte
}

// write appends what must be no longer than a block.
func (x *stream) write(s *spool, p []byte) {
	if len(x.tail)+len(p) > blockSize {
		n := copy(x.tail[len(x.tail):blockSize], p)
		x.blocks = append(x.blocks, s.put(x.tail[:blockSize]))
		x.tail, p = x.tail[:0], p[n:]
	}
	if x.tail == nil {
		x.tail = make([]byte, 0, blockSize)
	}
	x.tail = append(x.tail, p...)
}

// A reader reads a stream.
type reader struct {
	s     *spool
	x     *stream
	next  int // block
	block []byte
	left  []byte
	bad   bool
}

func (x *stream) reader(s *spool, block []byte) *reader { return &reader{s: s, x: x, block: block} }

// more reports whether there is anything left.
func (r *reader) more() bool {
	if len(r.left) == 0 {
		switch {
		case r.next < len(r.x.blocks):
			r.bad = !r.s.get(r.block, r.x.blocks[r.next])
			r.left = r.block
		case r.next == len(r.x.blocks):
			r.left = r.x.tail
		}
		r.next++
	}
	return len(r.left) > 0 && !r.bad
}

// uint reads a number that binary.AppendUvarint wrote.
func (r *reader) uint() uint64 {
	if v, n := binary.Uvarint(r.left); n > 0 {
		r.left = r.left[n:]
		return v
	}
	v := uint64(0)
	for shift := 0; shift < 64 && r.more(); shift += 7 {
		b := r.left[0]
		r.left = r.left[1:]
		if v |= uint64(b&0x7f) << shift; b < 0x80 {
			return v
		}
	}
	r.bad = true
	return 0
}
