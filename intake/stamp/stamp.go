// Package stamp reads dates and times as exports write them.
package stamp

import (
	"time"

	"yewcone/core/facts"
)

// isoLayouts are the ways of ISO 8601 that are read; those without an offset
// are in the given zone.
var isoLayouts = []string{
	time.RFC3339, "2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04:05", "2006-01-02 15:04",
	"2006-01-02T15:04:05Z0700", "2006-01-02T15:04Z07:00", "2006-01-02 15:04:05Z07:00", "2006-01-02 15:04:05Z07", "20060102T150405Z0700",
}

// ISO reads a date or an instant of ISO 8601. One that says no offset is in
// the zone.
func ISO(text string, zone *time.Location) (facts.Moment, bool) {
	if unix, ok := utcSecond(text, 1); ok {
		return facts.AtSecond(unix), true
	}
	if len(text) == len(time.DateOnly) {
		at, err := time.Parse(time.DateOnly, text)
		return facts.OnDay(at), err == nil
	}
	for _, layout := range isoLayouts {
		if at, err := time.ParseInLocation(layout, text, zone); err == nil {
			return facts.At(at), true
		}
	}
	return facts.Moment{}, false
}

// Second reads 2026-11-20T06:00:00Z as seconds since 1970; false for every
// other text, of which some are dates to ISO.
func Second(text string) (int64, bool) { return utcSecond(text, 1) }

// GeneralSecond reads 20261120060000Z as seconds since 1970; false for every other text,
// of which some are dates to Generalized.
func GeneralSecond(text string) (int64, bool) { return utcSecond(text, 0) }

// generalLayouts are the ways of generalized time (RFC 4517, 3.3.13); the
// parser takes a fraction after the seconds by itself.
var generalLayouts = []string{"20060102150405Z0700", "20060102150405Z07", "200601021504Z0700", "200601021504Z07",
	"2006010215Z0700", "2006010215Z07"}

// Generalized reads a generalized time, which always says its offset.
func Generalized(text string) (time.Time, bool) {
	if unix, ok := utcSecond(text, 0); ok {
		return time.Unix(unix, 0).UTC(), true
	}
	const whole = len("20261120060000")
	if n := len(text) - 1; n > whole+1 && text[whole] == '.' && text[n] == 'Z' && digits(text[whole+1:n]) {
		if unix, ok := utcSecond(text[:whole]+"Z", 0); ok {
			return time.Unix(unix, 0).UTC(), true
		}
	}
	if len(text) < len("2026112006Z") || text[0] < '0' || text[0] > '9' {
		return time.Time{}, false
	}
	for _, layout := range generalLayouts {
		if at, err := time.Parse(layout, text); err == nil {
			return at.UTC().Truncate(time.Second), true
		}
	}
	return time.Time{}, false
}

func digits(text string) bool {
	for i := range len(text) {
		if text[i] < '0' || text[i] > '9' {
			return false
		}
	}
	return true
}

// utcSecond reads what most exports hold, 2026-11-20T06:00:00Z with gap 1 and
// 20261120060000Z with gap 0, as seconds since 1970. Years before 1970 or from 2170 on
// and all other forms are left to others.
func utcSecond(text string, gap int) (int64, bool) {
	var year, month, day, hour, minute, second, wrong uint64
	switch {
	case gap == 1 && len(text) == len("2026-11-20T06:00:00Z"):
		date, noDate := isoDate.pairs(Eight(text))
		clock, noClock := isoClock.pairs(Eight(text[8:]))
		end, noEnd := isoEnd.pairs(Eight(text[12:]))
		year, month, day = date&0xff*100+date>>16&0xff, date>>40&0xff, clock&0xff
		hour, minute, second = clock>>24&0xff, clock>>48&0xff, end>>40&0xff
		wrong = noDate | noClock | noEnd
	case gap == 0 && len(text) == len("20261120060000Z"):
		date, noDate := generalDate.pairs(Eight(text))
		clock, noClock := generalClock.pairs(Eight(text[7:]))
		year, month, day = date&0xff*100+date>>16&0xff, date>>32&0xff, date>>48&0xff
		hour, minute, second = clock>>8&0xff, clock>>24&0xff, clock>>40&0xff
		wrong = noDate | noClock
	default:
		return 0, false
	}
	if wrong != 0 || month-1 > 11 || hour > 23 || minute > 59 || second > 59 {
		return 0, false
	}
	n := (year-1970)*12 + month - 1 // very many before 1970
	if n >= mostMonths {
		return 0, false
	}
	days := uint64(monthDays[n]) + day - 1
	if day == 0 || days >= uint64(monthDays[n+1]) {
		return 0, false
	}
	return int64(((days*24+hour)*60+minute)*60 + second), true
}

// monthDays are the days from 1970-01-01 to the first of each month up to the year 2170.
const mostMonths = 200 * 12

var monthDays = func() (table [mostMonths + 1]uint32) {
	for n := range table {
		table[n] = uint32(time.Date(1970, time.January+time.Month(n), 1, 0, 0, 0, 0, time.UTC).Unix() / 86400)
	}
	return table
}()

// A form is eight bytes of which some are digits and the others fixed. To
// look at them together takes a third of the time of one by one.
type form struct {
	base uint64 // what each byte is, "0" for digits
	room uint64 // what, added to the difference, sets the highest bit of a byte that does not fit
}

var (
	isoDate, isoClock, isoEnd = formOf("0000-00-"), formOf("00T00:00"), formOf("0:00:00Z")
	generalDate, generalClock = formOf("00000000"), formOf("0000000Z")
)

func formOf(text string) form {
	f := form{base: Eight(text)}
	for i := range 8 {
		room := uint64(0x7f)
		if text[i] == '0' {
			room -= 9
		}
		f.room |= room << (8 * i)
	}
	return f
}

// pairs returns, in the byte of each digit, the number that it makes with the
// digit after it; wrong is not 0 where the text has another form.
func (f *form) pairs(text uint64) (numbers, wrong uint64) {
	x := text ^ f.base
	return x*10 + x>>8, (x | (x + f.room)) & 0x8080808080808080
}

// Four returns the first four bytes of a text, the first of them lowest.
func Four(s string) uint32 {
	s = s[:4]
	return uint32(s[0]) | uint32(s[1])<<8 | uint32(s[2])<<16 | uint32(s[3])<<24
}

// Eight returns the first eight bytes of a text, the first of them lowest.
func Eight(s string) uint64 {
	s = s[:8]
	return uint64(s[0]) | uint64(s[1])<<8 | uint64(s[2])<<16 | uint64(s[3])<<24 | uint64(s[4])<<32 | uint64(s[5])<<40 | uint64(s[6])<<48 | uint64(s[7])<<56
}
