package mapping

import (
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/alike"
	"yewcone/intake/stored"
	"yewcone/intake/table"
)

// Classes below alike.First are the states of a switch that is not on, and of a date.
const (
	plainDate = 3 // and, for the end of an account, whether it is past: three more
	plainText = 6 // that is taken itself, and of which nothing is asked
	absentOwn = 7
)

// sketcher tells rows apart before they are made into accounts.
type sketcher struct {
	r       *accountReader
	e       *export
	login   *sketchColumn
	texts   int             // that are handed over of each row
	columns []*sketchColumn // that are asked for
	scratch facts.Account
	account facts.Account // that rows are filled into
	filled  []boundColumn // of it
	rows    *table.Batch
	sketch  facts.Sketches
	notes   facts.Notes // what a text on trial gave cause to say
	key     []byte
	row     []string
	text    strings.Builder // of that row
	joined  []*joinedColumns
	into    []column // of those at hand
}

// sketchColumn is a column of which texts are put into classes: those of one class
// do the same to every account, as far as anything asks.
type sketchColumn struct {
	plain  bool           // nothing but the text matters
	joined *joinedColumns // that it is one of; nil for none
	as     sketchedAs
	bound  *boundColumn // nil for a setting
	own    *ownColumn   // nil for a fact
	at     int
	only   *switcher
	asks   []func(*facts.Account) facts.Tri
	often  bool    // the same texts stand in many rows
	items  bool    // it is a list of which the questions are put to the text
	text   *string // in the scratch account, where texts are asked as they stand
	taken  int     // its number among the texts that are taken themselves
	date   int     // its number among the dates
	ends   bool    // it is the end of the account
	coded  codedTexts
	// Of a part's moments that its reader keeps apart it is known that their texts
	// would be read as what they are.
	asWritten bool
	usual     [2]flagText // of a column of yes and no, that which was met first, and the next
	alike.Classes
}

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

// newSketcher returns nil where rows of the table cannot be told apart without
// being filled in.
func (r *accountReader) newSketcher(e *export, k *facts.Sketching) *sketcher {
	s := &sketcher{r: r, e: e}
	if len(r.members) > 0 {
		return nil
	}
	fills := map[string]int{}
	for i := range r.columns {
		fills[r.columns[i].fact]++
	}
	bound := r.boundTo(&s.scratch)
	for i := range bound {
		c := &sketchColumn{bound: &bound[i], only: bound[i].only}
		if !s.add(c, fills, k) {
			return nil
		}
	}
	for i := range r.own {
		s.columns = append(s.columns, &sketchColumn{own: &r.own[i], only: r.own[i].taker.only})
	}
	if s.login == nil {
		return nil
	}
	for _, c := range s.columns {
		c.plain = c.only == nil && c.own == nil && (c.as == asItself || c.as == asValue || c.as == asAsked && (c.text == nil || c.often))
	}
	s.sketch.Words = (len(s.columns) + 3) / 4
	s.filled = r.boundTo(&s.account)
	return s
}

// fit makes room for the sketches of a batch.
func (s *sketcher) fit(texts int) {
	n, k := len(s.rows.Places), &s.sketch
	s.texts = texts
	k.Whole, k.Logins, k.Classes = make([]bool, n), make([]string, n), make([]uint64, n*k.Words)
	k.Dates, k.Dated = make([]facts.Moment, n*len(k.DateOf)), make([]bool, n*len(k.DateOf))
	k.Texts = make([]string, n*texts)
	if slices.ContainsFunc(s.columns, func(c *sketchColumn) bool { return c.as == asStored }) {
		k.StoredMarks = make([]uint64, n)
	}
}

