// Package draft proposes mappings for files of no known format.
package draft

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/dateform"
	"yewcone/intake/mapping"
	"yewcone/intake/table"
)

// sampleRows is how many rows a draft looks at.
const sampleRows = 500

// A sample is what a draft looks at: the first rows of one table.
type sample struct {
	file, sheet, path string // path of the rows in JSON
	heading           int
	form              string // where the name of the file does not tell
	document          bool   // one JSON object
	header            []string
	rows              [][]string
	kind              string // as kindOf found it
}

func (s *sample) column(c int) []string {
	var values []string
	for _, row := range s.rows {
		if c < len(row) && row[c] != "" && row[c] != "null" {
			values = append(values, row[c])
		}
	}
	return values
}

// Of proposes a mapping for files of no known format, from their headings
// and values. What is likely but not sure says so; what nothing is proposed
// for stands in remarks. No value about an account is ever shown.
//
// The error is ErrNothing where the draft is whole and reads nothing.
func Of(r *intake.Request) (string, error) {
	d := &drafter{}
	for _, from := range r.From {
		samples, err := takeSamples(r, from)
		if err != nil {
			return "", err
		}
		if len(samples) == 0 {
			d.empty = append(d.empty, from)
		}
		for i := range samples {
			samples[i].kind = samples[i].kindOf()
		}
		d.samples = append(d.samples, samples...)
	}
	text := d.write()
	if !slices.ContainsFunc(d.samples, func(s sample) bool { return s.kind != "" }) {
		return text, ErrNothing
	}
	return text, nil
}

// ErrNothing is that nothing in the files reads like settings or accounts.
var ErrNothing = errors.New("nothing here reads like settings or accounts; fill the lines of the draft, or give the table of them")

type drafter struct {
	samples []sample
	dates   string
	yes, no []string
	empty   []string // files without a table or a document of settings
	b       strings.Builder
}

// write puts the draft together; what is said once for all stands at the top.
func (d *drafter) write() string {
	for i := range d.samples {
		for c := range d.samples[i].header {
			values := d.samples[i].column(c)
			d.learnWords(&d.samples[i], c, values)
			if d.dates == "" && match(factClues, d.samples[i].header[c]) != "" && !numbers(values) {
				d.dates = dateFormOf(values)
			}
		}
	}
	for i := range d.samples {
		for c, h := range d.samples[i].header {
			if f := match(factClues, h); d.dates == "" && mapping.KindOf(f) == mapping.DateFact {
				d.dates = dateFormOf(d.samples[i].column(c))
			}
		}
	}
	d.line("# A draft: read every line. \"likely\" was guessed from a heading; what 0, nothing and null mean is for you to say.")
	d.line("# Lines that begin with # ?: are what no line takes yet: write the setting or fact in place of the mark.")
	d.line("# What follows a # are shapes of values, in characters, and how much of a column is empty.")
	d.line("mapping: Draft")
	if d.dates != "" {
		d.line("dates: %s%s", d.dates, d.otherOrder())
	}
	if len(d.yes) > 0 {
		d.line("yes: [%s]\nno: [%s]", quoted(d.yes), quoted(d.no))
	}
	if off := d.offWords(); len(off) > 0 {
		d.line("off: [%s]", quoted(off))
	}
	var settings, accounts []*sample
	for i := range d.samples {
		s := &d.samples[i]
		switch {
		case s.kind == "accounts":
			accounts = append(accounts, s)
		case s.kind != "":
			settings = append(settings, s)
		default:
			d.line("# not understood: %s, with the columns %s", s.where(), cmp.Or(strings.Join(s.header, ", "), "(none)"))
			for c, h := range s.header {
				d.line("#   ?: %s   # %s", yamlText(h), s.evidence(c, ""))
			}
		}
	}
	for _, file := range d.empty {
		d.line("# not understood: %s, in which nothing reads like settings or accounts", file)
	}
	d.section("settings", settings, d.settings)
	d.section("accounts", accounts, d.accounts)
	return d.b.String()
}

