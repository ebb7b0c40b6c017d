// Package mapping reads exports of no known format, as a mapping file says:
// which key, column and word means what. A zero means what the mapping says
// it means; where it says nothing, the value is refused and stays unknown.
package mapping

import (
	"errors"
	"maps"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/dateform"
	"yewcone/intake/table"
)

// how are the commands that take an export.
const how = `Any export of rows, of keys and values, or of JSON: the service's own export page or command.
Take the settings as well as the accounts, and write down when.

estate.yaml:
  export: {read: mapping, from: folder, mapping: mappings/NAME.yaml}
"yewcone init" writes a commented mapping to begin with.
`

// Format is any file of rows or of keys and values together with a mapping.
var Format = intake.Format{
	Name:   "mapping",
	Doc:    "CSV, TSV, JSON, XML, LDIF, key and value lines, and workbooks, as a mapping file says",
	Open:   open,
	How:    how,
	ToKnow: toKnow,
}

// toKnow says what to add for what is not known.
var toKnow = map[string]string{"": elsewhere,
	"overdue":         "take password_expires, or password_set and the setting max_age",
	"lasts_for_ever":  "take never_expires, or password_expires, or password_set and the setting max_age",
	"locked_for_ever": "take locked_until, or locked and the setting lockout_duration",
}

// elsewhere is said of every setting and fact that a mapping can fill.
const elsewhere = "take it from the export in the mapping, or write what is known there under \"fixed\""

type export struct {
	intake.Base

	request  *intake.Request
	plan     *plan
	accounts []accountReader
	taken    atomic.Int64         // rows of accounts that were read
	left     map[string]*leftover // by file
	lastRead *readRows            // the table of settings that a change was told by last
}

// leftover is what a file has, and what the tables that read it take.
type leftover struct{ has, taken map[string]bool }

// Unread names the columns and keys that no table of the mapping takes.
func (e *export) Unread() []facts.Unread {
	var list []facts.Unread
	for _, file := range slices.Sorted(maps.Keys(e.left)) {
		l, names := e.left[file], []string(nil)
		for _, name := range slices.Sorted(maps.Keys(l.has)) {
			if !l.taken[name] {
				names = append(names, name)
			}
		}
		if names != nil {
			list = append(list, facts.Unread{File: file, Names: names})
		}
	}
	return list
}

// leftOver notes the names that a file has, and those of them that a table
// takes.
func (e *export) leftOver(file facts.Origin, names []string, taken map[string]bool) {
	if e.left == nil {
		e.left = map[string]*leftover{}
	}
	l := e.left[file.String()]
	if l == nil {
		l = &leftover{map[string]bool{}, map[string]bool{}}
		e.left[file.String()] = l
	}
	for _, name := range names {
		if name != "" {
			l.has[name] = true
		}
	}
	maps.Copy(l.taken, taken)
}

// addUnread notes what the rows of a tree have left.
func (e *export) addUnread(u facts.Unread) { e.leftOver(facts.Origin{File: u.File}, u.Names, nil) }

func open(r *intake.Request) (facts.Export, error) {
	if r.Mapping == "" {
		return nil, &strictyaml.Problem{File: "estate.yaml", Message: "the system \"" + r.System +
			"\" is read as mapping and needs \"mapping\" in its export"}
	}
	plan, err := readPlan(r)
	if err != nil {
		return nil, err
	}
	return openWith(r, plan)
}

// openWith reads the settings as a plan says, and gets ready for the accounts.
func openWith(r *intake.Request, plan *plan) (facts.Export, error) {
	e := &export{request: r, plan: plan, Base: r.NewBase()}
	if e.Read.Chooses == "" {
		e.Read.Chooses = facts.ChooseOwn
	}
	for i := range plan.file.Settings {
		for _, file := range e.filesOf(plan.file.Settings[i].Files) {
			if err := e.settings(&plan.file.Settings[i], file.Value); err != nil && !e.missing(err) {
				return nil, err
			}
		}
	}
	if err := e.prepareAccounts(); err != nil {
		return nil, err
	}
	return e, plan.problems.Err()
}

// missing notes a file that cannot be read, so that the others still count;
// false for any other error.
func (e *export) missing(err error) bool {
	var u *intake.Unreadable
	if errors.As(err, &u) {
		e.Noted.Incomplete(facts.Origin{File: u.File, Line: u.Line}, "%s", u.Message)
	}
	return u != nil
}

