// Package spool puts aside what does not stay in memory: pieces of bytes, the
// first of them in memory and the others in a file, and streams made of them.
package spool

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

// A Spool keeps pieces of bytes: the first in memory, the others in a file. Several
// may put and get pieces at a time.
type Spool struct {
	Open func() (Scratch, error) // makes the file; nil for all in memory

	mu   sync.Mutex
	mem  []byte
	file Scratch
	end  int64 // of the file
	err  error
}

// Put keeps a piece and returns where it lies.
func (s *Spool) Put(piece []byte) int64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.file == nil && (s.Open == nil || len(s.mem)+len(piece) <= inMemory) {
		s.mem = append(s.mem, piece...)
		return int64(len(s.mem) - len(piece))
	}
	if s.file == nil && s.err == nil {
		s.file, s.err = s.Open()
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

// Get reads what lies at a place into a piece of that length, which is nothing but
// zeros where it returns false.
func (s *Spool) Get(piece []byte, at int64) bool {
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

// InFile reports whether there is more than stays in memory.
func (s *Spool) InFile() bool { return s.file != nil }

// Err is what failed of the file so far.
func (s *Spool) Err() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.err
}

func (s *Spool) fail(err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.err = errors.Join(s.err, err)
}

// Close gives the file back, and says what failed of it.
func (s *Spool) Close() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.file != nil {
		s.err = errors.Join(s.err, s.file.Close())
	}
	s.file, s.mem = nil, nil
	return s.err
}

// BlockSize is the size of the pieces that streams are made of, in bytes.
const BlockSize = 1 << 13

// A Stream is bytes that are written one after the other, and read so.
type Stream struct {
	blocks []int64 // where they lie
	tail   []byte
}

// Write appends.
func (x *Stream) Write(s *Spool, p []byte) {
	for len(x.tail)+len(p) > BlockSize {
		n := copy(x.tail[len(x.tail):BlockSize], p)
		x.blocks = append(x.blocks, s.Put(x.tail[:BlockSize]))
		x.tail, p = x.tail[:0], p[n:]
	}
	if x.tail == nil {
		x.tail = make([]byte, 0, BlockSize)
	}
	x.tail = append(x.tail, p...)
}

// A Reader reads a Stream.
type Reader struct {
	s     *Spool
	x     *Stream
	next  int // block
	block []byte
	left  []byte
	Bad   bool // something could not be read
}

// Len is how many bytes it has.
func (x *Stream) Len() int { return len(x.blocks)*BlockSize + len(x.tail) }

// Reader reads it from its beginning; block, of BlockSize bytes, is read into.
func (x *Stream) Reader(s *Spool, block []byte) *Reader { return &Reader{s: s, x: x, block: block} }

// More reports whether there is anything left.
func (r *Reader) More() bool {
	if len(r.left) == 0 {
		switch {
		case r.next < len(r.x.blocks):
			r.Bad = !r.s.Get(r.block, r.x.blocks[r.next])
			r.left = r.block
		case r.next == len(r.x.blocks):
			r.left = r.x.tail
		}
		r.next++
	}
	return len(r.left) > 0 && !r.Bad
}

// Uint reads a number that binary.AppendUvarint wrote.
func (r *Reader) Uint() uint64 {
	if v, n := binary.Uvarint(r.left); n > 0 {
		r.left = r.left[n:]
		return v
	}
	v := uint64(0)
	for shift := 0; shift < 64 && r.More(); shift += 7 {
		b := r.left[0]
		r.left = r.left[1:]
		if v |= uint64(b&0x7f) << shift; b < 0x80 {
			return v
		}
	}
	r.Bad = true
	return 0
}

// Bytes appends so many bytes to what is given.
func (r *Reader) Bytes(to []byte, n int) []byte {
	for n > 0 && r.More() {
		some := r.left[:min(n, len(r.left))]
		to, n = append(to, some...), n-len(some)
		r.left = r.left[len(some):]
	}
	r.Bad = r.Bad || n > 0
	return to
}

// Fixed reads a number that binary.LittleEndian.AppendUint64 wrote.
func (r *Reader) Fixed() uint64 {
	if len(r.left) >= 8 {
		v := binary.LittleEndian.Uint64(r.left)
		r.left = r.left[8:]
		return v
	}
	v := uint64(0)
	for shift := 0; shift < 64; shift += 8 {
		if !r.More() {
			r.Bad = true
			return 0
		}
		v |= uint64(r.left[0]) << shift
		r.left = r.left[1:]
	}
	return v
}
