package text

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"charm.land/lipgloss/v2"

	"yewcone/core/change"
	"yewcone/core/facts"
	"yewcone/core/finding"
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

// Check writes the first screen: the verdict, what is open to anybody, what
// helps most, and how to see the rest; or everything, where that is wanted.
func Check(w io.Writer, r *finding.Result, o output.Options) error {
	p := newPage(w, o)
	p.verdict(r)
	if !o.All && !o.Details {
		p.screen(r)
		return p.w.Flush()
	}
	p.systems(r, len(r.Systems))
	p.reading(r)
	also := causes(r)
	for i := range r.Findings {
		severity := r.Findings[i].Severity
		if also.with[i] {
			continue
		}
		if !o.Details && severity <= rules.Medium && (i == 0 || r.Findings[i-1].Severity != severity) {
			p.blank() // worse ones begin with an empty line each
		}
		p.finding(&r.Findings[i], o.Details)
		for _, n := range also.of[i] {
			f := &r.Findings[n]
			p.para(bodyIndent+"also ", faintStyle, joined("; ", seen(f.Severity.String()+" for "+f.Rule.String()+": "+f.Ask()), reached(&f.Reach, 2),
				f.Fingerprint))
			p.ended(f)
		}
	}
	p.accepted(r)
	p.unknowns(r, o.Details)
	p.next(r)
	return p.w.Flush()
}

// caused are findings that one value causes: the worst stands for the others.
type caused struct {
	of   map[int][]int
	with map[int]bool
}

func causes(r *finding.Result) caused {
	c := caused{map[int][]int{}, map[int]bool{}}
	list := change.Of(r)
	for i := range list {
		for j := range list[i].Steps {
			s := &list[i].Steps[j]
			if !s.IsSetting && s.Mark == "" {
				continue
			}
			first := -1
			for _, f := range slices.Sorted(slices.Values(s.Findings)) {
				switch {
				case c.with[f] || c.of[f] != nil && first >= 0:
				case first < 0:
					first = f
				default:
					c.with[f] = true
					c.of[first] = append(c.of[first], f)
				}
			}
		}
	}
	return c
}

// next is the last thing on the screen: the verdict once more, where the first
// lines have scrolled away, and what to run now.
func (p *page) next(r *finding.Result) {
	if len(r.Findings) == 0 {
		return
	}
	p.blank()
	text := seen(r.Estate) + ": " + found(r) + "."
	for i := range r.Findings {
		if e := r.Findings[i].Reach.Examples; len(e) > 0 {
			text += " Next: yewcone why " + seen(r.Findings[i].System+" "+e[0].Login) + " tells what holds for one account, and why."
			break
		}
	}
	p.para("", plainStyle, text)
}

// verdict is the first line: what was found, and where it is worst.
func (p *page) verdict(r *finding.Result) {
	text := found(r)
	if r.Partial() {
		text = "PARTIAL, since not everything could be read: " + text + ", in what was read"
	} else if len(r.Findings) == 0 && len(r.Unknowns) > 0 {
		text += ", in what the exports show"
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
		unknown = fmt.Sprintf("%d %s the rules and checks ask %s not known", n, plural(n, "thing that", "things that"),
			plural(n, "is", "are"))
	} else if r.Partial() {
		unknown = "what the missing part says is not known"
	}
	p.para("", plainStyle, fmt.Sprintf("Read %d %s with %d %s; %s; %s.",
		len(r.Systems), plural(len(r.Systems), "system", "systems"), accounts, plural(accounts, "account", "accounts"), rows, unknown))
}

// found counts the findings and names the worst system.
func found(r *finding.Result) string {
	var parts []string
	counts := r.CountBySeverity("")
	for _, s := range rules.Severities {
		if counts[s] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", counts[s], s))
		}
	}
	if len(parts) == 0 {
		return "no findings"
	}
	text := list(parts) + plural(len(r.Findings), " finding", " findings")
	if len(r.Systems) > 1 {
		text += "; the worst system is " + r.WorstSystem()
	}
	return text
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

