package setting

import (
	"cmp"
	"fmt"
	"math"
	"strconv"
	"strings"

	"yewcone/core/nearword"
)

// Kind says which values a setting takes besides unknown and off.
type Kind uint8

// The kinds of settings.
const (
	CountKind Kind = iota
	DurationKind
	ChoiceKind
	FlagKind
)

func (k Kind) String() string {
	return [...]string{"count", "duration", "choice", "flag"}[k]
}

// Order says in which direction a setting grows stricter.
type Order uint8

// The orders of strictness.
const (
	NoOrder Order = iota // values may differ, but neither is stricter
	Higher               // more is stricter; choices are listed weakest first
	Lower                // less is stricter
	YesStricter
	NoStricter
)

func (o Order) String() string {
	return [...]string{"none", "higher", "lower", "yes", "no"}[o]
}

// OffPlace says where "off" stands in the order of a setting.
type OffPlace uint8

// The places of off.
const (
	NoOff        OffPlace = iota // the setting cannot be off
	OffWeakest                   // off is weaker than every amount
	OffStrictest                 // off is stricter than every amount
)

// A Setting is one entry of the catalogue.
type Setting struct {
	Name    string // as rules, mappings and outputs write it
	Group   string // complexity, history, age, lockout, sign-in or storage
	Kind    Kind
	Order   Order
	OffIs   OffPlace
	OffWord string   // how off is written: never, none or off
	Choices []string // weakest first; ChoiceKind only
	Unit    string   // what a count counts, in the plural
	Most    int64    // the largest count that makes sense; 0 for no limit
	Unlock  bool     // whether "until unlocked" is a value
	All     bool     // whether "all" is a value: AllCount of what is counted
	Meaning string   // one sentence without a full stop
	says    sayings
}

// sayings are the plain sentences for what a value means, without the full
// stop; {} stands for the value. An empty one falls back to the bare value.
type sayings struct {
	off, amount, unlock, yes, no, all string
	choices                           []string // one for each choice
}

// Term is the setting in the trade's words: "minimum length" for min_length.
func (s *Setting) Term() string {
	if term := terms[s.Name]; term != "" {
		return term
	}
	words := strings.Fields(strings.ReplaceAll(s.Name, "_", " "))
	for i, w := range words {
		switch w {
		case "min":
			words[i] = "minimum"
		case "max":
			words[i] = "maximum"
		}
	}
	return strings.Join(words, " ")
}

// terms are those that the name does not give away.
var terms = map[string]string{
	"history": "password history", "max_age": "maximum password age", "min_age": "minimum password age", "warn_before": "warning before expiry",
	"grace_signins": "sign-ins after expiry", "grace_period": "days after expiry", "min_upper": "capital letters", "min_lower": "small letters",
	"min_digits": "digits", "min_symbols": "symbols", "min_classes": "kinds of characters", "max_run": "longest sequence",
	"max_repeat": "longest repetition", "min_distinct": "different characters", "login_barred": "sign-in name in the password",
	"common_barred": "common passwords refused", "dictionary_barred": "dictionary words refused", "breached_barred": "breached passwords refused",
	"names_barred": "names refused", "blank_allowed": "empty passwords", "lockout_attempts": "failures before lockout",
	"lockout_window": "lockout window", "lockout_duration": "lockout duration", "lockout_longest": "longest lockout",
	"lockout_covers_admins": "lockout of administrators", "source_attempts": "failures before an address is blocked",
	"change_at_first_use": "change at first sign-in", "self_change": "people change their own password", "storage": "password storage",
	"dormant_after": "unused accounts shut after", "idle_timeout": "idle time-out", "reuse_after": "reuse after", "second_factor": "second factor",
}

// rank maps a known value on one numerical axis along which the setting's
// written amounts grow; off and "until unlocked" stand at its ends. class
// -1 is below every amount, +1 above, and +2 above that.
func (s *Setting) rank(v Value) (class int, number int64) {
	switch v.state {
	case Off:
		if (s.OffIs == OffWeakest) == (s.Order == Lower) {
			return 2, 0
		}
		return -1, 0
	case UntilUnlocked:
		return 1, 0
	case Duration:
		return 0, v.span.Length()
	}
	return 0, v.number
}

