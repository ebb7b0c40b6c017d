// Package reference says what there is to know about each setting, check and
// fact, once for every form in which it is written.
package reference

import (
	"fmt"
	"strings"

	"yewcone/core/check"
	"yewcone/core/condition"
	"yewcone/core/password"
	"yewcone/core/setting"
)

// A Page is a list of things of one sort.
type Page struct {
	Name    string // settings, checks or facts
	Title   string
	Intro   string
	Entries []Entry
}

// An Entry is one setting, check or fact.
type Entry struct {
	Name   string  `json:"name"`
	Group  string  `json:"group"` // entries of one group stand together
	Title  string  `json:"title"` // one sentence without a full stop
	Fields []Field `json:"-"`
}

// A Field is one thing to know about an entry.
type Field struct {
	Label string // one word
	Text  string
	Code  bool // an expression
}

// Settings describes settings of the catalogue.
func Settings() Page {
	p := Page{Name: "settings", Title: "Settings",
		Intro: "What rules can ask for under \"expect\", what mappings can fill under \"take\", and what \"why\" explains."}
	for id := range setting.Len {
		s := setting.At(id)
		e := Entry{Name: s.Name, Group: s.Group, Title: s.Meaning}
		e.add("values", s.Expects())
		e.add("order", stricter(s))
		switch s.OffIs {
		case setting.OffWeakest:
			e.add("off", "\""+s.OffWord+"\": "+s.Say(setting.OffValue)+"; weaker than every amount")
		case setting.OffStrictest:
			e.add("off", "\""+s.OffWord+"\": "+s.Say(setting.OffValue)+"; stricter than every amount")
		}
		if needed, ok := id.Needs(); ok {
			e.add("needs", needed.String()+"; without it this setting has no effect and is not judged")
		}
		if doc := password.Definition(id); doc != "" {
			e.add("candidate", doc)
		}
		p.Entries = append(p.Entries, e)
	}
	return p
}

// stricter says which of two values is stricter.
func stricter(s *setting.Setting) string {
	switch {
	case s.Kind == setting.ChoiceKind:
		return "weakest first: " + strings.Join(s.Choices, ", ")
	case s.Order == setting.Higher:
		return "more is stricter"
	case s.Order == setting.Lower:
		return "less is stricter"
	case s.Order == setting.YesStricter:
		return "yes is stricter"
	case s.Order == setting.NoStricter:
		return "no is stricter"
	}
	return "neither value is stricter"
}

// Checks describes checks with the limits they have unless an estate sets
// others.
func Checks(list []check.Check) Page {
	p := Page{Name: "checks", Title: "Checks", Intro: "What is looked for on every system, whatever the rules are. In " +
		"estate.yaml, \"checks\" turns one off or gives it another severity or length of time."}
	for _, c := range list {
		e := Entry{Name: c.ID, Group: "systems", Title: c.Titled()}
		switch {
		case c.Account != "":
			e.Group = "accounts"
		case c.Settings != nil:
			e.Group = "settings"
		case c.OfRecord():
			e.Group = "records of sign-ins"
		}
		severity := c.Severity.String()
		if c.IfPrivileged != 0 && c.IfPrivileged != c.Severity {
			severity += "; " + c.IfPrivileged.String() + " for privileged accounts"
		}
		e.add("severity", severity)
		e.add("why", c.Doc)
		e.add("mend", c.Remedy)
		if c.Account != "" {
			asks := strings.ReplaceAll(c.Account, "{limit}", fmt.Sprintf("days(%d)", c.Limit.Length()/86400))
			e.Fields = append(e.Fields, Field{"asks", asks, true})
		}
		p.Entries = append(p.Entries, e)
	}
	return p
}

// Facts describes the facts that conditions can use.
func Facts(list []condition.Fact) Page {
	p := Page{Name: "facts", Title: "Facts", Intro: "What \"for\", \"forbid\", \"kinds\" and \"privileged\" can ask about " +
		"an account. Functions: days(90), hours(8), months(3), years(1), date(\"2026-11-20\"), under(unit, \"Office\"). " +
		"Operators: and, or, not, ==, !=, <, <=, >, >=, in, startsWith, endsWith, contains, matches."}
	for _, f := range list {
		e := Entry{Name: f.Name, Group: "accounts", Title: f.Meaning}
		e.add("type", f.Type)
		if len(f.Words) > 0 {
			e.add("words", strings.Join(f.Words, ", "))
		}
		p.Entries = append(p.Entries, e)
	}
	return p
}

func (e *Entry) add(label, text string) {
	e.Fields = append(e.Fields, Field{Label: label, Text: text})
}
