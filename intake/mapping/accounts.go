package mapping

import (
	"cmp"
	"strconv"
	"strings"
	"sync/atomic"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/strictyaml"
	"yewcone/intake/stored"
	"yewcone/intake/table"
)

// accountReader reads one table of accounts.
type accountReader struct {
	source  int          // the number of its table in the mapping
	before  map[int]int  // rows that were read of each table
	last    bool         // of the files of its table
	name    string       // of the file, as it is opened
	origin  facts.Origin // of its rows
	shape   shape
	columns []factColumn
	own     []ownColumn
	members []membership
	fixed   []func(*facts.Account)
	flagged bool // never_expires is taken
}

// factColumn puts one column into an account. What most columns hold is done
// without a call; put is for the others.
type factColumn struct {
	from  strictyaml.Text
	index int
	fact  string

	text func(*facts.Account) *string // a text as it stands
	tri  func(*facts.Account) *facts.Tri
	date func(*facts.Account) *facts.Moment
	put  func(a *facts.Account, text string) bool // false: not understood

	on        [gaps]func(*facts.Account) // what the gaps mean; nil leaves the fact unknown
	only      *switcher                  // nil where the fact always counts
	otherwise func(*facts.Account)       // where its switch is off
	group     bool                       // a column of one group
	split     string                     // what stands between the items of a list
	nulls     *atomic.Bool               // whether null was seen that nothing answers, though "empty" is answered
	neverSeen bool                       // no row of the file has it, so that its absence says nothing

	answers triWords // of tri
	others  facts.Tri
	dates   dateWords // of date
}

// boundColumn is a column with the place in the one account that is filled
// over and over.
type boundColumn struct {
	*factColumn
	at   int // its index
	text *string
	tri  *facts.Tri
	date *facts.Moment
}

func (r *accountReader) boundTo(a *facts.Account) []boundColumn {
	list := make([]boundColumn, len(r.columns))
	for i := range r.columns {
		c := &r.columns[i]
		list[i].factColumn, list[i].at = c, c.index
		switch {
		case c.text != nil:
			list[i].text = c.text(a)
		case c.tri != nil:
			list[i].tri = c.tri(a)
		case c.date != nil:
			list[i].date = c.date(a)
		}
	}
	return list
}

// take puts a text into its place; false where it is not understood.
func (b *boundColumn) take(a *facts.Account, text string) bool {
	switch {
	case b.text != nil:
		*b.text = text
		return true
	case b.tri != nil:
		answer, ok := b.answers.find(text)
		if !ok {
			answer = b.others
		}
		*b.tri = answer
		return ok || answer != facts.Unknown
	case b.date != nil:
		return b.dates.take(a, b.date, text)
	}
	return b.put(a, text)
}

// ownColumn reads a setting that stands on the account itself.
type ownColumn struct {
	index int
	taker taker
}

// prepareAccounts checks the columns before any row is read.
func (e *export) prepareAccounts() error {
	for i := range e.plan.file.Accounts {
		source := &e.plan.file.Accounts[i]
		for _, file := range e.filesOf(source.Files) {
			if err := e.prepareFile(i, file); err != nil && !e.missing(err) {
				return err
			}
		}
	}
	return nil
}

