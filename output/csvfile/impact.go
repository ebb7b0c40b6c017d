package csvfile

import (
	"encoding/csv"
	"io"
	"strconv"

	"yewcone/core/facts"
	"yewcone/core/impact"
)

// Impact returns a function that writes a row for each account and effect, and
// one that ends the file.
func Impact(w io.Writer) (each func(*impact.Touched) error, flush func() error) {
	out := csv.NewWriter(w)
	headed := out.Write([]string{"system", "login", "kind", "privileged", "effect", "day", "name", "email", "file", "line"})
	return func(t *impact.Touched) error {
			if headed != nil {
				return headed
			}
			a := t.Account
			return out.Write([]string{t.System, cell(a.Login), a.Kind, a.Privileged.String(), string(t.Effect), t.Day, cell(a.DisplayName), cell(a.Email),
				cell(a.Origin.File), lineOf(a.Origin)})
		}, func() error {
			out.Flush()
			return out.Error()
		}
}

func lineOf(o facts.Origin) string {
	if o.Line == 0 {
		return ""
	}
	return strconv.Itoa(o.Line)
}
