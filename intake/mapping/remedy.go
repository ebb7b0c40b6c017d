package mapping

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/onuse"
	"yewcone/core/remedy"
	"yewcone/core/setting"
	"yewcone/intake/table"
)

const ownPages = "the application's own pages"

// Remedy reads the mapping backwards: the label, the word that stands there
// and the word to set, in the application's own writing. A word is offered only
// where the mapping reads it as the value that is wanted.
func (e *export) Remedy(steps []remedy.Step, undo bool) (blocks []remedy.Block, cannot []remedy.Cannot) {
	block := remedy.Block{Where: ownPages, Language: remedy.Words}
	for i := range steps {
		s := &steps[i]
		edits, why := e.editsOf(s)
		if why != "" {
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: why})
		}
		for _, edit := range edits {
			if undo {
				edit = edit.Undone()
			}
			block.Edits = append(block.Edits, edit)
		}
	}
	if undo { // the last first
		slices.Reverse(block.Edits)
	}
	if block.Edits != nil {
		blocks = append(blocks, block)
	}
	return blocks, cannot
}

func (e *export) editsOf(s *remedy.Step) ([]remedy.Edit, string) {
	p := e.Read.Policy(s.Policy)
	if p == nil {
		return nil, "the export has no such policy"
	}
	at := p.Value(s.Setting).Origin
	if at.File == e.request.Mapping {
		return nil, fmt.Sprintf("it is fixed in the mapping, %s: change the application where it can be, and then that line", at)
	}
	for i := range e.plan.file.Settings {
		table := &e.plan.file.Settings[i]
		if table.Layout.Value != "rows" && table.Policy.Value != s.Policy {
			continue
		}
		for _, k := range e.plan.takers(table) {
			if k.id != s.Setting {
				continue
			}
			for _, file := range e.filesOf(table.Files) {
				row, there := e.rowOf(table, file.Value, s.Policy)
				if !there {
					continue
				}
				return e.wordFor(&k, s, row)
			}
		}
	}
	if at.Text != "" {
		return nil, fmt.Sprintf("it comes with %q, which stands for several settings: choose another word there", at.Text)
	}
	return nil, "the mapping takes it from nowhere"
}

// A row is what stands in a policy's row by its labels, and what stands under
// the same labels elsewhere: how the application writes such values.
type row struct {
	file  string
	line  int
	texts map[string]string
	other map[string][]string
}

func (e *export) rowOf(s *settingsTable, file, policy string) (found row, there bool) {
	all := e.lastRead
	if all == nil || all.of != s || all.file != file {
		if all = e.rowsOf(s, file); all == nil {
			return row{}, false
		}
		e.lastRead = all
	}
	found = row{file: e.fileOf(file), texts: map[string]string{}, other: map[string][]string{}}
	if all.pairs != nil {
		found.texts = all.pairs
		return found, true
	}
	seen := make([]map[string]bool, len(all.labels))
	for i := range seen {
		seen[i] = map[string]bool{}
	}
	for i := range all.rows {
		r := &all.rows[i]
		mine := !there && (!all.named || r.policy == policy)
		if mine {
			there, found.line = true, r.line
		}
		for n, text := range r.texts {
			switch label := all.labels[n]; {
			case text == table.Absent:
			case mine:
				found.texts[label] = text
			case !seen[n][text]:
				seen[n][text] = true
				found.other[label] = append(found.other[label], text)
			}
		}
	}
	return found, there
}

// readRows are the rows of a table of settings with what is taken of them: what changes
// of many policies are told by is read once.
type readRows struct {
	of     *settingsTable
	file   string
	pairs  map[string]string // of a table of pairs; nil for others
	labels []string
	named  bool // each row has its policy
	rows   []readRow
}

type readRow struct {
	policy string
	line   int
	texts  []string // by label; table.Absent for none
}

