package text

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"yewcone/core/record"
	"yewcone/core/rules"
	"yewcone/core/trend"
	"yewcone/output"
)

// Trend writes a line for each system: where it began, where it is, and the way.
func Trend(w io.Writer, t *trend.Trend, o output.Options) error {
	p := newPage(w, o)
	if len(t.Results) == 0 {
		p.para("", boldStyle, "Nothing is kept yet: \"yewcone keep\" keeps a result.")
		return p.w.Flush()
	}
	first, last := trend.Ends(t.All)
	text := fmt.Sprintf("%s from %s to %s", counted(len(t.Results), "result", "results"), t.AsOf[0].Format("2006-01-02"),
		t.AsOf[len(t.AsOf)-1].Format("2006-01-02"))
	if first != nil {
		text += fmt.Sprintf("; critical and high findings %s", way(first.Serious(), last.Serious()))
		if last.Clauses > 0 {
			text += fmt.Sprintf(", clauses met %s of %d", way(first.Met, last.Met), last.Clauses)
		}
	}
	p.para("", boldStyle, text+".")
	if len(t.Common) < len(t.Lines) {
		p.para("", faintStyle, fmt.Sprintf("Sums are of the %s that at least half of the results have.", counted(len(t.Common), "system", "systems")))
	}
	p.blank()
	rows := [][]string{{"", "critical and high", "", "medium and less", "", "clauses met", ""}}
	accepted := slices.ContainsFunc(t.Lines, func(l trend.Line) bool {
		return slices.ContainsFunc(l.Sums, func(s *trend.Sum) bool { return s != nil && s.Accepted > 0 })
	})
	if accepted {
		rows[0] = append(rows[0], "accepted", "")
	}
	add := func(name string, row []*trend.Sum) {
		first, last := trend.Ends(row)
		if first == nil {
			rows = append(rows, append([]string{name, "not read to its end in any"}, make([]string, len(rows[0])-2)...))
			return
		}
		lesser := func(s *trend.Sum) int { return s.Counts[rules.Medium] + s.Counts[rules.Low] + s.Counts[rules.Info] }
		met := ""
		if last.Clauses > 0 {
			met = fmt.Sprintf("%s of %d", way(first.Met, last.Met), last.Clauses)
		}
		cells := []string{name, way(first.Serious(), last.Serious()), spark(row, (*trend.Sum).Serious),
			way(lesser(first), lesser(last)), spark(row, lesser), met, spark(row, func(s *trend.Sum) int { return s.Met })}
		if accepted {
			taken := func(s *trend.Sum) int { return s.Accepted }
			cells = append(cells, way(taken(first), taken(last)), spark(row, taken))
		}
		rows = append(rows, cells)
	}
	for i := range t.Lines {
		add(seen(t.Lines[i].System), t.Lines[i].Sums)
	}
	if len(t.Lines) > 1 {
		add("together", t.All)
	}
	p.table("  ", rows, func(int) bool { return false }, func(row, c int, text string) string {
		switch {
		case row == 0:
			return p.paint(faintStyle, text)
		case row == len(rows)-1 && len(t.Lines) > 1:
			return p.paint(boldStyle, text)
		}
		return text
	})
	if t.Rule != "" {
		p.breaking(t)
	}
	p.measures(t)
	for _, b := range t.Breaks() {
		day := t.AsOf[b.At].Format("2006-01-02")
		if len(b.Rules) > 0 {
			p.para("  ", oddStyle, fmt.Sprintf("From %s on other rules hold for %s: what was found before was asked otherwise.", day, seen(strings.Join(b.Rules, ", "))))
		}
		if len(b.Mappings) > 0 {
			p.para("  ", oddStyle, fmt.Sprintf("From %s on another mapping reads %s.", day, seen(strings.Join(b.Mappings, ", "))))
		}
	}
	gaps := 0
	for i := range t.Whole {
		if !t.Whole[i] {
			gaps++
		}
	}
	if gaps > 0 {
		p.para("  ", faintStyle, fmt.Sprintf("A blank in a row is a result without the system, or with a part of it only; %s.",
			counted(gaps, "result is a gap in the sums", "results are gaps in the sums")))
	}
	return p.w.Flush()
}

// way is from where to where a number went.
func way(from, to int) string {
	if from == to {
		return fmt.Sprint(to)
	}
	return fmt.Sprintf("%d → %d", from, to)
}

// mostSparks is how many results a row of bars shows: the last ones.
const mostSparks = 24

