package jsonrows

import (
	"slices"
	"strings"

	"yewcone/intake/bytescan"
	"yewcone/intake/table"
)

// A usualMember is a member where most lines have it: what stands between the value
// before and its own.
type usualMember struct {
	before string
	node   *jsonNode // the object that it is a member of
	kid    int       // -1 for one that no column takes
	column int       // that takes its value as it is; -1 for none
	object bool      // columns ask for what is in it, where another line has an object
	as     written
	plain  bool   // it stands behind a comma, so that another line may lack it
	run    int    // from it up to this one all values are texts and words
	unread string // its path, where nobody asks for it
	noted  bool   // the piece at hand has it, as is noted
}

// written is how a value is written.
type written uint8

const (
	asElse written = iota
	asText
	asList // of texts
	asWord // or number
)

func writtenAs(value string) written {
	switch {
	case value == "" || value[0] == '{':
		return asElse
	case value[0] == '[':
		if strings.HasPrefix(value, `["`) || strings.HasPrefix(value, "[]") {
			return asList
		}
		return asElse
	case value[0] == '"':
		return asText
	}
	return asWord
}

// opening and closing are what stands around a value as it is taken.
var (
	opening = [...]string{asText: `"`, asList: "[", asWord: ""}
	closing = [...]string{asText: `"`, asList: "]", asWord: ""}
)

// learnAgain is after how many lines that are not like it another line is learned; where
// no other was like the one before, after twice as many each time, up to learnSeldom. To
// add members is tried for the first few.
const (
	addEarly    = 2
	learnAgain  = 8
	learnSeldom = 1 << 12
)

// fewBends is how many texts with backslashes a line may have so that it is quicker to
// stop at each of them than to look for some in every text.
const fewBends = 2

// willLearn reports whether what is read next is learned from, if it has to be read as a
// whole: there is no line yet, it does not fit any more, or members may be added to it.
func (p *jsonLine) willLearn() bool {
	return len(p.usual) == 0 || p.others+1 >= p.patience || p.others < addEarly
}

// learn makes the line that was read last the shape of those to come, or adds its members
// to the shape, where it was noted how it looks.
func (p *jsonLine) learn() {
	if p.others++; !p.shaping || len(p.usual) > 0 && p.add() || len(p.usual) > 0 && p.others < p.patience {
		return
	}
	if p.patience = max(learnAgain, min(2*p.patience, learnSeldom)); p.used {
		p.patience = learnAgain
	}
	p.others, p.used = 0, false
	p.lacks = p.lacks[:0]
	for c, text := range p.row {
		if text == table.Absent {
			p.lacks = append(p.lacks, c)
		}
	}
	for i := range p.shape {
		p.shape[i].settle()
	}
	p.ending = strings.Clone(p.ended)
	p.usual, p.shape = p.shape, p.usual[:0]
	p.frameUsual()
}

// settle makes a member one of the line that is learned.
func (m *usualMember) settle() {
	m.before, m.column = strings.Clone(m.before), -1
	if m.plain = !m.object && m.before[0] == ',' && !strings.ContainsAny(m.before, "{}"); m.object {
		m.as = asElse
	}
	switch {
	case m.kid < 0 && !m.object:
		name, _ := strings.CutSuffix(strings.TrimRight(m.before, " :"), `"`)
		m.unread = Member(m.node.path, name[strings.LastIndexByte(name, '"')+1:])
		return
	case m.kid < 0:
		return
	}
	switch kid := &m.node.kids[m.kid]; {
	case m.as == asList && len(kid.columns) == 0: // all elements are asked for, as the tree is flat
	case m.as != asList && len(kid.columns) == 1 && len(kid.odd) == 0:
		m.column = kid.columns[0]
	default:
		m.as = asElse
	}
}

// add adds members that only the line that was read last has; false where there are none,
// or the two differ in more than that each lacks some.
func (p *jsonLine) add() bool {
	var all []usualMember
	usual, added := p.usual, false
	for i := range p.shape {
		m := p.shape[i]
		same := func(o usualMember) bool { return o.before == m.before }
		at := slices.IndexFunc(usual, same)
		if at < 0 {
			if m.settle(); !m.plain || slices.ContainsFunc(all, same) {
				return false
			}
			all, added = append(all, m), true
			continue
		}
		if slices.ContainsFunc(usual[:at], func(o usualMember) bool { return !o.plain }) {
			return false
		}
		all, usual = append(all, usual[:at+1]...), usual[at+1:]
	}
	if !added || p.ended != p.ending || slices.ContainsFunc(usual, func(o usualMember) bool { return !o.plain }) {
		return false
	}
	p.usual, p.others = append(all, usual...), 0
	p.frameUsual()
	return true
}