// rowsOf reads a table; nil where it cannot be read.
func (e *export) rowsOf(s *settingsTable, file string) *readRows {
	t, err := e.openTable(e.fileOf(file), shape{s.Form, s.Rows, s.Sheet, s.Heading}, &e.Noted)
	if err != nil {
		return nil
	}
	defer t.Close()
	all := &readRows{of: s, file: file}
	column := func(name string) int {
		c, err := t.Column(name)
		if err != nil {
			return -1
		}
		return c
	}
	if s.Layout.Value == "pairs" {
		all.pairs = map[string]string{}
		key, value := column(s.Key.Value), column(s.Value.Value)
		for cells, _ := t.Next(); cells != nil && key >= 0 && value >= 0; cells, _ = t.Next() {
			if name := table.Cell(cells, key); all.pairs[name] == "" {
				all.pairs[strings.Clone(name)] = strings.Clone(table.Cell(cells, value))
			}
		}
		return all
	}
	var places []int
	place := func(label string) {
		if c := column(label); c >= 0 && !slices.Contains(all.labels, label) {
			all.labels, places = append(all.labels, label), append(places, c)
		}
	}
	for _, k := range e.plan.takers(s) {
		place(k.from.Value)
		if only := k.source.Only; only != nil && only.File == nil {
			place(only.From.Value)
		}
	}
	name := -1
	if s.Layout.Value == "rows" {
		name = column(s.Policy.Value)
	}
	all.named = name >= 0
	for cells, at := t.Next(); cells != nil; cells, at = t.Next() {
		r := readRow{line: at.In(t.Origin()).Line, texts: make([]string, len(places))}
		if all.named {
			r.policy = strings.Clone(table.Cell(cells, name))
		}
		for n, c := range places {
			if r.texts[n] = table.Absent; cells[c] != table.Absent {
				r.texts[n] = strings.Clone(table.Cell(cells, c))
			}
		}
		all.rows = append(all.rows, r)
	}
	return all
}

// wordFor finds the word that the mapping reads as what is wanted.
func (e *export) wordFor(k *taker, s *remedy.Step, at row) ([]remedy.Edit, string) {
	now, there := at.texts[k.from.Value]
	var edits []remedy.Edit
	if only := k.source.Only; only != nil {
		file, line, text := at.file, at.line, at.texts[only.From.Value]
		if only.File != nil {
			file, line = e.fileOf(only.File.Value), 0
			text, _ = e.constant(*only.File, only.From)
		}
		if words := e.switchWords(k); !slices.Contains(words, text) && len(words) > 0 && s.To != k.otherwise {
			edits = append(edits, remedy.Edit{File: file, Line: line, Place: only.From.Value, Before: text, After: words[0]})
		}
	}
	for _, word := range e.candidates(k, s.To, now, at.other[k.from.Value]) {
		v, said, problem := e.plan.value(k, word)
		if !said || problem != "" || !s.Does(v) {
			continue
		}
		if word != now || !there {
			edits = append(edits, remedy.Edit{File: at.file, Line: at.line, Place: k.from.Value, Before: now, After: word})
		}
		return edits, ""
	}
	return nil, fmt.Sprintf("the mapping has no word of %q for %s: say under \"words\" how the application writes it", k.from.Value,
		k.def.Text(s.To))
}

// switchWords are the words that switch a value on.
func (e *export) switchWords(k *taker) []string {
	if only := k.source.Only; len(only.Yes) > 0 || len(only.No) > 0 {
		return only.Yes
	}
	return e.plan.file.Yes
}

var (
	figures  = onuse.Regexp(`\d+([.,]\d+)?`)
	isoShape = onuse.Regexp(`^P(T?)\d+[A-Z]$`)
)

// candidates are texts that may say a value, the likeliest first: the words of
// the mapping, then what stands here and in other rows with another number,
// then the bare number.
func (e *export) candidates(k *taker, to setting.Value, now string, others []string) []string {
	list := slices.Sorted(maps.Keys(k.words))
	if k.def.Kind == setting.FlagKind {
		own := append(slices.Clone(k.source.Yes), k.source.No...)
		list = append(append(append(list, own...), e.plan.file.Yes...), e.plan.file.No...)
	}
	if to.State() == setting.Off || to.State() == setting.UntilUnlocked {
		list = append(append(list, k.source.Off...), e.plan.file.Off...)
		for _, text := range append([]string{now}, others...) { // as it is written in other rows
			if v, said, problem := e.plan.value(k, text); said && problem == "" && v == to {
				list = append(list, text)
			}
		}
		if list = append(list, "0"); k.on[null] != nil && *k.on[null] == to {
			list = append(list, "null")
		}
		return list
	}
	var patterns []string // texts with a number that counts
	for _, text := range append([]string{now}, others...) {
		if v, said, problem := e.plan.value(k, text); said && problem == "" && v.State() == to.State() {
			patterns = append(patterns, text)
		}
	}
	if n, ok := to.Count(); ok {
		number := strconv.FormatInt(n-int64(k.source.Add), 10)
		for _, p := range byNumber(patterns, number) {
			list = append(list, withNumber(p, number))
		}
		list = append(list, number)
	}
	if _, ok := to.Span(); ok {
		for _, p := range append(patterns, "") {
			list = append(list, e.lengths(k, remedy.Seconds(to), p, patterns)...)
		}
	}
	return list
}

