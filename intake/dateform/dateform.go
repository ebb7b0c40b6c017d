// Package dateform reads dates as people and programs write them: by a pattern
// such as dd/mm/yyyy hh:mm, or as a count since some day.
package dateform

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/intake/stamp"
)

// A Form reads dates that are written in one way.
type Form struct {
	layout  string // of package time; "" for the forms below
	dayOnly bool
	special string
	months  []string // names of the months in place of English ones
	next    *Form    // tried where this one does not fit
}

// Any is a form that reads what one of several reads, the first that fits.
func Any(forms []*Form) *Form {
	if len(forms) == 0 {
		return nil
	}
	first := *forms[0]
	first.next = Any(forms[1:])
	return &first
}

// WithMonths is the form with other names of the months, January first.
func (f *Form) WithMonths(names []string) *Form {
	if f == nil {
		return nil
	}
	other := *f
	other.months, other.next = names, f.next.WithMonths(names)
	return &other
}

// english puts the English name of a month in place of another language's.
func (f *Form) english(text string) string {
	lower, best := strings.ToLower(text), -1
	for i, name := range f.months {
		if strings.Contains(lower, strings.ToLower(name)) && (best < 0 || len(name) > len(f.months[best])) {
			best = i
		}
	}
	if best < 0 {
		return text
	}
	at := strings.Index(lower, strings.ToLower(f.months[best]))
	name := time.Month(best + 1).String()
	if !strings.Contains(f.layout, "January") {
		name = name[:3]
	}
	if len(lower) != len(text) {
		return text // letters that change their length with their case
	}
	return text[:at] + name + strings.TrimPrefix(text[at+len(f.months[best]):], ".")
}

// Named are the forms that are no patterns.
var Named = []string{"iso 8601", "generalized time", "epoch seconds", "epoch milliseconds", "epoch days", "filetime",
	"spreadsheet days", "spreadsheet days from 1904"}

// patternParts are the parts of a pattern, longest first, and what package
// time calls them. "mm" is the month, or the minute once an hour was written.
var patternParts = []struct{ part, layout string }{
	{"yyyy", "2006"}, {"month", "January"}, {"mon", "Jan"}, {"yy", "06"}, {"am", "PM"},
	{"dd", "02"}, {"hh", "15"}, {"ss", "05"}, {"d", "2"},
}

// New reads a pattern such as "dd/mm/yyyy hh:mm", or one of
// Named.
func New(pattern string) (*Form, error) {
	lower := strings.ToLower(pattern)
	for _, s := range Named {
		if lower == s {
			return &Form{special: s, dayOnly: s == "epoch days"}, nil
		}
	}
	form := &Form{dayOnly: true}
	var b strings.Builder
	year, day, month := false, false, false
next:
	for rest := lower; rest != ""; {
		if strings.HasPrefix(rest, "mm") || (rest[0] == 'm' && !strings.HasPrefix(rest, "mon")) {
			n := 1
			if strings.HasPrefix(rest, "mm") {
				n = 2
			}
			switch {
			case !form.dayOnly:
				b.WriteString("04")
			case n == 2:
				b.WriteString("01")
			default:
				b.WriteString("1")
			}
			month = month || form.dayOnly
			rest = rest[n:]
			continue
		}
		for _, p := range patternParts {
			if strings.HasPrefix(rest, p.part) {
				b.WriteString(p.layout)
				switch p.part[0] {
				case 'y':
					year = true
				case 'd':
					day = true
				case 'm':
					month = true
				case 'h':
					form.dayOnly = false
				}
				rest = rest[len(p.part):]
				continue next
			}
		}
		if rest[0] >= 'a' && rest[0] <= 'z' && rest[0] != 't' && rest[0] != 'z' {
			return nil, fmt.Errorf("%q is no date pattern: %q is no part of one; write for instance dd/mm/yyyy hh:mm, or "+
				"one of %s%s", pattern, rest[:1], strings.Join(Named, ", "), nearword.Advice(lower, Named))
		}
		b.WriteString(strings.ToUpper(rest[:1]))
		rest = rest[1:]
	}
	if !year || !month || !day {
		return nil, fmt.Errorf("%q is no date pattern: it needs a year, a month and a day, as in dd/mm/yyyy hh:mm", pattern)
	}
	form.layout = b.String()
	if strings.Contains(form.layout, "PM") {
		form.layout = strings.Replace(form.layout, "15", "03", 1)
	}
	return form, nil
}

