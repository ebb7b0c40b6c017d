package mapping

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"yewcone/core/setting"
	"yewcone/intake/table"
)

// value reads the text of a setting. said is false where the text means that
// the value comes from elsewhere, or is not there; problem tells why a text
// was not understood.
func (p *plan) value(t *taker, text string) (v setting.Value, said bool, problem string) {
	if slices.Contains(t.inherit, text) {
		return v, false, ""
	}
	if v, ok := t.words[text]; ok {
		return v, v.Known(), ""
	}
	if slices.Contains(t.source.Off, text) || slices.Contains(p.file.Off, text) {
		if t.def.Kind == setting.FlagKind {
			return setting.No, true, ""
		}
		if t.def.OffIs == setting.NoOff {
			return v, false, fmt.Sprintf("%q means off in the mapping, and this setting cannot be off; say under \"words\" "+
				"what it means", text)
		}
		return setting.OffValue, true, ""
	}
	if g := gapOf(text); g != noGap {
		if t.on[g] == nil {
			return v, false, ""
		}
		return *t.on[g], t.on[g].Known(), ""
	}
	v, said, problem = p.spoken(t, text)
	if problem != "" && t.others != nil {
		return *t.others, t.others.Known(), ""
	}
	return v, said, problem
}

// spoken reads a text that is no gap and no word of the mapping.
func (p *plan) spoken(t *taker, text string) (v setting.Value, said bool, problem string) {
	yes, no := p.file.Yes, p.file.No
	if len(t.source.Yes) > 0 || len(t.source.No) > 0 {
		yes, no = t.source.Yes, t.source.No
	}
	switch {
	case t.def.Kind == setting.FlagKind && slices.Contains(yes, text):
		return setting.Yes, true, ""
	case t.def.Kind == setting.FlagKind && slices.Contains(no, text):
		return setting.No, true, ""
	case t.def.Kind == setting.CountKind || t.def.Kind == setting.DurationKind:
		return p.amount(t, text)
	}
	v, err := t.def.Parse(text)
	if err != nil {
		return v, false, fmt.Sprintf("%s is not understood; say under \"words\" what it means", table.Shown(text))
	}
	return v, v.Known(), ""
}

// fraction reads a number with decimals, such as the 0.5 of half an hour, where
// it comes to whole seconds.
func fraction(t *taker, digits, unit string) (setting.Value, bool) {
	if unit == "" && t.source.Unit != nil {
		unit = t.source.Unit.Value
	}
	one, ok := setting.UnitSpan(unit)
	n, err := strconv.ParseFloat(digits, 64)
	seconds := n * float64(one.Length())
	if !ok || err != nil || !(seconds >= 0 && seconds < 1e11) || seconds != math.Trunc(seconds) {
		return setting.Value{}, false
	}
	return setting.Seconds(int64(seconds)), true
}

// amount reads a number with or without its unit.
func (p *plan) amount(t *taker, text string) (v setting.Value, said bool, problem string) {
	text = p.numbers.plain(text, t.def.Kind == setting.DurationKind)
	digits, unit, _ := strings.Cut(text, " ")
	n, err := strconv.ParseInt(digits, 10, 64)
	if t.def.Kind == setting.CountKind && !counted(unit) {
		return v, false, fmt.Sprintf("%s is not understood as a number; say under \"words\" what it means", table.Shown(text))
	}
	if f, e := strconv.ParseFloat(digits, 64); e == nil && f == 0 {
		return t.nought()
	}
	if t.def.Kind == setting.CountKind {
		n += int64(t.source.Add)
		if err != nil || n < 0 {
			return v, false, fmt.Sprintf("%s is not understood as a number; say under \"words\" what it means", table.Shown(text))
		}
		if v = setting.Count(n); !t.def.Takes(v) {
			return v, false, fmt.Sprintf("%d is too large", n)
		}
		return v, true, ""
	}
	if v, ok := fraction(t, digits, unit); err != nil && ok {
		return v, true, ""
	}
	if err == nil && unit == "" {
		if t.source.Unit == nil {
			return v, false, fmt.Sprintf("%q has no unit; add \"unit: days\" or another to the mapping", text)
		}
		text += " " + t.source.Unit.Value
	}
	span, err := setting.ParseSpan(text)
	if err != nil {
		return v, false, err.Error() + "; say under \"words\" what it means"
	}
	switch {
	case span.Length() == 0:
		return t.nought()
	case span.Months == 0 && span.Days == 0: // 2160 hours are 90 days
		span = setting.SpanOfSeconds(span.Seconds)
	}
	return setting.For(span), true, ""
}

// counted reports whether what stands behind a number can be the name of what is counted,
// in whatever language: a word, and none that says how long. "12 000", "5 of 10", "3x"
// and "5 years" are other numbers, or none.
func counted(word string) bool {
	if word == "" {
		return true
	}
	_, length := setting.UnitSpan(word)
	return !length && utf8.RuneCountInString(word) >= 3 && strings.IndexFunc(word, func(c rune) bool { return !unicode.IsLetter(c) }) < 0
}

// nought is what a zero means, however it is written: 0, 0.0, 0 days, P0D.
func (t *taker) nought() (v setting.Value, said bool, problem string) {
	if t.zero == nil {
		return v, false, "what 0 means is not said in the mapping; add \"zero: off\", \"zero: zero\" or another value"
	}
	return *t.zero, t.zero.Known(), ""
}