// add settles how a column is put into classes; false where it cannot be.
func (s *sketcher) add(c *sketchColumn, fills map[string]int, k *facts.Sketching) bool {
	fact := c.bound.factColumn
	asks, whole := k.Asks(fact.fact)
	questions := alike.Questions(k, fact.fact)
	one := fills[fact.fact] == 1
	kind := KindOf(fact.fact)
	switch {
	case fact.neverSeen:
		return fact.fact != "login"
	case fact.fact == "login":
		if !one || fact.text == nil || fact.only != nil || whole || len(asks) > alike.MostAsked {
			return false
		}
		s.login = c
		if len(asks) == 0 {
			return true
		}
		c.as, c.asks, c.text = asAsked, asks, c.bound.text
		c.Ask(asks, questions, c.text)
	case slices.Contains(k.Texts, fact.fact):
		if !one || whole || fact.text == nil || fact.only != nil || len(asks) > alike.MostAsked {
			return false
		}
		c.as, c.asks, c.text, c.taken = asTaken, asks, c.bound.text, slices.Index(k.Texts, fact.fact)
		c.Ask(asks, questions, c.text)
	case kind == DateFact:
		c.as, c.ends = asDate, fact.fact == "account_ends"
		c.date = len(s.sketch.DateOf)
		s.sketch.DateOf = append(s.sketch.DateOf, fact.date)
		s.sketch.DateNames = append(s.sketch.DateNames, fact.fact)
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
		if c.as, c.asks, c.text = asAsked, asks, c.bound.text; len(asks) > 0 && len(asks) <= alike.MostAsked {
			switch {
			case kind == ListFact:
				c.items = c.AskItems(questions, fact.split)
			case c.text == nil || c.often:
				c.Ask(asks, nil, c.text)
			default:
				c.Ask(asks, questions, c.text)
			}
			break
		}
		if len(asks) > alike.MostAsked {
			c.as = asItself
		} else if c.as = asNothing; fact.on[null] != nil || fact.on[empty] == nil {
			return true // nobody asks, and nothing is said of it
		}
	}
	s.columns = append(s.columns, c)
	return true
}

// take makes the sketches of the rows, column by column.
func (s *sketcher) take() {
	k, width := &s.sketch, s.rows.Width
	k.Count = s.rows.Count
	s.rows.Write(s.login.bound.index)
	texts := s.rows.Texts[:k.Count*width]
	for row, at := 0, s.login.bound.index; row < k.Count; row, at = row+1, at+width {
		login := trimmed(texts[at])
		k.Logins[row] = login
		k.Whole[row] = gapOf(login) == noGap && len(login) <= facts.LongestName
	}
	clear(k.Classes[:k.Count*k.Words])
	for i, c := range s.columns {
		if c.joined != nil && s.rows.Whole {
			continue
		}
		into := s.columnOf(i, c)
		if s.takeApart(c, s.rows.Values(c.at), &into) {
			continue
		}
		s.rows.Write(c.at)
		switch {
		case c.isFlag():
			s.takeFlags(c, &into)
		case c.plain:
			s.takePlain(c, &into)
		case c.as == asNothing:
			takeNothing(c, &into)
		case c.as == asAsked && c.InWords() && !c.items && c.only == nil:
			s.takeAsked(c, &into)
		case c.as == asDate && c.only == nil:
			s.takeDates(c, &into)
		default:
			for row := range k.Count {
				s.put(&into, row, s.classOf(c, trimmed(into.at(row)), row))
			}
		}
	}
	if !s.rows.Whole {
		return
	}
	for _, j := range s.joined {
		s.into = s.into[:0]
		for _, c := range j.columns {
			s.into = append(s.into, s.columnOf(slices.Index(s.columns, c), c))
		}
		s.takeJoined(j, s.into)
	}
}

// columnOf is one of them, by its number.
func (s *sketcher) columnOf(i int, c *sketchColumn) column {
	k, width := &s.sketch, s.rows.Width
	return column{s.rows.Texts[c.at : c.at+(k.Count-1)*width+1], width, k.Classes[i/4:], k.Words, uint(i % 4 * 16)}
}

// column is the texts of one column in all rows, and where their classes go.
type column struct {
	texts   []string // from one to the next there is the width of a row
	width   int
	classes []uint64
	words   int
	shift   uint
}

func (c *column) at(row int) string { return c.texts[row*c.width] }

