package csvfile

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"yewcone/core/change"
	"yewcone/core/finding"
	"yewcone/core/rules"
)

// Changes writes a row for each step, in the order in which to take them.
func Changes(w io.Writer, r *finding.Result, list []change.Change) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"rank", "change", "system", "owner", "policy", "setting", "from", "to", "do", "ends_critical", "ends_high",
		"ends_other", "accounts", "privileged", "findings"}); err != nil {
		return err
	}
	for i := range list {
		c := &list[i]
		for j := range c.Steps {
			s := &c.Steps[j]
			name, from, to := "", "", ""
			if def := s.Def(); def != nil {
				name, from, to = def.Name, def.Text(s.From), def.Text(s.To)
			}
			ended := s.Ended(c)
			counts := change.BySeverity(r, ended)
			critical, high := counts[rules.Critical], counts[rules.High]
			if err := out.Write([]string{strconv.Itoa(i + 1), c.ID, c.System, cell(c.Owner), cell(s.Policy), name, from, to, cell(s.Do),
				strconv.Itoa(critical), strconv.Itoa(high), strconv.Itoa(len(ended) - critical - high),
				strconv.Itoa(s.Accounts), strconv.Itoa(s.Privileged), strings.Join(change.Fingerprints(r, s.Findings), " ")}); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}