// frameUsual tells what stands between the values, with the quotes of texts and the
// brackets of lists. A backslash may change what a quote means, and a line feed stands in
// no value.
func (p *jsonLine) frameUsual() {
	p.noted = false
	p.frame.Clear()
	p.bentFrame.Clear()
	p.takes = p.takes[:0]
	p.spans = slices.Grow(p.spans[:0], len(p.usual))[:len(p.usual)]
	run := len(p.usual)
	for k := len(p.usual) - 1; k >= 0; k-- {
		m := &p.usual[k]
		if m.as == asElse {
			run = k
		}
		m.run = run
	}
	for k := range p.usual {
		m := &p.usual[k]
		between, after, backslash := m.before+opening[m.as], p.ending, `\`
		if k > 0 {
			between = closing[p.usual[k-1].as] + between
		}
		if k+1 < len(p.usual) {
			after = p.usual[k+1].before
		}
		if m.as == asElse || m.as == asWord {
			backslash = ""
		}
		end := (closing[m.as] + after)[:1]
		p.frame.Add(between, end+backslash+"\n")
		p.bentFrame.Add(between, end+"\n")
		p.takes = append(p.takes, taking{int32(m.column), m.as == asText})
	}
}

// taking is what is done with the value of a member.
type taking struct {
	column int32 // -1 for none
	text   bool
}

// again is read for the first of lines, where it has the same members in the same order
// as the one that was learned, with plain values, and returns its length with the line
// feed. The caller knows that it is UTF-8 without other control characters. It returns 0
// for every other, with nothing found.
func (p *jsonLine) again(lines string) int {
	if len(p.usual) == 0 {
		return 0
	}
	p.begin(lines)
	p.ahead = lines
	p.escapes = true // as far as is known
	for _, c := range p.lacks {
		p.row[c] = table.Absent
	}
	p.bends, p.without = 0, p.without[:0]
	k, i := p.run(0, 0)
	if k < len(p.usual) && i >= 0 && (i > 0 || strings.HasPrefix(lines, p.usual[0].before)) {
		feed := strings.IndexByte(lines[i:], '\n') // none stands before
		if feed < 0 {
			return 0
		}
		p.s = lines[:i+feed+1]
		k, i = p.oneByOne(k, i)
	}
	if i < 0 || k < len(p.usual) || !strings.HasPrefix(lines[i:], p.ending) {
		return 0
	}
	if i += len(p.ending); i == len(lines) || lines[i] != '\n' {
		return 0
	}
	if p.settle(); !p.noted {
		p.note()
	}
	p.others, p.used, p.bent = 0, true, p.bends > fewBends
	return i + 1
}

// oneByOne takes the values of members from one on that are not all written as in the line
// that was learned, or that the line lacks; it returns as run does.
func (p *jsonLine) oneByOne(k, i int) (next, place int) {
	for k < len(p.usual) {
		m := &p.usual[k]
		if strings.HasPrefix(p.s[i:], m.before) && i+len(m.before) < len(p.s) {
			if i = p.usualValue(m, i+len(m.before)); i < 0 {
				return k, -1
			}
		} else if m.plain {
			p.lack(m)
			p.without = append(p.without, k)
		} else {
			return k, -1
		}
		if k, i = p.run(k+1, i); i < 0 {
			return k, -1
		}
	}
	return k, i
}

// note notes which members the line has. What is known of how lines look may be of a piece
// before.
func (p *jsonLine) note() {
	p.noted = true
	for k := range p.usual {
		m := &p.usual[k]
		if m.noted {
			continue
		}
		if m.noted = !slices.Contains(p.without, k); !m.noted {
			p.noted = false
			continue
		}
		if m.column >= 0 {
			p.found[m.column] = true
		}
		if m.unread != "" && p.left != nil && len(p.left) < table.MostUnread {
			p.left[m.unread] = true
		}
	}
}

// lack empties the columns of a member that the line lacks.
func (p *jsonLine) lack(m *usualMember) {
	if m.kid < 0 {
		return
	}
	for _, c := range m.node.kids[m.kid].columns {
		p.row[c] = table.Absent
	}
	for _, o := range m.node.kids[m.kid].odd {
		p.row[o.column] = table.Absent
	}
}

// run takes the values of members from one on, as long as they are written as in the line
// that was learned, and returns the next member, and where what stands before it begins;
// a place of -1 where one is not plain.
func (p *jsonLine) run(k, i int) (next, place int) {
	s, at := p.ahead, i
	if k == len(p.usual) {
		return k, i
	}
	if k > 0 {
		at -= len(closing[p.usual[k-1].as]) // where a word stands instead, it does not
	}
	frame := &p.frame
	if p.bent {
		frame = &p.bentFrame
	}
	done, end, _ := frame.Values(s, at, k, min(p.usual[k].run, k+bytescan.MostParts), 0, p.spans)
	if done == k {
		return k, i
	}
	last := done
	if s[end] == '\\' || s[end] == '\n' {
		last--
	}
	for k < last {
		if p.bent {
			k += p.takeBent(p.spans[k:last], p.takes[k:last])
		} else {
			k += takePlain(s, p.row, p.spans[k:last], p.takes[k:last])
		}
		if k == last {
			break
		}
		m, span := &p.usual[k], p.spans[k]
		if m.as == asList && p.takeList(m.listKid(), s[span.From:span.To]) {
			k++
			continue
		}
		if m.as != asWord { // a quote or a bracket within was held for its end
			return k, m.place(span)
		}
		if m.column >= 0 {
			p.row[m.column] = table.Absent // value refuses a member that stands twice
		}
		if p.value(m.node, m.kid, int(span.From)) != int(span.To) {
			return k, -1
		}
		k++
	}
	switch m := &p.usual[done-1]; {
	case last < done && (m.as == asWord || s[end] == '\n'):
		return k, -1
	case last < done: // which is taken otherwise
		return last, m.place(p.spans[last])
	default:
		return done, end + len(closing[m.as])
	}
}

// place is where what stands before the value begins.
func (m *usualMember) place(value bytescan.Span) int {
	return int(value.From) - len(opening[m.as]) - len(m.before)
}

// listKid is the kid that a list goes to; nil for none.
func (m *usualMember) listKid() *jsonKid {
	if m.kid < 0 {
		return nil
	}
	return &m.node.kids[m.kid]
}

// takePlain takes values that are texts, and true and false, up to the first that is
// another, and returns how many come before it.
func takePlain(s string, row []string, spans []bytescan.Span, takes []taking) int {
	spans = spans[:len(takes)]
	for i := range takes {
		t := &takes[i]
		value := s[spans[i].From:spans[i].To]
		if !t.text && (t.column < 0 || value != "true" && value != "false") {
			return i
		}
		if t.column >= 0 {
			row[t.column] = value
		}
	}
	return len(takes)
}

// takeBent is takePlain where texts may have backslashes, of which a quote that is escaped
// was held for the end: it stops at these, and at others that are not sound.
func (p *jsonLine) takeBent(spans []bytescan.Span, takes []taking) int {
	s := p.ahead
	spans = spans[:len(takes)]
	for i := range takes {
		t := &takes[i]
		value := s[spans[i].From:spans[i].To]
		switch {
		case !t.text && (t.column < 0 || value != "true" && value != "false"):
			return i
		case t.text && strings.IndexByte(value, '\\') >= 0:
			from := len(p.bytes)
			p.bends++
			if !p.appendText(value) {
				return i
			}
			if t.column >= 0 {
				p.late = append(p.late, lateText{int(t.column), from, len(p.bytes)})
			}
		case t.column >= 0:
			p.row[t.column] = value
		}
	}
	return len(takes)
}

// usualValue takes the value of a member that stands at a place, and returns where it
// ends; -1 where it is not plain.
func (p *jsonLine) usualValue(m *usualMember, from int) int {
	s := p.s
	if m.column < 0 {
		if m.object && s[from] == '{' {
			return -1
		}
		if m.kid >= 0 { // value refuses a member that stands twice
			if kid := &m.node.kids[m.kid]; len(kid.columns) > 0 {
				p.row[kid.columns[0]] = table.Absent
			} else {
				p.row[kid.odd[0].column] = table.Absent
			}
		}
		return p.value(m.node, m.kid, from)
	}
	if s[from] != '"' {
		p.row[m.column] = table.Absent
		return p.value(m.node, m.kid, from)
	}
	end := strings.IndexByte(s[from+1:], '"')
	if end < 0 {
		return -1
	}
	if text := s[from+1 : from+1+end]; strings.IndexByte(text, '\\') < 0 {
		p.row[m.column] = text
		return from + 1 + end + 1
	}
	start := len(p.bytes)
	p.bends++
	if end = p.decode(from + 1); end >= 0 {
		p.late = append(p.late, lateText{m.column, start, len(p.bytes)})
	}
	return end
}
