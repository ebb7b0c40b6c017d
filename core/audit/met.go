package audit

import (
	"math"
	"slices"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/hashes"
	"yewcone/core/setting"
)

// met are the accounts that an engine knows how to count without filling them
// in: those of which no column differs from one before, as far as anything asks,
// but in the sign-in name and in dates. Of each sort of them one is kept; what
// depends on the dates is asked again.
type met struct {
	off       bool // such accounts cannot be told here, or hardly any is
	ready     bool
	sketching facts.Sketching
	texts     []func(*facts.Account) *string // where an account has those of the sketch
	dated     *condition.Pattern
	turns     *condition.Turns // of these; nil where they are not known
	cells     map[cellsKey]*cells
	tables    map[any]*sortTable
	table     *sortTable
	sorts     []*sort         // of the rows at hand; nil for none
	hashes    []uint64        // of their classes
	of        *facts.Sketches // that the account is of which is filled in; nil for none
	row       int             // of it
	kept      int             // outcomes that the sorts know
	rows      int             // so many sketches were seen
	quick     int             // of which so many were not filled in
}

// sortTable finds the sort of an account by the classes of its columns.
type sortTable struct {
	slots  []uint64 // the upper half of a hash, and the number of a sort, from 1 on; a power of two of them, at most half taken
	blocks [][]sort // sortsTogether in each
	count  int
}

// A sort is all accounts with the same classes in all columns. What is looked at for
// each account lies together, and sorts lie one behind the other: there are thousands,
// and memory is waited for.
type sort struct {
	room   [5]uint64 // its classes, where they fit
	cells  *cells    // that its dates fall into; nil for none
	policy uint64    // what its policy adds to the hash of a name
	first  [2]known  // those that were known first: most accounts are of these
	known  []known   // the others, by the answers that depend on dates: a power of two of them, at most half taken
	*model
}

// A model is the first account of a sort, and what follows from it for the others.
type model struct {
	account  facts.Account // its dates are those of the account at hand
	dates    []*facts.Moment
	classes  []uint64
	settings *effective.Settings
	verdict  *verdict
	personal bool     // some settings stand on the account, so that a finding tells where
	clauses  []int    // that must be asked of each account of the sort, and may say something; nil until they are needed
	always   []uint32 // what the others reach with each
	taken    int      // of those that are known
}

// known is what comes out for accounts of a sort that answer alike what depends on
// dates, once all that it reaches have their examples.
type known struct {
	answers condition.Packed
	outcome *outcome // nil for none
	n       int      // accounts that were not filled in and are not counted yet
}

// What is kept of sorts is bounded, for systems where every account is of its own.
const (
	mostSorts    = 1 << 12
	mostOutcomes = 1 << 16
	judgedBy     = 1 << 13 // rows after which sketches must have been worth it

	sortsTogether = 64 // that lie one behind the other
)

// prepare tells whether sketches say enough in this run.
func (m *met) prepare(e *engine) {
	m.ready = true
	if !e.alike() {
		m.off = true
		return
	}
	var likeness condition.Likeness
	m.dated = condition.NewDatedPattern()
	for _, c := range e.conditions() {
		likeness.Add(c)
		m.dated.Add(c)
	}
	for _, k := range e.subject.Kinds {
		m.off = m.off || k.If.Dated()
	}
	m.off = m.off || e.subject.Privileged.Dated()
	m.off = m.off || !m.dated.Packs()
	if turns, ok := m.dated.Turns(e.system.AsOf.Unix()); ok {
		m.turns, m.cells = &turns, map[cellsKey]*cells{}
	}
	asked := &condition.Subject{System: e.system}
	asked.Derived.AsOf, asked.Derived.AsOfKnown = e.system.AsOf.Unix(), !e.system.AsOf.IsZero()
	m.sketching.Asks = func(fact string) ([]func(*facts.Account) facts.Tri, bool) {
		asks, whole := likeness.Of(fact)
		if whole || e.resolver.Asks(fact) {
			return nil, true
		}
		var list []func(*facts.Account) facts.Tri
		for _, ask := range asks {
			list = append(list, func(a *facts.Account) facts.Tri {
				asked.Account = a
				return ask(asked)
			})
		}
		return list, false
	}
	m.sketching.Questions = likeness.Questions
	if e.options.register != nil {
		m.sketching.Texts, m.texts = e.options.register.Texts(e.subject.Unmatched)
	}
	m.tables = map[any]*sortTable{}
}

// sketches reads a part by its sketches; false where it must be read account by
// account.
func (e *engine) sketches(part facts.Part, place *int64, account func(*facts.Account) error) (bool, error) {
	m := &e.met
	s, ok := part.(facts.Sketcher)
	if !m.ready {
		m.prepare(e)
	}
	if !ok || m.off {
		return false, nil
	}
	m.table = nil
	return s.Sketch(&m.sketching, func(s *facts.Sketches) error {
		m.sort(s)
		for row := range s.Count {
			if m.rows++; m.rows == judgedBy && m.quick < judgedBy/2 {
				m.off = true // from the next part on
			}
			e.place = *place + 1
			if s.Whole[row] && m.count(e, s, row) {
				*place++
				continue
			}
			a := s.Fill(row)
			if a == nil {
				continue
			}
			if s.Whole[row] {
				m.of, m.row = s, row
			}
			err := account(a)
			if m.of = nil; err != nil {
				return err
			}
		}
		return nil
	})
}

