package ldif

import (
	"slices"
	"strings"
)

// glancer reads entries of which most are like the one before, for whoever looks at
// their object classes, which attributes they have, and the first values of these. The
// lines of attributes, and the order of different ones, are not those of the file.
type glancer struct {
	*Entries
	shape Shape
	names []string // of the attributes, by their places in a row; the entry's name first
	row   []string
	likes [mostLikes]like
	start place // of the entry at hand
	light bool  // it is one of these
}

// A like is an entry of the shape, for those with the same attributes.
type like struct {
	entry Entry
	met   uint64 // which these are; 0 for none
	at    []int  // their places in a row; they stand behind the object classes
}

const mostLikes = 16

func newGlancer(r *Entries) *glancer {
	return &glancer{Entries: r, shape: Shape{Filled: true}, names: []string{"dn"}, row: make([]string, 1)}
}

// columnOf is of Entries.Learn: every attribute that is wanted has a column.
func (g *glancer) columnOf(name string) (int, bool) {
	at := slices.Index(g.names, name)
	if at < 0 && name != "objectclass" {
		at = len(g.names)
		g.names, g.row = append(g.names, name), append(g.row, "")
	}
	return at, true
}

// Next is as that of Entries.
func (g *glancer) Next() (*Entry, error) {
	g.start = place{g.pos, g.Line}
	g.shape.Release()
	line := g.Again(&g.shape, g.row)
	if g.light = line > 0 && !g.shape.several(g.row); g.light {
		l := &g.likes[g.shape.met*0x9e3779b97f4a7c15>>60]
		if l.met != g.shape.met {
			g.liken(l)
		}
		x := &l.entry
		x.DN, x.Line, x.normal, x.odd = g.row[0], line, x.normal[:0], 0
		attrs := x.Attrs[len(x.Attrs)-len(l.at):]
		for i, at := range l.at {
			attrs[i].Value = g.row[at]
		}
		return x, nil
	}
	x, err := g.Entries.at(g.start)
	if err == nil {
		g.Learn(&g.shape, g.columnOf)
		for i := range g.likes {
			g.likes[i].met = 0
		}
	}
	return x, err
}

// whole is the entry at hand as Entries has it.
func (g *glancer) whole(x *Entry) *Entry {
	if g.light {
		x, _ = g.Entries.at(g.start) // it was read before
	}
	return x
}

// liken makes an entry with the attributes that the shape met.
func (g *glancer) liken(l *like) {
	x := &l.entry
	*x = Entry{Attrs: x.Attrs[:0], normal: x.normal, units: g.units}
	l.met, l.at = g.shape.met, l.at[:0]
	for i := range g.shape.lines {
		line := &g.shape.lines[i]
		if l.met>>i&1 == 0 {
			continue
		}
		if x.Seen |= line.known.seen; !line.class {
			continue
		}
		for class := range strings.SplitSeq(line.value, "\n") {
			x.add(line.known, class, 0, false)
		}
	}
	for i := range g.shape.lines {
		if line := &g.shape.lines[i]; l.met>>i&1 == 1 && line.column > 0 {
			x.add(line.known, "", 0, false)
			l.at = append(l.at, line.column)
		}
	}
}

// several reports whether a value of the entry that was read last is several, or looks so.
func (s *Shape) several(row []string) bool {
	return slices.ContainsFunc(s.late, func(v lateValue) bool { return strings.IndexByte(row[v.attr], '\n') >= 0 })
}