func (e *export) prepareFile(number int, file strictyaml.Text) error {
	source := &e.plan.file.Accounts[number]
	r := accountReader{source: number, shape: shape{source.Form, source.Rows, source.Sheet, source.Heading}}
	t, err := e.openTable(e.fileOf(file.Value), r.shape, &e.Noted)
	if err != nil {
		return err
	}
	defer t.Close()
	r.name, r.origin = e.fileOf(file.Value), t.Origin()
	hasLogin := false
	for j := range source.Take {
		key, from := source.Take[j].Key, &source.Take[j].Value
		for _, c := range e.plan.factColumns(key, from) {
			c.index = e.plan.column(t, c.from)
			if c.date != nil {
				c.dates.form = datesOf(t, c.dates.form)
			}
			if from.Only != nil {
				c.only = e.switcher(t, from.Only, false)
				if from.Only.Else == nil {
					e.plan.fail(from.Only.From, "\"only_if\" needs \"otherwise\": what %s is where the switch is off", key.Value)
				} else {
					c.otherwise = e.plan.answer(key, *from.Only.Else)
				}
			}
			r.columns = append(r.columns, *c)
		}
		hasLogin = hasLogin || key.Value == "login"
		r.flagged = r.flagged || key.Value == "never_expires"
	}
	for j := range source.Set {
		if taker, ok := e.plan.taker(source.Set[j].Key, &source.Set[j].Value); ok {
			e.onlyIf(t, &taker, false)
			r.own = append(r.own, ownColumn{index: e.plan.column(t, taker.from), taker: taker})
		}
	}
	e.settlePresence(&r, file.Value)
	r.fixed = e.plan.fixedFacts(source)
	if err := e.prepareMembers(&r, t, source); err != nil {
		return err
	}
	r.keyed(e, t)
	if !hasLogin {
		e.plan.fail(source.Place, "a table of accounts needs \"login\" under \"take\"")
	}
	taken := map[string]bool{}
	for _, c := range r.columns {
		taken[c.from.Value] = true
		if c.only != nil {
			taken[c.only.from.Value] = true
		}
	}
	for _, o := range r.own {
		taken[o.taker.from.Value] = true
		if o.taker.only != nil {
			taken[o.taker.only.from.Value] = true
		}
	}
	for _, m := range r.members {
		taken[m.match.Value] = true
	}
	if source.Key != nil {
		taken[source.Key.Value] = true
	}
	e.leftOver(r.origin, t.Headings(), taken)
	e.accounts = append(e.accounts, r)
	return nil
}

// settlePresence finds columns of which the absence would be an answer, and that
// no row of the file has: an export that leaves them out altogether answers
// nothing. Files whose rows all have the same columns tell by their headings.
func (e *export) settlePresence(r *accountReader, file string) {
	open := map[int]bool{}
	for i := range r.columns {
		c := &r.columns[i]
		if c.index >= 0 && (c.on[missing] != nil || c.on[empty] != nil && (c.tri != nil || c.date != nil)) {
			open[c.index] = true
		}
	}
	if len(open) == 0 {
		return
	}
	var unheard facts.Notes // what is odd is noted when accounts are read
	t, err := e.openTable(e.fileOf(file), r.shape, &unheard)
	if err != nil || t.Headings() != nil {
		return
	}
	defer t.Close()
	indexes := map[int]int{} // in this table, and in the one that was opened first
	for i := range r.columns {
		if c := &r.columns[i]; open[c.index] {
			indexes[e.plan.column(t, c.from)] = c.index
		}
	}
	rows := 0
	for row, _ := t.Next(); row != nil && len(open) > 0; row, _ = t.Next() {
		rows++
		for at, index := range indexes {
			if at >= 0 && row[at] != "" && row[at] != table.Absent {
				delete(open, index)
			}
		}
	}
	for i := range r.columns {
		if c := &r.columns[i]; rows > 0 && open[c.index] {
			c.neverSeen = true
			e.Noted.Remark(r.origin,
				"no row has %q: whether it was left out of the export is not known, and so is %s", c.from.Value, c.fact)
		}
	}
}

// bind finds the columns in a table that was opened again; false when one is
// no longer there.
func (r *accountReader) bind(p *plan, t table.Table) bool {
	before := len(p.problems)
	for i := range r.columns {
		c := &r.columns[i]
		if c.index = p.column(t, c.from); c.only != nil && !c.only.fixed {
			c.only.index = p.column(t, c.only.from)
		}
	}
	for i := range r.own {
		o := &r.own[i]
		if o.index = p.column(t, o.taker.from); o.taker.only != nil && !o.taker.only.fixed {
			o.taker.only.index = p.column(t, o.taker.only.from)
		}
	}
	for i := range r.members {
		r.members[i].index = p.column(t, r.members[i].match)
	}
	return len(p.problems) == before
}

