package ldif

import (
	"encoding/base64"
	"slices"
	"strings"
	"unsafe"

	"yewcone/intake/bytescan"
)

// A Shape is how most entries of a table look, so that one after the other can be put
// straight into columns: which attributes they have, in which order.
type Shape struct {
	lines      []shapeLine // none before it is learned
	classes    uint64      // those of the object class
	met        uint64      // those of the entry that was read last
	joined     []byte      // of attributes with several values
	kept       int         // so many of these bytes are of entries before, whose rows are still looked at
	late       []lateValue
	Filled     bool           // an entry that has an attribute without a value is not one of it
	failed     int            // entries that did not fit one after the other
	strange    bool           // the last of them has an attribute that the shape has not
	bent       int            // entries that were not straight one after the other
	frame      bytescan.Frame // what stands between the values of a straight one
	spans      [mostLines]bytescan.Span
	feed       string // what ends its lines
	classLines int    // lines of its object classes that are not counted as attributes
	lacks      []int  // columns that no attribute takes, of so many
	width      int    // -1 before these are known
}

type shapeLine struct {
	begin  string // the name, the colon and, where it is wanted, the blank
	idle   bool   // nobody wants it
	passed bool   // nor looks at a value that is plainly written
	value  string // of the object class, which must be the same
	column int    // -1 for none
	class  bool
	flag   bool
	coded  bool // its value is mostly in base64
	known  *knownName
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
		s.lines = append(s.lines, shapeLine{begin: "dn: ", column: column, known: &knownName{}})
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
		l := shapeLine{begin: k.begin, idle: k.name == "", column: column, flag: k.flag, class: k.class, known: k}
		l.coded = !l.idle && !l.flag && !l.class && slices.ContainsFunc(r.late, func(v lateValue) bool { return v.attr >= 0 && r.entry.Attrs[v.attr].Name == k.name })
		s.lines = slices.Insert(s.lines, at, l)
	}
	for i := range s.lines {
		l := &s.lines[i]
		l.passed = l.idle || l.column < 0 && !l.class && !l.flag && !l.coded
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
			s.lines[i].value = strings.Clone(strings.Join(classes, "\n"))
		}
	}
	s.width = -1
	if s.feed = "\n"; strings.HasSuffix(r.text[:r.pos], "\r\n") {
		s.feed = "\r\n"
	}
	s.frameLines()
}

// frameLines tells what stands between the values: what lines begin with, and all object
// classes of an entry. A return ends a value, too: it is none, or out of the ordinary.
func (s *Shape) frameLines() {
	s.frame.Clear()
	s.classLines = 0
	for i := range s.lines {
		l := &s.lines[i]
		begin := s.feed + l.begin
		if i == 0 {
			begin = l.begin // what ends the line before is of the entry before
		}
		switch {
		case l.coded:
			begin = begin[:len(begin)-1] + ": "
		case l.class:
			s.classLines += strings.Count(l.value, "\n")
			begin += strings.ReplaceAll(l.value, "\n", begin)
		}
		s.frame.Add(begin, "\n\r")
	}
}

// appendClasses adds the object classes of the shape.
func (s *Shape) appendClasses(key []byte) []byte {
	for i := range s.lines {
		if s.lines[i].class {
			key = append(append(key, s.lines[i].value...), 0)
		}
	}
	return key
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
	if line := r.straight(s, row); line > 0 {
		return line
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
		end := r.feeds.Next(text, pos) - pos
		if end+1 >= len(rest) || rest[len(l.begin)] == ' ' && !encoded {
			return 0
		}
		from, value, several := len(s.joined), "", false
		switch behind := rest[end+1:]; {
		case encoded:
			if behind[0] == ' ' || l.flag || l.class || !s.decode(rest[len(l.begin):end]) || strings.HasPrefix(behind, l.begin) {
				return 0
			}
		case behind[0] == ' ' || l.again(behind):
			var feeds int
			if end, feeds, several = s.together(l, rest); end < 0 {
				return 0
			}
			lines += feeds
			value = unsafe.String(unsafe.SliceData(s.joined[from:]), len(s.joined)-from) // only looked at here
		default:
			value = withoutReturns(rest[len(l.begin):max(end, len(l.begin))])
		}
		pos += end + 1
		lines++
		switch rest = rest[end+1:]; {
		case at == 0 && several, l.encoded(rest), l.flag && value != "TRUE" && value != "FALSE", l.class && value != l.value,
			s.Filled && value == "" && len(s.joined) == from:
			return 0
		case l.column < 0:
			s.joined = s.joined[:from]
		case len(s.joined) > from || encoded:
			s.late = append(s.late, lateValue{l.column, from, len(s.joined)})
		default:
			row[l.column] = value
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
	s.placeLate(row)
	s.met = met
	line := r.Line + 1
	r.pos, r.Line, r.Closed, s.failed = pos+end, r.Line+lines+1, true, 0
	return line
}

// placeLate puts the values that were joined or decoded into their columns.
func (s *Shape) placeLate(row []string) {
	if len(s.late) == 0 {
		return
	}
	s.kept = len(s.joined)
	all := unsafe.String(unsafe.SliceData(s.joined), len(s.joined)) // nobody writes to it before Release
	for _, v := range s.late {
		row[v.attr] = all[v.from:v.to]
	}
}

// together joins the values of an attribute, unfolded: up to where their last line ends,
// how many lines come before that one, and whether there are several. -1 for what is
// not written plainly.
func (s *Shape) together(l *shapeLine, rest string) (end, lines int, several bool) {
	at := 0
	for begun := false; !begun || l.again(rest[at:]); begun = true {
		line := rest[at:]
		if end = strings.IndexByte(line, '\n'); end < 0 || end+1 >= len(line) || line[len(l.begin)] == ' ' {
			return -1, 0, false
		}
		value := withoutReturns(line[len(l.begin):max(end, len(l.begin))])
		if value == "" {
			return -1, 0, false
		}
		if begun {
			several = true
			s.joined = append(s.joined, '\n')
		}
		s.joined = append(s.joined, value...)
		at, lines = at+end+1, lines+1
		for rest[at] == ' ' {
			line = rest[at:]
			if end = strings.IndexByte(line, '\n'); end < 0 || end+1 >= len(line) {
				return -1, 0, false
			}
			s.joined = append(s.joined, withoutReturns(line[1:end])...)
			at, lines = at+end+1, lines+1
		}
	}
	return at - 1, lines - 1, several
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
	encoded = strings.TrimSpace(encoded)
	raw := unsafe.Slice(unsafe.StringData(encoded), len(encoded)) // only read
	before, err := len(s.joined), error(nil)
	if s.joined, err = base64.StdEncoding.AppendDecode(s.joined, raw); err != nil {
		s.joined = s.joined[:before]
	}
	return err == nil
}