// systems writes a line for each system, or for so many of the worst.
func (p *page) systems(r *finding.Result, most int) {
	shown := r.WorstSystems(most)
	p.blank()
	rows := [][]string{{"system", "as of (UTC)", "accounts"}}
	for _, s := range rules.Severities {
		rows[0] = append(rows[0], s.String())
	}
	rows[0] = append(rows[0], "clauses met")
	for _, i := range shown {
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
		rows = append(rows, append(row, s.ClausesMet()))
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
	if n := len(r.Systems) - len(shown); n > 0 {
		p.para("  ", plainStyle, fmt.Sprintf("and %d more %s with less", n, plural(n, "system", "systems")))
	}
}

// reading lists what readers had to say.
func (p *page) reading(r *finding.Result) {
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
			word := map[facts.NoteKind]string{facts.NoteIncomplete: "cut", facts.NoteRefused: "refused", facts.NoteRemark: "note",
				facts.NoteView: "view"}[n.Kind]
			text := n.Message
			if n.Origin.Known() {
				text = n.Origin.String() + ": " + text
			}
			p.para(fmt.Sprintf("  %-9s", word), plainStyle, seen(s.Name+": "+text))
			if n.Kind == facts.NoteRefused {
				shown++
			}
		}
		if shown < s.Refused {
			p.para("           ", plainStyle, fmt.Sprintf("and %d more refused in %s", s.Refused-shown, seen(s.Name)))
		}
	}
}

const bodyIndent = "          "

// finding writes one finding: all about the worst, two lines about those in
// the middle and one about the rest, unless all details are wanted.
func (p *page) finding(f *finding.Finding, details bool) {
	word := f.Severity.String()
	lead := p.paint(severityStyles[f.Severity], word) + strings.Repeat(" ", len(bodyIndent)-len(word))
	rule := "rule " + f.Rule.String() + ", finding " + f.Fingerprint
	switch {
	case !details && f.Severity <= rules.Low:
		p.para(lead, plainStyle, joined("; ", seen(f.System+": "+f.Sentence), reached(&f.Reach,
			2))+seen(" ("+f.Rule.String()+", "+f.Fingerprint+")"))
		p.ended(f)
		return
	case !details && f.Severity == rules.Medium:
		p.para(lead, boldStyle, seen(f.System+": "+f.Sentence))
		p.para(bodyIndent, faintStyle, joined("; ", reached(&f.Reach, 2), place(f), seen(f.Rule.String()+", "+f.Fingerprint)))
		p.ended(f)
		return
	}
	p.blank()
	p.para(lead, boldStyle, seen(f.System+": "+f.Sentence))
	if text := reached(&f.Reach, -1); text != "" {
		p.para(bodyIndent, plainStyle, text)
	}
	if where := place(f); where != "" {
		p.para(bodyIndent, plainStyle, where)
	}
	if f.Because != "" {
		rule += ": " + f.Because
	}
	p.para(bodyIndent, faintStyle, seen(rule))
	p.para(bodyIndent, plainStyle, seen("mend: "+f.Remedy))
	p.ended(f)
}

// joined joins the texts that are not empty.
func joined(by string, texts ...string) string {
	return strings.Join(slices.DeleteFunc(texts, func(t string) bool { return t == "" }), by)
}

// ended says that an exception is over.
func (p *page) ended(f *finding.Finding) {
	if x := f.Outgrown; x != nil {
		p.para(bodyIndent, oddStyle, seen(fmt.Sprintf("an exception covers this up to %s only, until %s (%s: %s)", x.Value,
			x.Until.Format(time.DateOnly), x.Owner, x.Because)))
	}
	if x := f.Ended; x != nil {
		p.para(bodyIndent, plainStyle, seen(fmt.Sprintf("an exception for this ended on %s (%s: %s; %s)",
			x.Until.Format(time.DateOnly), x.Owner, x.Because, facts.Origin{File: x.Place.File(), Line: x.Place.Line})))
	}
}