// filesOf is a list of files with the names that stars stand for put in, in
// their order.
func (e *export) filesOf(names []strictyaml.Text) []strictyaml.Text {
	var list []strictyaml.Text
	for _, name := range names {
		if !strings.Contains(name.Value, "*") {
			list = append(list, name)
			continue
		}
		pattern := e.fileOf(name.Value)
		found, err := filepath.Glob(e.request.Path(pattern))
		if err != nil || len(found) == 0 {
			e.plan.fail(name, "no file is named %s", pattern)
		}
		for _, path := range found {
			one := name
			one.Value = strings.TrimSuffix(name.Value, lastPart(name.Value)) + filepath.Base(path)
			list = append(list, one)
		}
	}
	return list
}

// fileOf turns the name in a mapping into the path as the estate file has it:
// the folders and files of "from" are searched for it.
func (e *export) fileOf(name string) string {
	for _, from := range e.request.From {
		if from == name || strings.HasSuffix(from, "/"+name) {
			return from
		}
	}
	if len(e.request.From) > 0 && !strings.Contains(lastPart(e.request.From[0]), ".") {
		return strings.TrimSuffix(e.request.From[0], "/") + "/" + name
	}
	return name
}

func lastPart(path string) string {
	parts := strings.Split(strings.TrimSuffix(path, "/"), "/")
	return parts[len(parts)-1]
}

// settings reads one table of settings into policies.
func (e *export) settings(s *settingsTable, file string) error {
	t, err := e.openTable(e.fileOf(file), shape{s.Form, s.Rows, s.Sheet, s.Heading}, &e.Noted)
	if err != nil {
		return err
	}
	defer t.Close()
	takers := e.plan.takers(s)
	switch e.plan.choice(s.Layout, "pairs", "rows", "document") {
	case "pairs":
		err = e.pairs(t, s, takers)
	case "rows", "document":
		err = e.rows(t, s, takers)
	}
	if l, ok := t.(table.Leaver); ok {
		e.addUnread(l.Unread())
	}
	return err
}

// pairs reads a table with a setting in each row.
func (e *export) pairs(t table.Table, s *settingsTable, takers []taker) error {
	if s.Key == nil || s.Value == nil {
		e.plan.fail(s.Place, "a table of pairs needs \"key\" and \"value\": the headings of its two columns")
		return nil
	}
	key, value := e.plan.column(t, *s.Key), e.plan.column(t, *s.Value)
	if key < 0 || value < 0 {
		return nil
	}
	p := facts.Policy{Name: s.Policy.Value, Origin: t.Origin()}
	seen, texts := map[string]bool{}, map[string]string{}
	word, wordAt := "", facts.Origin{}
	late := map[*taker]func(){}
	for i := range takers {
		e.onlyIf(t, &takers[i], true)
	}
	for row, at := t.Next(); row != nil; row, at = t.Next() {
		name, text := strings.Clone(table.Cell(row, key)), strings.Clone(table.Cell(row, value)) // policies keep texts, and no pieces of files
		origin := at.In(t.Origin())
		origin.Place, origin.Text = name, name+": "+text
		if seen[name] {
			e.Noted.Refuse(origin, "%q stands here a second time; the first value counts", name)
			continue
		}
		seen[name], texts[name] = true, text
		if s.Preset != nil && name == s.Preset.Value {
			word, wordAt = text, origin
		}
		if s.AsOf != nil && name == s.AsOf.Value {
			e.asOf(t, text, origin)
		}
		for i := range takers {
			switch k := &takers[i]; {
			case k.from.Value != name:
			case k.only != nil: // its switch may stand below
				late[k] = func() { e.switched(&p, k, k.only.ofKeys(texts), text, origin) }
			default:
				e.take(&p, k, text, origin)
			}
		}
	}
	for i := range takers {
		if settle := late[&takers[i]]; settle != nil {
			settle()
		}
	}
	for i := range takers {
		if v := takers[i].on[missing]; v != nil && !seen[takers[i].from.Value] {
			if v.Known() {
				absent := t.Origin()
				absent.Text = takers[i].from.Value + " is not there"
				p.Set(takers[i].id, *v, absent)
			}
		} else if !seen[takers[i].from.Value] {
			e.Noted.Remark(t.Origin(), "there is no row %q, from which %s is to come; it stays unknown%s",
				takers[i].from.Value, takers[i].def.Name, nearword.Advice(takers[i].from.Value, slices.Sorted(maps.Keys(seen))))
		}
	}
	taken := map[string]bool{}
	for i := range takers {
		taken[takers[i].from.Value] = true
		if only := takers[i].only; only != nil {
			taken[only.from.Value] = true
		}
	}
	for _, key := range []*strictyaml.Text{s.AsOf, s.Preset} {
		if key != nil {
			taken[key.Value] = true
		}
	}
	if word != "" {
		e.preset(&p, word, wordAt)
	}
	e.leftOver(t.Origin(), slices.Collect(maps.Keys(seen)), taken)
	e.addPolicy(p, s)
	return nil
}

