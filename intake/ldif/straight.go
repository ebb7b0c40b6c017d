package ldif

import (
	"math/bits"
	"slices"
	"strings"
)

const (
	mostBent = 8  // so many entries one after the other that are not straight
	tryAgain = 32 // after so many it is tried whether one is

	mostLacks = 8 // so many attributes that an entry lacks in one place are passed over quickly
)

// straight is Again for an entry whose attributes have their values on one line each, in
// the order of the shape, of which some may lack or have several values, or one in base64; 0
// for every other.
func (r *Entries) straight(s *Shape, row []string) int {
	if s.bent >= mostBent && s.bent%tryAgain != 0 {
		s.bent++
		return 0
	}
	s.bent++
	text, pos, met := r.text, r.pos, uint64(0)
	at, lines, last := 0, 0, 0 // the attribute that comes next, and the one of the line before, 0 where it can have no other value
	s.joined, s.late = s.joined[:s.kept], s.late[:0]
	if len(row) != s.width {
		s.findLacks(len(row))
	}
	for _, column := range s.lacks {
		row[column] = ""
	}
	for {
		if done, end, some := s.frame.Values(text, pos, at, len(s.lines), mostLacks, s.spans[:]); some != 0 {
			some <<= at
			if !s.take(text, row, at, done, some) {
				return 0
			}
			met |= some
			lines += bits.OnesCount64(some)
			if at, pos, last = done, end, done-1; s.lines[last].coded {
				last = 0
			}
		}
		if met&1 == 0 {
			return 0 // an entry begins with its name
		}
		line, begun := s.behind(text, pos), pos
		for before := &s.lines[last]; last > 0 && strings.HasPrefix(line, before.begin); line = s.behind(text, pos) {
			if line = lineOf(line); !s.another(before, row, line) {
				return 0
			}
			pos, lines = pos+len(line), lines+1
		}
		if line == "" || line[0] == ' ' {
			return 0
		}
		if line[0] == '\n' || line[0] == '\r' {
			break
		}
		if pos > begun {
			continue
		}
		if at == len(s.lines) {
			return 0
		}
		if l := &s.lines[at]; l.otherwise(line) {
			line = lineOf(line)
			value := withoutReturns(strings.TrimSuffix(line[min(len(l.begin), len(line)):], "\n"))
			if !s.takeValue(l, value, row, !l.coded) {
				return 0
			}
			if met, last = met|1<<at, at; !l.coded {
				last = 0
			}
			at++
		} else {
			l.lack(row)
			at++
			continue
		}
		pos, lines = pos+len(line), lines+1
	}
	for ; at < len(s.lines); at++ {
		s.lines[at].lack(row)
	}
	pos += len(s.feed)
	rest, ended := strings.CutPrefix(text[pos:], s.feed)
	if !ended || s.classes&^met != 0 {
		return 0
	}
	s.placeLate(row)
	s.met = met
	line := r.Line + 1
	r.pos, r.Line, r.Closed, s.failed, s.bent = len(text)-len(rest), r.Line+lines+s.classLines+1, true, 0, 0
	return line
}

// behind is what stands behind a line that ends at a place; "" where it does not end as
// lines of the shape do, or nothing stands there.
func (s *Shape) behind(text string, at int) string {
	if text[at] != s.feed[0] || len(text)-at <= len(s.feed) || text[at+len(s.feed)-1] != '\n' {
		return ""
	}
	return text[at+len(s.feed):]
}

// lineOf is the first of lines, with what ends it; "" where nothing does.
func lineOf(lines string) string { return lines[:strings.IndexByte(lines, '\n')+1] }

// findLacks notes which columns of a row no attribute of the shape takes.
func (s *Shape) findLacks(width int) {
	s.width, s.lacks = width, s.lacks[:0]
	for column := range width {
		if !slices.ContainsFunc(s.lines, func(l shapeLine) bool { return l.column == column }) {
			s.lacks = append(s.lacks, column)
		}
	}
}

// lack empties the column of an attribute that an entry lacks.
func (l *shapeLine) lack(row []string) {
	if l.column >= 0 {
		row[l.column] = ""
	}
}

// otherwise reports whether a line has the attribute with its value in base64 and the
// shape has not, or the other way round.
func (l *shapeLine) otherwise(line string) bool {
	if l.coded {
		return strings.HasPrefix(line, l.begin)
	}
	return !l.idle && l.encoded(line)
}

// plainly reports whether a value is written plainly.
func (l *shapeLine) plainly(value string, filled bool) bool {
	if value == "" {
		return !filled && !l.flag
	}
	return value[0] != ' ' && (!l.flag || value == "TRUE" || value == "FALSE")
}

// take puts the values of some attributes, of which those of met are there, into their
// columns; false where one is not plainly written.
func (s *Shape) take(text string, row []string, from, to int, met uint64) bool {
	for lacks := (1<<to - 1<<from) &^ met; lacks != 0; lacks &= lacks - 1 {
		s.lines[bits.TrailingZeros64(lacks)].lack(row)
	}
	for ; met != 0; met &= met - 1 {
		at := bits.TrailingZeros64(met)
		l := &s.lines[at]
		if l.passed {
			continue
		}
		value := text[s.spans[at].From:s.spans[at].To]
		if l.coded || l.class {
			if !s.takeValue(l, value, row, l.coded) {
				return false
			}
			continue
		}
		if !l.plainly(value, s.Filled) {
			return false
		}
		if l.column >= 0 {
			row[l.column] = value
		}
	}
	return true
}

// takeValue is take for one value, which may be in base64.
func (s *Shape) takeValue(l *shapeLine, value string, row []string, coded bool) bool {
	switch {
	case coded:
		before := len(s.joined)
		if l.flag || l.class || !s.decode(value) || s.Filled && len(s.joined) == before {
			return false
		}
		if l.column >= 0 {
			s.late = append(s.late, lateValue{l.column, before, len(s.joined)})
		}
		return true
	case l.class && value != "":
		return false
	case l.class:
		value = l.value
	}
	if !l.plainly(value, s.Filled) {
		return false
	}
	if l.column >= 0 {
		row[l.column] = value
	}
	return true
}

// another takes a line with one more value of an attribute; false where it is not plainly
// written.
func (s *Shape) another(l *shapeLine, row []string, line string) bool {
	if l.idle {
		return line != ""
	}
	value := withoutReturns(strings.TrimSuffix(line[min(len(l.begin), len(line)):], "\n"))
	if value == "" || value[0] == ' ' || l.flag || l.class {
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
