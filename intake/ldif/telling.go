package ldif

import (
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/alike"
	"yewcone/intake/stored"
)

// A Telling says by what a format tells accounts apart before it makes them: most come
// out as one before, and need not be made.
type Telling struct {
	// Columns are the attributes that accounts are made of. An entry with another one
	// that is wanted is filled in.
	Columns []Column
	// Name tells apart what follows from an entry's distinguished name, in normal form,
	// beside its groups and its unit; alike.None where the account must be made.
	Name   func(dn string) uint32
	Groups *Groups
}

// A Column is an attribute of which accounts are made, named in small letters. Of columns
// of the same fact the first counts that the entry has.
type Column struct {
	Attribute string
	As        As
	Fact      string                                // of a mapping, that it fills
	Text      func(*facts.Account) *string          // where the account has a text
	Date      func(*facts.Account) *facts.Moment    // or a date
	Key       func(key []byte, value string) []byte // what tells stored passwords apart; alike where stored.Scheme is
	Plain     func(value string) bool               // of AsItself: other values are filled in; nil for none such
}

// As is how the values of a column are told apart.
type As uint8

const (
	AsOdd    As = iota // not at all: an entry that has one is filled in
	AsLogin            // the sign-in name; an entry without one is filled in
	AsText             // by what is asked of them
	AsItself           // by the text: there are few
	AsDate             // not at all, where they are dates
	AsStored           // stored passwords, by their key
)

// dated is the class of a date.
const dated = 3

// batch is how many entries are told apart together.
const batch = 64

// Classes before those of columns.
const (
	ofName = iota
	ofUnit
	ofGroups
	ofClasses
	ofColumns
)

// sketcher tells entries apart.
type sketcher struct {
	telling   *Telling
	shape     Shape
	names     []string // of the attributes, by their places in a row; the entry's name first
	passed    []string // attributes that accounts may have and nobody asks for
	columns   []*toldColumn
	present   []int // of these, those that an entry of the shape may have
	login     *toldColumn
	unit      alike.Classes
	unitWhole bool // the unit itself matters
	units     map[string]uint32
	groups    alike.Classes
	grouped   bool // somebody asks for groups
	classes   alike.Classes
	class     uint32   // of the object classes of the shape
	texts     []string // of the entries at hand, one behind the other: each has as many as there are names
	places    [batch]place
	odd       [batch]bool // something in it has several values
	name      Entry       // at hand
	again     *Entries
	scratch   facts.Account
	key       []byte
	sketch    facts.Sketches
}

// place is where an entry begins in its piece, and the line before it.
type place struct{ pos, line int }

// toldColumn is one or several columns of the same fact.
type toldColumn struct {
	Column
	at   []int // their places in a row
	date int   // its number among the dates
	alike.Classes
}

// newSketcher returns nil where accounts cannot be told apart as far as the run asks.
func newSketcher(t *Telling, k *facts.Sketching) *sketcher {
	s := &sketcher{telling: t, names: []string{"dn"}, units: map[string]uint32{}, shape: Shape{Filled: true}}
	if len(k.Texts) > 0 {
		return nil
	}
	m := &s.sketch
	for i := range t.Columns {
		c := &t.Columns[i]
		if asks, whole := k.Asks(c.Fact); c.As == AsText && !whole && len(asks) == 0 {
			s.passed = append(s.passed, c.Attribute)
			continue
		}
		at := len(s.names)
		s.names = append(s.names, c.Attribute)
		if same := slices.IndexFunc(s.columns, func(o *toldColumn) bool { return c.Fact != "" && o.Fact == c.Fact }); same >= 0 {
			s.columns[same].at = append(s.columns[same].at, at)
			continue
		}
		told := &toldColumn{Column: *c, at: []int{at}}
		if told.date = len(m.DateOf); c.As == AsDate {
			m.DateOf, m.DateNames = append(m.DateOf, c.Date), append(m.DateNames, c.Fact)
		}
		if c.As == AsLogin {
			s.login = told
		}
		s.columns = append(s.columns, told)
	}
	for _, c := range s.columns {
		if (c.As == AsLogin || c.As == AsText) && !s.ask(&c.Classes, c.Fact, c.Text(&s.scratch), k) {
			return nil
		}
	}
	s.unitWhole = !s.ask(&s.unit, "unit", &s.scratch.Unit, k)
	asks, whole := k.Asks("groups")
	s.grouped = whole || len(asks) > 0
	n := batch
	m.Words = (ofColumns + len(s.columns) + 3) / 4
	m.Whole, m.Logins, m.DNs, m.Classes = make([]bool, n), make([]string, n), make([]string, n), make([]uint64, n*m.Words)
	m.Dates, m.Dated = make([]facts.Moment, n*len(m.DateOf)), make([]bool, n*len(m.DateOf))
	m.StoredMarks = make([]uint64, n)
	s.texts = make([]string, n*len(s.names))
	return s
}