// rows reads a table with a policy in each row.
func (e *export) rows(t table.Table, s *settingsTable, takers []taker) error {
	document := s.Layout.Value == "document"
	name, asOf := -1, -1
	if !document {
		name = e.plan.column(t, s.Policy)
	} else if s.AsOf != nil {
		asOf = e.plan.column(t, *s.AsOf)
	}
	columns := make([]int, len(takers))
	for i := range takers {
		columns[i] = e.plan.column(t, takers[i].from)
	}
	column := func(name *strictyaml.Text) int {
		if name == nil {
			return -1
		}
		return e.plan.column(t, *name)
	}
	roles, unit, parent, number, preset := column(s.Roles), column(s.Unit), column(s.Parent.from()), column(s.Number), column(s.Preset)
	for i := range takers {
		e.onlyIf(t, &takers[i], false)
	}
	if len(e.plan.problems) > 0 {
		return nil
	}
	taken := map[string]bool{}
	for _, c := range append(slices.Clone(columns), name, roles, unit, parent, number, asOf, preset) {
		if c >= 0 {
			taken[t.Heading(c)] = true
		}
	}
	for i := range takers {
		if only := takers[i].only; only != nil && only.index >= 0 {
			taken[t.Heading(only.index)] = true
		}
	}
	e.leftOver(t.Origin(), t.Headings(), taken)
	before, shown := len(e.Read.Policies), make([]bool, len(columns))
	for row, at := t.Next(); row != nil; row, at = t.Next() {
		p := facts.Policy{Name: s.Policy.Value, Origin: at.In(t.Origin())}
		cell := func(c int) string { return strings.Clone(table.Cell(row, c)) } // as in pairs
		from := func(c int) facts.Origin {
			o := p.Origin
			o.Place, o.Text = t.Heading(c), t.Heading(c)+": "+cell(c)
			return o
		}
		if !document {
			p.Name = cell(name)
		}
		if asOf >= 0 {
			e.asOf(t, cell(asOf), from(asOf))
		}
		if e.Read.Policy(p.Name) != nil {
			e.Noted.Refuse(p.Origin, "the policy %q stands here a second time; the first counts", p.Name)
			continue
		}
		if roles >= 0 && row[roles] == table.Absent {
			e.Noted.Refuse(p.Origin, "the policy %q is left out: whom it is for is not in the row", p.Name)
			continue
		}
		if roles >= 0 {
			p.Roles = []string{cell(roles)}
		}
		if unit >= 0 {
			p.Unit = cell(unit)
		}
		if parent >= 0 {
			if p.Parent = cell(parent); gapOf(p.Parent) != noGap {
				if p.Parent = s.Parent.Empty; p.Parent == p.Name { // the general one, which all others inherit from
					p.Parent = ""
				}
			}
		}
		if number >= 0 {
			n, err := strconv.Atoi(cell(number))
			if err != nil {
				e.Noted.Refuse(p.Origin, "the policy %q has the priority %q, which is no whole number; it counts as 0",
					p.Name, cell(number))
			}
			p.Priority = n
		}
		for i, c := range columns {
			if row[c] == table.Absent {
				if v := takers[i].on[missing]; v != nil && v.Known() {
					absent := from(c)
					absent.Text = t.Heading(c) + " is not there"
					p.Set(takers[i].id, *v, absent)
				}
				continue
			}
			shown[i] = true
			if k := &takers[i]; k.only != nil {
				e.switched(&p, k, k.only.on(row), cell(c), from(c))
			} else {
				e.take(&p, k, cell(c), from(c))
			}
		}
		if preset >= 0 {
			e.preset(&p, cell(preset), from(preset))
		}
		e.addPolicy(p, s)
	}
	// What no row has may have been left out of the export; what another has
	// would be there.
	for i := range columns {
		for n := before; !shown[i] && takers[i].on[missing] == nil && n < len(e.Read.Policies); n++ {
			hidden := t.Origin()
			hidden.Text = t.Heading(columns[i]) + " is not in the export"
			e.Read.Policies[n].Hide(takers[i].id, hidden)
		}
	}
	return nil
}

func (e *export) addPolicy(p facts.Policy, s *settingsTable) {
	for _, f := range s.Fixed {
		id, v, ok := e.plan.fixed(f)
		if ok {
			p.Set(id, v, facts.Origin{File: e.request.Mapping, Line: f.Value.Line,
				Text: f.Key.Value + ": " + f.Value.Value + facts.FixedInMapping})
		}
	}
	e.Read.Policies = append(e.Read.Policies, p)
	if s.Default && e.Read.Default == "" && s.Layout.Value != "rows" {
		e.Read.Default = p.Name
	}
}

