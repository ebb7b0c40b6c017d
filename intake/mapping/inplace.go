package mapping

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/inplace"
	"yewcone/intake/table"
)

// SQL is a database that is asked by queries together with a mapping.
var SQL = intake.Format{
	Name: "sql",
	Doc:  "tables of a database, judged where they lie, by files with a query each and a mapping",
	Open: open,
	How: `Nothing is exported: the accounts are counted by the database that holds them. A file ending in .sql names a table, or
holds one SELECT; the mapping reads its rows as it reads those of a CSV.

estate.yaml:
  export: {read: sql, from: queries/customers.sql, mapping: mappings/customers.yaml}
  source: {ask: postgresql, address: "postgres://db.marrowby.example/customers?sslmode=verify-full", user: reader, secret: env CUSTOMERS}
docs/live.md says what is asked, and which rights that needs.
`,
	ToKnow: toKnow,
}

// longestQuery bounds what a file with a query may hold.
const longestQuery = 1 << 18

// openQuery opens what the query in a file brings.
func (e *export) openQuery(name string) (table.Table, error) {
	f, err := e.request.Open(name, e.plan.encoding)
	if err != nil {
		return nil, intake.CannotOpen(name, err)
	}
	text, err := io.ReadAll(io.LimitReader(f, longestQuery+1))
	if err = errors.Join(err, f.Close()); err == nil && len(text) > longestQuery {
		err = fmt.Errorf("the query is longer than %d bytes, which none is", longestQuery)
	}
	if err != nil {
		return nil, &intake.Unreadable{File: name, Message: err.Error(), Err: err}
	}
	t, err := inplace.Open(name, string(text), e.request.Database)
	if err != nil {
		return nil, err
	}
	if e.Read.AsOf.IsZero() {
		e.Read.AsOf, e.Read.AsOfFrom = time.Now().UTC().Truncate(time.Second), "when the database was asked"
	}
	return t, nil
}

// keyed settles which column orders the rows of a query: the one that the mapping
// says, else that of the sign-in name.
func (r *accountReader) keyed(e *export, t table.Table) {
	q, ok := t.(*inplace.Table)
	source := &e.plan.file.Accounts[r.source]
	switch {
	case ok && source.Key != nil:
		q.Key = e.plan.column(t, *source.Key)
	case source.Key != nil:
		e.plan.fail(*source.Key, "\"key\" is for the rows of a database; those of a file have their lines")
	case ok:
		for i := range r.columns {
			if r.columns[i].fact == "login" {
				q.Key = r.columns[i].index
			}
		}
	}
}

// enginePart is a table of accounts in a database.
type enginePart struct {
	e     *export
	r     *accountReader
	table *inplace.Table
	notes facts.Notes
}

// Accounts hands over row by row.
func (p *enginePart) Accounts(yield func(*facts.Account) error) error {
	var taken int
	err := p.r.accounts(p.e, p.table, &p.notes, &taken, yield)
	if why := p.table.Err(); why != nil {
		p.notes.Incomplete(p.r.origin, "the database stopped answering: %s", why)
	}
	return err
}

func (p *enginePart) Done() {
	p.table.Close()
	p.e.Noted.Join(&p.notes)
}