func (s *sketcher) put(c *column, row int, class uint32) {
	if class == alike.None {
		s.sketch.Whole[row] = false
		return
	}
	c.classes[row*c.words] |= uint64(class) << c.shift
}

// takePlain takes a column of which nothing but the text matters.
func (s *sketcher) takePlain(c *sketchColumn, into *column) {
	for row, at, word := 0, 0, 0; at < len(into.texts); row, at, word = row+1, at+into.width, word+into.words {
		text := into.texts[at] // with the space around it
		class, ok := c.Known(text)
		if !ok {
			class = s.learn(c, text, row)
		}
		if class == alike.None {
			s.sketch.Whole[row] = false
			continue
		}
		into.classes[word] |= uint64(class) << into.shift
	}
}

// simpleDate reports whether a date is taken as it stands, if it is usually written.
func (c *sketchColumn) simpleDate() bool {
	d := &c.bound.dates
	return len(d.words) == 0 && d.usual != nil && !c.ends && c.bound.fact != "locked_since" && c.bound.fact != "locked_until"
}

// takeDates takes a column of dates.
func (s *sketcher) takeDates(c *sketchColumn, into *column) {
	k, d := &s.sketch, &c.bound.dates
	simple := c.simpleDate()
	for row, at, date := 0, 0, c.date; at < len(into.texts); row, at, date = row+1, at+into.width, date+len(k.DateOf) {
		if simple {
			if second, ok := d.usual(into.texts[at]); ok {
				k.Dated[date], k.Dates[date] = true, facts.AtSecond(second)
				into.classes[row*into.words] |= plainDate << into.shift
				continue
			}
		}
		s.put(into, row, s.dated(c, trimmed(into.texts[at]), row))
	}
}

// takeNothing takes a column of which nobody asks anything but whether it is null.
func takeNothing(c *sketchColumn, into *column) {
	for at := 0; at < len(into.texts); at += into.width {
		if n := len(into.texts[at]); n >= len("null") && n < 8 {
			noteNull(c, into.texts[at])
		}
	}
}

func noteNull(c *sketchColumn, text string) {
	if gapOf(trimmed(text)) == null {
		c.bound.nulls.Store(true)
	}
}

// takeAsked takes a column of which some questions are asked.
func (s *sketcher) takeAsked(c *sketchColumn, into *column) {
	for row, at := 0, 0; at < len(into.texts); row, at = row+1, at+into.width {
		text := trimmed(into.texts[at])
		if gapOf(text) != noGap {
			s.put(into, row, s.known(c, text, row))
			continue
		}
		s.put(into, row, c.Asked(text, &s.scratch))
	}
}

// classOf is the class of a row's text in a column.
func (s *sketcher) classOf(c *sketchColumn, text string, row int) uint32 {
	if c.own != nil && text == table.Absent {
		return absentOwn // a setting that is not there, whatever its switch says
	}
	if c.as == asStored {
		s.sketch.StoredMarks[row] = 0
	}
	if c.only != nil {
		switch on := c.only.on(s.rows.Row(row)); {
		case on == facts.Unknown && c.own != nil:
			return alike.None // which is said each time
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
			return c.Asked(text, &s.scratch)
		}
	case asStored:
		if gapOf(text) == noGap {
			s.sketch.StoredMarks[row] = stored.Mark(text)
			s.key = stored.Prefixed(text).AppendKey(append(s.key[:0], 'v'))
			return c.Of(s.key)
		}
	}
	return s.known(c, text, row)
}

// handed is the class of a text that is handed over itself.
func (s *sketcher) handed(c *sketchColumn, text string, row int) uint32 {
	taken := &s.sketch.Texts[row*s.texts+c.taken]
	*taken = ""
	switch gap := gapOf(text); {
	case gap != noGap && c.bound.on[gap] != nil:
		return alike.None // what stands for it is filled in
	case gap != noGap:
		return s.known(c, text, row)
	}
	*taken = text
	if len(c.asks) == 0 {
		return plainText
	}
	return c.Asked(text, &s.scratch)
}