// CompareAmounts orders two known values by size: -1 when a is the smaller.
// Off and "until unlocked" count as beyond every amount on their side.
func (s *Setting) CompareAmounts(a, b Value) int {
	ac, an := s.rank(a)
	bc, bn := s.rank(b)
	return cmp.Or(cmp.Compare(ac, bc), cmp.Compare(an, bn))
}

// Compare tells which of two values is stricter: -1 when a is the weaker, +1
// when a is the stricter, 0 when neither is. ok is false when one of them is
// unknown or the setting has no order.
func (s *Setting) Compare(a, b Value) (order int, ok bool) {
	if !a.Known() || !b.Known() || s.Order == NoOrder {
		return 0, false
	}
	bySize := s.CompareAmounts(a, b)
	if s.Order == Lower || s.Order == NoStricter {
		return -bySize, true
	}
	return bySize, true
}

// Strictest returns the strictest of two values. If either is unknown, so is
// the result: an unknown value may be weaker or stricter than anything. Where
// the setting has no order, values that differ give unknown.
func (s *Setting) Strictest(a, b Value) Value { return s.merge(a, b, 1) }

// Loosest returns the weakest of two values, with unknown as in Strictest.
func (s *Setting) Loosest(a, b Value) Value { return s.merge(a, b, -1) }

func (s *Setting) merge(a, b Value, sign int) Value {
	if a == b {
		return a
	}
	order, ok := s.Compare(a, b)
	if !ok {
		return Value{}
	}
	if order == 0 {
		order = sign * representation(a, b)
	}
	if order*sign > 0 {
		return a
	}
	return b
}

// most is the largest amount that the setting can have. No system means more than
// a million of anything but of the characters that it bears at most.
func (s *Setting) most() int64 {
	switch {
	case s.Most > 0:
		return s.Most
	case s == At(MaxLength):
		return math.MaxInt32
	}
	return 1_000_000
}

// Takes reports whether v is a value that the setting can have; unknown is.
func (s *Setting) Takes(v Value) bool {
	switch v.state {
	case Unknown:
		return true
	case Off:
		return s.OffIs != NoOff
	case UntilUnlocked:
		return s.Unlock
	case Amount:
		return s.Kind == CountKind && v.number >= 0 && (v.number <= s.most() || s.All && v.number == AllCount)
	case Duration:
		return s.Kind == DurationKind
	case Choice:
		return s.Kind == ChoiceKind && v.number >= 0 && int(v.number) < len(s.Choices)
	}
	return s.Kind == FlagKind
}

// Text writes a value as Parse reads it; unknown is "unknown".
func (s *Setting) Text(v Value) string {
	switch v.state {
	case Unknown:
		return "unknown"
	case Off:
		return s.OffWord
	case UntilUnlocked:
		return "until unlocked"
	case Duration:
		return v.span.String()
	case Choice:
		if i := int(v.number); i >= 0 && i < len(s.Choices) {
			return s.Choices[i]
		}
		return "?"
	case Flag:
		if v.number == 1 {
			return "yes"
		}
		return "no"
	}
	if s.All && v.number == AllCount {
		return "all"
	}
	return strconv.FormatInt(v.number, 10)
}

// AllCount is a count of all there are, of settings that can be "all".
const AllCount = math.MaxInt32

// Counted writes a value for a sentence: counts with their unit ("10
// characters"), everything else as Text does.
func (s *Setting) Counted(v Value) string {
	text := s.Text(v)
	if v.state != Amount || s.Unit == "" {
		return text
	}
	if v.number == 1 {
		return "1 " + singular(s.Unit)
	}
	return text + " " + s.Unit
}

func singular(unit string) string {
	first, rest, _ := strings.Cut(unit, " ")
	first = strings.TrimSuffix(first, "s")
	if rest == "" {
		return first
	}
	return first + " " + rest
}

