package jsonrows

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
	"unsafe"

	"yewcone/intake/bytescan"
	"yewcone/intake/table"
)

// jsonLine reads one object per text, straight into the columns of a tree. It
// accepts what encoding/json accepts, and makes no value that is not asked
// for.
type jsonLine struct {
	s     string
	i     int
	ahead string // begins with it, where more lines are at hand
	row   []string
	found []bool
	late  []lateText      // texts that had to be decoded
	bytes []byte          // what they are, from a place on
	from  int             // that place
	left  map[string]bool // paths of members that no column takes; nil where nobody asks

	together bool // texts that are decoded stay good until the next rows that are read together
	escapes  bool // the line has backslashes
	plain    bool // it is known that lines are UTF-8 without control characters

	after     int            // where the value before ends
	inners    []*jsonNode    // objects within that were met in the line
	shape     []usualMember  // of the line that was read last
	shaping   bool           // that is wanted of the line at hand
	ending    string         // what stands after its last value
	ended     string         // the same of the line that was read last
	usual     []usualMember  // of the line that was learned; none before
	frame     bytescan.Frame // what stands between its values, which have no backslashes
	bent      bool           // the line before had backslashes in many texts: so it is with this one
	bends     int            // texts with backslashes in the line at hand
	bentFrame bytescan.Frame // the same for values with backslashes and no quotes
	takes     []taking       // what is done with them
	spans     []bytescan.Span
	lacks     []int // the columns that it does not bring
	noted     bool  // which members the piece at hand has is noted
	without   []int // members that the line at hand lacks
	others    int   // lines since that were not like it

	patience int  // after so many of these another is learned
	used     bool // some line was like it
}

// maxNesting bounds how deep values may lie, as encoding/json does.
const maxNesting = 10000

type badJSON struct {
	column int // counted from 1
	what   string
}

func (b *badJSON) Error() string { return fmt.Sprintf("column %d: %s", b.column, b.what) }

func (p *jsonLine) fail(expected string) error {
	if p.i >= len(p.s) {
		return &badJSON{len(p.s) + 1, "expected " + expected + ", found the end of the line"}
	}
	r, _ := utf8.DecodeRuneInString(p.s[p.i:])
	return &badJSON{p.i + 1, fmt.Sprintf("expected %s, found %q", expected, r)}
}

// A lateText is a text that had to be decoded; the texts of a row become one
// string, when it is whole.
type lateText struct{ column, from, to int }

// read reads an object that takes up the whole text.
func (p *jsonLine) read(s string, root *jsonNode) error {
	p.i = 0
	p.begin(s)
	for i := range p.row {
		p.row[i] = table.Absent
	}
	p.space()
	if !p.at('{') {
		return p.fail("an object")
	}
	if err := p.object(root, 0); err != nil {
		return err
	}
	p.space()
	if p.i < len(p.s) {
		return p.fail("the end of the line")
	}
	p.settle()
	return nil
}

// reuse makes it ready for another piece. How lines look it still knows.
func (p *jsonLine) reuse() {
	clear(p.found)
	p.left, p.noted = map[string]bool{}, false
	for k := range p.usual {
		p.usual[k].noted = false
	}
}

// begin is what every line begins with. What was decoded of lines before it is kept
// where they are read together.
func (p *jsonLine) begin(s string) {
	p.s, p.late, p.bytes = s, p.late[:0], p.bytes[:p.from]
}

// settle puts the texts that had to be decoded into the row.
func (p *jsonLine) settle() {
	if len(p.late) == 0 {
		return
	}
	all := unsafe.String(unsafe.SliceData(p.bytes), len(p.bytes))
	if p.together {
		p.from = len(p.bytes) // nobody writes to it before all rows were looked at
	} else {
		all = strings.Clone(all)
	}
	for _, l := range p.late {
		p.row[l.column] = all[l.from:l.to]
	}
}

func (p *jsonLine) at(c byte) bool { return p.i < len(p.s) && p.s[p.i] == c }

func (p *jsonLine) space() {
	for p.i < len(p.s) {
		switch p.s[p.i] {
		case ' ', '\t', '\r', '\n':
			p.i++
		default:
			return
		}
	}
}

// object reads an object, from its opening brace on.
func (p *jsonLine) object(n *jsonNode, depth int) error {
	if depth > maxNesting {
		return &badJSON{p.i + 1, fmt.Sprintf("values lie more than %d levels deep", maxNesting)}
	}
	p.i++
	p.space()
	if p.at('}') {
		p.i++
		return nil
	}
	guess := 0
	for {
		if !p.at('"') {
			return p.fail("a name in quotes")
		}
		name, err := p.text()
		if err != nil {
			return err
		}
		p.space()
		if !p.at(':') {
			return p.fail("a colon")
		}
		p.i++
		p.space()
		if err := p.member(n, name, &guess, depth); err != nil {
			return err
		}
		p.space()
		switch {
		case p.at(','):
			p.i++
			p.space()
		case p.at('}'):
			p.i++
			return nil
		default:
			return p.fail("a comma or a closing brace")
		}
	}
}

// member reads a value, and puts it where the tree wants it. guess is the kid
// that probably comes next.
func (p *jsonLine) member(n *jsonNode, name string, guess *int, depth int) error {
	if n == nil {
		return p.skip(depth + 1)
	}
	at := -1
	for range n.kids {
		if *guess >= len(n.kids) {
			*guess = 0
		}
		if n.kids[*guess].name == name {
			at = *guess
			*guess++
			break
		}
		*guess++
	}
	if at < 0 {
		if p.left != nil && len(p.left) < table.MostUnread {
			p.left[Member(n.path, name)] = true
		}
		return p.skip(depth + 1)
	}
	kid := &n.kids[at]
	if kid.inner != nil {
		p.forget(kid.inner) // of a member of the same name before
	}
	if len(kid.odd) == 0 && len(kid.columns) == 0 {
		if p.at('{') {
			return p.object(kid.inner, depth+1)
		}
		return p.skip(depth + 1)
	}
	return p.take(kid, depth)
}

