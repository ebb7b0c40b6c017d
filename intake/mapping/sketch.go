package mapping

import (
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/stamp"
	"yewcone/intake/stored"
	"yewcone/intake/table"
)

// Classes below these are the states of a switch that is not on, and of a date.
const (
	plainDate   = 3 // and, for the end of an account, whether it is past: three more
	plainText   = 6 // that is taken itself, and of which nothing is asked
	absentOwn   = 7
	firstClass  = 8
	mostClasses = 1 << 12
	noClass     = ^uint32(0) // something must be said of the text each time: the row is filled in
)

// sketcher tells rows apart before they are made into accounts.
type sketcher struct {
	r       *accountReader
	e       *export
	login   *sketchColumn
	columns []*sketchColumn // that are asked for
	scratch facts.Account
	sketch  facts.Sketch
	notes   facts.Notes // what a text on trial gave cause to say
	key     []byte
	row     []string
	text    strings.Builder // of that row
}

// sketchColumn is a column of which texts are put into classes: those of one class
// do the same to every account, as far as anything asks.
type sketchColumn struct {
	plain   bool // nothing but the text matters
	as      sketchedAs
	bound   *boundColumn // nil for a setting
	own     *ownColumn   // nil for a fact
	at      int
	only    *switcher
	asks    []func(*facts.Account) facts.Tri
	often   bool    // the same texts stand in many rows
	text    *string // in the scratch account, where texts are asked as they stand
	taken   int     // its number among the texts that are taken themselves
	date    int     // its number among the dates
	ends    bool    // it is the end of the account
	answers []answered
	classes map[string]uint32
	count   int // of classes
	shorts  [4]shortText
	turn    int // of those, which is next to be replaced
	known   [1 << 7]knownText
}

type shortText struct{ text, class uint32 }

// answered is a class of texts of which all questions are answered alike.
type answered struct {
	answers uint64
	class   uint32
}

// mostAsked is how many answers are told apart together.
const mostAsked = 32

// sketchedAs is how the texts of a column are put into classes.
type sketchedAs uint8

const (
	asItself  sketchedAs = iota // by the text
	asValue                     // by what it is read as
	asAsked                     // by the answers to what is asked of it
	asDate                      // not at all, where it is a date
	asStored                    // by the form of the stored password
	asNothing                   // not at all, but for whether it is null
	asTaken                     // as asAsked, and the text is handed over
)

// knownText is a text of which the class is known.
type knownText struct {
	length uint8
	text   [46]byte
	class  uint32
}

// newSketcher returns nil where rows of the table cannot be told apart without
// being filled in.
func (r *accountReader) newSketcher(e *export, k *facts.Sketching) *sketcher {
	s := &sketcher{r: r, e: e}
	s.sketch.Texts = make([]string, len(k.Texts))
	if len(r.members) > 0 {
		return nil
	}
	fills := map[string]int{}
	for i := range r.columns {
		fills[r.columns[i].fact]++
	}
	bound := r.boundTo(&s.scratch)
	for i := range bound {
		c := &sketchColumn{bound: &bound[i], only: bound[i].only, classes: map[string]uint32{}}
		if !s.add(c, fills, k) {
			return nil
		}
	}
	for i := range r.own {
		s.columns = append(s.columns, &sketchColumn{own: &r.own[i], only: r.own[i].taker.only, classes: map[string]uint32{}})
	}
	if s.login == nil {
		return nil
	}
	for _, c := range s.columns {
		c.plain = c.only == nil && c.own == nil && (c.as == asItself || c.as == asValue || c.as == asAsked && (c.text == nil || c.often))
	}
	s.sketch.Dates, s.sketch.Dated = make([]facts.Moment, len(s.sketch.DateOf)), make([]bool, len(s.sketch.DateOf))
	return s
}

// add settles how a column is put into classes; false where it cannot be.
func (s *sketcher) add(c *sketchColumn, fills map[string]int, k *facts.Sketching) bool {
	fact := c.bound.factColumn
	asks, whole := k.Asks(fact.fact)
	one := fills[fact.fact] == 1
	kind := KindOf(fact.fact)
	switch {
	case fact.neverSeen:
		return fact.fact != "login"
	case fact.fact == "login":
		if !one || fact.text == nil || fact.only != nil || whole || len(asks) > mostAsked {
			return false
		}
		s.login = c
		if len(asks) == 0 {
			return true
		}
		c.as, c.asks, c.text = asAsked, asks, c.bound.text
	case slices.Contains(k.Texts, fact.fact):
		if !one || whole || fact.text == nil || fact.only != nil || len(asks) > mostAsked {
			return false
		}
		c.as, c.asks, c.text, c.taken = asTaken, asks, c.bound.text, slices.Index(k.Texts, fact.fact)
	case kind == DateFact:
		c.as, c.ends = asDate, fact.fact == "account_ends"
		c.date = len(s.sketch.DateOf)
		s.sketch.DateOf = append(s.sketch.DateOf, fact.date)
	case fact.fact == "stored_value":
		c.as = asStored
		if fact.only != nil || !one {
			return false
		}
	case kind == FlagFact || fact.fact == "kind" || fact.fact == "storage":
		if c.as = asValue; !one {
			c.as = asItself
		}
	case (kind == TextFact || kind == ListFact) && one && !whole && !fact.group:
		c.often = fact.fact == "unit"
		if c.as, c.asks, c.text = asAsked, asks, c.bound.text; len(asks) > 0 && len(asks) <= mostAsked {
			break
		}
		if len(asks) > mostAsked {
			c.as = asItself
		} else if c.as = asNothing; fact.on[null] != nil || fact.on[empty] == nil {
			return true // nobody asks, and nothing is said of it
		}
	}
	s.columns = append(s.columns, c)
	return true
}