// Say puts a known value into a plain clause, such as "a password may be
// reused at once"; it begins with a small letter and has no full stop.
func (s *Setting) Say(v Value) string {
	form := ""
	switch v.state {
	case Off:
		form = s.says.off
	case UntilUnlocked:
		form = s.says.unlock
	case Flag:
		if form = s.says.no; v.number == 1 {
			form = s.says.yes
		}
	case Choice:
		if i := int(v.number); i < len(s.says.choices) {
			form = s.says.choices[i]
		}
	case Amount, Duration:
		if form = s.says.amount; s.All && v.number == AllCount {
			form = s.says.all
		}
	}
	if form == "" {
		return s.Name + " is " + s.Text(v)
	}
	return strings.ReplaceAll(form, "{}", s.Counted(v))
}

// offWords are read as off for every setting that can be off.
var offWords = []string{"never", "none", "off"}

// Parse reads a value: "14", "90 days", "PT15M", "never", "until unlocked",
// "yes", a choice's name, "unknown". Error texts are whole clauses without a
// position; a caller that knows the place adds it.
func (s *Setting) Parse(text string) (Value, error) {
	word := strings.ToLower(strings.Join(strings.Fields(text), " "))
	if word == "" {
		return Value{}, fmt.Errorf("expected %s, found nothing", s.Expects())
	}
	if word == "unknown" {
		return Value{}, nil
	}
	for i, choice := range s.Choices {
		if word == choice {
			return Value{state: Choice, number: int64(i)}, nil
		}
	}
	if s.OffIs != NoOff {
		for _, off := range offWords {
			if word == off {
				return OffValue, nil
			}
		}
	}
	if s.Unlock && word == "until unlocked" {
		return UntilUnlockedValue, nil
	}
	if s.All && word == "all" {
		return Count(AllCount), nil
	}
	switch s.Kind {
	case FlagKind:
		switch word {
		case "yes":
			return Yes, nil
		case "no":
			return No, nil
		}
	case CountKind:
		return s.parseCount(word)
	case DurationKind:
		if near, ok := nearword.Of(word, s.words()); ok && !strings.ContainsAny(word[:1], "0123456789pP") {
			return Value{}, fmt.Errorf("%q is no value of %s; did you mean %q?", text, s.Name, near)
		}
		span, err := ParseSpan(text)
		if err != nil {
			return Value{}, err
		}
		return For(span), nil
	}
	return Value{}, fmt.Errorf("%q is no value of %s, which takes %s%s", text, s.Name, s.Expects(), nearword.Advice(word, s.words()))
}

func (s *Setting) parseCount(word string) (Value, error) {
	digits, unit, _ := strings.Cut(word, " ")
	n, err := strconv.ParseInt(digits, 10, 64)
	if err != nil || n < 0 {
		return Value{}, fmt.Errorf("%q is no value of %s, which takes %s%s", word, s.Name, s.Expects(), nearword.Advice(word, s.words()))
	}
	if unit != "" && unit != s.Unit && unit != singular(s.Unit) {
		return Value{}, fmt.Errorf("%q is no unit of %s, which counts %s", unit, s.Name, s.Unit)
	}
	if n > s.most() {
		return Value{}, fmt.Errorf("%d is too large for %s, which is at most %d", n, s.Name, s.most())
	}
	return Count(n), nil
}

// words lists the words that are values of the setting.
func (s *Setting) words() []string {
	words := append([]string(nil), s.Choices...)
	if s.Kind == FlagKind {
		words = append(words, "yes", "no")
	}
	if s.OffIs != NoOff {
		words = append(words, offWords...)
	}
	if s.Unlock {
		words = append(words, "until unlocked")
	}
	if s.All {
		words = append(words, "all")
	}
	return words
}

// Expects says in words which values the setting takes.
func (s *Setting) Expects() string {
	var parts []string
	switch s.Kind {
	case CountKind:
		parts = append(parts, "a number of "+s.Unit)
	case DurationKind:
		parts = append(parts, "a length of time such as \"90 days\"")
	case ChoiceKind:
		parts = append(parts, "one of "+strings.Join(s.Choices, ", "))
	case FlagKind:
		parts = append(parts, "yes or no")
	}
	if s.Unlock {
		parts = append(parts, "\"until unlocked\"")
	}
	if s.All {
		parts = append(parts, "\"all\"")
	}
	if s.OffIs != NoOff {
		parts = append(parts, "\""+s.OffWord+"\"")
	}
	return strings.Join(parts, " or ")
}
