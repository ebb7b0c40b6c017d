// Package stamp reads dates and times as exports write them.
package stamp

import (
	"time"

	"yewcone/core/estate"
)

// isoLayouts are the ways of ISO 8601 that are read; those without an offset
// are in the given zone.
var isoLayouts = []string{
	time.RFC3339, "2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04:05", "2006-01-02 15:04",
	"2006-01-02T15:04:05Z0700", "2006-01-02T15:04Z07:00", "2006-01-02 15:04:05Z07:00", "2006-01-02 15:04:05Z07", "20060102T150405Z0700",
}

// ISO reads a date or an instant of ISO 8601. One that says no offset is in
// the zone.
func ISO(text string, zone *time.Location) (estate.Moment, bool) {
	if unix, ok := utcSecond(text, 1); ok {
		return estate.AtSecond(unix), true
	}
	if len(text) == len(time.DateOnly) {
		at, err := time.Parse(time.DateOnly, text)
		return estate.OnDay(at), err == nil
	}
	for _, layout := range isoLayouts {
		if at, err := time.ParseInLocation(layout, text, zone); err == nil {
			return estate.At(at), true
		}
	}
	return estate.Moment{}, false
}

// Second reads 2026-11-20T06:00:00Z as seconds since 1970; false for every
// other text, of which some are dates to ISO.
func Second(text string) (int64, bool) { return utcSecond(text, 1) }

// generalLayouts are the ways of generalized time (RFC 4517, 3.3.13); the
// parser takes a fraction after the seconds by itself.
var generalLayouts = []string{"20060102150405Z0700", "20060102150405Z07", "200601021504Z0700", "200601021504Z07", "2006010215Z0700", "2006010215Z07"}

// Generalized reads a generalized time, which always says its offset.
func Generalized(text string) (time.Time, bool) {
	if unix, ok := utcSecond(text, 0); ok {
		return time.Unix(unix, 0).UTC(), true
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

// utcSecond reads what most exports hold, 2026-11-20T06:00:00Z with gap 1 and
// 20261120060000Z with gap 0, as seconds since 1970. Years before 1970 and all
// other forms are left to others.
func utcSecond(text string, gap int) (int64, bool) {
	if len(text) != 15+5*gap || text[len(text)-1] != 'Z' {
		return 0, false
	}
	if gap == 1 && (text[4] != '-' || text[7] != '-' || text[10] != 'T' || text[13] != ':' || text[16] != ':') {
		return 0, false
	}
	var year, month, day, hour, minute, second int64
	if gap == 1 {
		t := text[:20]
		year, month, day = two(t[0], t[1])*100+two(t[2], t[3]), two(t[5], t[6]), two(t[8], t[9])
		hour, minute, second = two(t[11], t[12]), two(t[14], t[15]), two(t[17], t[18])
	} else {
		t := text[:15]
		year, month, day = two(t[0], t[1])*100+two(t[2], t[3]), two(t[4], t[5]), two(t[6], t[7])
		hour, minute, second = two(t[8], t[9]), two(t[10], t[11]), two(t[12], t[13])
	}
	if year < 1970 || year > 9999 || month < 1 || month > 12 || day < 1 || day > 28 && day > daysIn(year, month) || hour > 23 || minute > 59 || second > 59 {
		return 0, false
	}
	// Days since 1970-01-01, with years that begin in March.
	if month <= 2 {
		year, month = year-1, month+12
	}
	days := year*365 + year/4 - year/100 + year/400 + (153*(month-3)+2)/5 + day - 719469
	return ((days*24+hour)*60+minute)*60 + second, true
}

// two reads two digits; what is none is more than any part of a date.
func two(tens, ones byte) int64 {
	tens, ones = tens-'0', ones-'0'
	if tens > 9 || ones > 9 {
		return 10000
	}
	return int64(tens)*10 + int64(ones)
}

func daysIn(year, month int64) int64 {
	switch {
	case month == 2 && year%4 == 0 && (year%100 != 0 || year%400 == 0):
		return 29
	case month == 2:
		return 28
	case month == 4 || month == 6 || month == 9 || month == 11:
		return 30
	}
	return 31
}
