package csvfile

import (
	"encoding/csv"
	"fmt"
	"io"
	"strconv"
	"time"

	"yewcone/core/replay"
)

// Replay writes a row for each account that failed and each lockout.
func Replay(w io.Writer, r *replay.Result) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"system", "account", "what", "wrong", "right", "sources", "sources_let_in", "most_in_10_minutes", "most_in_30_minutes", "most_in_60_minutes",
		"lockout", "known", "locks", "first_locked", "seconds_locked", "wrong_let_through", "wrong_refused", "right_refused"}); err != nil {
		return err
	}
	for a := range r.Accounts() {
		if a.Failures == 0 {
			continue
		}
		for n := range a.Under {
			u := &a.Under[n]
			first := ""
			if u.First != 0 {
				first = time.UnixMicro(u.First).UTC().Format(time.RFC3339)
			}
			row := []string{cell(r.System), cell(a.Shown()), a.Who.Words(), strconv.Itoa(a.Failures), strconv.Itoa(a.LetIn), strconv.Itoa(a.Sources),
				strconv.Itoa(a.SourcesLetIn), strconv.Itoa(a.Peaks[0]), strconv.Itoa(a.Peaks[1]), strconv.Itoa(a.Peaks[2]), r.Columns[n].Title,
				map[bool]string{true: "yes", false: "no"}[u.Known], strconv.Itoa(u.Locks), first, fmt.Sprint(u.Locked), strconv.Itoa(u.Through),
				strconv.Itoa(u.RefusedWrong), strconv.Itoa(u.RefusedRight)}
			if err := out.Write(row); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}
