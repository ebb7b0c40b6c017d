package setting

import (
	"math/rand/v2"
	"testing"
	"time"
)

// some returns values that a setting can have, known ones only.
func some(s *Setting, r *rand.Rand) []Value {
	var list []Value
	if s.OffIs != NoOff {
		list = append(list, OffValue)
	}
	if s.Unlock {
		list = append(list, UntilUnlockedValue)
	}
	for i := range s.Choices {
		list = append(list, ChoiceAt(i))
	}
	switch s.Kind {
	case FlagKind:
		list = append(list, Yes, No)
	case CountKind:
		for _, n := range []int64{0, 1, 2, 5} {
			list = append(list, Count(n))
		}
	case DurationKind:
		list = append(list, Days(0), Days(30), For(Span{Months: 1}), Days(365), For(Span{Months: 12}), Days(360), Seconds(900))
		for range 3 {
			list = append(list, For(Span{Months: r.Int32N(30), Days: r.Int32N(100), Seconds: r.Int64N(100000)}))
		}
	}
	return list
}

// TestOrder: on known values the order is total and transitive, off stands
// where the setting says, and merging is associative, commutative and
// idempotent; unknown makes every merge unknown.
func TestOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for id := range Len {
		s := At(id)
		values := some(s, r)
		for _, a := range values {
			if !s.Takes(a) {
				t.Fatalf("%s does not take %s", s.Name, s.Text(a))
			}
			if s.Strictest(a, Value{}).Known() || s.Loosest(Value{}, a).Known() {
				t.Fatalf("%s: merging %s with unknown is known", s.Name, s.Text(a))
			}
			for _, b := range values {
				ab, ok := s.Compare(a, b)
				ba, _ := s.Compare(b, a)
				if ok != (s.Order != NoOrder) || ab != -ba {
					t.Fatalf("%s: compare %s, %s gives %d and %d", s.Name, s.Text(a), s.Text(b), ab, ba)
				}
				for _, merge := range []func(a, b Value) Value{s.Strictest, s.Loosest} {
					if merge(a, b) != merge(b, a) || merge(a, a) != a {
						t.Fatalf("%s: merging %s and %s is not commutative and idempotent", s.Name, s.Text(a), s.Text(b))
					}
					for _, c := range values {
						if s.Order != NoOrder && merge(merge(a, b), c) != merge(a, merge(b, c)) {
							t.Fatalf("%s: merging %s, %s, %s is not associative", s.Name, s.Text(a), s.Text(b), s.Text(c))
						}
					}
				}
				for _, c := range values {
					bc, _ := s.Compare(b, c)
					if ac, _ := s.Compare(a, c); ok && ab <= 0 && bc <= 0 && ac > 0 {
						t.Fatalf("%s: %s ≤ %s ≤ %s but not the first and the last", s.Name, s.Text(a), s.Text(b), s.Text(c))
					}
				}
			}
		}
		if s.OffIs != NoOff {
			order, _ := s.Compare(OffValue, values[len(values)-1])
			if (order < 0) != (s.OffIs == OffWeakest) {
				t.Fatalf("%s: off compares as %d", s.Name, order)
			}
		}
	}
}

func TestStricter(t *testing.T) {
	for _, c := range []struct{ name, weaker, stricter string }{
		{"min_length", "8", "14"}, {"min_length", "off", "0"}, {"max_length", "8", "off"},
		{"max_age", "never", "10 years"}, {"max_age", "91 days", "3 months"}, {"max_age", "12 months", "360 days"},
		{"lockout_attempts", "never", "100"}, {"lockout_duration", "10 years", "until unlocked"}, {"lockout_duration", "none", "1 second"},
		{"lockout_window", "15 minutes", "never"}, {"grace_period", "never", "30 days"}, {"blank_allowed", "yes", "no"},
		{"storage", "salted fast", "memory-hard"}, {"history", "none", "1"}, {"warn_before", "off", "7 days"},
	} {
		id, _ := Find(c.name)
		s := At(id)
		w, err1 := s.Parse(c.weaker)
		v, err2 := s.Parse(c.stricter)
		if order, ok := s.Compare(w, v); err1 != nil || err2 != nil || !ok || order != -1 {
			t.Errorf("%s: %s should be weaker than %s (%d %v %v)", c.name, c.weaker, c.stricter, order, err1, err2)
		}
	}
}

