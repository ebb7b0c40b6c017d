package stamp

import (
	"testing"
	"time"
)

var london = func() *time.Location {
	zone, err := time.LoadLocation("Europe/London")
	if err != nil {
		panic(err)
	}
	return zone
}()

// TestISO: dates are whole days, instants without an offset are in the zone,
// and what is no date is refused.
func TestISO(t *testing.T) {
	for text, want := range map[string]string{
		"2026-11-20": "2026-11-20", "2026-11-20T06:00:00Z": "2026-11-20 06:00", "2026-07-20T06:00:00": "2026-07-20 05:00",
		"2026-07-20 06:00":          "2026-07-20 05:00",
		"2026-11-20T06:00:00+02:00": "2026-11-20 04:00", "2026-11-20T06:00:00.123Z": "2026-11-20 06:00",
		"2026-11-20T06:00:00+0200": "2026-11-20 04:00", "2026-11-20 06:00:00+02": "2026-11-20 04:00",
		"2024-02-29T00:00:00Z": "2024-02-29 00:00", "1969-12-31T23:59:00Z": "1969-12-31 23:59", "20261120T060000Z": "2026-11-20 06:00",
		"2026-02-29T00:00:00Z": "", "2026-02-29": "", "2026-13-01T00:00:00Z": "", "2026-11-20T24:00:00Z": "",
		"2026-11-2xT06:00:00Z": "", "": "", "never": "", "0": "", "2026-00-10": "",
	} {
		at, ok := ISO(text, london)
		got := at.String()
		if !ok {
			got = ""
		}
		if got != want {
			t.Errorf("%q is %q, expected %q", text, got, want)
		}
	}
}

func TestGeneralized(t *testing.T) {
	for text, want := range map[string]string{
		"20261120060000Z": "2026-11-20 06:00:00", "20261120060000.5Z": "2026-11-20 06:00:00",
		"20261120060000+0100": "2026-11-20 05:00:00", "202611200600Z": "2026-11-20 06:00:00",
		"2026112006Z": "2026-11-20 06:00:00", "20240229000000Z": "2024-02-29 00:00:00", "20260229000000Z": "",
		"20261120060000": "", "20261120066000Z": "", "": "", "0": "", "99999999999999Z": "",
	} {
		at, ok := Generalized(text)
		got := at.Format(time.DateTime)
		if !ok {
			got = ""
		}
		if got != want {
			t.Errorf("%q is %q, expected %q", text, got, want)
		}
	}
}

// TestUTCSecond: every day from 1970 to 2169, at odd times, comes out as
// package time has it.
func TestUTCSecond(t *testing.T) {
	for at := time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC); at.Year() < 2170; at = at.Add(23*time.Hour + 59*time.Minute + 13*time.Second) {
		for gap, layout := range []string{"20060102150405Z", time.RFC3339} {
			if got, ok := utcSecond(at.Format(layout), gap); !ok || got != at.Unix() {
				t.Fatalf("%s is %d, %v", at.Format(layout), got, ok)
			}
		}
	}
}

// TestUTCSecondSpoilt: with any byte of a date replaced by any other, it is read
// where package time reads it, and as the same.
func TestUTCSecondSpoilt(t *testing.T) {
	for gap, layout := range []string{"20060102150405Z", "2006-01-02T15:04:05Z"} {
		for _, at := range []time.Time{time.Date(2024, 2, 29, 23, 59, 59, 0, time.UTC), time.Date(2031, 10, 11, 12, 20, 30, 0, time.UTC)} {
			for i := range at.Format(layout) {
				for b := range 256 {
					text := []byte(at.Format(layout))
					text[i] = byte(b)
					want, err := time.Parse(layout, string(text))
					got, ok := utcSecond(string(text), gap)
					if ok != (err == nil && want.Year() >= 1970 && want.Year() < 2170) || ok && got != want.Unix() {
						t.Fatalf("%q is %d, %v, expected %v, %v", text, got, ok, want, err)
					}
				}
			}
		}
	}
}

func FuzzISO(f *testing.F) {
	f.Add("2026-11-20T06:00:00Z")
	f.Fuzz(func(t *testing.T, text string) {
		if at, ok := ISO(text, time.UTC); ok && !at.Known() {
			t.Fatalf("%q is a date and not known", text)
		}
		if unix, ok := utcSecond(text, 1); ok {
			if at, err := time.Parse(time.RFC3339, text); err != nil || at.Unix() != unix {
				t.Fatalf("%q: %d, %v %v", text, unix, at, err)
			}
		}
	})
}
