package text

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"yewcone/core/password"
	"yewcone/core/setting"
	"yewcone/core/trial"
	"yewcone/output"
)

var triedStyles = map[trial.Outcome]lipgloss.Style{
	trial.Refused:  lipgloss.NewStyle().Foreground(lipgloss.Color("9")),
	trial.Open:     lipgloss.NewStyle().Foreground(lipgloss.Color("11")),
	trial.Accepted: lipgloss.NewStyle().Foreground(lipgloss.Color("10")),
}

// Try writes candidates against targets: the matrix, the reasons, and what
// could not be judged.
func Try(w io.Writer, t *trial.Table, o output.Options) error {
	p := newPage(w, o)
	p.para("", boldStyle, tried(t))
	p.blank()
	p.matrix(t)
	p.byRules(t)
	for i := range t.Rows {
		p.reasons(&t.Rows[i], t.Targets, t.Rules)
	}
	p.open(t)
	return p.w.Flush()
}

func counted(n int, one, many string) string { return fmt.Sprintf("%d %s", n, plural(n, one, many)) }

// tried is the verdict in one sentence.
func tried(t *trial.Table) string {
	refused, sure := t.Refusals(), 0
	for i := range t.Rows {
		if !slices.ContainsFunc(t.Rows[i].Judgements, func(j *password.Judgement) bool { return trial.OutcomeOf(j) != trial.Accepted }) {
			sure++
		}
	}
	parts := []string{}
	add := func(n int, what string) {
		if n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, what))
		}
	}
	if len(t.Targets) > 1 && refused == len(t.Rows) {
		return counted(refused, "candidate", "candidates") + " against " + counted(len(t.Targets), "policy", "policies") +
			": none is accepted by all."
	} else if len(t.Targets) > 1 {
		add(refused, "refused by some")
	} else {
		add(refused, "refused")
	}
	add(len(t.Rows)-refused-sure, "accepted as far as can be told")
	add(sure, "accepted")
	return counted(len(t.Rows), "candidate", "candidates") + " against " + counted(len(t.Targets), "policy", "policies") +
		": " + strings.Join(parts, ", ") + "."
}

// matrix has a line for each target and a column for each candidate, in blocks
// that fit the page.
func (p *page) matrix(t *trial.Table) {
	names := len("candidate")
	for _, target := range t.Targets {
		names = max(names, lipgloss.Width(seen(target.Name())))
	}
	const cell = 11
	block := max(1, (p.width-names-2)/(cell+2))
	for from := 0; from < len(t.Rows); from += block {
		rows := t.Rows[from:min(from+block, len(t.Rows))]
		lines := [][]string{{"candidate"}}
		outcomes := [][]trial.Outcome{{""}}
		for i := range rows {
			lines[0] = append(lines[0], fmt.Sprintf("%d", rows[i].Number))
			outcomes[0] = append(outcomes[0], "")
		}
		for n, target := range t.Targets {
			line, outcome := []string{seen(target.Name())}, []trial.Outcome{""}
			for i := range rows {
				j := rows[i].Judgements[n]
				o := trial.OutcomeOf(j)
				text := string(o)
				if o == trial.Refused {
					text += fmt.Sprintf(" (%d)", len(j.Refused))
				}
				line, outcome = append(line, text), append(outcome, o)
			}
			lines, outcomes = append(lines, line), append(outcomes, outcome)
		}
		p.table("  ", lines, func(int) bool { return false }, func(row, column int, text string) string {
			if style, ok := triedStyles[outcomes[row][column]]; ok {
				return p.paint(style, text)
			}
			return p.paint(faintStyle, text)
		})
	}
	for _, target := range t.Targets {
		if target.Note != "" {
			p.para("  ", faintStyle, seen(target.Name()+" "+target.Note+"."))
		}
	}
}