// uses are what a run needs to know of the columns; a text says why that cannot be
// asked of the database.
func (p *enginePart) uses(g *facts.Gathering) ([]*inplace.Use, string) {
	if len(p.r.members) > 0 {
		return nil, "who is in which group stands in a table of its own"
	}
	fills := map[string]int{}
	for i := range p.r.columns {
		fills[p.r.columns[i].fact]++
	}
	var list []*inplace.Use
	use := func(column int) *inplace.Use {
		i := slices.IndexFunc(list, func(u *inplace.Use) bool { return u.Column == column })
		if i < 0 {
			i = len(list)
			list = append(list, &inplace.Use{Column: column})
		}
		return list[i]
	}
	for i := range p.r.columns {
		c := &p.r.columns[i]
		u := use(c.index)
		if c.only != nil && c.only.index >= 0 {
			use(c.only.index).Whole = true
		}
		kind := KindOf(c.fact)
		questions, known := g.Asks(c.fact)
		switch {
		case c.fact == "stored_value":
			return nil, "stored passwords are compared with each other"
		case kind == DateFact && p.dated(c):
			u.Dates = append(u.Dates, c.fact)
			for word := range c.dates.words {
				if !slices.Contains(u.Words, word) {
					u.Words = append(u.Words, word)
				}
			}
			slices.Sort(u.Words)
		case kind == TextFact && c.text != nil && known && fills[c.fact] == 1:
			u.Questions = append(u.Questions, questions...)
			u.Null = u.Null || c.on[null] == nil && c.on[empty] != nil
		case kind == ListFact && !c.group && known && fills[c.fact] == 1 && (u.Split == "" || u.Split == c.split) && len(c.split) == 1:
			u.Questions, u.Split = append(u.Questions, questions...), c.split
			u.Null = u.Null || c.on[null] == nil && c.on[empty] != nil
		default:
			u.Whole = true
		}
	}
	for i := range p.r.own {
		o := &p.r.own[i]
		use(o.index).Whole = true
		if o.taker.only != nil && o.taker.only.index >= 0 {
			use(o.taker.only.index).Whole = true
		}
	}
	login := p.loginColumn()
	for _, u := range list {
		if len(u.Dates) > 0 && len(u.Questions) > 0 {
			u.Whole = true
		}
		if u.Column == login && len(u.Questions) == 0 { // an empty name is none
			u.Questions = []facts.Question{{Fact: "login", Op: facts.Equals, Texts: []string{""}}}
		}
	}
	p.compareWhole(list, g.Joint)
	list = slices.DeleteFunc(list, func(u *inplace.Use) bool {
		return !u.Whole && len(u.Dates) == 0 && len(u.Questions) == 0 && !u.Null
	})
	return list, ""
}

// compareWhole: a date that is compared with one that is told apart by its text must
// be told apart so itself.
func (p *enginePart) compareWhole(list []*inplace.Use, joint []facts.Joint) {
	filling := func(fact string) *inplace.Use {
		for i := range p.r.columns {
			if c := &p.r.columns[i]; c.fact == fact {
				return list[slices.IndexFunc(list, func(u *inplace.Use) bool { return u.Column == c.index })]
			}
		}
		return nil
	}
	for range joint { // as far as one leads to another
		for _, j := range joint {
			if a, b := filling(j.A), filling(j.B); a != nil && b != nil && a.Whole != b.Whole {
				a.Whole, b.Whole = true, true
			}
		}
	}
}

func (p *enginePart) loginColumn() int {
	for i := range p.r.columns {
		if p.r.columns[i].fact == "login" {
			return p.r.columns[i].index
		}
	}
	return -1
}

// dated reports whether the database can compare the dates of a column as they are
// read.
func (p *enginePart) dated(c *factColumn) bool {
	switch column := &p.table.Columns[c.index]; column.Kind {
	case inplace.Instant, inplace.Day:
		return c.dates.iso
	case inplace.Local:
		return c.dates.iso && c.dates.zone == time.UTC
	case inplace.Number, inplace.Seconds, inplace.Millis:
		as := map[string]intake.ColumnKind{"epoch seconds": inplace.Seconds, "epoch milliseconds": inplace.Millis}[c.dates.form.Counts()]
		if as == inplace.Text || column.Kind != inplace.Number && column.Kind != as || c.index == p.table.Key {
			return false
		}
		column.Kind = as
		return true
	}
	return false
}

// Gather has the database count the accounts that come out alike.
func (p *enginePart) Gather(g *facts.Gathering) (bool, error) {
	uses, why := p.uses(g)
	if why == "" {
		c := &counting{enginePart: p, g: g, Counting: inplace.NewCounting(p.table, uses)}
		c.columns = p.r.boundTo(&c.account)
		if why = c.settle(); why == "" {
			return true, c.hand()
		}
	}
	p.notes.Remark(p.r.origin, "the accounts were read one by one, since %s", why)
	return false, nil
}

// counting is Gather under way.
type counting struct {
	*enginePart
	*inplace.Counting
	g       *facts.Gathering
	groups  []inplace.Group
	account facts.Account
	columns []boundColumn
	refused int // rows and values, of all
	reached []*reached
	by      map[int]*reached
}

// reached is what accounts are counted in, and of which examples are wanted.
type reached struct {
	lacks  func() int
	most   int   // examples that are wanted
	groups []int // whose accounts are counted in it
}

// mostRounds are how often groups are counted until each comes out as one.
const mostRounds = 5