// accepted lists what exceptions cover.
func (p *page) accepted(r *finding.Result) {
	if len(r.Accepted) == 0 {
		return
	}
	p.blank()
	p.para("", boldStyle, "Accepted, and not counted above")
	for i := range r.Accepted {
		f := &r.Accepted[i]
		x := f.Exception
		p.para(fmt.Sprintf("%-10s", f.Severity), plainStyle, joined("; ", seen(f.System+": "+f.Sentence),
			reached(&f.Reach, 3))+seen(fmt.Sprintf(" (%s, %s; until %s, %s answers: %s)", f.Rule, f.Fingerprint,
			x.Until.Format(time.DateOnly), x.Owner, x.Because)))
	}
}

// reached says whom a finding concerns, with at most so many names; -1 for all
// that were kept.
func reached(r *finding.Reach, names int) string {
	if r.Accounts == 0 {
		return ""
	}
	text := fmt.Sprintf("%d %s", r.Accounts, plural(r.Accounts, "account", "accounts"))
	text += share(r.Privileged, r.Accounts, "privileged") + share(r.Disabled, r.Accounts, "disabled")
	var logins []string
	for _, e := range r.Examples {
		if len(logins) != names {
			name := seen(e.Login)
			if detail := e.Detail(); detail != "" {
				name += " (" + seen(detail) + ")"
			}
			logins = append(logins, name)
		}
	}
	if len(logins) > 0 {
		text += ": " + strings.Join(logins, ", ")
	}
	if r.Accounts > len(logins) {
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
func place(f *finding.Finding) string {
	if f.Policy != "" || f.Reach.Accounts == 0 {
		text := f.Origin.String()
		if f.Origin.Text != "" {
			text += "  " + f.Origin.Text
		}
		if f.Policy == "" {
			return seen(text)
		}
		return seen(text) + " (policy " + seen(f.Policy) + ")"
	}
	if len(f.Reach.Examples) == 0 {
		return ""
	}
	text := f.Reach.Examples[0].Origin().String()
	if f.Origin.Text != "" {
		text += "  " + f.Origin.Text
	}
	return seen(text) + " (the first of them)"
}

// unknowns lists what the rules ask and the exports do not say; what only
// checks ask stands in one line for each system, unless all details are
// wanted.
func (p *page) unknowns(r *finding.Result, details bool) {
	if len(r.Unknowns) == 0 {
		return
	}
	p.blank()
	p.para("", boldStyle, "Not known, and so neither met nor broken")
	forChecks := map[string][]string{}
	type key struct{ system, toKnow string }
	groups := map[key][]*finding.Unknown{} // that the same would tell
	var order []key
	for i := range r.Unknowns {
		u := &r.Unknowns[i]
		if !details && u.OnlyChecks() {
			forChecks[u.System] = append(forChecks[u.System], u.Name())
			continue
		}
		k := key{u.System, u.ToKnow}
		if details {
			k.toKnow = fmt.Sprint(i)
		}
		if groups[k] == nil {
			order = append(order, k)
		}
		groups[k] = append(groups[k], u)
	}
	for _, k := range order {
		p.para("unknown   ", plainStyle, seen(notKnown(groups[k])))
	}
	for _, s := range r.Systems {
		if names := forChecks[s.Name]; len(names) > 0 {
			p.para("unknown   ", plainStyle, seen(s.Name+": the checks ask also for "+list(names)+", which the export does "+
				"not show for all accounts (--details tells more)"))
		}
	}
}

// notKnown tells of things that the same would tell.
func notKnown(same []*finding.Unknown) string {
	first := same[0]
	var what []string
	for _, u := range same {
		text := u.Name()
		if u.Reach.Accounts > 0 {
			text += fmt.Sprintf(" of %s", counted(u.Reach.Accounts, "account", "accounts"))
		}
		what = append(what, text+" (asked by "+strings.Join(rules.Names(u.Rules), ", ")+")")
	}
	kind := "is"
	if len(same) > 1 {
		kind = "are"
	}
	text := first.System + ": " + list(what) + " " + kind + " not known from the export"
	if first.ToKnow != "" {
		text += "; to know " + plural(len(same), "it", "them") + ": " + first.ToKnow
	}
	return text
}
