package draft

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/onuse"
	"yewcone/core/setting"
)

// settings drafts a table of settings.
func (d *drafter) settings(s *sample) {
	kind := s.kind
	d.head(s)
	d.line("    layout: %s", kind)
	switch kind {
	case "pairs":
		key, value := s.pairColumns()
		d.line("    key: %s\n    value: %s\n    policy: general\n    default: yes", s.header[key], s.header[value])
	case "document":
		d.line("    policy: general\n    default: yes")
	default:
		name := yamlText(s.header[s.policyColumn()])
		d.line("    policy: %s\n    roles: %s                # likely", name, name)
		inherit := []string{""}
		for c := range s.header {
			for _, v := range s.column(c) {
				if c != s.policyColumn() && strings.HasPrefix(v, "(") && !slices.Contains(inherit, v) {
					inherit = append(inherit, v)
				}
			}
		}
		d.line("    inherit: [%s]", quoted(inherit))
	}
	d.take(s.items(), kind)
}

var policyWords = onuse.Regexp(`^(name|policy|role|group|tier|profile|class|rolle|gruppe|profil|nom|rôle|groupe|nombre|perfil|rol|grupo)s?( |$)`)

// policyColumn is the column that tells the policies of a table apart: one that
// is named so, or the first without a value that stands twice.
func (s *sample) policyColumn() int {
	apart := func(c int) bool {
		values := s.column(c)
		return len(slices.Compact(slices.Sorted(slices.Values(values)))) == len(s.rows) && !numbers(values)
	}
	for _, named := range []bool{true, false} {
		for c, h := range s.header {
			if apart(c) && policyWords().MatchString(plainWords(h)) == named && match(settingClues, h) == "" {
				return c
			}
		}
	}
	return 0
}

// pairColumns are the columns of keys and of values.
func (s *sample) pairColumns() (key, value int) {
	key, _ = s.keyColumn()
	if value = key + 1; value >= len(s.header) {
		value = 0
	}
	return key, value
}

// items are the keys or columns that settings may come from, with their
// values apart by NUL.
func (s *sample) items() [][2]string {
	var items [][2]string
	switch s.kind {
	case "pairs":
		key, value := s.pairColumns()
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
		for c, h := range s.header {
			items = append(items, [2]string{h, s.rows[0][c]})
		}
	default:
		for c, h := range s.header {
			if c != s.policyColumn() {
				items = append(items, [2]string{h, strings.Join(slices.Compact(slices.Sorted(slices.Values(s.column(c)))), "\x00")})
			}
		}
	}
	return items
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
		if aside().MatchString(plainWords(item[0])) {
			score -= 3
		}
		if _, taken := best[name]; !taken || score > scores[name] {
			best[name], scores[name] = i, score
		}
	}
	return best
}

// aside are words of headings that are about something beside the setting.
var aside = onuse.Regexp(`\b(legend|master|default|alarm|allowed|everybody)`)

// take drafts the settings that keys or columns bring.
func (d *drafter) take(items [][2]string, kind string) {
	lines, left, asOf := d.settingLines(items, kind)
	if asOf != "" {
		d.line("    as_of: %s", yamlText(asOf))
	}
	d.line("    take:")
	for _, l := range lines {
		d.line("      %s", l)
	}
	for _, l := range left {
		d.line("      # ?: %s", l)
	}
}

// settingLines drafts a line for each key or column that is understood, and
// lists the others and the key that tells when the export was made.
func (d *drafter) settingLines(items [][2]string, kind string) (lines, left []string, asOf string) {
	best := likeliest(items)
	for i, item := range items {
		words := plainWords(item[0])
		if asOf == "" && kind != "rows" && strings.Contains(words, "export") && dateFormOf([]string{item[1]}) != "" {
			asOf = item[0]
			continue
		}
		name := match(settingClues, item[0])
		if name == "" || best[name] != i || strings.HasSuffix(item[0], "[*]") { // a list is no one value
			left = append(left, yamlText(item[0])+"   # "+shapes(strings.Split(item[1], "\x00")))
			continue
		}
		lines = append(lines, fmt.Sprintf("%s: %s", name, d.source(name, item[0], item[1])))
		if name == "min_upper" && strings.Contains(words, "small") {
			lines = append(lines, fmt.Sprintf("min_lower: %s", d.source("min_lower", item[0], item[1])))
		}
	}
	return lines, left, asOf
}

var unitWord = onuse.Regexp(`(second|minute|hour|day|month|year)s?`)

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
		if slices.ContainsFunc(list, func(v string) bool { return nought().MatchString(first(v)) }) {
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
var nought = onuse.Regexp(`^(0+([.,]0+)?|P0[A-Z]|PT0[A-Z])$`)

// otherUnits are units of time in other languages.
var otherUnits = map[string]string{"tag": "days", "tage": "days", "tagen": "days", "stunden": "hours", "minuten": "minutes", "wochen": "weeks",
	"monate": "months", "jours": "days", "heures": "hours", "semaines": "weeks", "mois": "months", "días": "days", "horas": "hours",
	"minutos": "minutes", "semanas": "weeks", "meses": "months"}

// unitIn finds a unit of time among words.
func unitIn(words string) string {
	if unit := unitWord().FindString(words); unit != "" {
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
		_, err := strconv.ParseFloat(strings.Replace(digits, ",", ".", 1), 64)
		return err == nil && (rest == "" || !strings.HasPrefix(v, digits+" ") || unitIn(strings.ToLower(rest)) != "")
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
	saysNo  = onuse.Regexp(`^(not|no|never|off|none|0|false|disabled)\b`)
	saysAll = onuse.Regexp(`require|always|every|all`)
	saysMay = onuse.Regexp(`offer|option|allow`)
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
		case saysNo().MatchString(lower):
			means = `"off"`
		case strings.Contains(lower, "admin"):
			means = "administrators"
		case saysAll().MatchString(lower):
			means = "everyone"
		case saysMay().MatchString(lower):
			means = "optional"
		}
		parts = append(parts, yamlText(v)+": "+means)
	}
	if parts == nil {
		return ""
	}
	return "words: {" + strings.Join(parts, ", ") + "}"
}
