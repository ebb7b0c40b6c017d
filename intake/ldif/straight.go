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
	second      uint64 // the eight bytes behind the first, of one of more than sixteen
	n           int
	rest        string // what is between these, of one of more than 24
}

func beginningOf(text string) beginning {
	b := beginning{n: len(text), mask: ^uint64(0)}
	if b.n < 8 {
		b.mask = 1<<(8*b.n) - 1
		text += strings.Repeat("\x00", 8-b.n)
	}
	b.first, b.last = eight(text, 0), eight(text, len(text)-8)
	if len(text) > 16 {
		b.second, b.rest = eight(text, 8), text[16:max(16, len(text)-8)]
	}
	return b
}

// eight returns eight bytes of a text, which must have them.
func eight(text string, at int) uint64 {
	return binary.LittleEndian.Uint64((*[8]byte)(unsafe.Add(unsafe.Pointer(unsafe.StringData(text)), at))[:])
}

const (
	mostBent = 8  // so many entries one after the other that are not straight
	tryAgain = 32 // after so many it is tried whether one is
)

// stands reports whether a line at a place begins so, where the text has eight bytes more.
func (b *beginning) stands(text string, at int) bool {
	from := at + b.n
	return from+8 <= len(text) && (eight(text, at)^b.first)&b.mask == 0 &&
		(b.n <= 8 || eight(text, from-8) == b.last && (b.n <= 16 || b.goesOn(text, at)))
}

// goesOn reports whether what is behind the first eight bytes stands there too.
func (b *beginning) goesOn(text string, at int) bool {
	return eight(text, at+8) == b.second && (b.n <= 24 || text[at+16:at+b.n-8] == b.rest)
}

// straight is Again for an entry whose attributes have their values on one line each, in
// the order of the shape, of which some may lack or be in base64; 0 for every other.
func (r *Entries) straight(s *Shape, row []string) int {
	if s.bent >= mostBent && s.bent%tryAgain != 0 {
		s.bent++
		return 0
	}
	s.bent++
	text, pos, lines, met := r.text, r.pos, 0, uint64(0)
	want := min(len(s.lines)+s.more, 2*mostLines)
	ends := s.ends[:r.feeds.Following(text, pos, s.ends[:], want)]
	last, classes := 0, "" // the attribute of the line before, 0 where it can have no other value; classes to come
	s.joined, s.late = s.joined[:s.kept], s.late[:0]
	clear(row)
	for at := 0; at < len(s.lines); at++ {
		l := &s.lines[at]
		b := &l.starts
		from := pos + b.n
		if from+8 > len(text) || lines == len(ends) {
			break
		}
		// Written out, since it is asked of each line: whether l.starts stands here.
		if (eight(text, pos)^b.first)&b.mask != 0 || b.n > 8 && eight(text, from-8) != b.last || b.n > 16 && !b.goesOn(text, pos) {
			if at == 0 {
				return 0 // an entry begins with its name
			}
			if before := &s.lines[last]; last > 0 && before.starts.stands(text, pos) {
				if !s.another(before, row, text[pos:ends[lines]], &classes) {
					return 0
				}
				pos, lines, at = ends[lines]+1, lines+1, at-1
				continue
			}
			if l.idle || !l.encoded(text[pos:]) {
				continue
			}
			before := len(s.joined)
			if l.flag || l.class || !s.decode(text[from:max(from, ends[lines])]) {
				return 0
			}
			if s.Filled && len(s.joined) == before {
				return 0
			}
			if l.column >= 0 {
				s.late = append(s.late, lateValue{l.column, before, len(s.joined)})
			}
			pos, lines, met, last = ends[lines]+1, lines+1, met|1<<at, 0
			continue
		}
		end := ends[lines]
		pos, lines, met, last = end+1, lines+1, met|1<<at, at
		if l.passed {
			continue
		}
		if text[from] == ' ' {
			return 0
		}
		for end > from && text[end-1] == '\r' {
			end--
		}
		value := text[from:max(from, end)]
		if l.class {
			classes = l.value
		}
		if s.Filled && value == "" || l.flag && value != "TRUE" && value != "FALSE" || l.class && !cutValue(&classes, value) {
			return 0
		}
		if l.column >= 0 {
			row[l.column] = value
		}
	}
	for before := &s.lines[last]; last > 0 && lines < len(ends) && before.starts.stands(text, pos); lines++ {
		if !s.another(before, row, text[pos:ends[lines]], &classes) {
			return 0
		}
		pos = ends[lines] + 1
	}
	if lines == len(ends) && len(ends) >= want {
		s.more = min(s.more+8, mostLines)
	}
	end := 1
	if strings.HasPrefix(text[pos:], "\r\n") {
		end = 2
	} else if !strings.HasPrefix(text[pos:], "\n") {
		return 0
	}
	if met == 0 || s.classes&^met != 0 || classes != "" {
		return 0
	}
	s.placeLate(row)
	s.met = met
	line := r.Line + 1
	r.pos, r.Line, r.Closed, s.failed, s.bent = pos+end, r.Line+lines+1, true, 0, 0
	return line
}

// another takes a line with one more value of an attribute; false where it is not plainly
// written.
func (s *Shape) another(l *shapeLine, row []string, line string, classes *string) bool {
	if l.idle {
		return true
	}
	value := withoutReturns(line[min(l.starts.n, len(line)):])
	if value == "" || value[0] == ' ' || l.flag || l.class && !cutValue(classes, value) {
		return false
	}
	if l.column < 0 {
		return true
	}
	if n := len(s.late); n == 0 || s.late[n-1].attr != l.column {
		first := row[l.column]
		if first == "" {
			return false
		}
		s.late = append(s.late, lateValue{l.column, len(s.joined), 0})
		s.joined = append(s.joined, first...)
	}
	s.joined = append(append(s.joined, '\n'), value...)
	s.late[len(s.late)-1].to = len(s.joined)
	return true
}

// cutValue takes the first of values that stand on a line each; false where it is another.
func cutValue(values *string, value string) bool {
	rest, is := strings.CutPrefix(*values, value)
	if !is || rest != "" && rest[0] != '\n' {
		return false
	}
	*values = strings.TrimPrefix(rest, "\n")
	return true
}