// ask notes what is asked of a text; false where it cannot be told apart by the answers.
func (s *sketcher) ask(c *alike.Classes, fact string, field *string, k *facts.Sketching) bool {
	asks, whole := k.Asks(fact)
	if whole || len(asks) > alike.MostAsked {
		return false
	}
	c.Ask(asks, alike.Questions(k, fact), field)
	return true
}

// columnOf is of Entries.Learn.
func (s *sketcher) columnOf(name string) (int, bool) {
	return slices.Index(s.names, name), true
}

// learn has the shape take in an entry, unless it has attributes that no account has.
func (s *sketcher) learn(r *Entries, x *Entry) {
	for i := range x.Attrs {
		if name := x.Attrs[i].Name; name != "objectclass" && !slices.Contains(s.names, name) && !slices.Contains(s.passed, name) {
			return
		}
	}
	r.Learn(&s.shape, s.columnOf)
	s.key = s.shape.appendClasses(s.key[:0])
	s.class = s.classes.Of(s.key)
	s.present = s.present[:0]
	for i, c := range s.columns {
		if slices.ContainsFunc(s.shape.lines, func(l shapeLine) bool { return slices.Contains(c.at, l.column) }) {
			s.present = append(s.present, i)
		}
	}
	clear(s.sketch.Dated)
	clear(s.sketch.StoredMarks)
}

// Sketch is of facts.Sketcher.
func (p *accounts) Sketch(k *facts.Sketching, yield func(*facts.Sketches) error) (bool, error) {
	if p.telling == nil {
		return false, nil
	}
	s := k.Keep(p.telling, func() any { return newSketcher(p.telling, k) }).(*sketcher)
	if s == nil {
		return false, nil
	}
	k.Of = p.telling
	return true, s.sketches(p, yield)
}

func (s *sketcher) sketches(p *accounts, yield func(*facts.Sketches) error) error {
	var a facts.Account
	account := func(x *Entry) *facts.Account {
		if p.take(&a, x) {
			return &a
		}
		return nil
	}
	return p.entries.read(func(r *Entries) error {
		if s.again == nil {
			s.again = p.entries.files.again()
		}
		s.again.Begin(p.entries.piece)
		for {
			if s.fill(r); s.sketch.Count > 0 {
				s.take()
				s.sketch.Fill = func(row int) *facts.Account {
					x, err := s.again.at(s.places[row])
					if err != nil {
						return nil // it was read before
					}
					return account(x)
				}
				if err := yield(&s.sketch); err != nil {
					return err
				}
			}
			if s.sketch.Count == batch {
				continue
			}
			x, err := p.entries.next(r, &p.notes)
			if err != nil {
				return err
			}
			s.learn(r, x)
			s.sketch.Count, s.sketch.Whole[0] = 1, false
			s.sketch.Fill = func(int) *facts.Account { return account(x) }
			if err := yield(&s.sketch); err != nil {
				return err
			}
		}
	})
}

// fill reads entries as long as they are of the shape.
func (s *sketcher) fill(r *Entries) {
	s.shape.Release()
	n := 0
	for ; n < batch; n++ {
		s.places[n] = place{r.pos, r.Line}
		row := s.texts[n*len(s.names) : (n+1)*len(s.names)]
		if r.Again(&s.shape, row) == 0 {
			break
		}
		s.odd[n] = s.shape.several(row)
	}
	s.sketch.Count = n
}

