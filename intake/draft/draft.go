// Package draft proposes mappings for files of no known format.
package draft

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/mapping"
)

// sampleRows is how many rows a draft looks at.
const sampleRows = 500

// A sample is what a draft looks at: the first rows of one table.
type sample struct {
	file, sheet, path string // path of the rows in JSON
	heading           int
	document          bool // one JSON object
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
	return d.write(), nil
}

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
	d.line("# A draft: read every line. \"likely\" was guessed from a heading; what 0 means was guessed too.")
	d.line("mapping: Draft")
	if d.dates != "" {
		d.line("dates: %s", d.dates)
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
		}
	}
	for _, file := range d.empty {
		d.line("# not understood: %s, in which nothing reads like settings or accounts", file)
	}
	d.section("settings", settings, d.settings)
	d.section("accounts", accounts, d.accounts)
	return d.b.String()
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
	case login && facts >= 3:
		return "accounts"
	case settings >= 1:
		return "rows"
	}
	return ""
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
			left = append(left, item[0])
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
		d.line("      # not used: %s", l)
	}
}

var unitWord = regexp.MustCompile(`(second|minute|hour|day|month|year)s?`)

// zeroMeans is the usual meaning of 0, to be looked at.
var zeroMeans = map[string]string{"max_age": "never", "lockout_attempts": "never", "lockout_duration": "until unlocked",
	"dormant_after": "never", "idle_timeout": "never", "session_limit": "never", "temporary_valid": "never",
	"lockout_window": "never"}

// source drafts how one setting is read from values, which are apart by NUL.
func (d *drafter) source(name, from, values string) string {
	id, _ := setting.Find(name)
	def := setting.At(id)
	options, remark := []string{"from: " + yamlText(from)}, "likely"
	list := strings.Split(values, "\x00")
	if def.Kind == setting.DurationKind {
		if bare(list) {
			unit := unitWord.FindString(plainWords(from) + " " + strings.ToLower(values))
			options = append(options, "unit: "+cmp.Or(unit, "days"))
			if unit == "" {
				remark = "likely; the unit is a guess"
			}
		}
	}
	first := func(v string) string { w, _, _ := strings.Cut(strings.TrimSpace(v), " "); return w }
	if slices.ContainsFunc(list, func(v string) bool { return first(v) == "0" }) && def.Kind <= setting.DurationKind {
		options = append(options, "zero: "+cmp.Or(zeroMeans[name], "none"))
		remark += "; is that what 0 means here?"
	}
	if words := d.words(def, list); words != "" {
		options = append(options, words)
	}
	if len(options) == 1 {
		return yamlText(from)
	}
	return "{" + strings.Join(options, ", ") + "}   # " + remark
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
	case value == "null" && def.OffIs != setting.NoOff:
		return `words: {"null": ` + def.OffWord + "}"
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
	for c, h := range s.header {
		f := match(factClues, h)
		if f == "" || best[f] != c || used[f] {
			d.line("      # not used: %s", h)
			continue
		}
		used[f] = true
		d.line("      %s: %s", f, d.fact(f, h, s.column(c), len(s.rows)))
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
		if len(values) < rows && (fact == "password_set" || fact == "last_sign_in" || fact == "locked_since" || fact == "account_ends") {
			options, remark = append(options, "empty: never"), "likely"
		}
	case mapping.KindOf(fact) == mapping.FlagFact:
		options, remark = d.answers(fact, from, values, options)
	case mapping.KindOf(fact) == mapping.ListFact:
		for _, sep := range []string{",", ";", "|"} {
			if slices.ContainsFunc(values, func(v string) bool { return strings.Contains(v, sep) }) {
				options, remark = append(options, "split: "+strconv.Quote(sep)), "likely"
				break
			}
		}
	}
	if len(options) == 1 {
		return yamlText(from)
	}
	text := "{" + strings.Join(options, ", ") + "}"
	if remark != "" {
		text += "   # " + remark
	}
	return text
}

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
	for _, off := range []string{"Off", "off", "none", "None", "closed", "disabled"} {
		if slices.Contains(distinct, off) {
			return append(options, fmt.Sprintf("no: %q, else: yes", off)), "likely"
		}
	}
	if fact == "second_factor" && len(distinct) > 0 {
		return append(options, `no: "", else: yes`), "likely"
	}
	return append(options, "else: yes"), "which words mean no?"
}
