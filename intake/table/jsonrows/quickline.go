package jsonrows

import (
	"encoding/binary"
	"slices"
	"strings"
	"unicode/utf8"
	"unsafe"

	"yewcone/intake/table"
)

// quick is read for an object as most exports write them: members with plain values,
// lists of texts and objects of such, of which each stands once. It returns false for
// every other, with nothing found, and for what is no object.
func (p *jsonLine) quick(s string, n *jsonNode) bool {
	if n == nil || !n.flat || s == "" || s[0] != '{' || !p.plain && !plainText(s) {
		return false
	}
	p.begin(s)
	for i := range p.row {
		p.row[i] = table.Absent
	}
	p.escapes = strings.IndexByte(s, '\\') >= 0
	p.shape, p.inners, p.after, p.shaping = p.shape[:0], p.inners[:0], 0, p.willLearn()
	if i := p.members(n, 1); i < 0 || i < len(s) && strings.TrimSpace(s[i:]) != "" {
		return false
	}
	p.ended = s[p.after:]
	p.settle()
	return true
}

// members reads what is in an object, from behind its opening brace on, and returns
// the place behind its closing one; -1 where it is not plain.
func (p *jsonLine) members(n *jsonNode, i int) int {
	s, guess := p.s, 0
	for i < len(s) {
		if s[i] == ' ' {
			i++
		}
		kid, unread := -1, ""
		if guess < len(n.kids) && strings.HasPrefix(s[i:], n.kids[guess].quoted) {
			kid = guess
			i += len(n.kids[guess].quoted)
			guess++
		} else {
			name, end := p.plainName(i)
			if end < 0 {
				return -1
			}
			if kid = n.find(name, guess); kid >= 0 {
				guess = kid + 1
			} else if p.left != nil && len(p.left) < table.MostUnread {
				unread = Member(n.path, name)
			}
			i = end
		}
		if i >= len(s) || s[i] != ':' {
			return -1
		}
		if unread != "" {
			p.left[unread] = true
		}
		if i++; i < len(s) && s[i] == ' ' {
			i++
		}
		var inner *jsonNode
		if kid >= 0 && n.kids[kid].inner != nil {
			if inner = n.kids[kid].inner; slices.Contains(p.inners, inner) {
				return -1 // what stood there before counts no more
			}
			p.inners, kid = append(p.inners, inner), -1
		}
		if inner != nil && i < len(s) && s[i] == '{' {
			i = p.members(inner, i+1)
		} else {
			if p.shaping {
				p.shape = append(p.shape, usualMember{before: s[p.after:i], node: n, kid: kid, object: inner != nil, as: writtenAs(s[i:])})
			}
			i = p.value(n, kid, i)
			p.after = i
		}
		if i < 0 || i >= len(s) {
			return -1
		}
		switch s[i] {
		case ',':
			i++
		case '}':
			return i + 1
		default:
			return -1
		}
	}
	return -1
}

