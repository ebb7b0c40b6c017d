package text

import (
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"yewcone/core/blocklist"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/password"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/output"
)

// Gaps writes systems side by side: the verdict, links, guesses, people, what
// is not covered, then every setting.
func Gaps(w io.Writer, r *finding.Result, o output.GapOptions) error {
	p := newPage(w, o.Options)
	rows := o.Rows(r.Gaps, o.Audience)
	p.gapVerdict(r, rows, o.Audience)
	p.kindsUnknown(r.Gaps, o.Audience)
	if len(o.Settings) == 0 {
		p.links(r.Gaps)
		p.guesses(r.Gaps, &o)
		p.people(r)
		p.coverage(r.Gaps)
	}
	p.sideBySide(r.Gaps, rows, o)
	return p.w.Flush()
}

// gapVerdict names the weakest system, the worst setting and the links that
// disagree.
// audienceWords name those that are compared.
var audienceWords = map[gap.Audience]string{gap.People: "people", gap.Privileged: "privileged accounts", gap.Service: "service accounts"}

// worstOf counts the worst findings of a system.
func worstOf(r *finding.Result, system string) string {
	counts := r.CountBySeverity(system)
	var parts []string
	for _, s := range rules.Severities {
		if counts[s] > 0 && len(parts) < 2 {
			parts = append(parts, fmt.Sprintf("%d %s", counts[s], s))
		}
	}
	return list(parts) + " findings"
}

func (p *page) gapVerdict(r *finding.Result, rows []gap.Row, audience gap.Audience) {
	g := r.Gaps
	text := seen(r.Estate) + ": "
	if r.Partial() {
		text += "PARTIAL, since not everything could be read: "
	}
	parts := []string{}
	if worst := r.WorstSystem(); worst != "" {
		parts = append(parts, fmt.Sprintf("the worst of %d systems is %s, with %s", len(g.Profiles), worst, worstOf(r, worst)))
	} else {
		parts = append(parts, counted(len(g.Profiles), "system", "systems"))
	}
	name, most, said := "", 0, 0
	for i := range rows {
		below, told := 0, 0
		for _, c := range rows[i].Cells {
			if c.Below {
				below++
			}
			if c.Value.Known() {
				told++
			}
		}
		if below > most {
			name, most, said = rows[i].Setting.Name, below, told
		}
	}
	if most > 0 {
		parts = append(parts, fmt.Sprintf("the setting that most often falls short is %s, below the rules for %s on %d of the %d systems that say it",
			name, audienceWords[audience], most, said))
	}
	disagree := 0
	for _, l := range g.Links {
		if !l.Agrees() {
			disagree++
		}
	}
	if n := len(g.Links); n > 0 {
		parts = append(parts, fmt.Sprintf("%d of %s", disagree, counted(n, "link disagrees", "links disagree")))
	}
	p.para("", boldStyle, text+strings.Join(parts, "; ")+".")
}

var (
	badStyle  = lipgloss.NewStyle().Foreground(lipgloss.Color("9"))
	oddStyle  = lipgloss.NewStyle().Foreground(lipgloss.Color("11"))
	goodStyle = lipgloss.NewStyle().Foreground(lipgloss.Color("10"))
)

func (p *page) links(g *finding.Gaps) {
	for i, l := range g.Links {
		if i == 0 {
			p.blank()
			p.para("", boldStyle, "Links")
		}
		style, word := goodStyle, "agree"
		if !l.Agrees() {
			style, word = badStyle, "disagree"
		} else if len(l.Open) > 0 {
			style, word = oddStyle, "agree as far as is known"
		}
		p.para("  ", style, seen(l.Between[0]+" and "+l.Between[1]+" "+word+": "+l.Because))
		for _, u := range l.Unequal {
			def := setting.At(u.ID)
			p.para("    "+padded(def.Name, 20), plainStyle, fmt.Sprintf("%s on %s, %s on %s",
				def.Text(u.Cells[0].Value), l.Between[0], def.Text(u.Cells[1].Value), l.Between[1]))
		}
		if l.Locks != "" {
			p.para("    "+padded("who locks first", 20), plainStyle, seen(l.Locks))
		}
		for _, set := range l.Collide {
			p.para("    "+padded("no password", 20), plainStyle, seen(password.Clash(set)))
		}
		if l.Shared && len(l.Collide) == 0 && !l.LengthOpen {
			p.para("    "+padded("one password", 20), plainStyle,
				fmt.Sprintf("both take some from %s on, %s at that length", counted(l.Length, "character", "characters"),
					bits(l.Common)))
		}
		for _, text := range l.Ages {
			p.para("    "+padded("ages", 20), plainStyle, seen(text))
		}
		if len(l.Open) > 0 {
			var names []string
			for _, u := range l.Open {
				names = append(names, u.ID.String())
			}
			p.para("    "+padded("not known", 20), faintStyle, strings.Join(names, ", "))
		}
	}
}

