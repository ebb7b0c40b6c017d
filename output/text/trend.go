package text

import (
	"fmt"
	"io"
	"strings"

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
	add := func(name string, row []*trend.Sum) {
		first, last := trend.Ends(row)
		if first == nil {
			rows = append(rows, []string{name, "not read to its end in any", "", "", "", "", ""})
			return
		}
		lesser := func(s *trend.Sum) int { return s.Counts[rules.Medium] + s.Counts[rules.Low] + s.Counts[rules.Info] }
		met := ""
		if last.Clauses > 0 {
			met = fmt.Sprintf("%s of %d", way(first.Met, last.Met), last.Clauses)
		}
		rows = append(rows, []string{name, way(first.Serious(), last.Serious()), spark(row, (*trend.Sum).Serious),
			way(lesser(first), lesser(last)), spark(row, lesser), met, spark(row, func(s *trend.Sum) int { return s.Met })})
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
	row = row[max(0, len(row)-mostSparks):]
	most := 1
	for _, s := range row {
		if s != nil {
			most = max(most, value(s))
		}
	}
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
