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
		"accepted", "with_password", "age_known", "older_than_a_year", "second_factor_known", "second_factor", "guesses_a_day", "rules", "mapping", "rule", "breaking"}); err != nil {
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
			row = append(row, fmt.Sprint(s.Accepted))
			if err := out.Write(append(append(row, measures(s)...), breaking(t, s)...)); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}

// measures are empty where nobody measured.
func measures(s *trend.Sum) []string {
	m := &s.Measures
	if m.Accounts == 0 {
		return []string{"", "", "", "", "", "", short(s.Rules), short(s.Mapping)}
	}
	guesses := ""
	if m.Guesses != nil {
		guesses = fmt.Sprint(*m.Guesses)
	}
	if m.Guesses != nil && *m.Guesses < 0 {
		guesses = "no bound"
	}
	return []string{fmt.Sprint(m.Accounts), fmt.Sprint(m.AgeKnown), fmt.Sprint(m.Old), fmt.Sprint(m.FactorKnown), fmt.Sprint(m.Factor), guesses,
		short(s.Rules), short(s.Mapping)}
}

// short is a digest as far as people compare it.
func short(digest string) string { return digest[:min(len(digest), 12)] }

// breaking is the rule that was asked for, and how many accounts break it.
func breaking(t *trend.Trend, s *trend.Sum) []string {
	if t.Rule == "" || s.Breaking == nil {
		return []string{cell(t.Rule), ""}
	}
	return []string{cell(t.Rule), fmt.Sprint(*s.Breaking)}
}