// decode appends a text, from behind its opening quote on, and returns the place behind
// its closing one; -1 where it is not sound. The caller knows that it is UTF-8 without
// control characters.
func (p *jsonLine) decode(from int) int {
	for end := from; ; end++ {
		at := strings.IndexByte(p.s[end:], '"')
		if at < 0 {
			return -1
		}
		end += at
		text := p.s[from:end]
		if (len(text)-len(strings.TrimRight(text, `\`)))%2 == 1 {
			continue // it is escaped
		}
		if !p.appendText(text) {
			return -1
		}
		return end + 1
	}
}

// appendText appends a text without its quotes; false where it is not sound, and where it
// ends within an escape.
func (p *jsonLine) appendText(text string) bool {
	for {
		plain := strings.IndexByte(text, '\\')
		if plain < 0 {
			p.bytes = append(p.bytes, text...)
			return true
		}
		p.bytes = append(p.bytes, text[:plain]...)
		var length int
		if p.bytes, length = escape(p.bytes, text[plain:]); length == 0 {
			return false
		}
		text = text[plain+length:]
	}
}

// plainName reads a name in quotes and returns where it ends; -1 where it is
// written in another way.
func (p *jsonLine) plainName(i int) (string, int) {
	if i >= len(p.s) || p.s[i] != '"' {
		return "", -1
	}
	j := strings.IndexByte(p.s[i+1:], '"')
	if j < 0 {
		return "", -1
	}
	name := p.s[i+1 : i+1+j]
	if p.escapes && strings.IndexByte(name, '\\') >= 0 {
		return "", -1
	}
	return name, i + j + 2
}

// value reads the value of a kid, -1 for one that no column takes, and returns where
// it ends; -1 where it is not plain, or the kid has one already.
func (p *jsonLine) value(n *jsonNode, at, i int) int {
	s, start := p.s, i
	if i >= len(s) {
		return -1
	}
	var kid *jsonKid
	if at >= 0 {
		kid = &n.kids[at]
		if p.row[kid.first()] != table.Absent {
			return -1
		}
	}
	text, late := "", -1
	switch c := s[i]; {
	case c == '"':
		j := strings.IndexByte(s[i+1:], '"')
		if j < 0 {
			return -1
		}
		text, i = s[i+1:i+1+j], i+j+2
		if !p.escapes || strings.IndexByte(text, '\\') < 0 {
			break
		}
		late = len(p.bytes)
		if i = p.decode(start + 1); i < 0 {
			return -1
		}
	case c == 't' || c == 'f' || c == 'n':
		word := "true"
		if c == 'f' {
			word = "false"
		} else if c == 'n' {
			word = "null"
		}
		if !strings.HasPrefix(s[i:], word) {
			return -1
		}
		text, i = word, i+len(word)
	case c == '-' || c >= '0' && c <= '9':
		p.i = i
		if p.number() != nil {
			return -1
		}
		text, i = s[start:p.i], p.i
	case c == '[':
		if i = p.texts(kid, i); i >= 0 || kid != nil {
			return i
		}
		return p.pass(start)
	case c == '{' && kid == nil:
		return p.pass(start)
	default:
		return -1
	}
	if kid == nil {
		return i
	}
	for _, c := range kid.columns {
		p.row[c], p.found[c] = text, true
		if late >= 0 {
			p.late = append(p.late, lateText{c, late, len(p.bytes)})
		}
	}
	for _, o := range kid.odd {
		p.row[o.column] = ""
	}
	return i
}

// pass passes over a value that nobody takes and that is not too deep to be quick.
func (p *jsonLine) pass(i int) int {
	p.i = i
	if p.skip(maxNesting-100) != nil {
		return -1
	}
	return p.i
}

// endsTried is how many brackets are tried for the end of a list: texts may hold some.
const endsTried = 4

// texts reads a list of texts for columns that take all its elements, or for none.
func (p *jsonLine) texts(kid *jsonKid, i int) int {
	end := i + 1
	for range endsTried {
		at := strings.IndexByte(p.s[end:], ']')
		if at < 0 {
			return -1
		}
		if end += at; p.takeList(kid, p.s[i+1:end]) {
			return end + 1
		}
		end++
	}
	return -1
}

// takeList takes what stands between the brackets of a list of texts, for columns that take
// all its elements, or for none; false, with nothing done, where it is something else.
func (p *jsonLine) takeList(kid *jsonKid, list string) bool {
	if kid != nil && len(kid.columns) > 0 || p.escapes && strings.IndexByte(list, '\\') >= 0 {
		return false
	}
	from, several := len(p.bytes), false
	if list != "" {
		if len(list) < 2 || list[0] != '"' || list[len(list)-1] != '"' {
			return false
		}
		list = list[1 : len(list)-1]
		for rest := list; ; several = true {
			end := strings.IndexByte(rest, '"')
			if end < 0 {
				if several {
					p.bytes = append(p.bytes, rest...)
				}
				break
			}
			p.bytes = append(append(p.bytes, rest[:end]...), '\n')
			if next, ok := strings.CutPrefix(rest[end:], `","`); ok {
				rest = next
			} else if next, ok = strings.CutPrefix(rest[end:], `", "`); ok {
				rest = next
			} else {
				p.bytes = p.bytes[:from]
				return false
			}
		}
	}
	if kid == nil {
		p.bytes = p.bytes[:from]
		return true
	}
	for _, o := range kid.odd {
		if p.row[o.column], p.found[o.column] = list, true; several {
			p.late = append(p.late, lateText{o.column, from, len(p.bytes)})
		}
	}
	return true
}

// plainText reports whether a text is UTF-8 without control characters, and not
// empty.
func plainText(s string) bool { return s != "" && controlsIn(s) == 0 && utf8.ValidString(s) }

// controlsIn counts control characters.
func controlsIn(s string) int {
	bytes, n := unsafe.Slice(unsafe.StringData(s), len(s)), 0 // only read
	for ; len(bytes) >= 8; bytes = bytes[8:] {
		word := binary.LittleEndian.Uint64(bytes)
		if (word-0x2020202020202020)&^word&0x8080808080808080 == 0 {
			continue
		}
		for _, c := range bytes[:8] {
			if c < ' ' {
				n++
			}
		}
	}
	for _, c := range bytes {
		if c < ' ' {
			n++
		}
	}
	return n
}
