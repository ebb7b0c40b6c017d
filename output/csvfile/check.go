package csvfile

import (
	"encoding/csv"
	"fmt"
	"io"

	"yewcone/core/finding"
	"yewcone/output"
)

// Check writes a row for each finding, those that exceptions cover last.
func Check(w io.Writer, r *finding.Result, _ output.Options) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"fingerprint", "severity", "system", "rule", "finding", "setting", "value", "asked",
		"policy", "accounts", "privileged", "disabled", "file", "line", "as_it_stood", "to_mend", "state",
		"accepted_until"}); err != nil {
		return err
	}
	row := func(f *finding.Finding) error {
		state, until, line := "open", "", ""
		if f.Exception != nil {
			state, until = "accepted", f.Exception.Until.Format("2006-01-02")
		}
		if f.Origin.Line > 0 {
			line = fmt.Sprint(f.Origin.Line)
		}
		return out.Write([]string{f.Fingerprint, f.Severity.String(), f.System, f.Rule.String(), cell(f.Sentence), f.Setting,
			cell(f.Value), cell(f.Asked), cell(f.Policy),
			fmt.Sprint(f.Reach.Accounts), fmt.Sprint(f.Reach.Privileged), fmt.Sprint(f.Reach.Disabled), cell(f.Origin.File),
			line, cell(f.Origin.Text), cell(f.Remedy), state, until})
	}
	for _, list := range [][]finding.Finding{r.Findings, r.Accepted} {
		for i := range list {
			if err := row(&list[i]); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}
