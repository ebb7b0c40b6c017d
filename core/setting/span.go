package setting

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"yewcone/core/nearword"
)

// A Span is a length of time that keeps its calendar part apart, as ISO 8601
// does: months (a year is twelve), days and seconds. Dates are reckoned with
// the calendar; lengths are compared with a year as 365 days and a month as 30.
// No part is negative.
type Span struct {
	Months  int32
	Days    int32
	Seconds int64
}

const (
	daySeconds = 86400
	// maxSpanYears keeps every sum of dates and spans far inside int64.
	maxSpanYears = 10000
)

// SpanOfSeconds returns n seconds as whole days when they are whole days, so
// that 15552000 reads as 180 days; otherwise as seconds. n must not be negative.
func SpanOfSeconds(n int64) Span {
	if n >= daySeconds && n%daySeconds == 0 {
		return Span{Days: int32(n / daySeconds)}
	}
	return Span{Seconds: n}
}

// Length is the span in seconds as it is compared: a year is 365 days and a
// month that is left over 30.
func (s Span) Length() int64 {
	days := int64(s.Months/12)*365 + int64(s.Months%12)*30 + int64(s.Days)
	return days*daySeconds + s.Seconds
}

// After returns t moved forward by the span with the calendar: three months
// after 23 August 06:00 is 23 November 06:00. A day that the target month does
// not have becomes that month's last day.
func (s Span) After(t time.Time) time.Time { return s.shift(t, 1) }

// Before returns t moved back by the span, as After does forward.
func (s Span) Before(t time.Time) time.Time { return s.shift(t, -1) }

func (s Span) shift(t time.Time, sign int) time.Time {
	if s.Months != 0 {
		year, month, day := t.Date()
		first := time.Date(year, month+time.Month(sign*int(s.Months)), 1, 0, 0, 0, 0, t.Location())
		lastDay := first.AddDate(0, 1, -1).Day()
		hour, minute, second := t.Clock()
		t = time.Date(first.Year(), first.Month(), min(day, lastDay), hour, minute, second, t.Nanosecond(), t.Location())
	}
	if s.Days != 0 {
		t = t.AddDate(0, 0, sign*int(s.Days))
	}
	return time.Unix(t.Unix()+int64(sign)*s.Seconds, int64(t.Nanosecond())).In(t.Location()) // a time.Duration ends after 292 years
}

// String writes the span in words: "3 months", "1 day 12 hours", "90 days".
// ParseSpan reads it back to the same span.
func (s Span) String() string {
	var parts []string
	say := func(n int64, unit string) {
		if n == 1 {
			parts = append(parts, "1 "+unit)
		} else if n > 1 {
			parts = append(parts, strconv.FormatInt(n, 10)+" "+unit+"s")
		}
	}
	say(int64(s.Months/12), "year")
	say(int64(s.Months%12), "month")
	say(int64(s.Days), "day")
	say(s.Seconds/3600, "hour")
	say(s.Seconds%3600/60, "minute")
	say(s.Seconds%60, "second")
	if parts == nil {
		return "0 days"
	}
	return strings.Join(parts, " ")
}

// ISO writes the span as an ISO 8601 duration such as P90D or PT15M.
func (s Span) ISO() string {
	var b strings.Builder
	part := func(n int64, unit byte) {
		if n > 0 {
			b.WriteString(strconv.FormatInt(n, 10))
			b.WriteByte(unit)
		}
	}
	b.WriteByte('P')
	part(int64(s.Months/12), 'Y')
	part(int64(s.Months%12), 'M')
	part(int64(s.Days), 'D')
	if s.Seconds > 0 {
		b.WriteByte('T')
		part(s.Seconds/3600, 'H')
		part(s.Seconds%3600/60, 'M')
		part(s.Seconds%60, 'S')
	}
	if b.Len() == 1 {
		return "P0D"
	}
	return b.String()
}

var spanUnits = map[string]Span{
	"year": {Months: 12}, "month": {Months: 1}, "week": {Days: 7}, "day": {Days: 1},
	"hour": {Seconds: 3600}, "minute": {Seconds: 60}, "second": {Seconds: 1},
	"y": {Months: 12}, "w": {Days: 7}, "d": {Days: 1}, "h": {Seconds: 3600},
	"min": {Seconds: 60}, "s": {Seconds: 1}, "sec": {Seconds: 1},
}

var unitNames = []string{"years", "months", "weeks", "days", "hours", "minutes", "seconds"}

// UnitSpan returns the span of one unit of time, named in the singular or
// plural ("day", "minutes") or short as "h"; false for any other word.
func UnitSpan(unit string) (Span, bool) {
	unit = strings.ToLower(unit)
	if s, ok := spanUnits[unit]; ok {
		return s, true
	}
	s, ok := spanUnits[strings.TrimSuffix(unit, "s")]
	return s, ok && strings.HasSuffix(unit, "s") && len(unit) > 2
}