// byNumber puts texts first that are of one where one is meant, and of several
// where several are, since words beside numbers agree with them.
func byNumber(texts []string, number string) []string {
	texts = slices.Clone(texts)
	slices.SortStableFunc(texts, func(a, b string) int {
		fits := func(text string) int {
			if (figures().FindString(text) == "1") == (number == "1") {
				return 0
			}
			return 1
		}
		return fits(a) - fits(b)
	})
	return texts
}

// withNumber is the present text with another number in it.
func withNumber(now, number string) string {
	if at := figures().FindStringIndex(now); at != nil {
		return now[:at[0]] + number + now[at[1]:]
	}
	return number
}

// lengths writes a length of time as a text does: with its unit, as a clock
// shows it, or as a number of the mapping's unit. What the unit does not divide
// is rounded, down first.
func (e *export) lengths(k *taker, seconds int64, like string, patterns []string) []string {
	var list []string
	if clock.MatchString(like) {
		if days := seconds / 86400; days > 0 {
			list = append(list, fmt.Sprintf("%d.%02d:%02d:%02d", days, seconds%86400/3600, seconds%3600/60, seconds%60))
		}
		list = append(list, fmt.Sprintf("%02d:%02d:%02d", seconds/3600, seconds%3600/60, seconds%60))
	}
	if isoShape().MatchString(like) {
		list = append(list, fmt.Sprintf("P%dD", seconds/86400), fmt.Sprintf("PT%dS", seconds))
	}
	var units []string
	if _, word, ok := strings.Cut(like, " "); ok {
		units = append(units, word)
	}
	if k.source.Unit != nil {
		units = append(units, k.source.Unit.Value)
	}
	for _, word := range units {
		span, ok := setting.UnitSpan(e.plan.numbers.unit(word))
		if !ok || span.Length() == 0 {
			continue
		}
		whole := seconds / span.Length()
		numbers := []int64{whole}
		if seconds%span.Length() != 0 {
			numbers = append(numbers, whole+1)
		}
		for _, n := range numbers {
			number := strconv.FormatInt(n, 10)
			for _, p := range byNumber(append([]string{like}, patterns...), number) {
				list = append(list, withNumber(p, number))
			}
		}
	}
	for _, unit := range []string{"days", "hours", "minutes", "seconds"} { // the application's words for other units
		span, _ := setting.UnitSpan(unit)
		for _, word := range e.unitWords(unit) {
			if seconds%span.Length() == 0 && like == "" {
				list = append(list, strconv.FormatInt(seconds/span.Length(), 10)+" "+word)
			}
		}
	}
	return list
}

// unitWords are the words of the application for a unit.
func (e *export) unitWords(unit string) []string {
	var words []string
	for _, word := range slices.Sorted(maps.Keys(e.plan.numbers.units)) {
		if e.plan.numbers.units[word] == unit {
			words = append(words, word)
		}
	}
	return words
}

// Account says the label of what an application shows of an account, and the
// word to set: one that the mapping reads as what is wanted.
func (e *export) Account(act remedy.Act, who remedy.Who, undo bool) (where, language string, lines []string) {
	fact, wanted := map[check.Act]string{check.Shut: "enabled", check.AskNew: "must_change", check.Unlock: "locked",
		check.Unmark: act.Mark}[act.Act], facts.TriOf(act.Act == check.AskNew)
	if undo {
		wanted = wanted.Not()
	}
	if len(e.accounts) != 1 || undo && act.Act == check.Unlock {
		return "", "", nil // it may stand in any of several tables
	}
	for i := range e.accounts[0].columns {
		c := &e.accounts[0].columns[i]
		if c.fact != fact || fact == "" || c.tri == nil || c.only != nil {
			continue
		}
		for _, word := range c.answers {
			if answer, _ := c.answers.find(word.text); answer == wanted && word.text != "" {
				return ownPages, remedy.Words, []string{fmt.Sprintf("%s: %s → %q", who.Login, c.from.Value, word.text)}
			}
		}
	}
	return "", "", nil
}