// otherOrder remarks where days and months could change places: no date of the
// files tells them apart.
func (d *drafter) otherOrder() string {
	other, swapped := strings.CutPrefix(d.dates, "dd/mm")
	if !swapped {
		return ""
	}
	form, err := dateform.New("mm/dd" + other)
	if err != nil {
		return ""
	}
	for i := range d.samples {
		for c := range d.samples[i].header {
			values := d.samples[i].column(c)
			if dateFormOf(values) == d.dates && slices.ContainsFunc(values, func(v string) bool { _, ok := form.Parse(v, time.UTC); return !ok }) {
				return ""
			}
		}
	}
	return "   # or mm/dd" + other + ": no day here is after the 12th"
}

var offWord = regexp.MustCompile(`(?i)^(never|none|unlimited|no limit|disabled|0 = .*)$`)

// offWords are the words in tables of settings that mean: no such limit.
func (d *drafter) offWords() []string {
	var words []string
	for i := range d.samples {
		s := &d.samples[i]
		if k := s.kind; k == "accounts" || k == "" {
			continue
		}
		for c := range s.header {
			for _, v := range s.column(c) {
				if offWord.MatchString(v) && !slices.Contains(words, v) {
					words = append(words, v)
				}
			}
		}
	}
	return words
}

// learnWords finds the words for yes and no: those of columns about accounts
// that ask for them, and of settings.
func (d *drafter) learnWords(s *sample, c int, values []string) {
	add := func(yes, no string) {
		if yes != "" && !slices.Contains(d.yes, yes) {
			d.yes, d.no = append(d.yes, yes), append(d.no, no)
		}
	}
	if f := match(factClues, s.header[c]); mapping.KindOf(f) == mapping.FlagFact {
		add(yesNoOf(values))
	}
	if k := s.kind; k == "pairs" || k == "document" {
		for _, p := range wordPairs {
			if slices.Contains(s.answersIn(c), p[0]) && slices.Contains(s.answersIn(c), p[1]) && !numbers([]string{p[0]}) {
				add(p[0], p[1])
			}
		}
	}
}

// answersIn are the values in which words for yes and no are looked for: a column,
// or in a document all of its values.
func (s *sample) answersIn(c int) []string {
	if s.document {
		return s.rows[0]
	}
	return s.column(c)
}

func (d *drafter) line(format string, args ...any) { fmt.Fprintf(&d.b, format+"\n", args...) }

func (d *drafter) section(name string, list []*sample, each func(*sample)) {
	if len(list) > 0 {
		d.line("\n%s:", name)
	}
	for _, s := range list {
		each(s)
	}
}

func quoted(words []string) string {
	var out []string
	for _, w := range words {
		out = append(out, strconv.Quote(w))
	}
	return strings.Join(out, ", ")
}

func (s *sample) where() string {
	return strings.TrimSpace(s.file + " " + s.sheet + s.path)
}

func numbers(values []string) bool {
	return !slices.ContainsFunc(values, func(v string) bool { _, err := strconv.ParseFloat(v, 64); return err != nil })
}

// kindOf tells what a table holds: pairs, document, rows or accounts; "" when
// nothing fits.
func (s *sample) kindOf() string {
	if s.document {
		return "document"
	}
	key, _ := s.keyColumn()
	if key >= 0 {
		return "pairs"
	}
	facts, settings, login := 0, 0, false
	for _, h := range s.header {
		f := match(factClues, h)
		if f != "" {
			facts++
		}
		login = login || f == "login"
		if match(settingClues, h) != "" {
			settings++
		}
	}
	switch {
	case login && facts >= 3 && facts > settings, facts > settings && facts >= 2 && s.names() >= 0:
		return "accounts"
	case settings >= 1 && len(s.rows) <= fewPolicies:
		return "rows"
	case s.names() >= 0 && len(s.rows) > fewPolicies:
		return "accounts"
	}
	return ""
}

// fewPolicies is how many policies a system may have; accounts are more.
const fewPolicies = 60

