package csvfile

import (
	"encoding/csv"
	"fmt"
	"io"
	"time"

	"yewcone/core/rules"
	"yewcone/core/trend"
)

// Trend writes a row for each result and system; what is missing has none.
func Trend(w io.Writer, t *trend.Trend) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"as_of", "result", "system", "accounts", "privileged", "disabled", "clauses", "met", "critical", "high", "medium", "low", "info",
		"accepted"}); err != nil {
		return err
	}
	for at := range t.Results {
		for i := range t.Lines {
			s := t.Lines[i].Sums[at]
			if s == nil {
				continue
			}
			row := []string{s.AsOf.UTC().Format(time.RFC3339), fmt.Sprint(s.Result), cell(s.System), fmt.Sprint(s.Accounts), fmt.Sprint(s.Privileged),
				fmt.Sprint(s.Disabled), fmt.Sprint(s.Clauses), fmt.Sprint(s.Met)}
			for _, severity := range []rules.Severity{rules.Critical, rules.High, rules.Medium, rules.Low, rules.Info} {
				row = append(row, fmt.Sprint(s.Counts[severity]))
			}
			if err := out.Write(append(row, fmt.Sprint(s.Accepted))); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}