// settle counts until all rows of each group come out alike; it says why they cannot
// be told apart so. A first look at some rows finds most of what tells them apart.
func (c *counting) settle() string {
	for round := range mostRounds {
		groups, few, err := c.Groups(round > 0)
		if c.groups = groups; err != nil {
			return "the database does not answer what it is asked: " + err.Error()
		} else if !few {
			return "they come out in too many ways to be counted together"
		}
		if !c.refine(round == 0) && round > 0 {
			return c.doubled()
		}
	}
	return "they come out in too many ways to be counted together"
}

// doubled: names that stand twice are left out one by one.
func (c *counting) doubled() string {
	login, rows := c.loginColumn(), 0
	for i := range c.groups {
		g := &c.groups[i]
		if rows += g.Rows; len(g.Row[login]) > facts.LongestName {
			return "some names are longer than those of any system"
		}
	}
	switch twice, err := c.Doubled(login, rows > 1<<20); {
	case err != nil:
		return "the database does not answer what it is asked: " + err.Error()
	case twice:
		return "some names stand there twice"
	}
	return ""
}

// fill makes the account of a row.
func (c *counting) fill(row []string, key string, notes *facts.Notes) bool {
	c.account.Reset()
	c.account.Origin = c.table.At(key).In(c.r.origin)
	return c.r.fill(&c.account, c.columns, row, c.e, notes)
}

// refine finds the seconds at which something else comes out within a group, and
// the ages that end what is compared; false where there are no more of them. Of some
// rows only, all seconds are looked at: others may have dates that these have not.
func (c *counting) refine(some bool) bool {
	more := false
	var unheard facts.Notes
	var ages []setting.Span
	dates := c.Dates()
	for i := range c.groups {
		g := &c.groups[i]
		if unheard = (facts.Notes{}); !c.fill(g.Row, g.Key, &unheard) {
			continue
		}
		if span, ok := c.g.MaxAge(&c.account).Span(); ok && !slices.Contains(ages, span) {
			ages = append(ages, span)
		}
		for n, u := range dates {
			from, to := g.From[n], g.To[n]
			if some {
				from, to = firstLooked, lastLooked
			}
			if g.Dated[n] && from < to {
				more = c.between(g, u, from, to) || more
			}
		}
	}
	return c.Compare(c.g.Joint, ages) || more
}

// Between these seconds, 1970 and 2100, dates of accounts lie.
const firstLooked, lastLooked = 0, 130 * 365 * 86400

// between splits a date where something else comes out. What comes out changes from
// one thing to another and never back, within a day at least: months may end sooner.
func (c *counting) between(g *inplace.Group, u *inplace.Use, from, to int64) bool {
	was := g.Row[u.Column]
	defer func() { g.Row[u.Column] = was }()
	var unheard facts.Notes
	key := func(second int64) string {
		g.Row[u.Column] = c.Written(u, second)
		unheard = facts.Notes{}
		c.fill(g.Row, g.Key, &unheard)
		return c.g.Key(&c.account)
	}
	step := int64(1)
	if c.table.Columns[u.Column].Kind == inplace.Day {
		step = 86400
	}
	var found []int64
	var search func(from, to int64, first, last string)
	search = func(from, to int64, first, last string) {
		if first == last {
			return
		}
		if to-from <= step {
			found = append(found, to)
			return
		}
		middle := from + (to-from)/2/step*step
		if middle == from {
			middle += step
		}
		at := key(middle)
		search(from, middle, first, at)
		search(middle, to, at, last)
	}
	// The seconds that are known to matter elsewhere need not be found again.
	lower, atLower := from, key(from)
	for _, p := range append(slices.Clone(c.Points(u)), to+step) {
		if p <= lower || p > to+step {
			continue
		}
		upper := p - step
		atUpper := key(upper)
		search(lower, upper, atLower, atUpper)
		if p <= to {
			lower, atLower = p, key(p)
		}
	}
	for _, at := range slices.Clone(found) {
		for day := -4; day <= 4 && step == 1; day++ {
			begin := at - (at%86400+86400)%86400 + int64(day)*86400
			a, b := max(begin, from), min(begin+86400-1, to)
			if a < b {
				search(a, b, key(a), key(b))
			}
		}
	}
	return c.Split(u, found...)
}

// firstRows are looked at for examples before any is looked for, and then more of
// them, among which most are found.
const firstRows, moreRows = 500, 50_000

