package csvfile

import (
	"encoding/csv"
	"io"
	"strconv"
	"time"

	"yewcone/core/due"
	"yewcone/core/facts"
)

// Due writes a row for each thing that ends, with the address of whom it
// concerns.
func Due(w io.Writer, l *due.List) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"what", "state", "day", "at", "days_left", "system", "title", "login", "name", "email", "kind", "privileged",
		"warned_from", "shut_at", "owner", "text", "file", "line", "uid"}); err != nil {
		return err
	}
	for i := range l.Items {
		x := &l.Items[i]
		state, day, left := "ahead", "", ""
		if x.Overdue {
			state = "overdue"
		}
		if at, ok := x.At.Time(); ok {
			day = at.UTC().Format(time.DateOnly)
			left = strconv.Itoa(int(at.UTC().Truncate(24*time.Hour).Sub(l.AsOf.UTC().Truncate(24*time.Hour)) / (24 * time.Hour)))
		}
		if err := out.Write([]string{x.What, state, day, known(x.At), left, x.System, cell(x.Title), cell(x.Login), cell(x.Name), cell(x.Email), x.Kind,
			x.Privileged.String(), known(x.WarnedFrom), known(x.ShutAt), cell(x.Owner), cell(x.Text), cell(x.Origin.File), lineOf(x.Origin),
			x.UID}); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// known writes a moment, and nothing for one that is not known.
func known(m facts.Moment) string {
	if !m.Known() {
		return ""
	}
	return m.String()
}
