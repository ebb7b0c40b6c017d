package text

import (
	"fmt"
	"io"
	"strings"
	"time"

	"charm.land/lipgloss/v2"

	"yewcone/core/check"
	"yewcone/core/estate"
	"yewcone/core/rules"
	"yewcone/output"
)

var severityStyles = map[rules.Severity]lipgloss.Style{
	rules.Critical: lipgloss.NewStyle().Bold(true).Foreground(lipgloss.Color("9")),
	rules.High:     lipgloss.NewStyle().Foreground(lipgloss.Color("9")),
	rules.Medium:   lipgloss.NewStyle().Foreground(lipgloss.Color("11")),
	rules.Low:      lipgloss.NewStyle().Foreground(lipgloss.Color("14")),
	rules.Info:     faintStyle,
}

// Check writes the verdict, then the findings worst first, then what is not
// known, then what could not be read.
func Check(w io.Writer, r *check.Result, o output.Options) error {
	p := newPage(w, o)
	p.verdict(r)
	p.systems(r)
	p.reading(r)
	for i := range r.Findings {
		p.blank()
		p.finding(&r.Findings[i])
	}
	p.unknowns(r)
	return p.w.Flush()
}

// verdict is the first line: what was found, and where it is worst.
func (p *page) verdict(r *check.Result) {
	var parts []string
	counts := r.CountBySeverity("")
	for _, s := range rules.Severities {
		if counts[s] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", counts[s], s))
		}
	}
	text := "no findings"
	if len(parts) > 0 {
		text = list(parts) + plural(len(r.Findings), " finding", " findings")
		if len(r.Systems) > 1 {
			text += "; the worst system is " + r.WorstSystem()
		}
	}
	if r.Partial() {
		text = "PARTIAL, since not everything could be read: " + text + ", in what was read"
	}
	p.para("", boldStyle, seen(r.Estate)+": "+text+".")
	accounts, refused := 0, 0
	for _, s := range r.Systems {
		accounts += s.Accounts
		refused += s.Refused
	}
	rows := "no rows refused"
	if refused > 0 {
		rows = fmt.Sprintf("%d %s refused", refused, plural(refused, "row or value", "rows or values"))
	}
	unknown := "all that the rules ask is known"
	if n := len(r.Unknowns); n > 0 {
		unknown = fmt.Sprintf("%d %s the rules ask %s not known", n, plural(n, "thing that", "things that"), plural(n, "is", "are"))
	} else if r.Partial() {
		unknown = "what the missing part says is not known"
	}
	p.para("", plainStyle, fmt.Sprintf("Read %d %s with %d %s; %s; %s.",
		len(r.Systems), plural(len(r.Systems), "system", "systems"), accounts, plural(accounts, "account", "accounts"), rows, unknown))
}