// reasons tells why a candidate is refused. Targets with the same reasons are
// named together.
func (p *page) reasons(row *trial.Row, targets, asked []*trial.Target) {
	var lists [][]password.Reason
	var names [][]string
	for i, j := range row.Judgements {
		if len(j.Refused) == 0 {
			continue
		}
		at := slices.IndexFunc(lists, func(l []password.Reason) bool { return slices.Equal(l, j.Refused) })
		if at < 0 {
			at = len(lists)
			lists, names = append(lists, j.Refused), append(names, nil)
		}
		names[at] = append(names[at], targets[i].Name())
	}
	guess := ""
	switch {
	case row.Common:
		guess = "it is a well-known password, which is tried first wherever it is accepted"
	case row.House:
		guess = "it is a word of the house or the calendar with the usual decoration, which is tried early wherever it is accepted"
	}
	broken := brokenBy(row, asked)
	if len(lists)+len(broken) == 0 && guess == "" {
		return
	}
	p.blank()
	p.para("", boldStyle, fmt.Sprintf("Candidate %d, %s", row.Number, counted(row.Characters, "character", "characters")))
	if guess != "" {
		p.para("  ", plainStyle, "beware: "+guess+".")
	}
	for i, list := range lists {
		p.para("  ", triedStyles[trial.Refused], "refused by "+seen(strings.Join(names[i], ", ")))
		for _, r := range list {
			p.para("    "+padded(r.Setting.String(), 22), plainStyle, r.Text)
		}
	}
	if len(broken) > 0 {
		p.para("  ", triedStyles[trial.Refused], "breaks the rules")
		for _, b := range broken {
			p.para("    "+padded(b.setting, 22), plainStyle, seen(b.text+" ("+b.by+" on "+list(b.systems)+")"))
		}
	}
}

// brokenRule is what rules ask alike on some systems, and a candidate does not meet.
type brokenRule struct {
	setting, text, by string
	systems           []string
}

func brokenBy(row *trial.Row, asked []*trial.Target) (broken []brokenRule) {
	for n, j := range row.ByRules {
		for _, r := range j.Refused {
			b := brokenRule{r.Setting.String(), r.Text, strings.Join(asked[n].AskedBy(r.Setting), ", "), []string{asked[n].Of()}}
			at := slices.IndexFunc(broken, func(o brokenRule) bool { return o.setting == b.setting && o.text == b.text && o.by == b.by })
			if at >= 0 {
				broken[at].systems = append(broken[at].systems, b.systems...)
				continue
			}
			broken = append(broken, b)
		}
	}
	return broken
}

// byRules says which candidates meet what the rules ask.
func (p *page) byRules(t *trial.Table) {
	if len(t.Rules) == 0 {
		return
	}
	p.blank()
	for n, asked := range t.Rules {
		var meets, breaks []string
		for i := range t.Rows {
			if len(t.Rows[i].ByRules[n].Refused) > 0 {
				breaks = append(breaks, fmt.Sprint(t.Rows[i].Number))
			} else {
				meets = append(meets, fmt.Sprint(t.Rows[i].Number))
			}
		}
		var parts []string
		if len(breaks) > 0 {
			parts = append(parts, p.paint(triedStyles[trial.Refused], "broken by "+strings.Join(breaks, ", ")))
		}
		if len(meets) > 0 {
			parts = append(parts, "met by "+strings.Join(meets, ", "))
		}
		p.para("  ", plainStyle, seen("the rules of "+asked.Of()+" ("+asked.Asks()+")")+": "+strings.Join(parts, "; "))
	}
}

// open tells what could not be judged of any candidate: reason by reason, with
// the settings, and the targets where it is not all.
func (p *page) open(t *trial.Table) {
	type gap struct {
		why, settings string
		targets       []string
	}
	var gaps []gap
	for n, target := range t.Targets {
		var own []gap
		for i := range t.Rows {
			for _, r := range t.Rows[i].Judgements[n].Open {
				at := slices.IndexFunc(own, func(g gap) bool { return g.why == r.Text })
				if at < 0 {
					at = len(own)
					own = append(own, gap{why: r.Text})
				}
				if !slices.Contains(strings.Split(own[at].settings, ", "), r.Setting.String()) {
					own[at].settings = strings.TrimPrefix(own[at].settings+", "+r.Setting.String(), ", ")
				}
			}
		}
		for _, g := range own {
			at := slices.IndexFunc(gaps, func(x gap) bool { return x.why == g.why && x.settings == g.settings })
			if at < 0 {
				at = len(gaps)
				gaps = append(gaps, g)
			}
			gaps[at].targets = append(gaps[at].targets, target.Name())
		}
	}
	if len(gaps) == 0 {
		return
	}
	p.blank()
	p.para("", boldStyle, "What could not be judged, so that \"accepted?\" is no promise")
	slices.SortStableFunc(gaps, func(a, b gap) int { return cmp.Compare(a.why, b.why) })
	why := ""
	for _, g := range gaps {
		if g.why != why {
			why = g.why
			p.para("  ", plainStyle, why+":")
		}
		where := ""
		if len(t.Targets) > 1 {
			where = " (" + strings.Join(g.targets, ", ") + ")"
			if len(g.targets) == len(t.Targets) {
				where = " (all)"
			}
		}
		p.para("    ", plainStyle, g.settings+seen(where))
	}
}

