package linux

import (
	"hash/maphash"
	"strconv"
	"strings"
	"unsafe"

	"yewcone/core/facts"
)

// shadowLine is one account of etc/shadow.
type shadowLine struct {
	password string
	days     [6]int64 // last change, smallest and largest age, warning, inactive, end; -1 where empty
	line     int
	broken   bool // the system cannot read it, so that nobody gets in
}

// The days of a shadowLine.
const (
	lastChange = iota
	smallestAge
	largestAge
	warning
	inactiveFor
	endDay
)

// parseShadow reads a line as the C library does: five fields or nine, numbers
// that are whole, decimal and not negative. What is not so, it passes over.
func parseShadow(text string) (name string, s shadowLine, ok bool) {
	f, n := fieldsOf(strings.TrimLeft(text, " \t"))
	s.days = [6]int64{-1, -1, -1, -1, -1, -1}
	if name = f[0]; n < 2 {
		return name, s, false
	}
	s.password = f[1]
	old := n == 5 || n == 6 && strings.TrimSpace(f[5]) == ""
	if !old && n != 9 {
		return name, s, false
	}
	for i, field := range f[2:min(n, 9)] {
		if field == "" {
			continue
		}
		n, err := strconv.ParseInt(strings.TrimPrefix(strings.TrimLeft(field, " \t\v\f\r"), "+"), 10, 32)
		if err != nil || n < 0 {
			return name, s, false
		}
		if i < len(s.days) {
			s.days[i] = n
		}
	}
	return name, s, true
}

// fieldsOf cuts a line at its colons, and counts the fields: the last of nine has all
// that follows.
func fieldsOf(text string) (fields [9]string, count int) {
	count = strings.Count(text, ":") + 1
	for i := range min(count, len(fields)) {
		if i == len(fields)-1 {
			fields[i] = text
			break
		}
		fields[i], text, _ = strings.Cut(text, ":")
	}
	return fields, count
}

// passedOver reports whether the C library passes over a line of passwd, shadow
// and group in silence: empty ones, remarks, and those for other sources.
func passedOver(text string) bool {
	start := strings.TrimLeft(text, " \t")
	return start == "" || strings.IndexByte("#+-", start[0]) >= 0
}

// readShadow reads etc/shadow; of two lines of one name the first that the
// system can read counts.
func (e *export) readShadow() {
	ok, _ := e.eachLine("etc/shadow", func(l line) error {
		if passedOver(l.text) {
			return nil
		}
		name, _, ok := parseShadow(l.text)
		at := facts.Origin{File: e.shadowFile, Line: l.number}
		before := e.shadow.find(name)
		switch {
		case !ok:
			e.Noted.Refuse(at, "the system cannot read this line and refuses the password of its account: it has %d fields where an account has 9, "+
				"or one that is no number", strings.Count(l.text, ":")+1)
		case before != nil && !before.odd:
			e.Noted.Refuse(at, "%q stands here a second time; the first line counts", name)
		}
		if before == nil {
			before = e.shadow.add(name)
		} else if !before.odd || !ok {
			return nil
		}
		e.shadow.put(before, l)
		before.odd = !ok
		return nil
	})
	if e.noShadow = !ok; e.noShadow {
		e.Noted.Incomplete(facts.Origin{File: e.shadowFile},
			"%s: passwords, ages and locks are unknown; copy it as root", e.lack("etc/shadow"))
	}
}

// shadowOf is the line of an account.
func (e *export) shadowOf(name string) (s shadowLine, there bool) {
	kept := e.shadow.find(name)
	if kept == nil {
		return s, false
	}
	_, s, _ = parseShadow(e.shadow.text(kept))
	s.line, s.broken = kept.number, kept.odd
	return s, true
}

// namedLines are lines by the names that they begin with, one behind the other in
// memory that the collector need not look into.
type namedLines struct {
	bytes []byte
	list  []namedLine
	slots []uint32 // places in the list, counted from 1, by the hash of the name; a power of two of them
	seed  maphash.Seed
}

type namedLine struct {
	name, line span
	number     int
	odd        bool
}

// span is a part of the bytes.
type span struct{ from, to int }

func (t *namedLines) of(s span) string {
	if s.from == s.to {
		return ""
	}
	return unsafe.String(&t.bytes[s.from], s.to-s.from) // which nobody writes to any more
}

func (t *namedLines) keep(text string) span {
	from := len(t.bytes)
	t.bytes = append(t.bytes, text...)
	return span{from, len(t.bytes)}
}

// slot is where a name is, or would be.
func (t *namedLines) slot(name string) *uint32 {
	for i := maphash.String(t.seed, name); ; i++ {
		slot := &t.slots[i&uint64(len(t.slots)-1)]
		if *slot == 0 || t.of(t.list[*slot-1].name) == name {
			return slot
		}
	}
}

// find returns what is kept under a name; nil for nothing.
func (t *namedLines) find(name string) *namedLine {
	if len(t.slots) == 0 {
		return nil
	}
	if at := *t.slot(name); at > 0 {
		return &t.list[at-1]
	}
	return nil
}

// add keeps a name that is not there, good until the next is added.
func (t *namedLines) add(name string) *namedLine {
	if 2*len(t.list) >= len(t.slots) {
		if t.slots == nil {
			t.seed = maphash.MakeSeed()
		}
		t.slots = make([]uint32, max(64, 2*len(t.slots)))
		for i := range t.list {
			*t.slot(t.of(t.list[i].name)) = uint32(i + 1)
		}
	}
	slot := t.slot(name)
	t.list = append(t.list, namedLine{name: t.keep(name)})
	*slot = uint32(len(t.list))
	return &t.list[len(t.list)-1]
}

// put keeps a line under a name.
func (t *namedLines) put(n *namedLine, l line) { n.line, n.number = t.keep(l.text), l.number }

func (t *namedLines) text(n *namedLine) string { return t.of(n.line) }