// take makes the sketch of a row; false where the row must be filled in.
func (s *sketcher) take(row []string) bool {
	login := trimmed(row[s.login.bound.factColumn.index])
	if gapOf(login) != noGap || len(login) > facts.LongestName {
		return false
	}
	s.sketch.Login, s.sketch.StoredMark = login, 0
	clear(s.sketch.Dated)
	classes, word := s.sketch.Classes[:0], uint64(0)
	for i, c := range s.columns {
		text := trimmed(row[c.at])
		var class uint32
		switch {
		case c.plain:
			class = s.known(c, text, row)
		case c.as == asDate && c.only == nil:
			class = s.dated(c, text, row)
		default:
			class = s.classOf(c, text, row)
		}
		if class == noClass {
			return false
		}
		if word = word<<16 | uint64(class); i&3 == 3 {
			classes, word = append(classes, word), 0
		}
	}
	s.sketch.Classes = append(classes, word)
	return true
}

// classOf is the class of a row's text in a column.
func (s *sketcher) classOf(c *sketchColumn, text string, row []string) uint32 {
	if c.as == asNothing {
		if gapOf(text) == null {
			c.bound.nulls.Store(true)
		}
		return 0
	}
	if c.own != nil && text == table.Absent {
		return absentOwn // a setting that is not there, whatever its switch says
	}
	if c.only != nil {
		switch on := c.only.on(row); {
		case on == facts.Unknown && c.own != nil:
			return noClass // which is said each time
		case on != facts.Yes:
			return uint32(on)
		}
	}
	switch c.as {
	case asDate:
		return s.dated(c, text, row)
	case asTaken:
		return s.handed(c, text, row)
	case asAsked:
		if c.text != nil && !c.often && gapOf(text) == noGap {
			return c.asked(text, &s.scratch)
		}
	case asStored:
		if gapOf(text) == noGap {
			s.sketch.StoredMark = stored.Mark(text)
			s.key = stored.Prefixed(text).AppendKey(append(s.key[:0], 'v'))
			return c.class(s.key)
		}
	}
	return s.known(c, text, row)
}

// handed is the class of a text that is handed over itself.
func (s *sketcher) handed(c *sketchColumn, text string, row []string) uint32 {
	s.sketch.Texts[c.taken] = ""
	switch gap := gapOf(text); {
	case gap != noGap && c.bound.on[gap] != nil:
		return noClass // what stands for it is filled in
	case gap != noGap:
		return s.known(c, text, row)
	}
	s.sketch.Texts[c.taken] = text
	if len(c.asks) == 0 {
		return plainText
	}
	return c.asked(text, &s.scratch)
}

// asked is the class of a text by the answers to what is asked of it.
func (c *sketchColumn) asked(text string, scratch *facts.Account) uint32 {
	*c.text = text
	answers := uint64(0)
	for _, ask := range c.asks {
		answers = answers<<2 | uint64(ask(scratch))
	}
	for i := range c.answers {
		if c.answers[i].answers == answers {
			return c.answers[i].class
		}
	}
	class := c.another()
	c.answers = append(c.answers, answered{answers, class})
	return class
}

// another is a class that no text was in; NoClass where there are too many.
func (c *sketchColumn) another() uint32 {
	if c.count == mostClasses {
		return noClass
	}
	c.count++
	return uint32(firstClass + c.count - 1)
}

// dated reads a date; what stands in the place of one has a class of its own.
func (s *sketcher) dated(c *sketchColumn, text string, row []string) uint32 {
	d := &c.bound.dates
	var at facts.Moment
	if len(d.words) == 0 && d.iso {
		if second, ok := stamp.Second(text); ok {
			at = facts.AtSecond(second)
		}
	}
	if !at.Known() {
		ok := false
		if gapOf(text) == noGap && !d.word(text) {
			at, ok = d.form.Parse(text, d.zone)
		}
		if !ok {
			return s.known(c, text, row)
		}
	}
	s.sketch.Dated[c.date], s.sketch.Dates[c.date] = true, at
	class := uint32(plainDate)
	switch asOf := s.e.Read.AsOf; {
	case c.ends && !asOf.IsZero():
		class += uint32(at.Past(asOf.Unix()))
	case c.bound.fact == "locked_since" || c.bound.fact == "locked_until":
		return noClass // whether it holds yet depends on the moment
	}
	return class
}