func plural(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// list joins words with commas and "and".
func list(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// AsOf writes the moment an export speaks for.
func asOf(t time.Time) string {
	if t.IsZero() {
		return "date not known"
	}
	return t.Format("2006-01-02 15:04")
}

func (p *page) systems(r *check.Result) {
	p.blank()
	rows := [][]string{{"system", "as of (UTC)", "accounts"}}
	for _, s := range rules.Severities {
		rows[0] = append(rows[0], s.String())
	}
	rows[0] = append(rows[0], "clauses met")
	for i := range r.Systems {
		s := &r.Systems[i]
		counts := r.CountBySeverity(s.Name)
		row := []string{s.Name, asOf(s.AsOf), fmt.Sprint(s.Accounts)}
		for _, severity := range rules.Severities {
			cell := "·"
			if counts[severity] > 0 {
				cell = fmt.Sprint(counts[severity])
			}
			row = append(row, cell)
		}
		met := fmt.Sprintf("%d of %d", s.Met, s.Clauses)
		if s.Partial {
			met += " (partial)"
		}
		if s.Partial && s.Clauses == 0 {
			met = "not read"
		}
		if len(s.Rules) == 0 {
			met = "no rules"
		}
		rows = append(rows, append(row, met))
	}
	p.table("  ", rows, func(c int) bool { return c >= 2 && c < 8 }, func(row, c int, text string) string {
		switch {
		case row == 0:
			return p.paint(faintStyle, text)
		case c >= 3 && c < 8 && text != "·":
			return p.paint(severityStyles[rules.Severities[c-3]], text)
		}
		return text
	})
}

// reading lists what readers had to say.
func (p *page) reading(r *check.Result) {
	first := true
	for i := range r.Systems {
		s := &r.Systems[i]
		shown := 0
		for _, n := range s.Notes {
			if first {
				p.blank()
				p.para("", boldStyle, "While reading")
				first = false
			}
			word := map[estate.NoteKind]string{estate.NoteCut: "cut", estate.NoteRefused: "refused", estate.NoteRemark: "note"}[n.Kind]
			text := n.Message
			if n.Origin.Known() {
				text = n.Origin.String() + ": " + text
			}
			p.para(fmt.Sprintf("  %-9s", word), plainStyle, seen(s.Name+": "+text))
			if n.Kind == estate.NoteRefused {
				shown++
			}
		}
		if shown < s.Refused {
			p.para("           ", plainStyle, fmt.Sprintf("and %d more refused in %s", s.Refused-shown, seen(s.Name)))
		}
	}
}

const bodyIndent = "          "

func (p *page) finding(f *check.Finding) {
	word := f.Severity.String()
	lead := p.paint(severityStyles[f.Severity], word) + strings.Repeat(" ", len(bodyIndent)-len(word))
	p.para(lead, boldStyle, seen(f.System+": "+f.Sentence))
	p.para(bodyIndent, plainStyle, reached(&f.Reach))
	if where := place(f); where != "" {
		p.para(bodyIndent, plainStyle, where)
	}
	rule := "rule " + f.Rule
	if f.Because != "" {
		rule += ": " + f.Because
	}
	p.para(bodyIndent, faintStyle, seen(rule))
	p.para(bodyIndent, plainStyle, seen("mend: "+f.Remedy))
}

// reached says whom a finding concerns.
func reached(r *check.Reach) string {
	if r.Accounts == 0 {
		return "the export names no accounts"
	}
	text := fmt.Sprintf("%d %s", r.Accounts, plural(r.Accounts, "account", "accounts"))
	text += share(r.Privileged, r.Accounts, "privileged") + share(r.Disabled, r.Accounts, "disabled")
	var names []string
	for _, e := range r.Examples {
		names = append(names, seen(e.Login))
	}
	if len(names) > 0 {
		text += ": " + strings.Join(names, ", ")
	}
	if r.Accounts > len(names) {
		text += " …"
	}
	return text
}

// share writes how many of all are something: "", ", 3 disabled", ", all
// privileged".
func share(n, all int, what string) string {
	switch {
	case n == 0:
		return ""
	case n == all && n == 1:
		return ", " + what
	case n == all:
		return ", all " + what
	}
	return fmt.Sprintf(", %d %s", n, what)
}

// place says where the value stood, or where the first account does.
func place(f *check.Finding) string {
	if f.Policy != "" {
		text := f.Origin.String()
		if f.Origin.Text != "" {
			text += "  " + f.Origin.Text
		}
		return seen(text) + " (policy " + seen(f.Policy) + ")"
	}
	if len(f.Reach.Examples) == 0 {
		return ""
	}
	text := f.Reach.Examples[0].Origin.String()
	if f.Origin.Text != "" {
		text += "  " + f.Origin.Text
	}
	return seen(text) + " (the first of them)"
}

func (p *page) unknowns(r *check.Result) {
	if len(r.Unknowns) == 0 {
		return
	}
	p.blank()
	p.para("", boldStyle, "Not known, and so neither met nor broken")
	for i := range r.Unknowns {
		u := &r.Unknowns[i]
		kind := "setting"
		if u.Setting == "" {
			kind = "fact"
		}
		text := fmt.Sprintf("%s: the %s %s is not said in the export", u.System, kind, u.Name())
		if u.Reach.Accounts > 0 {
			text += fmt.Sprintf(" for %d %s", u.Reach.Accounts, plural(u.Reach.Accounts, "account", "accounts"))
		}
		p.para("unknown   ", plainStyle, seen(text+" (asked by "+strings.Join(u.Rules, ", ")+")"))
	}
}