// names finds the column that reads most like sign-in names: the first with a
// short text without blanks in each row that stands in no other; -1 for none.
func (s *sample) names() int {
	for c := range s.header {
		seen, fits := map[string]bool{}, len(s.rows) >= 3
		for _, row := range s.rows {
			v := ""
			if c < len(row) {
				v = row[c]
			}
			if v == "" || len(v) > 64 || strings.ContainsAny(v, " \t$") || seen[v] || dateFormOf([]string{v}) != "" {
				fits = false
				break
			}
			seen[v] = true
		}
		if fits {
			return c
		}
	}
	return -1
}

// evidence tells what stands in a column: the commonest shapes of its values,
// or the few words that it has where a fact is a question, and how much of it is
// empty. What no line takes may be secret, and only its shapes are shown.
func (s *sample) evidence(c int, fact string) string {
	values := s.column(c)
	text := shapes(values)
	distinct := slices.Compact(slices.Sorted(slices.Values(values)))
	long := func(v string) bool { return len(v) > 20 }
	if n := len(distinct); mapping.KindOf(fact) == mapping.FlagFact && n > 0 && n <= 6 && len(values) >= 3*n &&
		!slices.ContainsFunc(distinct, long) {
		var words []string
		for _, v := range distinct {
			words = append(words, table.Shown(v))
		}
		text = strings.Join(words, ", ")
	}
	if gone := len(s.rows) - len(values); gone > 0 {
		text += fmt.Sprintf("; %d %% empty", (100*gone+len(s.rows)-1)/len(s.rows))
	}
	return text
}

// shapes are the three commonest shapes of values, those of a kind together.
func shapes(values []string) string {
	type span struct{ n, from, to int }
	spans := map[string]*span{}
	for _, v := range values {
		kind, n := table.Kind(v)
		s := spans[kind]
		if s == nil {
			s = &span{from: n, to: n}
			spans[kind] = s
		}
		s.n, s.from, s.to = s.n+1, min(s.from, n), max(s.to, n)
	}
	list := slices.SortedFunc(maps.Keys(spans), func(a, b string) int { return cmp.Or(spans[b].n-spans[a].n, strings.Compare(a, b)) })
	for i, kind := range list {
		if s := spans[kind]; s.from == s.to {
			list[i] = fmt.Sprintf("%s of %d", kind, s.from)
		} else {
			list[i] = fmt.Sprintf("%s of %d to %d", kind, s.from, s.to)
		}
	}
	if len(list) > 3 {
		list = append(list[:3], "and others")
	}
	if len(list) == 0 {
		return "nothing"
	}
	return strings.Join(list, ", ")
}

// keyColumn finds the column whose values read like settings.
func (s *sample) keyColumn() (column, hits int) {
	column = -1
	for c := range s.header {
		n := 0
		for _, v := range s.column(c) {
			if match(settingClues, v) != "" {
				n++
			}
		}
		if n >= 3 && n > hits && len(s.rows) <= 200 {
			column, hits = c, n
		}
	}
	return column, hits
}

func (d *drafter) head(s *sample) {
	d.line("  - file: %s", s.file)
	if s.sheet != "" {
		d.line("    sheet: %s", s.sheet)
	}
	if s.form != "" {
		d.line("    form: %s", s.form)
	}
	if s.heading > 1 {
		d.line("    heading: %d", s.heading)
	}
	if s.path != "" && s.path != "$" {
		d.line("    rows: %s", s.path)
	}
}

// settings drafts a table of settings.
func (d *drafter) settings(s *sample) {
	kind := s.kind
	d.head(s)
	d.line("    layout: %s", kind)
	var items [][2]string
	switch kind {
	case "pairs":
		key, _ := s.keyColumn()
		value := key + 1
		if value >= len(s.header) {
			value = 0
		}
		d.line("    key: %s\n    value: %s\n    policy: general\n    default: yes", s.header[key], s.header[value])
		for _, row := range s.rows {
			unit := ""
			if value+1 < len(row) {
				unit = " " + row[value+1]
			}
			if row[key] != "" {
				items = append(items, [2]string{row[key], row[value] + unit})
			}
		}
	case "document":
		d.line("    policy: general\n    default: yes")
		for c, h := range s.header {
			items = append(items, [2]string{h, s.rows[0][c]})
		}
	default:
		d.line("    policy: %s\n    roles: %s                # likely", s.header[0], s.header[0])
		for c, h := range s.header[1:] {
			items = append(items, [2]string{h, strings.Join(slices.Compact(slices.Sorted(slices.Values(s.column(c+1)))), "\x00")})
		}
		inherit := []string{""}
		for c := range s.header[1:] {
			for _, v := range s.column(c + 1) {
				if strings.HasPrefix(v, "(") && !slices.Contains(inherit, v) {
					inherit = append(inherit, v)
				}
			}
		}
		d.line("    inherit: [%s]", quoted(inherit))
	}
	d.take(items, kind)
}