// take puts a value into the columns that want it.
func (p *jsonLine) take(kid *jsonKid, depth int) error {
	if p.at('[') && p.textList(kid) {
		return nil
	}
	start, value := p.i, ""
	var err error
	late := -1
	if p.at('"') {
		var odd bool
		value, odd, err = p.raw()
		if odd && err == nil {
			late = len(p.bytes)
			p.bytes = unescape(p.bytes, value)
		}
	} else if err = p.skip(depth + 1); err == nil {
		value = p.s[start:p.i]
		if value[0] == '{' || value[0] == '[' {
			return p.nested(kid, p.s[start:p.i], start, depth)
		}
	}
	if err != nil {
		return err
	}
	for _, c := range kid.columns {
		p.undo(c)
		p.row[c], p.found[c] = value, true
		if late >= 0 {
			p.late = append(p.late, lateText{c, late, len(p.bytes)})
		}
	}
	for _, o := range kid.odd {
		p.undo(o.column)
		p.row[o.column] = ""
	}
	return nil
}

// textList takes a list of nothing but texts of which all elements are asked for, which needs no values to be made; false, with nothing done, for any other.
func (p *jsonLine) textList(kid *jsonKid) bool {
	if len(kid.columns) > 0 {
		return false // which want the list as it is written
	}
	for _, o := range kid.odd {
		if len(o.steps) != 1 || o.steps[0].kind != toAll {
			return false
		}
	}
	start, from, count, ended := p.i, len(p.bytes), 0, false
	p.i++
	for p.space(); p.at('"'); count++ {
		raw, odd, err := p.raw()
		if err != nil {
			break
		}
		if count > 0 {
			p.bytes = append(p.bytes, '\n')
		}
		if odd {
			p.bytes = unescape(p.bytes, raw)
		} else {
			p.bytes = append(p.bytes, raw...)
		}
		if p.space(); !p.at(',') {
			ended = p.at(']')
			break
		}
		p.i++
		p.space()
	}
	if !ended {
		p.i, p.bytes = start, p.bytes[:from]
		return false
	}
	p.i++
	late := lateText{0, from, len(p.bytes)}
	for _, o := range kid.odd {
		p.undo(o.column)
		late.column, p.found[o.column] = o.column, true
		p.late = append(p.late, late)
	}
	return true
}

// undo forgets what a member of the same name before has left for a column.
func (p *jsonLine) undo(column int) {
	if len(p.late) > 0 {
		p.late = slices.DeleteFunc(p.late, func(l lateText) bool { return l.column == column })
	}
}

// nested takes an object or a list, of which more than names are asked.
func (p *jsonLine) nested(kid *jsonKid, raw string, start, depth int) error {
	node, err := decoded(raw)
	if err != nil {
		return err
	}
	for _, c := range kid.columns {
		p.undo(c)
		p.row[c], p.found[c] = Text(node), true
	}
	for _, o := range kid.odd {
		text, found := valueAt(node, o.steps)
		p.undo(o.column)
		p.row[o.column], p.found[o.column] = text, p.found[o.column] || found
	}
	if kid.inner != nil && raw[0] == '{' {
		p.i = start
		return p.object(kid.inner, depth+1)
	}
	return nil
}

func (p *jsonLine) forget(n *jsonNode) {
	for i := range n.kids {
		for _, c := range n.kids[i].columns {
			p.undo(c)
			p.row[c] = table.Absent
		}
		for _, o := range n.kids[i].odd {
			p.undo(o.column)
			p.row[o.column] = table.Absent
		}
		if n.kids[i].inner != nil {
			p.forget(n.kids[i].inner)
		}
	}
}

// valueAt writes what the steps lead to; table.Absent where they lead nowhere, apart
// from a list that is there and empty, which is found where all its elements are asked for.
func valueAt(node any, steps []step) (text string, found bool) {
	nodes := follow(node, steps, nil)
	if all := lastAll(steps); all > 0 && len(nodes) < len(follow(node, steps[:all], nil)) {
		return table.Absent, len(nodes) > 0 // an element lacks the member: the list is not whole
	}
	if len(nodes) > 0 {
		return joined(nodes)
	}
	names := slices.IndexFunc(steps, func(s step) bool { return s.kind != toMember })
	if names >= 0 {
		if there := follow(node, steps[:names], nil); len(there) > 0 {
			list, is := there[0].([]any)
			return "", is && len(list) == 0 && steps[names].kind == toAll && names == len(steps)-1
		}
	}
	return table.Absent, false
}

// lastAll is how many steps there are up to the last to all elements; 0 for
// none.
func lastAll(steps []step) int {
	for i := len(steps); i > 0; i-- {
		if steps[i-1].kind == toAll {
			return i
		}
	}
	return 0
}

// joined writes values on a line each.
func joined(nodes []any) (text string, found bool) {
	var texts []string
	for _, n := range nodes {
		texts = append(texts, Text(n))
	}
	return strings.Join(texts, "\n"), len(nodes) > 0
}

// Classes of bytes in texts.
const (
	plainByte = iota
	highByte  // part of a character of several bytes
	oddByte   // a quote, a backslash or a control character
)

var classes = func() (table [256]uint8) {
	for c := range 256 {
		switch {
		case c < 0x20 || c == '"' || c == '\\':
			table[c] = oddByte
		case c >= 0x80:
			table[c] = highByte
		}
	}
	return table
}()
