package postgresql

import (
	"strings"
	"time"
)

// A style is how the server writes moments: DateStyle.
type style struct{ dayFirst bool }

// layouts are the forms of a moment: ISO, Postgres, SQL and German. What the
// zone is comes after it.
func (s style) layouts() []string {
	all := []string{"2006-01-02 15:04:05", "Mon Jan 02 15:04:05 2006", "Mon 02 Jan 15:04:05 2006", "02.01.2006 15:04:05"}
	if s.dayFirst {
		return append(all, "02/01/2006 15:04:05")
	}
	return append(all, "01/02/2006 15:04:05")
}

// moment reads what the server prints, such as 2026-12-24 00:00:00+00. A zone
// that is only a name other than UTC is not understood.
func (s style) moment(text string) (time.Time, bool) {
	if at, err := time.Parse(time.RFC3339Nano, text); err == nil {
		return at.UTC(), true
	}
	bare, before := strings.CutSuffix(text, " BC")
	for _, zone := range []string{"-07", "-07:00", "-07:00:00", " UTC", " GMT"} {
		for _, layout := range s.layouts() {
			year := strings.Replace(layout, "05", "05.999999", 1)
			if strings.HasSuffix(layout, "2006") { // the fraction stands before the year
				year = strings.Replace(layout, "05 ", "05.999999 ", 1)
			}
			at, err := time.Parse(year+zone, bare)
			switch {
			case err != nil:
			case before:
				return time.Unix(-1<<40, 0).UTC(), true // long past
			default:
				return at.UTC(), true
			}
		}
	}
	if before || longYear(text) {
		return time.Date(9999, 12, 31, 0, 0, 0, 0, time.UTC), !before
	}
	return time.Time{}, false
}

// longYear reports whether a moment has a year of five digits or more, as the
// server may write one.
func longYear(text string) bool {
	digits := 0
	for digits < len(text) && text[digits] >= '0' && text[digits] <= '9' {
		digits++
	}
	return digits >= 5 && digits <= 6 && strings.HasPrefix(text[digits:], "-")
}