// likeliest picks, where several keys read like one setting, the one whose
// value fits its kind, and that is not said of a few or of legends only.
func likeliest(items [][2]string) map[string]int {
	best, scores := map[string]int{}, map[string]int{}
	for i, item := range items {
		name := match(settingClues, item[0])
		if name == "" {
			continue
		}
		score := 0
		if id, _ := setting.Find(name); setting.At(id).Kind <= setting.DurationKind &&
			strings.ContainsAny(item[1][:min(1, len(item[1]))], "0123456789") {
			score += 2
		}
		if aside.MatchString(plainWords(item[0])) {
			score -= 3
		}
		if _, taken := best[name]; !taken || score > scores[name] {
			best[name], scores[name] = i, score
		}
	}
	return best
}

// aside are words of headings that are about something beside the setting.
var aside = regexp.MustCompile(`\b(legend|master|default|alarm|allowed|everybody)`)

// take drafts the settings that keys or columns bring.
func (d *drafter) take(items [][2]string, kind string) {
	var lines, left []string
	asOf := ""
	best := likeliest(items)
	for i, item := range items {
		words := plainWords(item[0])
		if asOf == "" && kind != "rows" && strings.Contains(words, "export") && dateFormOf([]string{item[1]}) != "" {
			asOf = item[0]
			continue
		}
		name := match(settingClues, item[0])
		if name == "" || best[name] != i {
			left = append(left, yamlText(item[0])+"   # "+shapes(strings.Split(item[1], "\x00")))
			continue
		}
		lines = append(lines, fmt.Sprintf("      %s: %s", name, d.source(name, item[0], item[1])))
		if name == "min_upper" && strings.Contains(words, "small") {
			lines = append(lines, fmt.Sprintf("      min_lower: %s", d.source("min_lower", item[0], item[1])))
		}
	}
	if asOf != "" {
		d.line("    as_of: %s", yamlText(asOf))
	}
	d.line("    take:")
	for _, l := range lines {
		d.line("%s", l)
	}
	for _, l := range left {
		d.line("      # ?: %s", l)
	}
}

var unitWord = regexp.MustCompile(`(second|minute|hour|day|month|year)s?`)

// source drafts how one setting is read from values, which are apart by NUL.
func (d *drafter) source(name, from, values string) string {
	id, _ := setting.Find(name)
	def := setting.At(id)
	options, remarks := []string{"from: " + yamlText(from)}, []string{"likely"}
	list := strings.Split(values, "\x00")
	if def.Kind == setting.DurationKind && bare(list) {
		if unit := unitIn(plainWords(from) + " " + strings.ToLower(values)); unit != "" {
			options = append(options, "unit: "+unit)
		} else {
			remarks = append(remarks, "no unit is named: add \"unit: days\" or another")
		}
	}
	first := func(v string) string { w, _, _ := strings.Cut(strings.TrimSpace(v), " "); return w }
	if def.Kind <= setting.DurationKind {
		if slices.ContainsFunc(list, func(v string) bool { return nought.MatchString(first(v)) }) {
			remarks = append(remarks, "0 stands here: say what it means, as in \"zero: "+offWordOf(def)+"\"")
		}
		if slices.ContainsFunc(list, func(v string) bool { return strings.HasPrefix(v, "-") }) {
			remarks = append(remarks, "a number below 0 stands here: say under \"words\" what it means")
		}
	}
	if slices.Contains(list, "null") {
		remarks = append(remarks, "null stands here: say what it means, as in \"null: "+offWordOf(def)+"\"")
	}
	if words := d.words(def, list); words != "" {
		options = append(options, words)
	}
	text := yamlText(from)
	if len(options) > 1 {
		text = "{" + strings.Join(options, ", ") + "}"
	}
	if len(options) > 1 || len(remarks) > 1 {
		text += "   # " + strings.Join(remarks, "; ")
	}
	return text
}

