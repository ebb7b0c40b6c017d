package audit

import (
	"math"
	"math/bits"
	"slices"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/setting"
)

// cells divide the dates of accounts with the same settings: accounts of one sort with
// their dates in one cell answer alike whatever depends on dates. To find the cell is
// much quicker than to ask.
type cells struct {
	columns []cellColumn
	pairs   []cellPair
	end     cellEnd
}

// cellColumn divides one date.
type cellColumn struct {
	date  int // its number in the sketch
	width int // in bits, of how many turns there are
	turns [][4]int64
}

// cellPair is two dates that are compared with each other, by their numbers.
type cellPair struct{ a, b int }

// cellEnd compares the last sign-in with the end of the password.
type cellEnd struct {
	asked     bool
	used, set int // the sign-in and what the end follows from, by their numbers
	seconds   int64
	calendar  setting.Span // with months, in the place of the seconds
}

// cellMark tells the number of a cell from packed answers, which leave its bit out.
const cellMark = 1 << 63

// of returns the number of the cell that dates lie in; false where one is a whole day,
// of which questions are asked otherwise than of an instant.
func (c *cells) of(dates []facts.Moment) (condition.Packed, bool) {
	cell := uint64(0)
	for i := range c.columns {
		column := &c.columns[i]
		at, ok := dates[column.date].Instant()
		if !ok {
			return condition.Packed{}, false
		}
		n := uint64(0)
		for k := range column.turns { // without a branch that depends on the date
			turn := &column.turns[k]
			n += since(at, turn[0]) + since(at, turn[1]) + since(at, turn[2]) + since(at, turn[3])
		}
		cell = cell<<(column.width&63) | n
	}
	for _, p := range c.pairs {
		a, _ := dates[p.a].Instant()
		b, _ := dates[p.b].Instant()
		cell = cell<<2 | since(a, b)<<1 | since(b, a)
	}
	if c.end.asked {
		used, _ := dates[c.end.used].Instant()
		cell = cell<<1 | since(used, c.end.of(dates[c.end.set])+1)
	}
	return condition.Packed{cell, cellMark}, true
}

// since is 1 from a second on, and 0 before it.
func since(at, second int64) uint64 {
	if at >= second {
		return 1
	}
	return 0
}

// of is the end that follows from a date, in seconds since 1970.
func (e *cellEnd) of(set facts.Moment) int64 {
	if e.calendar.Months > 0 {
		set = set.Plus(e.calendar)
	}
	end, _ := set.Instant()
	return end + e.seconds
}

// cellsKey is all that the cells of an account depend on.
type cellsKey struct {
	settings     *effective.Settings
	dated        uint64       // a bit for each date of the sketch that the account has
	runOut, shut bool         // what was due is over, and no grace is left
	expires, set facts.Moment // where they are not among those dates
}

// cellsOf returns the cells of accounts of a sort; nil where there are none.
func (m *met) cellsOf(e *engine, t *sort) *cells {
	if m.turns == nil {
		return nil
	}
	key := cellsKey{settings: t.settings, runOut: t.account.RunOut, shut: t.account.ShutAtEnd, expires: t.account.PasswordExpires, set: t.account.PasswordSet}
	dated := map[string]int{}
	for i, name := range m.of.DateNames {
		if t.dates[i] == nil {
			continue
		}
		if _, twice := dated[name]; twice {
			return nil
		}
		dated[name] = i
		key.dated |= 1 << i
	}
	if _, is := dated["password_expires"]; is {
		key.expires = facts.Moment{}
	}
	if _, is := dated["password_set"]; is {
		key.set = facts.Moment{}
	}
	c, known := m.cells[key]
	if !known {
		c = newCells(m.turns, e, t, dated)
		m.cells[key] = c
	}
	return c
}