// datesOf is a form of dates as a table counts them.
func datesOf(t table.Table, form *dateform.Form) *dateform.Form {
	if d, ok := t.(table.From1904); ok && d.From1904() {
		return form.From1904()
	}
	return form
}

func (e *export) asOf(t table.Table, text string, origin facts.Origin) {
	if e.plan.dates == nil {
		e.plan.fail(e.plan.file.Mapping, "\"as_of\" needs \"dates\": how dates are written")
		return
	}
	at, ok := datesOf(t, e.plan.dates).Parse(text, e.plan.zone)
	if !ok {
		e.Noted.Refuse(origin, "%q is no date as %s", text, e.plan.dates)
		return
	}
	if e.Read.AsOf.IsZero() {
		e.Read.AsOf, _ = at.Time()
		e.Read.AsOfFrom = "the export"
	}
}

// taker reads one setting.
type taker struct {
	id      setting.ID
	def     *setting.Setting
	from    strictyaml.Text
	source  *settingSource
	zero    *setting.Value       // what a 0 means, however written; nil when the mapping does not say
	on      [gaps]*setting.Value // what the gaps mean
	others  *setting.Value       // what any other text means
	words   map[string]setting.Value
	inherit []string

	only      *switcher     // nil for a value that always counts
	otherwise setting.Value // where the switch is off
}

func (p *plan) setting(key strictyaml.Text) (setting.ID, bool) {
	id, ok := setting.Find(key.Value)
	if !ok {
		p.fail(key, "no setting is named %q%s", key.Value, nearword.Advice(key.Value, setting.Names()))
	}
	return id, ok
}

func (p *plan) fixed(f strictyaml.Pair[strictyaml.Text]) (setting.ID, setting.Value, bool) {
	id, ok := p.setting(f.Key)
	if !ok {
		return 0, setting.Value{}, false
	}
	v, err := setting.At(id).Parse(f.Value.Value)
	if err != nil {
		p.fail(f.Value, "%s", err)
	}
	return id, v, err == nil
}

func (p *plan) takers(s *settingsTable) []taker {
	var list []taker
	for i := range s.Take {
		if t, ok := p.taker(s.Take[i].Key, &s.Take[i].Value); ok {
			t.inherit = append(t.inherit, s.Inherit...)
			list = append(list, t)
		}
	}
	return list
}

func (p *plan) taker(key strictyaml.Text, source *settingSource) (taker, bool) {
	id, ok := p.setting(key)
	if !ok {
		return taker{}, false
	}
	t := taker{id: id, def: setting.At(id), from: source.From, source: source, words: map[string]setting.Value{}}
	if source.From.Value == "" {
		p.fail(key, "%s needs \"from\": the key or column that it comes from", key.Value)
	}
	parse := func(text strictyaml.Text) (setting.Value, bool) {
		v, err := t.def.Parse(text.Value)
		if err != nil {
			p.fail(text, "%s", err)
		}
		return v, err == nil
	}
	for _, w := range source.Words {
		if w.Value.Value == "inherit" {
			t.inherit = append(t.inherit, w.Key.Value)
		} else if v, ok := parse(w.Value); ok {
			t.words[w.Key.Value] = v
		}
	}
	for g, text := range (gapTexts{source.Empty, source.Null, source.Gone}) {
		switch {
		case text == nil:
		case gap(g) != empty && text.Value == sameAs:
			t.on[g] = t.on[empty]
		default:
			if v, ok := parse(*text); ok {
				t.on[g] = &v
			}
		}
	}
	if source.Else != nil {
		if v, ok := parse(*source.Else); ok {
			t.others = &v
		}
	}
	if source.Unit != nil && t.def.Kind == setting.DurationKind {
		source.Unit.Value = p.numbers.unit(source.Unit.Value)
		if _, ok := setting.UnitSpan(source.Unit.Value); !ok {
			p.fail(*source.Unit, "%q is no unit of time; write seconds, minutes, hours, days, months or years", source.Unit.Value)
		}
	}
	if source.Zero != nil {
		v := setting.Count(0)
		if t.def.Kind == setting.DurationKind {
			v = setting.Days(0)
		}
		if source.Zero.Value != "zero" {
			v, _ = parse(*source.Zero)
		}
		t.zero = &v
	}
	return t, true
}

// take reads a setting's text into the policy.
func (e *export) take(p *facts.Policy, t *taker, text string, origin facts.Origin) {
	v, said, problem := e.plan.value(t, text)
	if problem != "" {
		e.Noted.Refuse(origin, "%s: %s", t.def.Name, problem)
	} else if said {
		p.Set(t.id, v, origin)
	}
}
