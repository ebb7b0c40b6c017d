package text

import (
	"fmt"
	"io"
	"strings"
)

const pieceSize = 1 << 18

// A Piece is a run of whole records out of a file.
type Piece struct {
	Text string
	Line int  // of its first character, counted from 1
	Last bool // nothing follows; its last record may not be whole
}

// Pieces cuts a file into pieces.
type Pieces struct {
	r     io.Reader
	cut   func(string) int
	buf   []byte
	size  int // how much to read at a time
	line  int
	ended bool
}

// NewPieces returns the pieces of what r reads. cut returns how many bytes at
// the beginning of a text are whole records; 0 for none.
func NewPieces(r io.Reader, cut func(string) int) *Pieces {
	return &Pieces{r: r, cut: cut, size: pieceSize, line: 1}
}

// Next returns the next piece; io.EOF when there is none.
func (p *Pieces) Next() (Piece, error) {
	for {
		if err := p.fill(p.size); err != nil {
			return Piece{}, err
		}
		if len(p.buf) == 0 {
			return Piece{}, io.EOF
		}
		whole := string(p.buf)
		n := len(whole)
		if !p.ended {
			n = p.cut(whole)
		}
		if n == 0 {
			if p.size >= MaxEntry {
				return Piece{}, fmt.Errorf("line %d begins a record of more than %d MB", p.line, MaxEntry>>20)
			}
			p.size *= 2
			continue
		}
		p.size = pieceSize
		piece := Piece{Text: whole[:n], Line: p.line, Last: p.ended}
		p.line += strings.Count(piece.Text, "\n")
		p.buf = p.buf[:copy(p.buf, p.buf[n:])]
		return piece, nil
	}
}

// fill reads until there are more than size bytes, so that it is known whether
// a piece that ends there is the last.
func (p *Pieces) fill(size int) error {
	if cap(p.buf) <= size {
		p.buf = append(make([]byte, 0, size+pieceSize/4), p.buf...)
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