// Times returns n times the span; false when the result is too long to hold.
func (s Span) Times(n int64) (Span, bool) {
	months, days := int64(s.Months)*n, int64(s.Days)*n
	limit := int64(maxSpanYears * 12)
	if n < 0 || n > math.MaxInt32 || months > limit || days > maxSpanYears*366 || s.Seconds*n > maxSpanYears*366*daySeconds {
		return Span{}, false
	}
	return Span{Months: int32(months), Days: int32(days), Seconds: s.Seconds * n}, true
}

func (s Span) plus(o Span) Span {
	return Span{Months: s.Months + o.Months, Days: s.Days + o.Days, Seconds: s.Seconds + o.Seconds}
}

// ParseSpan reads a length of time: "90 days", "12 h", "3 months", "1 day 12
// hours", or ISO 8601 such as P90D and PT15M. Error texts are whole clauses
// without a position; a caller that knows the place adds it.
func ParseSpan(text string) (Span, error) {
	text = strings.TrimSpace(text)
	if len(text) > 1 && (text[0] == 'P' || text[0] == 'p') {
		return parseISOSpan(text)
	}
	var total Span
	words := strings.Fields(text)
	if len(words) == 0 {
		return Span{}, fmt.Errorf("expected a length of time such as \"90 days\", found nothing")
	}
	for i := 0; i < len(words); {
		digits, unit := splitNumber(words[i])
		if digits == "" {
			return Span{}, fmt.Errorf("expected a number, found %q", words[i])
		}
		i++
		if unit == "" {
			if i == len(words) {
				return Span{}, fmt.Errorf("%q has no unit; write for instance \"%s days\" or \"%s minutes\"", digits, digits, digits)
			}
			unit = words[i]
			i++
		}
		one, ok := UnitSpan(unit)
		if !ok {
			return Span{}, fmt.Errorf("%q is no unit of time%s", unit, nearword.Advice(unit, unitNames))
		}
		part, err := spanTimes(one, digits)
		if err != nil {
			return Span{}, err
		}
		total = total.plus(part)
	}
	return total.bounded(text)
}

func (s Span) bounded(text string) (Span, error) {
	if s.Length() > maxSpanYears*366*daySeconds {
		return Span{}, fmt.Errorf("%q is longer than %d years", text, maxSpanYears)
	}
	return s, nil
}

func spanTimes(one Span, digits string) (Span, error) {
	n, err := strconv.ParseInt(digits, 10, 64)
	if err != nil {
		return Span{}, fmt.Errorf("%q is too large a number", digits)
	}
	part, ok := one.Times(n)
	if !ok {
		return Span{}, fmt.Errorf("%q is longer than %d years", digits, maxSpanYears)
	}
	return part, nil
}

// parseISOSpan reads ISO 8601 durations: P[nY][nM][nW][nD][T[nH][nM][nS]].
func parseISOSpan(text string) (Span, error) {
	bad := fmt.Errorf("%q is not a duration of ISO 8601; write for instance P90D or PT15M", text)
	date := []struct {
		letter byte
		one    Span
	}{{'Y', Span{Months: 12}}, {'M', Span{Months: 1}}, {'W', Span{Days: 7}}, {'D', Span{Days: 1}}}
	clock := []struct {
		letter byte
		one    Span
	}{{'H', Span{Seconds: 3600}}, {'M', Span{Seconds: 60}}, {'S', Span{Seconds: 1}}}
	var total Span
	units, next, parts := date, 0, 0
	for rest := strings.ToUpper(text[1:]); rest != ""; {
		if rest[0] == 'T' && len(units) == len(date) && len(rest) > 1 {
			units, next, rest = clock, 0, rest[1:]
			continue
		}
		digits, tail := splitNumber(rest)
		if digits == "" || tail == "" {
			return Span{}, bad
		}
		for next < len(units) && units[next].letter != tail[0] {
			next++
		}
		if next == len(units) {
			return Span{}, bad
		}
		part, err := spanTimes(units[next].one, digits)
		if err != nil {
			return Span{}, err
		}
		total = total.plus(part)
		next, rest, parts = next+1, tail[1:], parts+1
	}
	if parts == 0 {
		return Span{}, bad
	}
	return total.bounded(text)
}

// splitNumber cuts the leading digits off a word.
func splitNumber(word string) (digits, rest string) {
	i := 0
	for i < len(word) && word[i] >= '0' && word[i] <= '9' {
		i++
	}
	return word[:i], word[i:]
}
