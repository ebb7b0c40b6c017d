package ldif

import (
	"encoding/base64"
	"slices"
	"strings"
	"unsafe"
)

// A Shape is how most entries of a table look, so that one after the other can be put
// straight into columns: which attributes they have, in which order.
type Shape struct {
	lines   []shapeLine // none before it is learned
	classes uint64      // those of the object class
	joined  []byte      // of attributes with several values
	kept    int         // so many of these bytes are of entries before, whose rows are still looked at
	late    []lateValue
	raw     []byte
	failed  int  // entries that did not fit one after the other
	strange bool // the last of them has an attribute that the shape has not
}

type shapeLine struct {
	begin  string // the name, the colon and, where it is wanted, the blank
	idle   bool   // nobody wants it
	value  string // of the object class, which must be the same
	column int    // -1 for none
	class  bool
	flag   bool
}

const (
	learnAgain = 8  // after how many entries that do not fit another shape is learned
	mostLines  = 64 // of a shape
)

// Learn makes the entry that was read last the shape of those to come, or adds its
// attributes to the shape. columnOf is the column of an attribute, named in small
// letters; -1 for none; false where it has several.
func (r *Entries) Learn(s *Shape, columnOf func(name string) (int, bool)) {
	if s.failed++; s.failed >= learnAgain {
		s.lines, s.failed = s.lines[:0], 0
	}
	if len(s.lines) > 0 && !s.strange {
		return
	}
	s.strange = false
	if len(s.lines) == 0 {
		s.failed = 0
		column, ok := columnOf("dn")
		if !ok {
			return
		}
		s.lines = append(s.lines, shapeLine{begin: "dn: ", column: column})
	}
	at := 0
	for _, k := range r.order {
		if i := slices.IndexFunc(s.lines, func(l shapeLine) bool { return l.begin == k.begin }); i >= 0 {
			at = i
			continue
		}
		column, ok := -1, true
		if k.name != "" {
			column, ok = columnOf(k.name)
		}
		twice := column >= 0 && slices.ContainsFunc(s.lines, func(l shapeLine) bool { return l.column == column }) // such as name and name;lang-en
		if !ok || twice || k.name == "dn" || k.name == "changetype" || len(s.lines) == mostLines {
			s.lines = s.lines[:0]
			return
		}
		at++
		s.lines = slices.Insert(s.lines, at, shapeLine{begin: k.begin, idle: k.name == "", column: column, flag: k.flag, class: k.class})
	}
	var classes []string
	for i := range r.entry.Attrs {
		if a := &r.entry.Attrs[i]; a.Name == "objectclass" {
			classes = append(classes, a.Value)
		}
	}
	s.classes = 0
	for i := range s.lines {
		if s.lines[i].class {
			s.classes |= 1 << i
			s.lines[i].value = strings.Join(classes, "\n")
		}
	}
}

// Release lets go of the texts that Again put together, for entries whose rows nobody
// looks at any more.
func (s *Shape) Release() { s.kept = 0 }

