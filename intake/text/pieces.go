package text

import (
	"io"
	"strings"
	"sync"
	"unsafe"
)

// PieceSize is how many bytes a piece has, or as many more as its last record needs.
// Tests make it small, so that few rows are several pieces.
var PieceSize = 1 << 18

// Spoil overwrites what was given back at once, which shows in tests what somebody keeps of it.
var Spoil bool

// A Piece is a run of whole records out of a file.
type Piece struct {
	Text string
	Line int  // of its first character, counted from 1
	Last bool // nothing follows; its last record may not be whole
	// Lines are those on which its records begin, where that is not told by what
	// stands before them.
	Lines []int32
	// Plain tells that it has no control characters but line feeds; not all that
	// have none are known for it.
	Plain bool

	memory []byte
	spare  *spare
	later  *later // that it will be; nil once it is
}

// Load reads a piece that was only begun. The others stay as they are.
func (p *Piece) Load() error {
	l := p.later
	if l == nil {
		return nil
	}
	l.load()
	*p, l.piece = l.piece, Piece{}
	return l.err
}

// spare is memory to read into: what was given back last is first, since it is still near.
type spare struct {
	sync.Mutex
	list [][]byte
}

func (s *spare) put(memory []byte) {
	if s == nil {
		return
	}
	s.Lock()
	defer s.Unlock()
	if len(s.list) < mostSpare {
		s.list = append(s.list, memory)
	}
}

// take returns the memory that was put last; nil where there is none.
func (s *spare) take() (memory []byte) {
	if s == nil {
		return nil
	}
	s.Lock()
	defer s.Unlock()
	if n := len(s.list); n > 0 {
		memory, s.list = s.list[n-1], s.list[:n-1]
	}
	return memory
}

// Free gives the memory of the text back, to be read into again: for those who keep
// nothing of it.
func (p *Piece) Free() {
	if Spoil {
		for i := range p.memory {
			p.memory[i] = '~'
		}
	}
	p.spare.put(p.memory)
	p.Text, p.memory, p.spare = "", nil, nil
}

// Pieces cuts a file into pieces.
type Pieces struct {
	r     io.Reader
	cut   func(string) int
	buf   []byte
	rest  []byte // behind the piece before
	size  int    // how much to read at a time
	line  int
	at    int64 // how many bytes the pieces before it had
	file  *File // that it is read from, from its beginning on; nil where it is not known
	ended bool
	spare *spare

	begun  int64  // in a direct file, where the stretch begins that comes next
	before *later // the one before
	whole  bool   // nothing was taken from the file before the first piece
}

// mostSpare is how many pieces of memory wait to be read into again.
const mostSpare = 8

// NewPieces returns the pieces of what r reads. cut returns how many bytes at
// the beginning of a text are whole records; 0 for none.
func NewPieces(r io.Reader, cut func(string) int) *Pieces {
	p := &Pieces{r: r, cut: cut, size: PieceSize, line: 1, spare: &spare{}}
	if p.file, _ = r.(*File); p.file != nil {
		p.whole = p.file.last.n == 0
	}
	return p
}

// Of tells which file is read, where a buffer stands between from which nothing was taken.
func (p *Pieces) Of(f *File) *Pieces {
	p.file, p.whole = f, true
	return p
}

// Begin returns the next piece, which Load may have to read, and other pieces at the same
// time; io.EOF when there is none. It may turn out to be empty.
func (p *Pieces) Begin() (Piece, error) {
	f := p.file
	if f == nil || f.direct == nil || !p.whole {
		return p.next()
	}
	from := max(p.begun, f.direct.from)
	if from >= f.direct.size {
		return Piece{}, io.EOF
	}
	p.begun = from + int64(stretch())
	l := &later{pieces: p, from: from, last: p.begun >= f.direct.size, before: p.before}
	p.before = l
	f.direct.begin()
	return Piece{later: l}, nil
}

// Next returns the next piece; io.EOF when there is none.
func (p *Pieces) Next() (Piece, error) {
	for {
		piece, err := p.Begin()
		if err == nil {
			err = piece.Load()
		}
		if err != nil || piece.Text != "" {
			return piece, err
		}
	}
}

// plain reports whether the next piece is known to have no control characters but
// line feeds: of what was read, all that is behind its beginning.
func (p *Pieces) plain() bool {
	return p.file != nil && !p.file.last.unasked && p.file.last.odd == 0 && p.file.last.low <= p.at
}

// next is Next for what is read from its beginning on.
func (p *Pieces) next() (Piece, error) {
	for {
		if err := p.fill(p.size); err != nil {
			return Piece{}, err
		}
		if len(p.buf) == 0 {
			return Piece{}, io.EOF
		}
		whole := unsafe.String(&p.buf[0], len(p.buf)) // which nobody writes to any more, once it is a piece
		n := len(whole)
		if !p.ended {
			n = p.cut(whole)
		}
		if n == 0 {
			if p.size >= MaxEntry {
				return Piece{}, tooLong(p.line)
			}
			p.size *= 2
			continue
		}
		piece := Piece{Text: whole[:n], Line: p.line, Last: p.ended, Plain: p.plain(), memory: p.buf, spare: p.spare}
		p.at += int64(n)
		p.line += strings.Count(piece.Text, "\n")
		p.rest = append(p.rest[:0], p.buf[n:]...) // its memory may be given back before more is read
		p.size, p.buf = PieceSize, nil
		if p.ended {
			p.spare = nil // nothing is read any more, and who opened the file may keep it
		}
		return piece, nil
	}
}

// memory is empty and has room for so many bytes, and for a piece.
func (p *Pieces) memory(size int) []byte {
	if spare := p.spare.take(); cap(spare) > size {
		return spare[:0]
	}
	return make([]byte, 0, max(size, PieceSize)+PieceSize/4)
}

// fill reads until there are more than size bytes, so that it is known whether
// a piece that ends there is the last.
func (p *Pieces) fill(size int) error {
	if len(p.rest) > 0 {
		p.buf, p.rest = append(p.memory(max(size, len(p.rest))), p.rest...), p.rest[:0]
	}
	if cap(p.buf) <= size && !p.ended {
		p.buf = append(p.memory(size), p.buf...)
	}
	for len(p.buf) <= size && !p.ended {
		n, err := p.r.Read(p.buf[len(p.buf):cap(p.buf)])
		p.buf = p.buf[:len(p.buf)+n]
		if err == io.EOF {
			p.ended = true
		} else if err != nil {
			return err
		}
	}
	return nil
}

// AfterLine cuts after the last line feed.
func AfterLine(s string) int { return strings.LastIndexByte(s, '\n') + 1 }