// known is the class of a text that was met before, else of one that is tried.
func (s *sketcher) known(c *sketchColumn, text string, row []string) uint32 {
	if n := len(text); n > 0 && n <= 3 {
		return s.short(c, text, row)
	}
	at := slotOf(text)
	slot := &c.known[at]
	if slot.is(text) {
		return slot.class
	}
	if next := &c.known[at^1]; next.is(text) {
		return next.class
	} else if next.length == 0 {
		slot = next
	}
	class := s.try(c, text, row)
	if len(text) <= len(slot.text) {
		slot.length, slot.class = uint8(len(text)+1), class
		copy(slot.text[:], text)
	}
	return class
}

func (k *knownText) is(text string) bool {
	return int(k.length) == len(text)+1 && string(k.text[:len(text)]) == text
}

// short is known for the shortest, such as yes and no, which are told apart by one
// number.
func (s *sketcher) short(c *sketchColumn, text string, row []string) uint32 {
	n := len(text)
	as := uint32(text[0]) | uint32(text[n>>1])<<8 | uint32(text[n-1])<<16 | uint32(n)<<24
	for i := range c.shorts {
		if c.shorts[i].text == as {
			return c.shorts[i].class
		}
	}
	class := s.try(c, text, row)
	c.shorts[c.turn&3] = shortText{as, class}
	c.turn++
	return class
}

// slotOf spreads texts over the places of those that are known.
func slotOf(s string) uint64 {
	n := len(s)
	h := uint64(n)
	if n >= 8 {
		h ^= stamp.Eight(s)*0x9e3779b97f4a7c15 ^ stamp.Eight(s[n-8:])
	} else if n > 0 {
		h ^= uint64(s[0])<<8 | uint64(s[n/2])<<16 | uint64(s[n-1])<<24
	}
	return h * 0x9e3779b97f4a7c15 >> 57
}

// try puts a text into an account that is nobody's, and tells its class by what it
// does there.
func (s *sketcher) try(c *sketchColumn, text string, row []string) uint32 {
	key := append(s.key[:0], byte(gapOf(text)))
	if c.own != nil {
		if _, _, problem := s.e.plan.value(&c.own.taker, text); problem != "" {
			return noClass
		}
		s.key = append(key, text...)
		return c.class(s.key)
	}
	a := &s.scratch
	a.Reset()
	for _, put := range s.r.fixed {
		put(a)
	}
	s.notes = facts.Notes{}
	c.bound.fill(a, row, &s.notes)
	if s.notes.Refused() > 0 {
		return noClass
	}
	switch {
	case c.as == asValue && c.bound.tri != nil:
		key = append(key, byte(*c.bound.tri))
	case c.as == asValue && c.bound.fact == "kind":
		key = append(key, a.Kind...)
	case c.as == asValue:
		key = a.Storage.AppendKey(key)
	case c.as == asAsked:
		for _, ask := range c.asks {
			key = append(key, byte(ask(a)))
		}
	default:
		key = append(key, text...)
	}
	s.key = key
	return c.class(key)
}

// class is the number of what texts are told apart by.
func (c *sketchColumn) class(key []byte) uint32 {
	class, ok := c.classes[string(key)]
	if !ok {
		if class = c.another(); class != noClass {
			c.classes[string(key)] = class
		}
	}
	return class
}

// Sketch tells the rows of the piece apart.
func (p *accountPart) Sketch(k *facts.Sketching, yield func(*facts.Sketch) error) (bool, error) {
	kept := k.Keep(p.r, func() any {
		return p.r.newSketcher(p.e, k)
	}).(*sketcher)
	if kept == nil {
		return false, nil
	}
	k.Of = p.r
	p.rows = p.table.Part(p.piece, &p.notes)
	defer p.piece.Free()
	return true, kept.sketches(p, yield)
}

// own makes a copy of a row: of what is filled in, something may be kept, and the
// memory of the piece is read into again.
func (s *sketcher) own(row []string) []string {
	s.text.Reset()
	for _, text := range row {
		s.text.WriteString(text)
	}
	all, from := s.text.String(), 0
	s.row = s.row[:0]
	for _, text := range row {
		s.row = append(s.row, all[from:from+len(text)])
		from += len(text)
	}
	return s.row
}

func (s *sketcher) sketches(p *accountPart, yield func(*facts.Sketch) error) error {
	var a facts.Account
	columns := s.r.boundTo(&a)
	for _, c := range s.columns {
		if c.bound != nil {
			c.bound.at = c.bound.factColumn.index
			c.at = c.bound.at
		} else {
			c.at = c.own.index
		}
	}
	defer func() { p.e.taken.Add(int64(p.taken)) }()
	var row []string
	var at table.Place
	s.sketch.Fill = func() *facts.Account {
		a.Reset()
		a.Origin = at.In(s.r.origin)
		row = s.own(row)
		if !s.r.fill(&a, columns, row, p.e, &p.notes) {
			return nil
		}
		return &a
	}
	for row, at = p.rows.Next(); row != nil; row, at = p.rows.Next() {
		p.taken++
		s.sketch.Whole = s.take(row)
		if err := yield(&s.sketch); err != nil {
			return err
		}
	}
	return nil
}
