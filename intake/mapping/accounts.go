package mapping

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
	"yewcone/intake/dateform"
	"yewcone/intake/stamp"
	"yewcone/intake/stored"
	"yewcone/intake/table"
)

// accountReader reads one table of accounts.
type accountReader struct {
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

	goneIsEmpty bool // what the row lacks counts as empty
	neverSeen   bool // no row of the file has it, so that its absence says nothing

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
		if !ok && text != "" { // what is empty, or not there, is no other word
			answer = b.others
		}
		*b.tri = answer
		return ok || text == "" || answer != facts.Unknown
	case b.date != nil:
		at, ok := b.dates.find(text)
		*b.date = at
		return ok
	}
	return b.put(a, text)
}

// ownColumn reads a setting that stands on the account itself.
type ownColumn struct {
	index int
	taker taker
}

// The facts that a mapping can fill, by the kind of value that they take.
var (
	textFacts = map[string]func(*facts.Account) *string{
		"login":        func(a *facts.Account) *string { return &a.Login },
		"display_name": func(a *facts.Account) *string { return &a.DisplayName },
		"first_name":   func(a *facts.Account) *string { return &a.FirstName },
		"last_name":    func(a *facts.Account) *string { return &a.LastName },
		"email":        func(a *facts.Account) *string { return &a.Email },
		"employee_no":  func(a *facts.Account) *string { return &a.EmployeeNo },
		"description":  func(a *facts.Account) *string { return &a.Description },
		"unit":         func(a *facts.Account) *string { return &a.Unit },
		"policy":       func(a *facts.Account) *string { return &a.Policy },
		"kind":         func(a *facts.Account) *string { return &a.Kind },
	}
	triFacts = map[string]func(*facts.Account) *facts.Tri{
		"privileged":       func(a *facts.Account) *facts.Tri { return &a.Privileged },
		"enabled":          func(a *facts.Account) *facts.Tri { return &a.Enabled },
		"locked":           func(a *facts.Account) *facts.Tri { return &a.Locked },
		"must_change":      func(a *facts.Account) *facts.Tri { return &a.MustChange },
		"never_expires":    func(a *facts.Account) *facts.Tri { return &a.NeverExpires },
		"cannot_change":    func(a *facts.Account) *facts.Tri { return &a.CannotChange },
		"blank_allowed":    func(a *facts.Account) *facts.Tri { return &a.BlankAllowed },
		"blank":            func(a *facts.Account) *facts.Tri { return &a.Blank },
		"password_usable":  func(a *facts.Account) *facts.Tri { return &a.PasswordUsable },
		"second_factor":    func(a *facts.Account) *facts.Tri { return &a.SecondFactor },
		"preauthenticates": func(a *facts.Account) *facts.Tri { return &a.Preauthenticates },
		"remote_password":  func(a *facts.Account) *facts.Tri { return &a.RemotePassword },
		"enters_unasked":   func(a *facts.Account) *facts.Tri { return &a.EntersUnasked },
		"unasked_power":    func(a *facts.Account) *facts.Tri { return &a.UnaskedPower },
	}
	dateFacts = map[string]func(*facts.Account) *facts.Moment{
		"created":          func(a *facts.Account) *facts.Moment { return &a.Created },
		"password_set":     func(a *facts.Account) *facts.Moment { return &a.PasswordSet },
		"password_expires": func(a *facts.Account) *facts.Moment { return &a.PasswordExpires },
		"last_sign_in":     func(a *facts.Account) *facts.Moment { return &a.LastSignIn },
		"locked_since":     func(a *facts.Account) *facts.Moment { return &a.LockedSince },
		"account_ends":     func(a *facts.Account) *facts.Moment { return &a.Ends },
		"locked_until":     func(a *facts.Account) *facts.Moment { return &a.LockedUntil },
	}
	listFacts = map[string]func(*facts.Account) (list *[]string, known *bool){
		"groups": func(a *facts.Account) (*[]string, *bool) { return &a.Groups, &a.GroupsKnown },
		"roles":  func(a *facts.Account) (*[]string, *bool) { return &a.Roles, &a.RolesKnown },
	}
)

// A FactKind is how a mapping fills a fact.
type FactKind uint8

// The kinds of facts.
const (
	NoFact FactKind = iota
	TextFact
	FlagFact // yes or no
	DateFact
	ListFact
)

// KindOf tells how a mapping fills a fact; NoFact where it does not.
func KindOf(fact string) FactKind {
	switch {
	case textFacts[fact] != nil:
		return TextFact
	case triFacts[fact] != nil:
		return FlagFact
	case dateFacts[fact] != nil:
		return DateFact
	case listFacts[fact] != nil:
		return ListFact
	}
	return NoFact
}

