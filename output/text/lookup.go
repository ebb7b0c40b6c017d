package text

import (
	"io"
	"strings"

	"yewcone/core/condition"
	"yewcone/core/setting"
	"yewcone/output"
	"yewcone/output/reference"
)

// Catalogue writes all settings, group by group.
func Catalogue(w io.Writer, o output.Options) error {
	p := newPage(w, o)
	for i, group := range setting.Groups() {
		if i > 0 {
			p.blank()
		}
		lead := ""
		if i == 0 {
			lead = padded("", 25-len(group)) + "stricter"
		}
		_, _ = p.w.WriteString(p.paint(boldStyle, group+lead) + "\n")
		for id := range setting.Len {
			if s := setting.At(id); s.Group == group {
				p.para("  "+padded(s.Name, 23)+padded(direction(s), 9), plainStyle, s.Meaning)
			}
		}
	}
	p.blank()
	p.para("", faintStyle, "\"yewcone settings NAME\" tells which values a setting takes, and which are the weaker.")
	return p.w.Flush()
}

func padded(text string, width int) string {
	return text + strings.Repeat(" ", max(1, width-len(text)))
}

// direction is stricter in one word.
func direction(s *setting.Setting) string {
	switch {
	case s.Kind == setting.ChoiceKind:
		return "choice"
	case s.Order == setting.Higher:
		return "more"
	case s.Order == setting.Lower:
		return "less"
	case s.Order == setting.YesStricter:
		return "yes"
	case s.Order == setting.NoStricter:
		return "no"
	}
	return "neither"
}

// Entries tells all about some entries of a page of reference.
func Entries(w io.Writer, list []reference.Entry, o output.Options) error {
	p := newPage(w, o)
	for i, e := range list {
		if i > 0 {
			p.blank()
		}
		p.para("", boldStyle, e.Name+": "+e.Title)
		for _, f := range e.Fields {
			p.para("  "+padded(f.Label, 10), plainStyle, f.Text)
		}
	}
	return p.w.Flush()
}

// Facts writes the facts that conditions can use.
func Facts(w io.Writer, facts []condition.Fact, o output.Options) error {
	p := newPage(w, o)
	for _, f := range facts {
		p.para(padded(f.Name, 20)+padded(f.Type, 11), plainStyle, f.Meaning)
	}
	p.blank()
	p.para("", faintStyle, "Functions: days(90), hours(8), months(3), years(1), date(\"2026-11-20\"), under(unit, "+
		"\"Office\"). Operators: and, or, not, ==, !=, <, <=, >, >=, in, startsWith, endsWith, contains, matches.")
	return p.w.Flush()
}
