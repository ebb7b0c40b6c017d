package ldif

import (
	"slices"
	"strings"
)

// An Attribute is one line of an entry, unfolded and decoded.
type Attribute struct {
	Name  string // small letters, without options such as ;lang-en
	Value string
	Line  int // where it begins, counted from 1
}

// An Entry is one record. It is only good until the next one is read; its
// texts are parts of the piece it was read from, so that whoever keeps them
// must copy them.
type Entry struct {
	DN    string
	Line  int // of its dn
	Attrs []Attribute
	Seen  Seen // which of the watched attributes it has, wanted or not

	names, classes marks     // of what stands in Attrs
	firsts         [64]uint8 // by their marks, where the first attribute with one stands

	normal []byte // the name in normal form; none before it is asked for
	odd    nameByte
	units  units
}

// marks are a set of names that may have others too: what has no mark in it is surely
// not there.
type marks uint64

// markOf is the mark of a name, in small letters or not.
func markOf(name string) marks { return 1 << placeOf(name) }

// placeOf is the place of that mark among the 64.
func placeOf(name string) int {
	if name == "" {
		return 0
	}
	return (len(name)*7 + int(name[len(name)-1]|0x20)) & 63
}

// Seen is a set of watched attributes.
type Seen uint64

// A Watch gives attributes, in small letters, their places in a Seen; at most
// 64.
type Watch map[string]Seen

// NewWatch watches for attributes.
func NewWatch(names ...string) Watch {
	w := Watch{}
	for i, name := range names {
		w[name] = 1 << i
	}
	return w
}

// Of is the set of some watched attributes.
func (w Watch) Of(names ...string) Seen {
	var s Seen
	for _, name := range names {
		s |= w[name]
	}
	return s
}

// First returns the first value of an attribute, named in small letters.
func (e *Entry) First(name string) (Attribute, bool) {
	place := placeOf(name)
	if e.names>>place&1 == 0 {
		return Attribute{}, false
	}
	if first := int(e.firsts[place]); first < len(e.Attrs) && e.Attrs[first].Name == name {
		return e.Attrs[first], true
	}
	for i := range e.Attrs {
		if e.Attrs[i].Name == name {
			return e.Attrs[i], true
		}
	}
	return Attribute{}, false
}

// Text is First's value, or "".
func (e *Entry) Text(name string) string {
	a, _ := e.First(name)
	return a.Value
}

// Is reports whether the entry has an object class, named in small letters.
func (e *Entry) Is(class string) bool {
	if e.classes&markOf(class) == 0 {
		return false
	}
	for i := range e.Attrs {
		if e.Attrs[i].Name == "objectclass" && strings.EqualFold(e.Attrs[i].Value, class) {
			return true
		}
	}
	return false
}

// Classes are some object classes.
type Classes struct {
	marks marks
	names []string
}

// NewClasses returns those of some names, in small letters or not.
func NewClasses(names ...string) Classes {
	c := Classes{names: names}
	for _, name := range names {
		c.marks |= markOf(name)
	}
	return c
}

// IsOne reports whether the entry has one of some object classes.
func (e *Entry) IsOne(of *Classes) bool {
	return e.classes&of.marks != 0 && slices.ContainsFunc(of.names, e.Is)
}

// Has reports whether the entry has one of some attributes, named in small letters.
func (e *Entry) Has(names ...string) bool {
	for _, name := range names {
		if _, there := e.First(name); there {
			return true
		}
	}
	return false
}

// add adds an attribute; the value of one that is late comes when the entry is whole.
func (e *Entry) add(k *knownName, value string, line int, late bool) {
	if e.names&k.mark == 0 {
		e.names |= k.mark
		e.firsts[k.place] = uint8(min(len(e.Attrs), 255)) // one farther on is looked for
	}
	if k.class {
		if e.classes |= markOf(value); late {
			e.classes = ^marks(0)
		}
	}
	e.Attrs = append(e.Attrs, Attribute{Name: k.name, Value: value, Line: line})
}

// Own makes the entry's texts independent of the piece.
func (e *Entry) Own() {
	e.DN = strings.Clone(e.DN)
	for i := range e.Attrs {
		e.Attrs[i].Value = strings.Clone(e.Attrs[i].Value)
	}
	e.normal, e.units = nil, nil
}