// open finds the table of the part at hand.
func (m *met) open() {
	if m.table != nil {
		return
	}
	if m.table = m.tables[m.sketching.Of]; m.table == nil {
		m.table = &sortTable{slots: make([]uint64, 64)}
		m.tables[m.sketching.Of] = m.table
	}
}

// sort finds the sorts of rows, all together: each waits for memory of its own.
func (m *met) sort(s *facts.Sketches) {
	m.open()
	m.hashes, m.sorts = m.hashes[:0], m.sorts[:0]
	for row := range s.Count {
		hash := hashOf(s.ClassesOf(row))
		m.hashes = append(m.hashes, hash)
		m.sorts = append(m.sorts, m.table.find(hash, s.ClassesOf(row)))
	}
}

// count takes in an account by its sketch; false where it must be filled in.
func (m *met) count(e *engine, s *facts.Sketches, row int) bool {
	t := m.sorts[row]
	if t == nil {
		m.open()
		if t = m.table.find(m.hashes[row], s.ClassesOf(row)); t == nil { // nor was one before it of its sort
			return false
		}
	}
	dates := s.Dates[row*len(s.DateOf):]
	k := m.outcome(e, t, dates)
	if k == nil {
		return false
	}
	k.n++
	if s.DNs != nil {
		e.addName(hashes.Text(hashes.Name, s.DNs[row]))
	} else {
		e.addName(hashes.Text(hashes.Name, s.Logins[row]) ^ t.policy)
	}
	if s.StoredMarks != nil && s.StoredMarks[row] != 0 && t.account.Enabled != facts.No {
		if k.outcome.sighted == 0 {
			t.date(e, dates)
		}
		e.addStored(&t.account, k.outcome, s.StoredMarks[row])
	}
	if e.options.register != nil && hasPerson(&t.account) {
		t.date(e, dates)
		e.enterSketched(&t.account, s, row, k.outcome)
	}
	if e.noting != nil && t.account.Kind == "" {
		e.noting.note(s.Logins[row], e.place)
	}
	m.quick++
	return true
}

// outcome finds that of an account of a sort with its dates; nil where the account
// must be filled in.
func (m *met) outcome(e *engine, t *sort, dates []facts.Moment) *known {
	var answers condition.Packed
	inCell := false
	if t.cells != nil {
		if answers, inCell = t.cells.of(dates); inCell {
			if k := t.knows(answers); k != nil {
				return k
			}
		}
	}
	t.date(e, dates)
	if !inCell {
		answers = m.dated.Pack(&e.about)
		if k := t.knows(answers); k != nil {
			return k
		}
	}
	if m.kept >= mostOutcomes || len(e.outcomes) >= outcomesKept {
		return nil
	}
	v := t.verdict
	e.counted = v
	if t.account.WithoutPassword() {
		v = e.empty
	}
	o := e.knownOutcome(&t.account, v) // that of others like it
	if o == nil {
		if t.personal {
			return nil
		}
		o = m.work(e, t, v)
	}
	if !o.full && e.share == nil {
		o.full = e.named(o)
	}
	if !o.full {
		return nil
	}
	return m.know(t, answers, o)
}

// date gives the account of the sort other dates, and works out what follows from them.
func (t *sort) date(e *engine, dates []facts.Moment) {
	for i, field := range t.dates {
		if field != nil {
			*field = dates[i]
		}
	}
	e.about.Account = &t.account
	effective.DatesOf(&e.about.Derived, &t.account, t.settings, e.system, e.rulesOf())
}

// work makes the outcome of a sort with its dates: what depends on no date is asked once.
func (m *met) work(e *engine, t *sort, v *verdict) *outcome {
	if t.clauses == nil {
		e.settle(t.model, v)
	}
	for _, i := range e.clauses {
		e.reach[i] = facts.No
	}
	return e.newOutcome(&t.account, v, t.clauses, t.always)
}

// settle tells what some clauses reach with every account of a sort from clauses that must
// be asked of each.
func (e *engine) settle(t *model, v *verdict) {
	t.clauses = make([]int, 0, len(e.clauses))
	e.fresh.begin(&t.account)
	for _, i := range e.clauses {
		r := &e.rules[i]
		if e.reach[i] = r.clause.For.Test(&e.about); !r.moves {
			e.clause(i, v, &t.account)
		} else if e.reach[i] != facts.No || r.clause.For.Dated() {
			t.clauses = append(t.clauses, i)
		}
	}
	t.always = slices.Clone(e.fresh.reaches)
}