// fixedFacts are the answers that hold for every account of the system.
func (p *plan) fixedFacts(source *accountsTable) []func(*facts.Account) {
	var list []func(*facts.Account)
	for _, f := range source.Fixed {
		if f.Key.Value == "kind" {
			kind := p.choice(f.Value, facts.Kinds...)
			list = append(list, func(a *facts.Account) { a.Kind = kind })
			continue
		}
		text := f.Value.Value
		if field, ok := listFacts[f.Key.Value]; ok {
			list = append(list, func(a *facts.Account) {
				names, known := field(a)
				*names, *known = append(*names, text), true
			})
			continue
		}
		if field, ok := textFacts[f.Key.Value]; ok && (f.Key.Value == "unit" || f.Key.Value == "policy" || f.Key.Value == "description") {
			list = append(list, func(a *facts.Account) { *field(a) = text })
			continue
		}
		field, ok := triFacts[f.Key.Value]
		if !ok {
			p.fail(f.Key, "%q is nothing that can be the same for all accounts of a file%s", f.Key.Value,
				nearword.Advice(f.Key.Value, factNames()))
			continue
		}
		if f.Key.Value == "never_expires" {
			list = append(list, func(a *facts.Account) { a.FlagDecides = true })
		}
		answer := facts.TriOf(p.choice(f.Value, "yes", "no") == "yes")
		list = append(list, func(a *facts.Account) { *field(a) = answer })
	}
	return list
}

// factColumns are the columns that one fact comes from.
func (p *plan) factColumns(key strictyaml.Text, source *factSource) []*factColumn {
	if len(source.Cols) == 0 {
		if c := p.factColumn(key, source); c != nil {
			return []*factColumn{c}
		}
		return nil
	}
	field, ok := listFacts[key.Value]
	if !ok {
		p.fail(key, "%s comes from one column: only groups and roles come from several", key.Value)
		return nil
	}
	var list []*factColumn
	for _, name := range source.Cols {
		c := &factColumn{from: name, fact: key.Value}
		one := *source
		one.From = name
		p.triWords(c, &one)
		c.put = flagPutter(field, name.Value, c.answers, c.others)
		c.group, c.nulls = true, new(atomic.Bool)
		p.onGroupGaps(c, &one)
		list = append(list, c)
	}
	return list
}

// flagPutter makes a column with yes or no into the group of its heading.
func flagPutter(field func(*facts.Account) (list *[]string, known *bool), group string, answers triWords,
	others facts.Tri) func(*facts.Account, string) bool {
	return func(a *facts.Account, text string) bool {
		answer, ok := answers.find(text)
		if !ok && text != "" {
			answer = others
		}
		list, known := field(a)
		switch answer {
		case facts.Yes:
			*list = append(*list, group)
			*known = true
		case facts.No:
			*known = true
		}
		return ok || answer != facts.Unknown
	}
}

// factColumn returns what puts a column's text into the account, or nil after
// noting what is wrong.
func (p *plan) factColumn(key strictyaml.Text, source *factSource) *factColumn {
	if source.From.Value == "" {
		p.fail(key, "%s needs \"from\": the column that it comes from", key.Value)
		return nil
	}
	name := key.Value
	c := &factColumn{from: source.From, fact: name}
	if field, ok := triFacts[name]; ok {
		c.tri = field
		p.triWords(c, source)
	} else if field, ok := dateFacts[name]; ok {
		c.date = field
		if !p.dateWords(c, key, source) {
			return nil
		}
	} else if field, ok := listFacts[name]; ok {
		c.split = cmp.Or(source.Split, "\n") // as the elements of a JSON list come
		c.put = listPutter(field, c.split)
	} else if field, ok := textFacts[name]; ok {
		words := p.textWords(name, source)
		if c.text = field; name == "kind" {
			c.text, c.put = nil, kindPutter(words)
		} else if len(words) > 0 {
			c.text, c.put = nil, textPutter(field, words)
		}
	} else if name == "storage" {
		c.put = p.storagePutter(source)
	} else if name == "password_length" {
		c.put = func(a *facts.Account, text string) bool {
			n, err := strconv.Atoi(text)
			a.Length = facts.Counted{N: n, Known: err == nil && n >= 0}
			return a.Length.Known
		}
	} else if name == "stored_value" {
		c.put = func(a *facts.Account, text string) bool {
			a.StoredMark = stored.Mark(text)
			if !a.Storage.Known() {
				a.Storage = stored.Prefixed(text)
			}
			return true
		}
	} else {
		p.fail(key, "no fact about accounts is named %q that a mapping can fill%s", name, nearword.Advice(name, factNames()))
		return nil
	}
	p.onGaps(c, key, source)
	c.nulls = new(atomic.Bool)
	return c
}