// guesses ranks the guess budgets.
func (p *page) guesses(g *finding.Gaps, o *output.GapOptions) {
	var list []*finding.Guess
	for i := range g.Guesses {
		if g.Guesses[i].Audience == o.Audience {
			list = append(list, &g.Guesses[i])
		}
	}
	if len(list) == 0 {
		return
	}
	p.blank()
	p.para("", boldStyle, "Guesses that one account allows ("+o.Audience.String()+"), and how many passwords there are")
	common := blocklist.Common().Count()
	rows := [][]string{{"system", "accounts", "a day", "over its life", "well-known list in", "a day per address", "space, bits"}}
	for _, b := range list {
		rows = append(rows, []string{b.System, fmt.Sprint(b.Accounts), output.Count(b.PerDay, b.Known),
			output.Count(b.OverLife(), b.Known && b.LifeKnown),
			within(float64(common), b), output.Count(b.SourcePerDay, b.SourceKnown), measured(&b.Space)})
	}
	p.table("  ", rows, func(c int) bool { return c >= 1 }, func(row, c int, text string) string {
		switch {
		case row == 0:
			return p.paint(faintStyle, text)
		case text == "no bound":
			return p.paint(badStyle, text)
		}
		return text
	})
	p.para("  ", faintStyle, fmt.Sprintf("The larger of guessing below the threshold and not caring for locks (--arithmetic "+
		"shows it); a life without end counts as a year. The list is the one of %s well-known passwords; the space is for "+
		"random passwords of the least length.", output.Count(float64(common), true)))
	if !o.Arithmetic {
		return
	}
	for _, b := range list {
		p.para("    "+padded(b.System, 14), plainStyle, b.Arithmetic())
	}
}

// within is how long it takes to try a list at a budget.
func within(words float64, g *finding.Guess) string {
	switch days := words / g.PerDay; {
	case !g.Known:
		return "not known"
	case g.PerDay == 0:
		return "never"
	case math.IsInf(g.PerDay, 1):
		return "at once"
	case days < 1.0/24:
		return "an hour"
	case days < 1:
		return fmt.Sprintf("%.0f h", math.Ceil(days*24))
	default:
		return output.Count(math.Ceil(days), true) + " days"
	}
}

func (p *page) people(r *finding.Result) {
	s := r.Gaps.People
	if s == nil {
		return
	}
	p.blank()
	p.para("", boldStyle, "People")
	text := fmt.Sprintf("%s told apart by %s; %d on more than one system", counted(s.People, "person", "people"),
		strings.Join(s.Match, ", then "), s.Several)
	if s.Ambiguous > 0 {
		text += fmt.Sprintf("; %d ambiguous, and not matched", s.Ambiguous)
	}
	p.para("  ", plainStyle, text+".")
	var weakest []string
	for i, n := range s.Weakest {
		if n > 0 {
			weakest = append(weakest, fmt.Sprintf("the one on %s for %d", r.Gaps.Profiles[i].System, n))
		}
	}
	if len(weakest) > 0 {
		p.para("  ", plainStyle, "Of the accounts of a person on several systems, the one that allows most guesses is "+list(weakest)+
			plural(s.Several, " person.", " people."))
	}
	for i := range r.Findings {
		f := &r.Findings[i]
		if !f.Between || f.Reach.Accounts == 0 {
			continue
		}
		word := f.Severity.String()
		p.para("  "+p.paint(severityStyles[f.Severity], word)+strings.Repeat(" ", 9-len(word)), plainStyle,
			joined("; ", seen(f.System+": "+f.Sentence), reached(&f.Reach, 3))+" ("+f.Fingerprint+")")
	}
}

func (p *page) coverage(g *finding.Gaps) {
	var lines []string
	if len(g.Unruled) > 0 {
		lines = append(lines, "no rules hold for "+list(g.Unruled))
	}
	if len(g.Unused) > 0 {
		lines = append(lines, plural(len(g.Unused), "the rule set ", "the rule sets ")+list(g.Unused)+plural(len(g.Unused),
			" holds", " hold")+" for no system")
	}
	for _, old := range g.Old {
		lines = append(lines, fmt.Sprintf("the export of %s is %d days older than the newest", old.System, old.Days))
	}
	if len(g.Untold) > 0 {
		lines = append(lines, "no system says "+list(g.Untold))
	}
	for i, line := range lines {
		if i == 0 {
			p.blank()
			p.para("", boldStyle, "Not covered")
		}
		p.para("  ", plainStyle, seen(line))
	}
}