// Again puts the next entry into columns and returns the line it begins on; 0 where it
// is not one of the shape, plainly written: then nothing was read.
func (r *Entries) Again(s *Shape, row []string) int {
	if len(s.lines) == 0 {
		return 0
	}
	text, pos, lines, next, met := r.text, r.pos, 0, 0, uint64(0)
	s.joined, s.late = s.joined[:s.kept], s.late[:0]
	clear(row)
	for {
		rest := text[pos:]
		if rest == "" {
			return 0
		}
		if rest[0] == '\n' || rest[0] == '\r' {
			break
		}
		at := next
		encoded := false
		if at == len(s.lines) || met>>at&1 == 1 || !strings.HasPrefix(rest, s.lines[at].begin) {
			at, encoded = s.find(rest, next, met)
		}
		if at < 0 || at == 0 && pos > r.pos || at > 0 && met == 0 {
			s.strange = at < 0 && met != 0
			return 0 // an entry begins with its name, and has one
		}
		l := &s.lines[at]
		next, met = at+1, met|1<<at
		if l.idle {
			passed, feeds := l.pass(rest)
			if passed == len(rest) {
				return 0
			}
			pos, lines = pos+passed, lines+feeds
			continue
		}
		first, several, from := "", 0, len(s.joined)
		if encoded {
			end := strings.IndexByte(rest, '\n')
			if end < 0 || end+1 >= len(rest) || rest[end+1] == ' ' || l.flag || l.class || !s.decode(rest[len(l.begin):end]) {
				return 0
			}
			lines++
			pos += end + 1
			if rest = rest[end+1:]; strings.HasPrefix(rest, l.begin) || l.encoded(rest) {
				return 0
			}
			if l.column >= 0 {
				s.late = append(s.late, lateValue{l.column, from, len(s.joined)})
			}
			continue
		}
		joined := false // the value stands in s.joined, not in the piece
		for more := true; more; more = l.again(rest) {
			several++
			end := strings.IndexByte(rest, '\n')
			if end < 0 || end+1 >= len(rest) || rest[len(l.begin)] == ' ' {
				return 0
			}
			value := withoutReturns(rest[len(l.begin):max(end, len(l.begin))])
			if several == 2 && !joined {
				s.joined = append(s.joined, first...)
			}
			if several > 1 {
				if value == "" || len(s.joined) == from {
					return 0
				}
				s.joined = append(s.joined, '\n')
			}
			lines++
			pos += end + 1
			folded := rest[end+1] == ' '
			if rest = rest[end+1:]; folded && value == "" {
				return 0
			}
			if joined = folded || several > 1; joined {
				s.joined = append(s.joined, value...)
			} else {
				first = value
			}
			for folded {
				if end = strings.IndexByte(rest, '\n'); end < 0 || end+1 >= len(rest) {
					return 0
				}
				s.joined = append(s.joined, withoutReturns(rest[1:end])...)
				lines++
				pos += end + 1
				rest = rest[end+1:]
				folded = rest[0] == ' '
			}
		}
		if joined {
			first = unsafe.String(unsafe.SliceData(s.joined[from:]), len(s.joined)-from) // only looked at here
		}
		switch {
		case at == 0 && several > 1, l.encoded(rest):
			return 0
		case l.flag && (several > 1 || first != "TRUE" && first != "FALSE"), l.class && first != l.value:
			return 0
		case l.column < 0:
			s.joined = s.joined[:from]
		case joined:
			s.late = append(s.late, lateValue{l.column, from, len(s.joined)})
		default:
			row[l.column] = first
		}
	}
	if met == 0 || s.classes&^met != 0 {
		return 0
	}
	end := 1
	if text[pos] == '\r' {
		if end = 2; !strings.HasPrefix(text[pos:], "\r\n") {
			return 0
		}
	}
	if len(s.late) > 0 {
		s.kept = len(s.joined)
		all := unsafe.String(unsafe.SliceData(s.joined), len(s.joined)) // nobody writes to it before Release
		for _, v := range s.late {
			row[v.attr] = all[v.from:v.to]
		}
	}
	line := r.Line + 1
	r.pos, r.Line, r.Closed, s.failed = pos+end, r.Line+lines+1, true, 0
	return line
}

// withoutReturns is a line without the carriage returns at its end.
func withoutReturns(line string) string {
	for line != "" && line[len(line)-1] == '\r' {
		line = line[:len(line)-1]
	}
	return line
}

// find returns which attribute a line has that the entry did not have before, from where
// one is expected on, and whether it is in base64; -1 for none.
func (s *Shape) find(line string, next int, met uint64) (at int, encoded bool) {
	for range s.lines {
		if next >= len(s.lines) {
			next = 0
		}
		l := &s.lines[next]
		if l.begin[0] == line[0] && met>>next&1 == 0 {
			if strings.HasPrefix(line, l.begin) {
				return next, false
			}
			if next > 0 && !l.idle && l.encoded(line) {
				return next, true
			}
		}
		next++
	}
	return -1, false
}

// pass is how many bytes, and lines of them, are values of the attribute.
func (l *shapeLine) pass(rest string) (bytes, lines int) {
	for begun := false; strings.HasPrefix(rest[bytes:], l.begin) || begun && strings.HasPrefix(rest[bytes:], " "); begun = true {
		end := strings.IndexByte(rest[bytes:], '\n')
		if end < 0 {
			return len(rest), lines
		}
		bytes, lines = bytes+end+1, lines+1
	}
	return bytes, lines
}

// again reports whether a line has another value of the attribute.
func (l *shapeLine) again(line string) bool {
	n := len(l.begin)
	return len(line) > n && line[0] == l.begin[0] && line[n-2] == ':' && line[:n] == l.begin
}

// encoded reports whether a line has the attribute's value in base64.
func (l *shapeLine) encoded(line string) bool {
	name := len(l.begin) - len(": ")
	return len(line) > name+2 && line[name] == ':' && line[name+1] == ':' && line[:name] == l.begin[:name]
}

// decode puts a value in base64 behind those that are joined; false where it is none.
func (s *Shape) decode(encoded string) bool {
	s.raw = append(s.raw[:0], strings.TrimSpace(encoded)...)
	before, err := len(s.joined), error(nil)
	if s.joined, err = base64.StdEncoding.AppendDecode(s.joined, s.raw); err != nil {
		s.joined = s.joined[:before]
	}
	return err == nil
}