// know keeps an outcome with a sort.
func (m *met) know(t *sort, answers condition.Packed, o *outcome) *known {
	m.kept++
	for i := range t.first {
		if k := &t.first[i]; k.outcome == nil {
			*k = known{answers: answers, outcome: o}
			return k
		}
	}
	if 2*t.taken >= len(t.known) {
		before := t.known
		t.known = make([]known, max(4, 2*len(before)))
		for _, k := range before {
			if k.outcome != nil {
				*t.find(k.answers) = k
			}
		}
	}
	at := t.find(answers)
	*at = known{answers: answers, outcome: o}
	t.taken++
	return at
}

// knows is what comes out for some answers; nil where it is not known.
func (t *sort) knows(answers condition.Packed) *known {
	for i := range t.first {
		if k := &t.first[i]; k.answers == answers && k.outcome != nil {
			return k
		}
	}
	if len(t.known) > 0 {
		if k := t.find(answers); k.outcome != nil {
			return k
		}
	}
	return nil
}

// find returns where the outcome for some answers is, or would be.
func (t *sort) find(answers condition.Packed) *known {
	for i := mixed(mixed(0, answers[0]), answers[1]); ; i++ {
		if k := &t.known[i&uint64(len(t.known)-1)]; k.outcome == nil || k.answers == answers {
			return k
		}
	}
}

// hashOf mixes classes.
func hashOf(classes []uint64) uint64 {
	h := uint64(len(classes))
	for _, c := range classes {
		h = mixed(h, c)
	}
	return h
}

func mixed(h, c uint64) uint64 {
	h = (h ^ c) * 0x9e3779b97f4a7c15
	return h ^ h>>29
}

// find returns the sort with the classes; nil where there is none yet.
func (t *sortTable) find(hash uint64, classes []uint64) *sort {
	for i := hash >> 32; ; i++ {
		slot := t.slots[i&uint64(len(t.slots)-1)]
		if slot == 0 {
			return nil
		}
		if (slot^hash)>>32 == 0 {
			if s := t.at(int(uint32(slot)) - 1); s.has(classes) {
				return s
			}
		}
	}
}

// at is a sort by its number.
func (t *sortTable) at(n int) *sort { return &t.blocks[n/sortsTogether][n%sortsTogether] }

// has reports whether a sort has the classes.
func (s *sort) has(classes []uint64) bool {
	if len(classes) > len(s.room) {
		return slices.Equal(s.classes, classes)
	}
	for i, c := range classes {
		if s.room[i] != c {
			return false
		}
	}
	return true
}

// add puts in a sort with classes that are not there.
func (t *sortTable) add(hash uint64, classes []uint64, of *model) *sort {
	if t.count%sortsTogether == 0 {
		t.blocks = append(t.blocks, make([]sort, sortsTogether))
	}
	s := t.at(t.count)
	s.model = of
	if copy(s.room[:], classes); len(classes) > len(s.room) {
		s.classes = slices.Clone(classes)
	}
	if t.count++; 2*t.count > len(t.slots) {
		before := t.slots
		t.slots = make([]uint64, 2*len(before))
		for _, slot := range before {
			if slot != 0 {
				t.put(slot)
			}
		}
	}
	t.put(hash&^math.MaxUint32 | uint64(t.count))
	return s
}

func (t *sortTable) put(slot uint64) {
	i := slot >> 32
	for t.slots[i&uint64(len(t.slots)-1)] != 0 {
		i++
	}
	t.slots[i&uint64(len(t.slots)-1)] = slot
}

// remember keeps the sort of an account that was filled in, for those that are like
// it.
func (m *met) remember(e *engine, a *facts.Account, settings *effective.Settings, v *verdict, o *outcome) {
	if m.of == nil || !o.kept || m.table.count >= mostSorts {
		return
	}
	hash, classes := m.hashes[m.row], m.of.ClassesOf(m.row)
	if m.table.find(hash, classes) != nil {
		return
	}
	t := m.table.add(hash, classes, &model{settings: settings, verdict: v})
	t.policy = within(a.Policy)
	for id := range setting.Len {
		from := settings.Get(id).From
		t.personal = t.personal || from != nil && from.Level == effective.OnAccount
	}
	t.account.CopyFrom(a)
	t.account.Keep()
	t.dates = make([]*facts.Moment, len(m.of.DateOf))
	for i, of := range m.of.DateOf {
		if m.of.Dated[m.row*len(t.dates)+i] {
			t.dates[i] = of(&t.account)
		}
	}
	t.cells = m.cellsOf(e, t)
}

// forget lets go of all sorts, once they are summed up.
func (m *met) forget() {
	m.tables, m.table, m.of, m.kept = map[any]*sortTable{}, nil, nil, 0
	clear(m.cells)
	clear(m.sorts)
}

// sumUp counts the accounts that were not filled in.
func (m *met) sumUp(e *engine) {
	for _, table := range m.tables {
		for i := range table.count {
			t := table.at(i)
			if n := sumUp(t.first[:]) + sumUp(t.known); n > 0 {
				e.count(&t.account, t.verdict, n)
			}
		}
	}
}

// sumUp adds accounts to their outcomes, and tells how many there are.
func sumUp(list []known) (n int) {
	for i := range list {
		if k := &list[i]; k.n > 0 {
			k.outcome.accounts += k.n
			n += k.n
			k.n = 0
		}
	}
	return n
}
