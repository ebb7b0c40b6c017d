package mapping

import (
	"maps"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
	"yewcone/intake/dateform"
	"yewcone/intake/table"
)

// A gap is a text that says nothing of its own: what it means, the mapping
// says, and each is answered by nothing but itself.
type gap uint8

const (
	empty   gap = iota
	null        // null of JSON, or the word of a database's table
	missing     // what the row lacks
	gaps
	noGap = gaps
)

// gapOf tells which gap a trimmed text is; noGap for any other.
func gapOf(text string) gap {
	switch {
	case text == "":
		return empty
	case text == table.Absent:
		return missing
	case len(text) == 4 && (text == "null" || text == "NULL"):
		return null
	}
	return noGap
}

// gapTexts are what a mapping says of gaps: the answers under "empty", "null"
// and "missing".
type gapTexts [gaps]*strictyaml.Text

// sameAs is the answer of null and missing that sends to that of empty.
const sameAs = "empty"

// onGaps makes the gaps' answers ready.
func (p *plan) onGaps(c *factColumn, key strictyaml.Text, source *factSource) {
	texts := gapTexts{source.Empty, source.Null, source.Gone}
	for g := range gaps {
		if texts[g] != nil && (g == empty || texts[g].Value != sameAs) {
			c.on[g] = p.answer(key, *texts[g])
		}
	}
	for _, w := range source.Words { // a word for nothing, or for null, says it too
		if g := gapOf(w.Key.Value); g != noGap && c.on[g] == nil {
			c.on[g] = p.answer(key, w.Value)
		}
	}
	if c.tri != nil {
		for _, w := range c.answers {
			if g := gapOf(w.text); g != noGap && c.on[g] == nil {
				c.on[g] = func(a *facts.Account) { *c.tri(a) = w.answer }
			}
		}
	}
	if field, ok := listFacts[key.Value]; ok && c.on[empty] == nil {
		c.on[empty] = func(a *facts.Account) { _, known := field(a); *known = true } // an empty list is a list
	}
	for _, g := range []gap{null, missing} {
		if texts[g] != nil && texts[g].Value == sameAs {
			if c.on[g] = c.on[empty]; c.on[g] == nil {
				c.on[g] = func(*facts.Account) {}
			}
		}
	}
}

// What some moments may be answered with beside never and unknown.
const (
	notLocked = "not locked" // of a lock
	notSet    = "not set"    // of a password: there is none
)

// answer is what puts a written answer into the account; "unknown" leaves it
// as it is.
func (p *plan) answer(key, text strictyaml.Text) func(*facts.Account) {
	if text.Value == "unknown" {
		return func(*facts.Account) {}
	}
	name := key.Value
	switch KindOf(name) {
	case FlagFact:
		field, answer := triFacts[name], facts.TriOf(p.choice(text, "yes", "no", "unknown") == "yes")
		return func(a *facts.Account) { *field(a) = answer }
	case DateFact:
		words := []string{"never", "unknown"}
		if name == "locked_until" || name == "locked_since" {
			if text.Value == notLocked {
				return func(a *facts.Account) { a.Locked = facts.No }
			}
			words = append(words, notLocked)
		}
		if name == "password_set" {
			if text.Value == notSet {
				return func(a *facts.Account) { a.PasswordSet, a.PasswordUsable = facts.Never, facts.No }
			}
			words = append(words, notSet)
		}
		p.choice(text, words...)
		field := dateFacts[name]
		return func(a *facts.Account) { *field(a) = facts.Never }
	case ListFact:
		p.choice(text, "none", "unknown")
		field := listFacts[name]
		return func(a *facts.Account) { _, known := field(a); *known = true }
	case TextFact:
		if name == "kind" {
			p.choice(text, append(slices.Clone(facts.Kinds), "unknown")...)
		}
		field, value := textFacts[name], text.Value
		return func(a *facts.Account) { *field(a) = value }
	}
	if name == "storage" {
		v, err := setting.At(setting.Storage).Parse(text.Value)
		if err != nil {
			p.fail(text, "%s", err)
		}
		return func(a *facts.Account) { a.Storage = v }
	}
	p.fail(text, "%s takes no answer of the mapping", name)
	return nil
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
	if len(c.answers) == 0 && source.Else == nil && source.Null == nil && source.Empty == nil {
		p.fail(source.From, "which words mean yes and no is not said; add \"yes\" and \"no\" here or at the top of the mapping")
	}
}

// dateWords read a date, or a word or nothing in its place.
type dateWords struct {
	form  *dateform.Form
	iso   bool                       // the form is ISO 8601
	usual func(string) (int64, bool) // see dateform.Form.Second
	zone  *time.Location
	zero  func(*facts.Account) // what the 0 of a count means
	words map[string]func(*facts.Account)
}

// take puts a date, or what a word says, into its place; false where the text
// is not understood.
func (d *dateWords) take(a *facts.Account, field *facts.Moment, text string) bool {
	if len(d.words) > 0 {
		if put, ok := d.words[text]; ok {
			put(a)
			return true
		}
	}
	if d.usual != nil {
		if second, ok := d.usual(text); ok {
			*field = facts.AtSecond(second)
			return true
		}
	}
	if d.zero != nil && strings.Trim(text, "0.,-:/ ") == "" {
		d.zero(a)
		return true
	}
	at, ok := d.form.Parse(text, d.zone)
	*field = at
	return ok
}

// word reports whether a text is no date but a word for something else.
func (d *dateWords) word(text string) bool {
	_, ok := d.words[text]
	return ok || d.zero != nil && strings.Trim(text, "0.,-:/ ") == ""
}

func (p *plan) dateWords(c *factColumn, key strictyaml.Text, source *factSource) bool {
	d := dateWords{form: p.dates, zone: p.zone, words: map[string]func(*facts.Account){}}
	if len(source.Dates) > 0 {
		d.form = p.dateForm(source.Dates)
	}
	if d.form == nil {
		p.fail(key, "how dates are written is not said; add \"dates: dd/mm/yyyy hh:mm\" or another form here or at the top of the mapping")
		return false
	}
	for _, w := range source.Words {
		d.words[w.Key.Value] = p.answer(key, w.Value)
	}
	if source.Zero != nil {
		d.zero = p.answer(key, *source.Zero)
	}
	d.iso, d.usual = d.form.ISO(), d.form.Second()
	c.dates = d
	return true
}

// onGroupGaps makes the gaps' answers ready for the column of one group.
func (p *plan) onGroupGaps(c *factColumn, source *factSource) {
	for g, text := range (gapTexts{source.Empty, source.Null, source.Gone}) {
		if _, ok := c.answers.find(""); ok && gap(g) == empty {
			c.on[g] = func(a *facts.Account) { c.put(a, "") }
		}
		if text == nil {
			continue
		}
		answer := p.choice(*text, "yes", "no", "unknown")
		for _, w := range c.answers {
			if w.answer == facts.TriOf(answer == "yes") && answer != "unknown" {
				c.on[g] = func(a *facts.Account) { c.put(a, w.text) }
			}
		}
	}
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