// sideBySide writes the settings, as many systems on a page as fit.
func (p *page) sideBySide(g *finding.Gaps, rows []gap.Row, o output.GapOptions) {
	p.blank()
	title := "Settings for " + o.Audience.String() + ", the weakest that holds for anybody"
	if o.Audience == gap.Privileged {
		title = "Settings for privileged accounts, the weakest that holds for anybody"
	} else if o.Audience == gap.Service {
		title = "Settings for service accounts, the weakest that holds for anybody"
	}
	p.para("", boldStyle, title)
	if len(rows) == 0 {
		p.para("  ", plainStyle, "There is nothing to show.")
		return
	}
	p.para("  ", faintStyle, "! below the rules   + strictest   - loosest   ~ all others agree on another   3/29 so many of "+
		"the accounts have it   ? not known, for some accounts after a value   · nobody there")
	var with []int
	for i, profile := range g.Profiles {
		if profile.Accounts(o.Audience) > 0 || !rows[0].Cells[i].None {
			with = append(with, i)
		}
	}
	names := 0
	for i := range rows {
		names = max(names, len(rows[i].Setting.Name))
	}
	for from := 0; from < len(with); {
		used, to := names+2, from
		for to < len(with) {
			width := len(g.Profiles[with[to]].System)
			for i := range rows {
				width = max(width, lipgloss.Width(marked(&rows[i].Cells[with[to]], rows[i].Setting)))
			}
			if used += width + 2; used > p.width && to > from {
				break
			}
			to++
		}
		p.blank()
		p.pageOf(g, rows, with[from:to], o.Audience)
		from = to
	}
}

func (p *page) pageOf(g *finding.Gaps, rows []gap.Row, systems []int, systemsOf gap.Audience) {
	table := [][]string{{""}}
	cells := [][]*gap.Cell{nil}
	for _, s := range systems {
		name := seen(g.Profiles[s].System)
		if systemsOf == gap.People && g.Profiles[s].KindsUnknown() {
			name += "*"
		}
		table[0] = append(table[0], name)
	}
	group := ""
	for i := range rows {
		if !slices.ContainsFunc(systems, func(s int) bool { return rows[i].Cells[s].Value.Known() }) && len(rows) > 1 {
			continue // none of these says it
		}
		if rows[i].Setting.Group != group {
			group = rows[i].Setting.Group
			table = append(table, append([]string{group}, make([]string, len(systems))...))
			cells = append(cells, nil)
		}
		line := []string{" " + rows[i].Setting.Name}
		own := []*gap.Cell{nil}
		for _, s := range systems {
			c := &rows[i].Cells[s]
			line, own = append(line, marked(c, rows[i].Setting)), append(own, c)
		}
		table, cells = append(table, line), append(cells, own)
	}
	p.table(" ", table, func(int) bool { return false }, func(row, column int, text string) string {
		if row == 0 || cells[row] == nil {
			return p.paint(faintStyle, text)
		}
		c := cells[row][column]
		switch {
		case c == nil:
			return text
		case c.Below:
			return p.paint(badStyle, text)
		case c.Odd:
			return p.paint(oddStyle, text)
		case !c.Value.Known():
			return p.paint(faintStyle, text)
		}
		return text
	})
}

// marked is a cell with its marks.
func marked(c *gap.Cell, def *setting.Setting) string {
	switch {
	case c.None:
		return "·"
	case !c.Value.Known():
		return "?"
	}
	text := def.Text(c.Value)
	if c.Unknown > 0 {
		text += "?"
	}
	if c.Mixed() {
		text += fmt.Sprintf(" %d/%d", c.Accounts, c.Of)
	}
	marks := ""
	for _, m := range []struct {
		on   bool
		mark string
	}{{c.Below, "!"}, {c.Strictest, "+"}, {c.Loosest, "-"}, {c.Odd, "~"}} {
		if m.on {
			marks += m.mark
		}
	}
	if marks != "" {
		text += " " + marks
	}
	return text
}

// kindsUnknown names systems whose accounts of unknown kind stand for people.
func (p *page) kindsUnknown(g *finding.Gaps, a gap.Audience) {
	var names []string
	for _, profile := range g.Profiles {
		if a == gap.People && profile.KindsUnknown() {
			names = append(names, profile.System)
		}
	}
	if len(names) > 0 {
		p.para("", oddStyle, seen("* Which accounts are people is not known on "+list(names)+
			": their accounts of unknown kind are shown; tell it with \"kinds\" in estate.yaml."))
	}
}