// dated reads a date; what stands in the place of one has a class of its own.
func (s *sketcher) dated(c *sketchColumn, text string, row int) uint32 {
	d, date := &c.bound.dates, row*len(s.sketch.DateOf)+c.date
	var at facts.Moment
	if len(d.words) == 0 && d.usual != nil {
		if second, ok := d.usual(text); ok {
			at = facts.AtSecond(second)
		}
	}
	if !at.Known() {
		ok := false
		if gapOf(text) == noGap && !d.word(text) {
			at, ok = d.form.Parse(text, d.zone)
		}
		if s.sketch.Dated[date] = ok; !ok {
			return s.known(c, text, row)
		}
	}
	s.sketch.Dated[date], s.sketch.Dates[date] = true, at
	class := uint32(plainDate)
	switch asOf := s.e.Read.AsOf; {
	case c.ends && !asOf.IsZero():
		class += uint32(at.Past(asOf.Unix()))
	case c.bound.fact == "locked_since" || c.bound.fact == "locked_until":
		return alike.None // whether it holds yet depends on the moment
	}
	return class
}

// try puts a text into an account that is nobody's, and tells its class by what it
// does there.
func (s *sketcher) try(c *sketchColumn, text string, row []string) uint32 {
	key := append(s.key[:0], byte(gapOf(text)))
	if c.own != nil {
		if _, _, problem := s.e.plan.value(&c.own.taker, text); problem != "" {
			return alike.None
		}
		s.key = append(key, text...)
		return c.Of(s.key)
	}
	a := &s.scratch
	a.Reset()
	for _, put := range s.r.fixed {
		put(a)
	}
	s.notes = facts.Notes{}
	c.bound.fill(a, row, &s.notes)
	if s.notes.Refused() > 0 {
		return alike.None
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
	return c.Of(key)
}

// known is the class of a text that was met before, else of one that is tried.
func (s *sketcher) known(c *sketchColumn, text string, row int) uint32 {
	if class, ok := c.Known(text); ok {
		return class
	}
	return s.learn(c, text, row)
}

// learn tries a text that is not known.
func (s *sketcher) learn(c *sketchColumn, text string, row int) uint32 {
	class := alike.None
	if bare := trimmed(text); c.items && gapOf(bare) == noGap {
		class = c.Asked(bare, &s.scratch)
	} else {
		class = s.try(c, bare, s.rows.Row(row))
	}
	c.Learn(text, class)
	return class
}

// Sketch tells the rows of the piece apart.
func (p *accountPart) Sketch(k *facts.Sketching, yield func(*facts.Sketches) error) (bool, error) {
	kept := k.Keep(p.r, func() any {
		return p.r.newSketcher(p.e, k)
	}).(*sketcher)
	if kept == nil {
		return false, nil
	}
	if k.Of = p.r; kept.rows == nil || kept.rows.Width != p.table.Width() {
		kept.rows = table.NewBatch(p.table.Width())
		kept.rows.TakeApart()
		kept.fit(len(k.Texts))
	}
	p.read()
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

func (s *sketcher) sketches(p *accountPart, yield func(*facts.Sketches) error) error {
	for i := range s.filled {
		s.filled[i].at = s.filled[i].index
	}
	moved := false
	for _, c := range s.columns {
		before := c.at
		c.asWritten = false
		if c.bound != nil {
			c.bound.at = c.bound.factColumn.index
			c.at = c.bound.at
		} else {
			c.at = c.own.index
		}
		moved = moved || c.at != before
	}
	if moved {
		s.join()
	}
	defer func() { p.e.taken.Add(int64(p.taken)) }()
	s.sketch.Fill = func(row int) *facts.Account {
		a := &s.account
		a.Reset()
		a.Origin = s.rows.Places[row].In(s.r.origin)
		if !s.r.fill(a, s.filled, s.own(s.rows.Row(row)), p.e, &p.notes) {
			return nil
		}
		return a
	}
	for {
		if s.rows.Fill(p.rows); s.rows.Count == 0 {
			return nil
		}
		p.taken += s.rows.Count
		s.take()
		if err := yield(&s.sketch); err != nil {
			return err
		}
	}
}