// fill puts a row into the account; false when the row names nobody.
func (r *accountReader) fill(a *facts.Account, columns []boundColumn, row []string, e *export, notes *facts.Notes) bool {
	for _, put := range r.fixed {
		put(a)
	}
	endMissing := false
	for i := range columns {
		endMissing = columns[i].fill(a, row, notes) || endMissing
	}
	a.FlagDecides = a.FlagDecides || r.flagged
	for i := range r.members {
		r.members[i].join(a, row)
	}
	for i := range r.own {
		o := &r.own[i]
		if row[o.index] == table.Absent {
			continue
		}
		text := strings.TrimSpace(row[o.index])
		v, said, problem := e.plan.value(&o.taker, text)
		origin := a.Origin
		origin.Text = o.taker.from.Value + ": " + text
		if only := o.taker.only; only != nil {
			switch only.on(row) {
			case facts.No:
				v, said, problem = o.taker.otherwise, o.taker.otherwise.Known(), ""
			case facts.Unknown:
				said, problem = false, "whether "+only.from.Value+" is on is not known"
			}
		}
		if problem != "" {
			notes.Refuse(origin, "%s: %s", o.taker.def.Name, problem)
		} else if said {
			a.Override(o.taker.id, v, origin)
		}
	}
	if endMissing && a.Enabled == facts.Yes {
		a.Enabled = facts.Unknown // it may have ended
	}
	if asOf := e.Read.AsOf; !asOf.IsZero() && a.Ends.Past(asOf.Unix()) == facts.Yes {
		a.Enabled = facts.No
	}
	if a.Login == "" {
		notes.Refuse(a.Origin, "the row has no sign-in name")
		return false
	}
	return true
}

// fill puts the column of a row into the account, and reports whether when the
// account ends is left open.
func (b *boundColumn) fill(a *facts.Account, row []string, notes *facts.Notes) (endMissing bool) {
	c := b.factColumn
	if c.neverSeen {
		a.PolicyOpen = a.PolicyOpen || c.fact == "policy"
		return c.fact == "account_ends"
	}
	if c.only != nil {
		on := c.only.on(row)
		if on == facts.No {
			c.otherwise(a)
		}
		if on != facts.Yes {
			return false
		}
	}
	text := trimmed(row[b.at])
	if g := gapOf(text); g != noGap {
		switch {
		case c.on[g] != nil:
			c.on[g](a)
		case g == null && c.on[empty] != nil:
			c.nulls.Store(true)
			a.PolicyOpen = a.PolicyOpen || c.fact == "policy"
		case c.group:
			notes.Refuse(a.Origin, "%s: what nothing in the column of a group means is not said; add \"empty: no\", \"null: no\" or "+
				"\"missing: no\"", c.fact)
		case g != empty:
			a.PolicyOpen = a.PolicyOpen || c.fact == "policy"
			return c.fact == "account_ends"
		}
		return false
	}
	switch {
	case b.take(a, text):
	case c.fact == "storage": // never show what may be a stored password
		notes.Refuse(a.Origin,
			"storage: the text here is not understood; say under \"words\" what it means")
	default:
		notes.Refuse(a.Origin, "%s: %s is not understood", c.fact, table.Shown(text))
	}
	return false
}

// trimmed is a text of a row without the space around it.
func trimmed(text string) string {
	if text != "" && text != table.Absent && (spaceOrOdd(text[0]) || spaceOrOdd(text[len(text)-1])) {
		return strings.TrimSpace(text)
	}
	return text
}

// spaceOrOdd reports whether a byte may be part of white space.
func spaceOrOdd(c byte) bool { return c-'!' > '~'-'!' }