// factNames lists the facts that a mapping can fill.
func factNames() []string {
	names := []string{"storage", "stored_value"}
	for n := range textFacts {
		names = append(names, n)
	}
	for n := range triFacts {
		names = append(names, n)
	}
	for n := range dateFacts {
		names = append(names, n)
	}
	for n := range listFacts {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// prepareAccounts checks the columns before any row is read.
func (e *export) prepareAccounts() error {
	for i := range e.plan.file.Accounts {
		source := &e.plan.file.Accounts[i]
		for _, file := range source.Files {
			if err := e.prepareFile(source, file); err != nil && !e.missing(err) {
				return err
			}
		}
	}
	return nil
}

func (e *export) prepareFile(source *accountsTable, file strictyaml.Text) error {
	r := accountReader{shape: shape{source.Form, source.Rows, source.Sheet, source.Heading}}
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
			r.columns = append(r.columns, *c)
		}
		hasLogin = hasLogin || key.Value == "login"
		r.flagged = r.flagged || key.Value == "never_expires"
	}
	for j := range source.Set {
		if taker, ok := e.plan.taker(source.Set[j].Key, &source.Set[j].Value); ok {
			r.own = append(r.own, ownColumn{index: e.plan.column(t, taker.from), taker: taker})
		}
	}
	e.settlePresence(&r, file.Value)
	r.fixed = e.plan.fixedFacts(source)
	if err := e.prepareMembers(&r, t, source); err != nil {
		return err
	}
	if !hasLogin {
		e.plan.fail(source.Place, "a table of accounts needs \"login\" under \"take\"")
	}
	taken := map[string]bool{}
	for _, c := range r.columns {
		taken[c.from.Value] = true
	}
	for _, o := range r.own {
		taken[o.taker.from.Value] = true
	}
	for _, m := range r.members {
		taken[m.match.Value] = true
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
		_, answers := c.answers.find("")
		if c.index >= 0 && (c.goneIsEmpty || answers || c.date != nil && c.dates.empty.Known()) {
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
		r.columns[i].index = p.column(t, r.columns[i].from)
	}
	for i := range r.own {
		r.own[i].index = p.column(t, r.own[i].taker.from)
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
		field, ok := triFacts[f.Key.Value]
		if !ok {
			p.fail(f.Key, "%q is no question of yes or no about accounts, nor their kind%s", f.Key.Value,
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
	if source.Gone != nil {
		c.goneIsEmpty = p.choice(*source.Gone, "empty", "unknown") == "empty"
	}
	if field, ok := triFacts[name]; ok {
		c.tri = field
		p.triWords(c, source)
	} else if field, ok := dateFacts[name]; ok {
		c.date = field
		if !p.dateWords(c, key, source) {
			return nil
		}
	} else if field, ok := listFacts[name]; ok {
		c.put = listPutter(field, cmp.Or(source.Split, "\n")) // as the elements of a JSON list come
	} else if field, ok := textFacts[name]; ok {
		words := p.textWords(name, source)
		if c.text = field; name == "kind" {
			c.text, c.put = nil, kindPutter(words)
		} else if len(words) > 0 {
			c.text, c.put = nil, textPutter(field, words)
		}
	} else if name == "storage" {
		c.put = p.storagePutter(source)
	} else if name == "stored_value" {
		c.put = func(a *facts.Account, text string) bool {
			a.StoredMark = stored.Mark(text)
			return true
		}
	} else {
		p.fail(key, "no fact about accounts is named %q that a mapping can fill%s", name, nearword.Advice(name, factNames()))
		return nil
	}
	return c
}

func listPutter(field func(*facts.Account) (list *[]string, known *bool), split string) func(*facts.Account, string) bool {
	return func(a *facts.Account, text string) bool {
		list, known := field(a)
		*known = true
		for rest, more := text, true; more; {
			var part string
			part, rest, more = strings.Cut(rest, split)
			if part = strings.TrimSpace(part); part != "" {
				*list = append(*list, part)
			}
		}
		return true
	}
}

func (p *plan) textWords(name string, source *factSource) map[string]string {
	words := map[string]string{}
	for _, w := range source.Words {
		if name == "kind" {
			p.choice(w.Value, facts.Kinds...)
		}
		words[w.Key.Value] = w.Value.Value
	}
	return words
}

func textPutter(field func(*facts.Account) *string, words map[string]string) func(*facts.Account, string) bool {
	return func(a *facts.Account, text string) bool {
		if word, ok := words[text]; ok {
			text = word
		}
		*field(a) = text
		return true
	}
}

// kindPutter takes the kinds' own names and what the mapping has words for.
func kindPutter(words map[string]string) func(*facts.Account, string) bool {
	for _, kind := range facts.Kinds {
		if _, ok := words[kind]; !ok {
			words[kind] = kind
		}
	}
	type pair struct{ text, kind string }
	var pairs []pair // few: quicker than the map
	for _, text := range slices.Sorted(maps.Keys(words)) {
		pairs = append(pairs, pair{text, words[text]})
	}
	return func(a *facts.Account, text string) bool {
		if text == "" {
			return true
		}
		for i := range pairs {
			if pairs[i].text == text {
				a.Kind = pairs[i].kind
				return true
			}
		}
		a.Kind = ""
		return false
	}
}

// triWords are the few words that answer a question; the last of a word
// counts.
type triWords []triWord

type triWord struct {
	text   string
	answer facts.Tri
}

func (w triWords) find(text string) (facts.Tri, bool) {
	for i := len(w) - 1; i >= 0; i-- {
		if w[i].text == text {
			return w[i].answer, true
		}
	}
	return facts.Unknown, false
}

func (p *plan) triWords(c *factColumn, source *factSource) {
	add := func(list, fallback []string, t facts.Tri) {
		if len(source.Yes) == 0 && len(source.No) == 0 {
			list = fallback
		}
		for _, text := range list {
			c.answers = append(c.answers, triWord{text, t})
		}
	}
	add(source.Yes, p.file.Yes, facts.Yes)
	add(source.No, p.file.No, facts.No)
	if source.Else != nil {
		c.others = facts.TriOf(p.choice(*source.Else, "yes", "no") == "yes")
	}
	if len(c.answers) == 0 {
		p.fail(source.From, "which words mean yes and no is not said; add \"yes\" and \"no\" here or at the top of the mapping")
	}
}

// dateWords read a date, or a word or nothing in its place.
type dateWords struct {
	form  *dateform.Form
	iso   bool // the form is ISO 8601, mostly written in full
	zone  *time.Location
	empty facts.Moment
	words map[string]facts.Moment
}

func (d *dateWords) find(text string) (facts.Moment, bool) {
	if len(d.words) > 0 {
		if at, ok := d.words[text]; ok {
			return at, true
		}
	}
	if d.iso {
		if second, ok := stamp.Second(text); ok {
			return facts.AtSecond(second), true
		}
	}
	if text == "" {
		return d.empty, true
	}
	return d.form.Parse(text, d.zone)
}

func (p *plan) dateWords(c *factColumn, key strictyaml.Text, source *factSource) bool {
	d := dateWords{form: p.dates, zone: p.zone, words: map[string]facts.Moment{}}
	if source.Dates != nil {
		d.form = p.dateForm(source.Dates)
	}
	if d.form == nil {
		p.fail(key, "how dates are written is not said; add \"dates: dd/mm/yyyy hh:mm\" or another form here or at the top of the mapping")
		return false
	}
	if source.Empty != nil && p.choice(*source.Empty, "never", "unknown") == "never" {
		d.empty = facts.Never
	}
	for _, w := range source.Words {
		if p.choice(w.Value, "never", "unknown") == "never" {
			d.words[w.Key.Value] = facts.Never
		} else {
			d.words[w.Key.Value] = facts.Moment{}
		}
	}
	d.iso = d.form.ISO()
	c.dates = d
	return true
}

func (p *plan) storagePutter(source *factSource) func(*facts.Account, string) bool {
	def := setting.At(setting.Storage)
	words := map[string]setting.Value{}
	for _, w := range source.Words {
		v, err := def.Parse(w.Value.Value)
		if err != nil {
			p.fail(w.Value, "%s", err)
		}
		words[w.Key.Value] = v
	}
	return func(a *facts.Account, text string) bool {
		v, ok := words[text]
		a.Storage = v
		return ok || text == ""
	}
}

// fill puts a row into the account; false when the row names nobody.
func (r *accountReader) fill(a *facts.Account, columns []boundColumn, row []string, e *export, notes *facts.Notes) bool {
	for _, put := range r.fixed {
		put(a)
	}
	endMissing := false
	for i := range columns {
		c := &columns[i]
		if c.neverSeen {
			endMissing = endMissing || c.fact == "account_ends"
			a.PolicyOpen = a.PolicyOpen || c.fact == "policy"
			continue
		}
		text := row[c.at]
		if text != "" && (spaceOrOdd(text[0]) || spaceOrOdd(text[len(text)-1])) {
			if text == table.Absent {
				if !c.goneIsEmpty {
					endMissing = endMissing || c.fact == "account_ends"
					a.PolicyOpen = a.PolicyOpen || c.fact == "policy"
					continue
				}
				text = ""
			}
			text = strings.TrimSpace(text)
		}
		if len(text) == 4 && text == "null" {
			text = ""
		}
		switch {
		case c.take(a, text):
		case c.fact == "storage": // never show what may be a stored password
			notes.Refuse(a.Origin,
				"storage: the text here is not understood; say under \"words\" what it means")
		default:
			notes.Refuse(a.Origin, "%s: %s is not understood", c.fact, table.Shown(text))
		}
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

// spaceOrOdd reports whether a byte may be part of white space.
func spaceOrOdd(c byte) bool { return c-'!' > '~'-'!' }