// Parse reads a date; false when the text is none.
func (f *Form) Parse(text string, zone *time.Location) (facts.Moment, bool) {
	at, ok := f.parse(text, zone)
	if !ok && f.next != nil {
		return f.next.Parse(text, zone)
	}
	return at, ok
}

func (f *Form) parse(text string, zone *time.Location) (facts.Moment, bool) {
	if f.special == "" {
		if f.months != nil {
			text = f.english(text)
		}
		at, err := time.ParseInLocation(f.layout, text, zone)
		if err != nil {
			return facts.Moment{}, false
		}
		if f.dayOnly {
			return facts.OnDay(time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, time.UTC)), true
		}
		return facts.At(at), true
	}
	switch f.special {
	case "iso 8601":
		return stamp.ISO(text, zone)
	case "generalized time":
		at, ok := stamp.Generalized(text)
		return facts.At(at), ok
	case "spreadsheet days":
		return spreadsheetDays(text, first1900, zone)
	case "spreadsheet days from 1904":
		return spreadsheetDays(text, first1904, zone)
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if n == 0 || n == -1 { // which programs write for what is not there
		return facts.Moment{}, false
	}
	if f.special == "filetime" {
		return filetime(n, err)
	}
	if err != nil || n < -1<<50 || n > 1<<50 {
		return facts.Moment{}, false
	}
	switch f.special {
	case "epoch milliseconds":
		return facts.At(time.UnixMilli(n)), true
	case "epoch days":
		return facts.OnDay(time.Unix(n%(1<<30)*86400, 0)), true
	}
	return facts.At(time.Unix(n, 0)), true
}

// filetime reads 100 nanoseconds since 1601; 0 and the largest number mean no
// date, and what they mean is for the mapping to say.
func filetime(n int64, err error) (facts.Moment, bool) {
	if err != nil || n <= 0 || n > 2650467743999999999 { // the year 9999
		return facts.Moment{}, false
	}
	return facts.At(time.Unix(n/1e7-11644473600, 0)), true
}

// The day 0 of the two date systems of workbooks.
var (
	first1900 = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	first1904 = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
)

// spreadsheetDays reads days since a first one: without a fraction a whole day,
// with one a time of that day in the zone, to the second.
func spreadsheetDays(text string, first time.Time, zone *time.Location) (facts.Moment, bool) {
	days, err := strconv.ParseFloat(text, 64)
	if err != nil || !(days > 0 && days < 3e6) {
		return facts.Moment{}, false
	}
	if days == math.Trunc(days) {
		return facts.OnDay(first.AddDate(0, 0, int(days))), true
	}
	at := first.Add(time.Duration(math.Round(days*86400)) * time.Second)
	year, month, day := at.Date()
	hour, minute, second := at.Clock()
	return facts.At(time.Date(year, month, day, hour, minute, second, 0, zone)), true
}

// From1904 is the form for a workbook whose days are counted from 1904.
func (f *Form) From1904() *Form {
	if f == nil {
		return nil
	}
	other := *f
	if other.next = f.next.From1904(); f.special == "spreadsheet days" {
		other.special = "spreadsheet days from 1904"
	}
	return &other
}

// String shows a date as the form writes it, for messages.
func (f *Form) String() string {
	if f.special != "" {
		return f.special
	}
	if f.next != nil {
		first := *f
		first.next = nil
		return first.String() + " or " + f.next.String()
	}
	return time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Format(f.layout)
}

// Counts is how the form counts since some day, where nothing else is tried after it;
// "" for a form that does not.
func (f *Form) Counts() string {
	if f.next != nil || f.special == "iso 8601" || f.special == "generalized time" {
		return ""
	}
	return f.special
}

// Second returns what reads the dates that most exports in the form have, in full and in
// UTC, as seconds since 1970, and leaves all others; nil for forms of which there is none.
func (f *Form) Second() func(text string) (int64, bool) {
	switch {
	case f.special == "iso 8601":
		return stamp.Second
	case f.special == "generalized time":
		return stamp.GeneralSecond
	}
	return nil
}

// ISO reports whether the form is ISO 8601, whatever is tried after it.
func (f *Form) ISO() bool { return f.special == "iso 8601" }