// offWordOf is what a setting is where it is switched off, as an example.
func offWordOf(def *setting.Setting) string {
	if def.Unlock {
		return "until unlocked"
	}
	return cmp.Or(def.OffWord, "zero")
}

// nought is a zero in any writing.
var nought = regexp.MustCompile(`^(0+([.,]0+)?|P0[A-Z]|PT0[A-Z])$`)

// otherUnits are units of time in other languages.
var otherUnits = map[string]string{"tag": "days", "tage": "days", "tagen": "days", "stunden": "hours", "minuten": "minutes", "wochen": "weeks",
	"monate": "months", "jours": "days", "heures": "hours", "semaines": "weeks", "mois": "months", "días": "days", "horas": "hours",
	"minutos": "minutes", "semanas": "weeks", "meses": "months"}

// unitIn finds a unit of time among words.
func unitIn(words string) string {
	if unit := unitWord.FindString(words); unit != "" {
		return unit
	}
	for word := range strings.FieldsSeq(words) {
		if unit := otherUnits[word]; unit != "" {
			return unit
		}
	}
	return ""
}

// bare reports whether a value is a number without a unit beside it.
func bare(values []string) bool {
	return slices.ContainsFunc(values, func(v string) bool {
		digits, rest, _ := strings.Cut(strings.TrimSpace(v), " ")
		_, err := strconv.ParseFloat(digits, 64)
		return err == nil && (rest == "" || !strings.HasPrefix(v, digits+" ") || unitWord.MatchString(rest))
	})
}

// words drafts what words mean for settings that are not flags.
func (d *drafter) words(def *setting.Setting, values []string) string {
	value := strings.TrimSpace(values[0])
	if def.Kind == setting.ChoiceKind {
		return d.choices(def, values)
	}
	switch {
	case numbers([]string{value}):
		return ""
	case def.Kind == setting.CountKind && slices.Contains(d.yes, value), def.Kind == setting.CountKind && slices.Contains(d.no, value):
		i := max(slices.Index(d.yes, value), slices.Index(d.no, value))
		return fmt.Sprintf("words: {%q: 1, %q: none}", d.yes[i], d.no[i])
	case def.Unlock && strings.Contains(strings.ToLower(value), "until"):
		return fmt.Sprintf("words: {%q: until unlocked}", value)
	}
	return ""
}

var (
	saysNo  = regexp.MustCompile(`^(not|no|never|off|none|0|false|disabled)\b`)
	saysAll = regexp.MustCompile(`require|always|every|all`)
	saysMay = regexp.MustCompile(`offer|option|allow`)
)

// choices drafts what words mean for a setting with a list of choices.
func (d *drafter) choices(def *setting.Setting, values []string) string {
	var parts []string
	for _, v := range values {
		v = strings.TrimSpace(v)
		if _, err := def.Parse(v); err == nil || v == "" || strings.HasPrefix(v, "(") {
			continue
		}
		lower, means := strings.ToLower(v), "unknown"
		switch {
		case def.Name == "login_barred" && slices.Contains(d.yes, v):
			means = `"off"`
		case def.Name == "login_barred":
			means = "contained"
		case saysNo.MatchString(lower):
			means = `"off"`
		case strings.Contains(lower, "admin"):
			means = "administrators"
		case saysAll.MatchString(lower):
			means = "everyone"
		case saysMay.MatchString(lower):
			means = "optional"
		}
		parts = append(parts, yamlText(v)+": "+means)
	}
	if parts == nil {
		return ""
	}
	return "words: {" + strings.Join(parts, ", ") + "}"
}

func yamlText(text string) string {
	if strings.ContainsAny(text, ":#{}[],&*!|>'\"%@`") || text == "" {
		return strconv.Quote(text)
	}
	return text
}