// TestTextBothWays: what Text writes, Parse reads back.
func TestTextBothWays(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for id := range Len {
		s := At(id)
		for _, v := range append(some(s, r), Value{}) {
			back, err := s.Parse(s.Text(v))
			if err != nil || back != v {
				t.Errorf("%s: %q reads back as %q, %v", s.Name, s.Text(v), s.Text(back), err)
			}
			if span, ok := v.Span(); ok {
				if iso, err := ParseSpan(span.ISO()); err != nil || iso != span {
					t.Errorf("%v: ISO %q reads back as %v, %v", span, span.ISO(), iso, err)
				}
			}
			if v.Known() && s.Say(v) == "" {
				t.Errorf("%s says nothing of %s", s.Name, s.Text(v))
			}
		}
	}
}

func TestSpans(t *testing.T) {
	at := func(text string) time.Time {
		v, err := time.Parse("2006-01-02 15:04", text)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	three, err := ParseSpan("3 months")
	if err != nil || !three.Before(at("2026-11-23 06:00")).Equal(at("2026-08-23 06:00")) {
		t.Errorf("three months before 23 November are %v (%v)", three.Before(at("2026-11-23 06:00")), err)
	}
	if got := (Span{Seconds: 9_999_999_999}).After(at("2026-01-31 12:00")); got.Year() != 2342 {
		t.Errorf("317 years are too long: %v", got)
	}
	if got := (Span{Months: 1}).After(at("2026-01-31 12:00")); !got.Equal(at("2026-02-28 12:00")) {
		t.Errorf("a month after 31 January is %v", got)
	}
	for text, want := range map[string]Span{
		"90 days": {Days: 90}, "12 h": {Seconds: 43200}, "12h": {Seconds: 43200}, "1 year 2 months": {Months: 14}, "2 weeks": {Days: 14},
		"P90D": {Days: 90}, "PT15M": {Seconds: 900}, "P1Y2M3DT4H": {Months: 14, Days: 3, Seconds: 14400}, "P2W": {Days: 14}, "0 days": {},
	} {
		if got, err := ParseSpan(text); err != nil || got != want {
			t.Errorf("%q is %v, %v; want %v", text, got, err, want)
		}
	}
	for _, text := range []string{"", "90", "90 dyas", "days", "P", "PT", "P1D2Y", "P5", "PT5D",
		"99999999999999999999 days", "10000000 years", "-1 days", "P1DT", "1.5 days"} {
		if got, err := ParseSpan(text); err == nil {
			t.Errorf("%q is read as %v", text, got)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{"14", "90 days", "P1Y2M", "until unlocked", "never", "P1DT", "9223372036854775807 s", "١ day"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for id := range Len {
			s := At(id)
			v, err := s.Parse(text)
			if err != nil {
				continue
			}
			if back, err := s.Parse(s.Text(v)); err != nil || back != v || !s.Takes(v) {
				t.Fatalf("%s: %q is %q, which reads back as %q (%v)", s.Name, text, s.Text(v), s.Text(back), err)
			}
		}
	})
}

// TestNames: each constant stands for the setting of its name, and the named
// choices for the words they are named after.
func TestNames(t *testing.T) {
	for id := range Len {
		if found, ok := Find(id.String()); !ok || found != id || At(id).Name == "" {
			t.Errorf("setting %d is named %q", id, id)
		}
	}
	for _, c := range []struct {
		id    ID
		value Value
		word  string
	}{
		{Alphabet, AlphabetDigits, "digits"}, {Alphabet, AlphabetLettersAndDigits, "letters and digits"}, {Alphabet, AlphabetAny, "any"},
		{LoginBarred, LoginAccepted, "off"}, {LoginBarred, LoginNotEqual, "equal"}, {LoginBarred, LoginContained, "contained"},
		{StrengthFloor, NoStrengthFloor, "none"},
		{SecondFactor, NoSecondFactor, "off"}, {SecondFactor, SecondFactorOptional, "optional"},
		{SecondFactor, SecondFactorAdmins, "administrators"}, {SecondFactor, SecondFactorEveryone, "everyone"},
		{Storage, StoredClear, "cleartext"}, {Storage, StoredReversible, "reversible"}, {Storage, StoredUnsalted, "unsalted fast"},
		{Storage, StoredSaltedFast, "salted fast"}, {Storage, StoredSaltedSlow, "salted slow"}, {Storage, StoredMemoryHard, "memory-hard"},
	} {
		if got := At(c.id).Text(c.value); got != c.word {
			t.Errorf("%s: %q is named as %q", c.id, got, c.word)
		}
	}
}
