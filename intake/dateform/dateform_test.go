package dateform

import (
	"testing"
	"time"
)

// TestForms: dates in each form, and what is no form.
func TestForms(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		form, text, want string
		zone             *time.Location
	}{
		{"dd/mm/yyyy hh:mm", "23/11/2026 06:00", "2026-11-23 06:00", time.UTC},
		{"dd/mm/yyyy hh:mm", "23/07/2026 06:00", "2026-07-23 05:00", london},
		{"d.m.yyyy", "3.7.2026", "2026-07-03", time.UTC},
		{"d mon yyyy", "3 Jul 2026", "2026-07-03", time.UTC},
		{"yyyy-mm-dd hh:mm:ss", "2026-07-03 04:05:06", "2026-07-03 04:05", time.UTC},
		{"dd/mm/yyyy", "2026-07-03", "", time.UTC},
		{"dd/mm/yyyy", "31/02/2026", "", time.UTC},
		{"iso 8601", "2026-11-22T23:30:00-05:00", "2026-11-23 04:30", time.UTC},
		{"iso 8601", "2026-11-22", "2026-11-22", time.UTC},
		{"epoch seconds", "1793637900", "2026-11-02 16:45", time.UTC},
		{"epoch milliseconds", "1793637900000", "2026-11-02 16:45", time.UTC},
		{"epoch days", "20780", "2026-11-23", time.UTC},
		{"epoch days", "x", "", time.UTC},
		{"spreadsheet days", "46349.2395833333", "2026-11-23 05:45", time.UTC},
		{"spreadsheet days", "-1", "", time.UTC},
		{"spreadsheet days", "46349", "2026-11-23", time.UTC},
		{"spreadsheet days", "46204.2395833333", "2026-07-01 04:45", london},
		{"spreadsheet days from 1904", "44887.2395833333", "2026-11-23 05:45", time.UTC},
		{"epoch seconds", "0", "", time.UTC}, {"epoch seconds", "-1", "", time.UTC}, {"epoch milliseconds", "0", "", time.UTC},
		{"epoch days", "0", "", time.UTC}, {"epoch seconds", "-86400", "1969-12-31 00:00", time.UTC},
	} {
		form, err := New(c.form)
		if err != nil {
			t.Errorf("%s: %v", c.form, err)
			continue
		}
		at, ok := form.Parse(c.text, c.zone)
		got := at.String()
		if !ok {
			got = ""
		}
		if got != c.want {
			t.Errorf("%s as %s: %q, want %q", c.text, c.form, got, c.want)
		}
	}
	for _, pattern := range []string{"", "yyyy", "dd/mm", "qq/mm/yyyy", "iso"} {
		if _, err := New(pattern); err == nil {
			t.Errorf("%q is taken for a date pattern", pattern)
		}
	}
}