// Trials writes what became of trial files: what came out otherwise than it
// should, first.
func Trials(w io.Writer, results []*trial.Result, o output.Options) error {
	p := newPage(w, o)
	good, wrong, open := 0, 0, 0
	for _, r := range results {
		for i := range r.Lines {
			switch l := &r.Lines[i]; {
			case !l.AsWanted:
				wrong++
			case l.Open && l.Want.Accepted:
				open++
			default:
				good++
			}
		}
	}
	verdict := counted(good+wrong+open, "trial", "trials") + " in " + counted(len(results), "file", "files") + ": "
	if wrong > 0 {
		verdict += fmt.Sprintf("%d not as wanted, ", wrong)
	}
	if open > 0 {
		verdict += fmt.Sprintf("%d accepted as far as can be told, ", open)
	}
	p.para("", boldStyle, verdict+fmt.Sprintf("%d as wanted.", good))
	for _, r := range results {
		p.blank()
		p.para("", boldStyle, seen(r.File.Title)+" ("+seen(r.File.Name)+")")
		for _, sort := range []func(*trial.Line) bool{
			func(l *trial.Line) bool { return !l.AsWanted },
			func(l *trial.Line) bool { return l.AsWanted && l.Open && l.Want.Accepted },
			func(l *trial.Line) bool { return l.AsWanted && !(l.Open && l.Want.Accepted) },
		} {
			for i := range r.Lines {
				if sort(&r.Lines[i]) {
					p.trial(&r.Lines[i])
				}
			}
		}
		for _, x := range r.Resemble {
			p.para("  beware     ", triedStyles[trial.Open],
				fmt.Sprintf("candidate %d holds %s of %s on %s: trial files are for examples; store no password that "+
					"somebody may use", x.Number, x.What, seen(x.Login), x.System))
		}
	}
	return p.w.Flush()
}

// notJudged names the first few settings that could not be judged.
func notJudged(settings []string) string {
	const shown = 4
	switch n := len(settings); {
	case n == 0:
		return ""
	case n > shown:
		return "; not judged: " + strings.Join(settings[:shown-1], ", ") + fmt.Sprintf(" and %d others", n-shown+1)
	}
	return "; not judged: " + strings.Join(settings, ", ")
}

func (p *page) trial(l *trial.Line) {
	var settings, opens []string
	for _, r := range l.Judged.Refused {
		settings = append(settings, r.Setting.String())
	}
	for _, r := range l.Judged.Open {
		opens = append(opens, r.Setting.String())
	}
	where := fmt.Sprintf("candidate %d (line %d) on %s: ", l.Number, l.Want.Line, seen(l.Target.Name()))
	refused := "refused, because of " + strings.Join(settings, ", ")
	lead, style, text := "  as wanted  ", triedStyles[trial.Accepted], ""
	switch {
	case l.AsWanted && l.Outcome == trial.Refused:
		text = refused
	case l.AsWanted && l.Outcome == trial.Open:
		lead, style = "  open       ", triedStyles[trial.Open]
		text = "nothing refuses it" + notJudged(opens)
	case l.AsWanted:
		text = "accepted"
	case l.Want.Accepted:
		lead, style = "  not so     ", triedStyles[trial.Refused]
		var why []string
		for _, r := range l.Judged.Refused {
			why = append(why, r.Setting.String()+" ("+r.Text+")")
		}
		text = "should be accepted, and is refused: " + strings.Join(why, ", ")
	case l.Outcome == trial.Refused:
		lead, style = "  not so     ", triedStyles[trial.Refused]
		text = refused + ", and not of " + strings.Join(setting.NamesOf(l.Missing), ", ") + " as it should be"
	default:
		lead, style = "  not so     ", triedStyles[trial.Refused]
		text = "should be refused, and nothing refuses it" + notJudged(opens)
	}
	for i, line := range wrap(where+text, p.width-len(lead)) {
		if i > 0 {
			lead = strings.Repeat(" ", len(lead))
		}
		_, _ = p.w.WriteString(p.paint(style, lead) + line + "\n")
	}
}