// newCells divides the dates, given by their numbers, by what is asked of them and by
// what follows from the settings; nil where they fall into too many cells.
func newCells(asked *condition.Turns, e *engine, t *sort, dated map[string]int) *cells {
	turns := map[string][]int64{}
	for name, list := range asked.At {
		turns[name] = slices.Clone(list)
	}
	turns["password_set"] = append(turns["password_set"], e.rulesSince)
	for _, step := range e.since {
		turns["password_set"] = append(turns["password_set"], step.from)
	}
	if p := t.settings.Policy; p != nil {
		if changed, ok := p.Changed.Unix(); ok {
			turns["password_set"] = append(turns["password_set"], changed)
			turns["last_sign_in"] = append(turns["last_sign_in"], changed)
		}
	}
	c := &cells{}
	c.divideByEnd(asked, e, t, dated, turns)
	room := 64 - 2*len(asked.Pairs) - 1
	for name, date := range dated {
		list := turns[name]
		slices.Sort(list)
		list = slices.Compact(list)
		column := cellColumn{date: date, width: bits.Len(uint(len(list)))}
		for len(list)%4 > 0 {
			list = append(list, math.MaxInt64) // no date comes so late
		}
		for four := range slices.Chunk(list, 4) {
			column.turns = append(column.turns, [4]int64(four))
		}
		c.columns = append(c.columns, column)
		room -= column.width
	}
	if room < 0 {
		return nil
	}
	slices.SortFunc(c.columns, func(a, b cellColumn) int { return a.date - b.date })
	for _, p := range asked.Pairs {
		a, isA := dated[p[0]]
		b, isB := dated[p[1]]
		if isA && isB {
			c.pairs = append(c.pairs, cellPair{a, b})
		}
	}
	return c
}

// divideByEnd divides the date that the end of the password follows from, and compares
// the end with the last sign-in, where that is asked.
func (c *cells) divideByEnd(asked *condition.Turns, e *engine, t *sort, dated map[string]int, turns map[string][]int64) {
	var a facts.Account
	a.CopyFrom(&t.account)
	var d facts.Derived
	used, signed := dated["last_sign_in"]
	name, from := "password_expires", &a.PasswordExpires
	if _, own := dated[name]; !own {
		name, from = "password_set", &a.PasswordSet
	}
	set, moves := dated[name]
	ends := func(at int64) (end, shut facts.Moment) {
		if moves {
			*from = facts.AtSecond(at)
		}
		effective.DatesOf(&d, &a, t.settings, e.system, 0)
		return d.Expires, d.ShutAt
	}
	first, _ := ends(0)
	second, dates := first.Unix()
	if !dates {
		return // it ends never, or nobody knows when, whatever the date
	}
	if later, _ := ends(1 << 40); later == first { // one that is given, and follows from no date
		if signed {
			turns["last_sign_in"] = append(turns["last_sign_in"], second+1, second+86400)
		}
		return
	}
	asOf := e.system.AsOf.Unix()
	for _, end := range append(slices.Clone(asked.Ends), asOf, asOf+1) {
		turns[name] = append(turns[name], firstSecond(func(at int64) bool {
			m, _ := ends(at)
			unix, _ := m.Unix()
			return unix >= end
		}))
	}
	if _, shut := ends(0); shut.Dated() == facts.Yes {
		for _, end := range []int64{asOf, asOf + 1} {
			turns[name] = append(turns[name], firstSecond(func(at int64) bool {
				_, m := ends(at)
				unix, _ := m.Unix()
				return unix >= end
			}))
		}
	}
	if !asked.UsedAfterEnd || !signed {
		return
	}
	c.end = cellEnd{asked: true, used: used, set: set, seconds: second}
	if span, _ := t.settings.Get(setting.MaxAge).Value.Span(); name == "password_set" && span.Months > 0 {
		c.end.seconds, c.end.calendar = 0, span
	}
}

// firstSecond returns the first of a million years before and after 1970 from which on
// something is reached.
func firstSecond(reached func(int64) bool) int64 {
	from, to := int64(-1<<45), int64(1<<45)
	for from < to {
		if middle := from + (to-from)/2; reached(middle) {
			to = middle
		} else {
			from = middle + 1
		}
	}
	return from
}
