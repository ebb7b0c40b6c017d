package markdown

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/output"
	"yewcone/output/visible"
)

// safe makes a text safe between the bars of a table.
func safe(text string) string {
	return strings.NewReplacer("|", "\\|", "<", "&lt;", "*", "\\*", "_", "\\_", "`", "\\`", "[", "\\[", "]",
		"\\]").Replace(visible.Text(text))
}

// Gaps writes the settings of systems side by side, a table for each audience.
func Gaps(w io.Writer, r *finding.Result, o output.GapOptions) error {
	b := bufio.NewWriter(w)
	fmt.Fprintf(b, "# Gaps between the systems of %s\n", safe(r.Estate))
	if r.Partial() {
		fmt.Fprintf(b, "\nPartial: not everything could be read.\n")
	}
	for _, l := range r.Gaps.Links {
		word := "disagree"
		if l.Agrees() {
			word = "agree"
		}
		fmt.Fprintf(b, "\n- %s and %s %s: %s", safe(l.Between[0]), safe(l.Between[1]), word, safe(l.Because))
	}
	if len(r.Gaps.Links) > 0 {
		fmt.Fprintln(b)
	}
	for _, a := range gap.Audiences {
		rows := o.Rows(r.Gaps, a)
		if len(rows) == 0 {
			continue
		}
		fmt.Fprintf(b, "\n## %s\n\n| setting |", strings.ToUpper(a.String()[:1])+a.String()[1:])
		for _, p := range r.Gaps.Profiles {
			fmt.Fprintf(b, " %s |", safe(p.System))
		}
		fmt.Fprintf(b, "\n|---|%s\n", strings.Repeat("---|", len(r.Gaps.Profiles)))
		for i := range rows {
			fmt.Fprintf(b, "| %s |", safe(rows[i].Setting.Name))
			for n := range rows[i].Cells {
				fmt.Fprintf(b, " %s |", gapCell(&rows[i], &rows[i].Cells[n]))
			}
			fmt.Fprintln(b)
		}
	}
	fmt.Fprintf(b, "\nEach cell is the weakest value that holds for anybody, with how many of the accounts have it where "+
		"not all do. Bold: below the rules. (strictest), (loosest): of all systems. (odd): all others agree on another "+
		"value.\n")
	return b.Flush()
}

func gapCell(row *gap.Row, c *gap.Cell) string {
	switch {
	case c.None:
		return ""
	case !c.Value.Known():
		return "not known"
	}
	text := safe(row.Setting.Text(c.Value))
	if c.Below {
		text = "**" + text + "**"
	}
	if c.Mixed() {
		text += fmt.Sprintf(" (%d of %d)", c.Accounts, c.Of)
	}
	switch {
	case c.Strictest:
		text += " (strictest)"
	case c.Loosest:
		text += " (loosest)"
	}
	if c.Odd {
		text += " (odd)"
	}
	return text
}
