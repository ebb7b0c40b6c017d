package ldif

import (
	"encoding/binary"
	"strings"
	"unsafe"
)

// A beginning is what a line begins with, in words that are compared at once.
type beginning struct {
	first, last uint64 // its first and its last eight bytes, which overlap in one of fewer than sixteen
	mask        uint64 // of the first, for one of fewer than eight
	n           int
	middle      string // what is between them
}

func beginningOf(text string) beginning {
	b := beginning{n: len(text), mask: ^uint64(0)}
	if b.n < 8 {
		b.mask = 1<<(8*b.n) - 1
		text += strings.Repeat("\x00", 8-b.n)
	}
	b.first, b.last = eight(text, 0), eight(text, len(text)-8)
	if len(text) > 16 {
		b.middle = text[8 : len(text)-8]
	}
	return b
}

// eight returns eight bytes of a text, which must have them.
func eight(text string, at int) uint64 {
	return binary.LittleEndian.Uint64(unsafe.Slice(unsafe.StringData(text), len(text))[at:])
}

const (
	mostBent = 8  // so many entries one after the other that are not straight
	tryAgain = 32 // after so many it is tried whether one is
)

// straight is Again for an entry whose attributes have one value each, on one line each,
// in the order of the shape, of which some may lack, also in base64; 0 for every other.
func (r *Entries) straight(s *Shape, row []string) int {
	if s.bent >= mostBent && s.bent%tryAgain != 0 {
		s.bent++
		return 0
	}
	s.bent++
	text, pos, lines, met := r.text, r.pos, 0, uint64(0)
	ends := s.ends[:r.feeds.Following(text, pos, s.ends[:len(s.lines)])]
	s.joined, s.late = s.joined[:s.kept], s.late[:0]
	clear(row)
	for at := range s.lines {
		l := &s.lines[at]
		b := &l.starts
		from := pos + b.n
		if from+8 > len(text) || lines == len(ends) {
			break
		}
		if (eight(text, pos)^b.first)&b.mask != 0 || b.n > 8 && eight(text, from-8) != b.last || b.n > 16 && text[pos+8:from-8] != b.middle {
			if at == 0 {
				return 0 // an entry begins with its name
			}
			if l.idle || !l.encoded(text[pos:]) {
				continue
			}
			before := len(s.joined)
			if l.flag || l.class || !s.decode(text[from:max(from, ends[lines])]) {
				return 0
			}
			if l.column >= 0 {
				s.late = append(s.late, lateValue{l.column, before, len(s.joined)})
			}
			pos, lines, met = ends[lines]+1, lines+1, met|1<<at
			continue
		}
		end := ends[lines]
		if text[from] == ' ' && !l.idle {
			return 0
		}
		pos = end + 1
		for end > from && text[end-1] == '\r' {
			end--
		}
		value := text[from:max(from, end)]
		if l.flag && value != "TRUE" && value != "FALSE" || l.class && value != l.value {
			return 0
		}
		if l.column >= 0 {
			row[l.column] = value
		}
		lines, met = lines+1, met|1<<at
	}
	end := 1
	if strings.HasPrefix(text[pos:], "\r\n") {
		end = 2
	} else if !strings.HasPrefix(text[pos:], "\n") {
		return 0
	}
	if met == 0 || s.classes&^met != 0 {
		return 0
	}
	s.placeLate(row)
	line := r.Line + 1
	r.pos, r.Line, r.Closed, s.failed, s.bent = pos+end, r.Line+lines+1, true, 0, 0
	return line
}
