package audit

import (
	"slices"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/hashes"
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
	tables    map[any]*sortTable
	table     *sortTable
	at        *facts.Sketch // of the account that is filled in; nil for none
	hash      uint64        // of that sketch
	kept      int           // outcomes that the sorts know
	rows      int           // so many sketches were seen
	quick     int           // of which so many were not filled in
}

// sortTable finds the sort of an account by the classes of its columns.
type sortTable struct {
	slots []slot // a power of two of them, at most a quarter taken
	list  []*sort
}

type slot struct {
	hash uint64
	sort *sort
}

// A sort is all accounts with the same classes in all columns.
type sort struct {
	classes  []uint64
	account  facts.Account // the first of them; its dates are those of the account at hand
	dates    []*facts.Moment
	settings *effective.Settings
	policy   uint64 // what its policy adds to the hash of a name
	verdict  *verdict
	n        int                           // accounts that were not filled in and are not counted yet
	outcomes map[condition.Packed]*outcome // by the answers that depend on dates
}

// What is kept of sorts is bounded, for systems where every account is of its own.
const (
	mostSorts    = 1 << 12
	mostOutcomes = 1 << 16
	judgedBy     = 1 << 13 // rows after which sketches must have been worth it
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
	return s.Sketch(&m.sketching, func(s *facts.Sketch) error {
		if m.rows++; m.rows == judgedBy && m.quick < judgedBy/2 {
			m.off = true // from the next part on
		}
		e.place = *place + 1
		if s.Whole && m.count(e, s) {
			*place++
			return nil
		}
		a := s.Fill()
		if a == nil {
			return nil
		}
		if s.Whole {
			m.at = s
		}
		err := account(a)
		m.at = nil
		return err
	})
}

// count takes in an account by its sketch; false where it must be filled in.
func (m *met) count(e *engine, s *facts.Sketch) bool {
	if m.table == nil {
		if m.table = m.tables[m.sketching.Of]; m.table == nil {
			m.table = &sortTable{slots: make([]slot, 64)}
			m.tables[m.sketching.Of] = m.table
		}
	}
	m.hash = hashOf(s.Classes)
	t := m.table.find(m.hash, s.Classes)
	if t == nil {
		return false
	}
	o := m.outcome(e, t, s)
	if o == nil || !o.full {
		return false
	}
	t.n++
	o.accounts++
	e.addName(hashes.Text(hashes.Name, s.Login) ^ t.policy)
	if s.StoredMark != 0 && t.account.Enabled != facts.No {
		e.addStored(&t.account, o, s.StoredMark)
	}
	if e.options.register != nil && hasPerson(&t.account) {
		e.enterSketched(&t.account, s, o)
	}
	m.quick++
	return true
}

// outcome finds that of an account of a sort with its dates; nil where it is not
// known.
func (m *met) outcome(e *engine, t *sort, s *facts.Sketch) *outcome {
	for i, field := range t.dates {
		if field != nil {
			*field = s.Dates[i]
		}
	}
	e.about.Account = &t.account
	effective.DatesOf(&e.about.Derived, &t.account, t.settings, e.system, e.rulesOf())
	return t.outcomes[m.dated.Pack(&e.about)]
}

// hashOf mixes classes.
func hashOf(classes []uint64) uint64 {
	h := uint64(len(classes))
	for _, c := range classes {
		h = (h ^ c) * 0x9e3779b97f4a7c15
		h ^= h >> 29
	}
	return h
}

// find returns the sort with the classes; nil where there is none yet.
func (t *sortTable) find(hash uint64, classes []uint64) *sort {
	for i := hash; ; i++ {
		slot := &t.slots[i&uint64(len(t.slots)-1)]
		if slot.sort == nil || slot.hash == hash && slices.Equal(slot.sort.classes, classes) {
			return slot.sort
		}
	}
}

// add puts in a sort that is not there.
func (t *sortTable) add(hash uint64, s *sort) {
	if t.list = append(t.list, s); 4*len(t.list) > len(t.slots) {
		before := t.slots
		t.slots = make([]slot, 4*len(before))
		for _, s := range before {
			if s.sort != nil {
				t.put(s)
			}
		}
	}
	t.put(slot{hash, s})
}

func (t *sortTable) put(s slot) {
	i := s.hash
	for t.slots[i&uint64(len(t.slots)-1)].sort != nil {
		i++
	}
	t.slots[i&uint64(len(t.slots)-1)] = s
}

// remember keeps what came out for an account that was filled in, for those that
// are like it.
func (m *met) remember(e *engine, a *facts.Account, settings *effective.Settings, o *outcome) {
	if m.at == nil || !o.kept || m.kept >= mostOutcomes {
		return
	}
	t := m.table.find(m.hash, m.at.Classes)
	if t == nil {
		if len(m.table.list) >= mostSorts {
			return
		}
		t = &sort{classes: slices.Clone(m.at.Classes), settings: settings, verdict: e.verdicts[settings], policy: within(a.Policy),
			outcomes: map[condition.Packed]*outcome{}}
		t.account.CopyFrom(a)
		t.account.Keep()
		t.dates = make([]*facts.Moment, len(m.at.Dates))
		for i, of := range m.at.DateOf {
			if m.at.Dated[i] {
				t.dates[i] = of(&t.account)
			}
		}
		m.table.add(m.hash, t)
	}
	if key := m.dated.Pack(&e.about); t.outcomes[key] == nil {
		t.outcomes[key] = o
		m.kept++
	}
}

// forget lets go of all sorts, once they are summed up.
func (m *met) forget() { m.tables, m.table, m.at, m.kept = map[any]*sortTable{}, nil, nil, 0 }

// sumUp counts the accounts that were not filled in.
func (m *met) sumUp(e *engine) {
	for _, table := range m.tables {
		for _, t := range table.list {
			if t.n > 0 {
				e.count(&t.account, t.verdict, t.n)
				t.n = 0
			}
		}
	}
}
