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
		{"dd/mm/yyyy hh:mm am", "23/11/2026 01:30 PM", "2026-11-23 13:30", time.UTC},
		{"m/d/yyyy hh:mm am", "7/3/2026 12:05 AM", "2026-07-03 00:05", time.UTC},
		{"dd.mm.yyyy hh:mm:ss", "23.11.2026 06:00:07.250", "2026-11-23 06:00", time.UTC},
		{"dd.mm.yyyy hh:mm:ss", "23.11.2026 06:00:07,250", "2026-11-23 06:00", time.UTC},
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

// TestOthers: several forms in turn, and months of other languages.
func TestOthers(t *testing.T) {
	form := func(pattern string) *Form {
		f, err := New(pattern)
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	german := []string{"Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober", "November", "Dezember"}
	french := []string{"janv", "févr", "mars", "avr", "mai", "juin", "juil", "août", "sept", "oct", "nov", "déc"}
	for _, c := range []struct {
		form       *Form
		text, want string
	}{
		{Any([]*Form{form("iso 8601"), form("dd.mm.yyyy")}), "23.11.2026", "2026-11-23"},
		{Any([]*Form{form("dd.mm.yyyy hh:mm"), form("dd.mm.yyyy"), form("epoch seconds")}), "1793637900", "2026-11-02 16:45"},
		{Any([]*Form{form("iso 8601"), form("dd.mm.yyyy")}), "2026-11-23T06:00:00Z", "2026-11-23 06:00"},
		{form("d. month yyyy").WithMonths(german), "3. März 2026", "2026-03-03"},
		{form("d. month yyyy").WithMonths(german), "23. DEZEMBER 2026", "2026-12-23"},
		{form("d mon yyyy hh:mm").WithMonths(french), "3 juil. 2026 06:00", "2026-07-03 06:00"},
		{form("d. month yyyy").WithMonths(german), "3. Brumaire 2026", ""},
	} {
		at, ok := c.form.Parse(c.text, time.UTC)
		got := at.String()
		if !ok {
			got = ""
		}
		if got != c.want {
			t.Errorf("%s as %s: %q, want %q", c.text, c.form, got, c.want)
		}
	}
}
