package csvfile

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"yewcone/core/change"
	"yewcone/core/finding"
	"yewcone/core/setting"
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
			if s.IsSetting {
				def := setting.At(s.Setting)
				name, from, to = def.Name, def.Text(s.From), def.Text(s.To)
			}
			counts, ended := map[string]int{}, 0
			var prints []string
			for _, f := range s.Findings {
				prints = append(prints, r.Findings[f].Fingerprint)
				for _, e := range c.Ends {
					if e == f {
						counts[r.Findings[f].Severity.String()]++
						ended++
					}
				}
			}
			if err := out.Write([]string{strconv.Itoa(i + 1), c.ID, c.System, cell(c.Owner), cell(s.Policy), name, from, to, cell(s.Do),
				strconv.Itoa(counts["critical"]), strconv.Itoa(counts["high"]), strconv.Itoa(ended - counts["critical"] - counts["high"]),
				strconv.Itoa(s.Accounts), strconv.Itoa(s.Privileged), strings.Join(prints, " ")}); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}
