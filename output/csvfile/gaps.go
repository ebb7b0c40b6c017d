// Package csvfile writes results as rows for spreadsheets and other programs.
package csvfile

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/output"
	"yewcone/output/visible"
)

// beginFormulas are the signs with which a spreadsheet begins a formula; some take
// the full-width ones for the others.
const beginFormulas = "=+-@＝＋－＠\t\r"

// cell makes a text safe for a spreadsheet, where what begins like a formula
// would be one.
func cell(text string) string {
	text = visible.Text(text)
	if first, _ := utf8.DecodeRuneInString(text); text != "" && strings.ContainsRune(beginFormulas, first) {
		return "'" + text
	}
	return text
}

// Gaps writes one row for each setting, audience and system.
func Gaps(w io.Writer, r *finding.Result, o output.GapOptions) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"setting", "audience", "system", "value", "known", "accounts", "of", "unknown",
		"below_rules", "strictest", "loosest", "odd", "policy", "file", "line", "text"}); err != nil {
		return err
	}
	for _, a := range gap.Audiences {
		for _, row := range o.Rows(r.Gaps, a) {
			for i := range row.Cells {
				c := &row.Cells[i]
				if c.None {
					continue
				}
				line := ""
				if c.Origin.Line > 0 {
					line = fmt.Sprint(c.Origin.Line)
				}
				record := []string{row.Setting.Name, a.String(), c.System, row.Setting.Text(c.Value), yes(c.Value.Known()),
					fmt.Sprint(c.Accounts), fmt.Sprint(c.Of), fmt.Sprint(c.Unknown),
					yes(c.Below), yes(c.Strictest), yes(c.Loosest), yes(c.Odd), cell(c.Policy), cell(c.Origin.File), line,
					cell(c.Origin.Text)}
				if err := out.Write(record); err != nil {
					return err
				}
			}
		}
	}
	out.Flush()
	return out.Error()
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