// hand hands over the groups, and examples of them.
func (c *counting) hand() error {
	odd := &reached{most: facts.NotesShown, lacks: func() int { return min(facts.NotesShown, c.refused) - c.notes.Refused() }}
	c.reached, c.by = []*reached{odd}, map[int]*reached{}
	of := make([][]*reached, len(c.groups))
	for i := range c.groups {
		g := &c.groups[i]
		var notes facts.Notes
		ok := c.fill(g.Row, g.Key, &notes)
		c.e.taken.Add(int64(g.Rows))
		c.refused += notes.Refused() * g.Rows
		if notes.Refused() > 0 {
			odd.groups = append(odd.groups, i)
			of[i] = append(of[i], odd)
		}
		if !ok {
			continue
		}
		list, err := c.g.Count(&c.account, g.Rows)
		if err != nil {
			return err
		}
		for _, n := range list {
			r := c.by[n]
			if r == nil {
				r = &reached{most: c.g.Examples, lacks: func() int { return c.g.Lacks(n) }}
				c.by[n], c.reached = r, append(c.reached, r)
			}
			r.groups = append(r.groups, i)
			of[i] = append(of[i], r)
		}
	}
	seen := map[string]bool{}
	give := func(s *inplace.Sample) error {
		if s.Group < 0 || seen[s.Key] || !slices.ContainsFunc(of[s.Group], func(r *reached) bool { return r.lacks() > 0 }) {
			return nil
		}
		seen[s.Key] = true
		notes := &c.notes
		if !slices.Contains(of[s.Group], odd) {
			notes = &facts.Notes{}
		}
		if c.fill(s.Row, s.Key, notes) {
			return c.g.Example(&c.account)
		}
		return nil
	}
	err := c.Samples(c.groups, inplace.Reach{First: firstRows}, give)
	var found []inplace.Sample
	if err == nil {
		found, err = c.lookFor(of)
	}
	for i := range found {
		if err := give(&found[i]); err != nil {
			return err
		}
	}
	if err != nil {
		c.notes.Remark(c.r.origin, "the database did not name all examples: %s", err)
	}
	c.notes.RefuseMore(c.refused - c.notes.Refused())
	return nil
}

// lookFor finds the first rows of all of which examples are still wanted, in the order
// of their keys: by the keys that are known; up to one before which there are enough;
// among more of the first rows; and last among all.
func (c *counting) lookFor(of [][]*reached) ([]inplace.Sample, error) {
	var keys, bounds []string
	var bounded, open []*reached
	before := func(a, b string) int {
		switch {
		case c.Before(a, b):
			return -1
		case c.Before(b, a):
			return 1
		}
		return 0
	}
	for _, r := range c.reached {
		if r.lacks() <= 0 {
			continue
		}
		var known []string
		all := true
		for _, i := range r.groups {
			g := &c.groups[i]
			if known = append(known, g.Key); g.Rows > 1 {
				known = append(known, g.Last)
			}
			all = all && g.Rows <= 2
		}
		slices.SortFunc(known, before)
		switch {
		case all:
			keys = append(keys, known[:min(len(known), r.most)]...)
		case len(known) >= r.most:
			bounded, bounds = append(bounded, r), append(bounds, known[r.most-1])
		default:
			open = append(open, r)
		}
	}
	var found []inplace.Sample
	have := map[*reached]int{}
	look := func(list []*reached, reach inplace.Reach) error {
		for _, r := range list {
			reach.Groups = append(reach.Groups, r.groups...)
		}
		slices.Sort(reach.Groups)
		reach.Groups = slices.Compact(reach.Groups)
		return c.Samples(c.groups, reach, func(s *inplace.Sample) error {
			if s.Group >= 0 {
				found = append(found, *s)
				for _, r := range of[s.Group] {
					have[r]++
				}
			}
			return nil
		})
	}
	var err error
	if len(keys) > 0 {
		err = look(nil, inplace.Reach{Keys: keys})
	}
	if err == nil && len(bounded) > 0 {
		err = look(bounded, inplace.Reach{Until: slices.MaxFunc(bounds, before), Each: max(c.g.Examples, facts.NotesShown)})
	}
	if err == nil && len(open) > 0 {
		clear(have)
		err = look(open, inplace.Reach{First: moreRows})
		open = slices.DeleteFunc(open, func(r *reached) bool { return have[r] >= r.most })
	}
	if err == nil && len(open) > 0 {
		err = look(open, inplace.Reach{Each: max(c.g.Examples, facts.NotesShown)})
	}
	slices.SortStableFunc(found, func(a, b inplace.Sample) int { return before(a.Key, b.Key) })
	return found, err
}