// spark draws a row of bars from 0 to the most of the row, blanks for gaps.
func spark(row []*trend.Sum, value func(*trend.Sum) int) string {
	most := 1
	for _, s := range row[max(0, len(row)-mostSparks):] {
		if s != nil {
			most = max(most, value(s))
		}
	}
	return bars(row, most, value)
}

// bars draws the last sums of a row from 0 to a number, blanks for gaps.
func bars(row []*trend.Sum, most int, value func(*trend.Sum) int) string {
	row = row[max(0, len(row)-mostSparks):]
	bars := []rune("▁▂▃▄▅▆▇█")
	var b strings.Builder
	for _, s := range row {
		if s == nil {
			b.WriteRune(' ')
			continue
		}
		b.WriteRune(bars[(value(s)*(len(bars)-1)+most/2)/most])
	}
	return b.String()
}

// measures writes ages, second factors and guesses of each system over time.
func (p *page) measures(t *trend.Trend) {
	rows := [][]string{{"of accounts that a password lets in", "older than a year", "", "second factor", "", "guesses a day"}}
	percent := func(n, of int) string {
		if of == 0 {
			return "?"
		}
		return fmt.Sprintf("%d %%", (200*n+of)/(2*of))
	}
	between := func(from, to string) string {
		if from == to {
			return to
		}
		return from + " → " + to
	}
	add := func(name string, row []*trend.Sum) {
		var measured []*trend.Sum
		for _, s := range row {
			if s != nil && s.Measures.Accounts == 0 {
				s = nil // kept by a program that did not measure, or there is nobody
			}
			measured = append(measured, s)
		}
		first, last := trend.Ends(measured)
		if first == nil {
			return
		}
		a, b := &first.Measures, &last.Measures
		share := func(n, of func(*record.Measures) int) string {
			var known []*trend.Sum
			for _, s := range measured {
				if s != nil && of(&s.Measures) == 0 {
					s = nil
				}
				known = append(known, s)
			}
			return bars(known, 100, func(s *trend.Sum) int { return 100 * n(&s.Measures) / of(&s.Measures) })
		}
		rows = append(rows, []string{name, between(percent(a.Old, a.AgeKnown), percent(b.Old, b.AgeKnown)),
			share(func(m *record.Measures) int { return m.Old }, func(m *record.Measures) int { return m.AgeKnown }),
			between(percent(a.Factor, a.FactorKnown), percent(b.Factor, b.FactorKnown)),
			share(func(m *record.Measures) int { return m.Factor }, func(m *record.Measures) int { return m.FactorKnown }),
			between(guesses(a.Guesses), guesses(b.Guesses))})
	}
	for i := range t.Lines {
		add(seen(t.Lines[i].System), t.Lines[i].Sums)
	}
	if len(t.Lines) > 1 {
		add("together", t.All)
	}
	if len(rows) == 1 {
		return
	}
	p.blank()
	p.table("  ", rows, func(int) bool { return false }, func(row, c int, text string) string {
		switch {
		case row == 0:
			return p.paint(faintStyle, text)
		case rows[row][0] == "together":
			return p.paint(boldStyle, text)
		}
		return text
	})
}

// guesses are those that the most patient account allows in a day.
func guesses(n *float64) string {
	switch {
	case n == nil:
		return "?"
	case *n < 0:
		return "no bound"
	case *n >= 10:
		return fmt.Sprintf("%.0f", *n)
	}
	return fmt.Sprintf("%.2g", *n)
}

// breaking writes how many accounts break the rule of a trend.
func (p *page) breaking(t *trend.Trend) {
	rows := [][]string{{"accounts that break " + seen(t.Rule), "", ""}}
	add := func(name string, row []*trend.Sum) {
		var known []*trend.Sum
		for _, s := range row {
			if s != nil && (s.Breaking == nil || s.Accounts == 0) {
				s = nil
			}
			known = append(known, s)
		}
		first, last := trend.Ends(known)
		if first == nil {
			return
		}
		rows = append(rows, []string{name, fmt.Sprintf("%s of %d", way(*first.Breaking, *last.Breaking), last.Accounts),
			bars(known, 100, func(s *trend.Sum) int { return min(100, 100**s.Breaking/s.Accounts) })})
	}
	for i := range t.Lines {
		add(seen(t.Lines[i].System), t.Lines[i].Sums)
	}
	if len(rows) > 2 {
		add("together", t.All)
	}
	p.blank()
	p.table("  ", rows, func(int) bool { return false }, func(row, _ int, text string) string {
		if row == 0 {
			return p.paint(faintStyle, text)
		}
		return text
	})
}
