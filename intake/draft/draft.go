// Package draft proposes mappings for files of no known format.
package draft

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/onuse"
	"yewcone/intake"
	"yewcone/intake/dateform"
	"yewcone/intake/mapping"
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
	months  []string
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
				d.dates, d.months = datesOf(values)
			}
		}
	}
	for i := range d.samples {
		for c, h := range d.samples[i].header {
			if f := match(factClues, h); d.dates == "" && mapping.KindOf(f) == mapping.DateFact {
				d.dates, d.months = datesOf(d.samples[i].column(c))
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
	if d.months != nil {
		d.line("months: [%s]", strings.Join(d.months, ", "))
	}
	d.numbers()
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
			d.line("# not understood: %s, of whose %d columns none has a heading that tells anything; they are not shown, since they may be values",
				s.where(), len(s.header))
			for c := range s.header {
				d.line("#   ?: column %d   # %s", c+1, s.evidence(c, ""))
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

var decimalComma = onuse.Regexp(`^\d+,\d{1,2}( |$)`)

// numbers drafts how the settings write fractions and units of time, where
// that is not as in English.
func (d *drafter) numbers() {
	units, comma := map[string]string{}, false
	for i := range d.samples {
		s := &d.samples[i]
		if s.kind == "accounts" || s.kind == "" {
			continue
		}
		for c := range s.header {
			for _, v := range s.column(c) {
				comma = comma || decimalComma().MatchString(v)
				digits, word, _ := strings.Cut(v, " ")
				if unit := otherUnits[strings.ToLower(word)]; unit != "" && numbers([]string{strings.Replace(digits, ",", ".", 1)}) {
					units[word] = unit
				}
			}
		}
	}
	if comma {
		d.line("decimal: comma")
	}
	var pairs []string
	for _, word := range slices.Sorted(maps.Keys(units)) {
		pairs = append(pairs, word+": "+units[word])
	}
	if pairs != nil {
		d.line("units: {%s}", strings.Join(pairs, ", "))
	}
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

var offWord = onuse.Regexp(`(?i)^(never|none|unlimited|no limit|disabled|0 = .*)$`)

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
				if offWord().MatchString(v) && !slices.Contains(words, v) {
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

func yamlText(text string) string {
	if strings.ContainsAny(text, ":#{}[],&*!|>'\"%@`") || text == "" {
		return strconv.Quote(text)
	}
	return text
}
