package text

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/impact"
	"yewcone/core/setting"
	"yewcone/output"
)

// Impact writes what proposals would do to the accounts of today.
func Impact(w io.Writer, estate string, list []impact.System, o output.Options) error {
	p := newPage(w, o)
	if len(list) == 0 {
		p.para("", boldStyle, seen(estate)+": nothing is proposed that would change anything.")
		return p.w.Flush()
	}
	hit, shut := 0, 0
	for i := range list {
		for _, e := range []impact.Effect{impact.ShutNow, impact.ExpiredNow} {
			if g := list[i].Effects[e]; g != nil {
				hit += g.Accounts
			}
		}
		if g := list[i].Effects[impact.ShutNow]; g != nil {
			shut += g.Accounts
		}
	}
	text := fmt.Sprintf("%s: %s", seen(estate), expiredText(hit))
	if shut > 0 {
		text += fmt.Sprintf(", %d of them shut", shut)
	}
	p.para("", boldStyle, text+". Nothing was changed.")
	for i := range list {
		p.blank()
		p.impact(&list[i])
	}
	return p.w.Flush()
}

func expiredText(n int) string {
	switch n {
	case 0:
		return "nobody would be expired at once"
	case 1:
		return "1 account would be expired at once"
	}
	return fmt.Sprintf("%d accounts would be expired at once", n)
}

// soon is within how many days ends are listed day by day.
const soon = 31

func (p *page) impact(s *impact.System) {
	title := s.Name
	if s.Title != "" {
		title += " (" + s.Title + ")"
	}
	p.para("", boldStyle, seen(fmt.Sprintf("%s, %d accounts that a password lets in, as of %s", title, s.Accounts, asOf(s.AsOf))))
	if s.Partial {
		p.para("  ", badStyle, "its export was not read to its end: there may be more accounts that this would hit")
	}
	for _, x := range s.Proposals {
		def := setting.At(x.Setting)
		p.para("  proposed  ", plainStyle, seen(fmt.Sprintf("%s: %s %s → %s", x.Policy, def.Name, def.Text(x.From), def.Text(x.Value))))
	}
	width := 0
	for e := range s.Effects {
		width = max(width, len(e))
	}
	below := strings.Repeat(" ", width+4)
	for _, e := range impact.Effects {
		g := s.Effects[e]
		if g == nil {
			continue
		}
		style := plainStyle
		if e == impact.ShutNow || e == impact.ExpiredNow || e == impact.FactorAsked {
			style = badStyle
		}
		p.para("  "+p.paint(style, padded(string(e), width+2)), plainStyle, groupText(g))
		switch e {
		case impact.EndsOn:
			p.days(s, below)
		case impact.NextPassword:
			p.para(below, faintStyle, "how long passwords in use are is not known: they stay until they are changed")
		case impact.OwnEnd:
			p.para(below, faintStyle, "whether a new age moves it is not known")
		case impact.Undated:
			p.para(below, faintStyle, "when these end is not known")
		}
	}
	if len(s.Proposals) > 0 && len(s.Effects) == 0 {
		p.para("  ", plainStyle, "no account is touched today")
	}
	p.findingsOf("ends", s.Ended)
	p.findingsOf("new", s.New)
	for _, x := range s.Save {
		p.para("  save      ", oddStyle, seen("first, since it cannot be taken back: "+x.Setting.String()+": "+x.Text))
	}
	if g := s.Effects[impact.ExpiredNow]; g != nil || s.Effects[impact.ShutNow] != nil {
		for _, d := range s.Depends {
			p.para("  breaks    ", oddStyle, seen("when a password changes: "+d))
		}
		p.para("  back      ", plainStyle, seen("yewcone remedy "+s.Name+" --undo; passwords that people change meanwhile stay changed"))
	}
}

// days lists the days on which passwords end, those of the next month one by one.
func (p *page) days(s *impact.System, below string) {
	var near []string
	later, last := 0, ""
	limit := s.AsOf.AddDate(0, 0, soon).Format(time.DateOnly)
	for _, day := range s.Ends() {
		if day <= limit {
			near = append(near, fmt.Sprintf("%s: %d", day, s.Days[day].Accounts))
		} else {
			later, last = later+s.Days[day].Accounts, day
		}
	}
	if later > 0 {
		near = append(near, fmt.Sprintf("later, up to %s: %d", last, later))
	}
	p.para(below, faintStyle, strings.Join(near, ", "))
}

// groupText counts accounts by kind, and names those that are no people.
func groupText(g *impact.Group) string {
	text := fmt.Sprintf("%d %s", g.Accounts, plural(g.Accounts, "account", "accounts")) + share(g.Privileged, g.Accounts, "privileged")
	if names := g.Names["privileged"]; len(names) > 0 {
		text += " (" + seen(strings.Join(names, ", ")) + more(g.Privileged-len(names)) + ")"
	}
	var parts []string
	for _, kind := range append(slices.Clone(facts.Kinds), "") {
		n := g.Kinds[kind]
		if n == 0 || kind == facts.Person && n == g.Accounts {
			continue
		}
		word := map[string]string{facts.Person: plural(n, "person", "people"), facts.Service: plural(n, "program", "programs"),
			"": "of no known kind"}[kind]
		if word == "" {
			word = kind
		}
		part := fmt.Sprintf("%d %s", n, word)
		if names := g.Names[kind]; len(names) > 0 {
			part += " (" + seen(strings.Join(names, ", ")) + more(n-len(names)) + ")"
		}
		parts = append(parts, part)
	}
	if len(parts) > 0 {
		text += ": " + strings.Join(parts, "; ")
	}
	return text
}

func more(n int) string {
	if n <= 0 {
		return ""
	}
	return fmt.Sprintf(" and %d more", n)
}

// findingsOf lists findings that end or are new, those of a rule together.
func (p *page) findingsOf(word string, list []finding.Finding) {
	if len(list) == 0 {
		return
	}
	var lines []string
	for i := range list {
		f := &list[i]
		lines = append(lines, fmt.Sprintf("%s %s: %s (%s)", f.Severity, f.Rule, f.Sentence, f.Fingerprint))
	}
	p.para("  "+padded(word, 10), plainStyle, fmt.Sprintf("%d %s", len(list), plural(len(list), "finding", "findings")))
	for i, l := range lines {
		if i == 12 {
			p.para("            ", faintStyle, fmt.Sprintf("and %d more", len(lines)-i))
			break
		}
		p.para("            ", faintStyle, seen(l))
	}
}