// take makes the sketches of the entries at hand.
func (s *sketcher) take() {
	m := &s.sketch
	clear(m.Classes[:m.Count*m.Words])
	for row := range m.Count {
		dn, login := s.texts[row*len(s.names)], s.texts[row*len(s.names)+s.login.at[0]]
		m.DNs[row], m.Logins[row] = dn, login
		m.Whole[row] = !s.odd[row] && login != "" && max(len(dn), len(login)) <= facts.LongestName
		s.name.DN, s.name.normal = dn, s.name.normal[:0]
		normal := s.name.NormalDN()
		if s.name.odd&escapes != 0 {
			m.Whole[row] = false
			continue
		}
		s.put(row, ofName, s.telling.Name(normal))
		s.put(row, ofUnit, s.unitOf(dn))
		s.put(row, ofGroups, s.groupsOf(normal, login))
		s.put(row, ofClasses, s.class)
	}
	for _, i := range s.present {
		s.takeColumn(ofColumns+i, s.columns[i])
	}
}

// takeColumn puts what the entries have in a column into classes.
func (s *sketcher) takeColumn(column int, c *toldColumn) {
	m, width := &s.sketch, len(s.names)
	marked := c.As == AsStored
	for row, at := 0, c.at[0]; row < m.Count; row, at = row+1, at+width {
		value := s.texts[at]
		for _, other := range c.at[1:] { // the first that is there
			if value == "" {
				value = s.texts[row*width+other]
			}
		}
		switch {
		case marked:
			m.StoredMarks[row] = stored.Mark(value)
		case c.As == AsDate:
			m.Dated[row*len(m.DateOf)+c.date] = value != ""
		}
		if value != "" {
			s.put(row, column, s.classOf(c, row, value))
		}
	}
}

func (s *sketcher) put(row, column int, class uint32) {
	if class == alike.None {
		s.sketch.Whole[row] = false
		return
	}
	s.sketch.Classes[row*s.sketch.Words+column/4] |= uint64(class) << (column % 4 * 16)
}

// unitOf is the class of the unit that a name is in.
func (s *sketcher) unitOf(dn string) uint32 {
	_, above, _ := strings.Cut(dn, ",")
	class, known := s.unit.Known(above)
	if known {
		return class
	}
	if class, known = s.units[above]; known {
		s.unit.Learn(above, class)
		return class
	}
	switch unit := plainUnit(dn); {
	case s.unitWhole:
		s.key = append(s.key[:0], unit...)
		class = s.unit.Of(s.key)
	case unit != "":
		class = s.unit.Asked(unit, &s.scratch)
	}
	if len(s.units) < mostUnits {
		s.units[strings.Clone(above)] = class
	}
	s.unit.Learn(above, class)
	return class
}

// groupsOf is the class of the groups that a member is in itself, from which all others
// follow.
func (s *sketcher) groupsOf(dn, login string) uint32 {
	if !s.grouped {
		return 0
	}
	if s.key = s.telling.Groups.appendDirect(s.key[:0], dn, login); len(s.key) == 0 {
		return 0
	}
	return s.groups.Of(s.key)
}

// classOf is the class of what an entry has in a column; 0 is that of nothing.
func (s *sketcher) classOf(c *toldColumn, row int, value string) uint32 {
	switch c.As {
	case AsLogin, AsText:
		return c.Asked(value, &s.scratch)
	case AsItself:
		class, known := c.Known(value)
		if !known {
			class = alike.None
			if c.Plain == nil || c.Plain(value) {
				class = c.Of(append(s.key[:0], value...))
			}
			c.Learn(value, class)
		}
		return class
	case AsDate:
		at := &s.sketch.Dates[row*len(s.sketch.DateOf)+c.date]
		if *at = Moment(value); at.Known() {
			return dated
		}
	case AsStored:
		scheme := stored.Scheme(value)
		class, known := c.Known(scheme)
		if scheme == "" || !known {
			s.key = c.Key(s.key[:0], value)
			class = c.Of(s.key)
			c.Learn(scheme, class)
		}
		return class
	}
	return alike.None
}

// at reads the entry that begins at a place of its piece.
func (r *Entries) at(p place) (*Entry, error) {
	r.pos, r.Line = p.pos, p.line
	return r.Next()
}