// accounts drafts a table of accounts.
func (d *drafter) accounts(s *sample) {
	d.head(s)
	d.line("    take:")
	used := map[string]bool{}
	best := map[string]int{}
	for c, h := range s.header {
		if f := match(factClues, h); f != "" {
			if _, taken := best[f]; !taken || f == "login" && better(h, s.header[best[f]]) {
				best[f] = c
			}
		}
	}
	if _, found := best["login"]; !found {
		if c := s.names(); c >= 0 {
			best["login"] = c
		}
	}
	for c, h := range s.header {
		f := match(factClues, h)
		if at, found := best["login"]; found && at == c {
			f = "login"
		}
		if f == "" || best[f] != c || used[f] {
			d.line("      # ?: %s   # %s", yamlText(h), s.evidence(c, ""))
			continue
		}
		used[f] = true
		line, evidence := d.fact(f, h, s.column(c), len(s.rows)), s.evidence(c, f)
		if strings.HasPrefix(line, "#") {
			d.line("      # %s: %s; %s", f, strings.TrimPrefix(line, "#"), evidence)
			continue
		}
		if !strings.Contains(line, "   # ") {
			line += "   #"
		} else {
			line += ";"
		}
		d.line("      %s: %s %s", f, line, evidence)
	}
}

// better prefers a column of sign-in names to one of numbers.
func better(heading, than string) bool {
	clear := regexp.MustCompile("sign in|user name|username|login")
	return clear.MatchString(plainWords(heading)) && !clear.MatchString(plainWords(than))
}

// fact drafts how one fact is read.
func (d *drafter) fact(fact, from string, values []string, rows int) string {
	options := []string{"from: " + yamlText(from)}
	remark := ""
	switch {
	case mapping.KindOf(fact) == mapping.DateFact:
		if form := dateFormOf(values); form != "" && form != d.dates {
			options = append(options, "dates: "+form)
		}
		switch form := dateFormOf(values); {
		case slices.ContainsFunc(values, nought.MatchString):
			remark = "0 stands here: say \"zero: never\" if it means that"
		case form == "" && d.dates == "" && len(values) > 0:
			return "#" + yamlText(from) + "   # in what form are these dates"
		case len(values) < rows:
			remark = "what does nothing mean: \"empty: never\" or \"null: never\""
		}
	case mapping.KindOf(fact) == mapping.FlagFact:
		if options, remark = d.answers(fact, from, values, options); remark == unsaid {
			return "#{" + strings.Join(options, ", ") + "}   # " + remark
		}
	case mapping.KindOf(fact) == mapping.ListFact:
		for _, sep := range []string{",", ";", "|"} {
			if slices.ContainsFunc(values, func(v string) bool { return strings.Contains(v, sep) }) {
				options, remark = append(options, "split: "+strconv.Quote(sep)), "likely"
				break
			}
		}
	}
	text := yamlText(from)
	if len(options) > 1 {
		text = "{" + strings.Join(options, ", ") + "}"
	}
	if remark != "" {
		text += "   # " + remark
	}
	return text
}

// unsaid is remarked of questions whose words are not known.
const unsaid = "which words mean yes, and which no"

// answers drafts which words mean yes and no; a heading that says the opposite
// of the fact turns them round.
func (d *drafter) answers(fact, from string, values []string, options []string) ([]string, string) {
	words := plainWords(from)
	opposite := fact == "enabled" && regexp.MustCompile("off|disabled").MatchString(words) || fact == "never_expires" &&
		strings.HasSuffix(words, "password expires")
	yes, no := yesNoOf(values)
	switch {
	case yes != "" && opposite:
		return append(options, fmt.Sprintf("yes: %q, no: %q", no, yes)), "turned round, since the heading says the opposite"
	case yes != "":
		return options, ""
	}
	distinct := slices.Compact(slices.Sorted(slices.Values(values)))
	if len(distinct) == 0 {
		return options, "nothing stands here: say what \"empty\" means"
	}
	return append(options, "yes: [?], no: [?]"), unsaid
}
