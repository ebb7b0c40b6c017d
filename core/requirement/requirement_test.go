package requirement

import (
	"testing"

	"yewcone/core/setting"
)

func find(t *testing.T, name string) *setting.Setting {
	t.Helper()
	id, ok := setting.Find(name)
	if !ok {
		t.Fatalf("no setting %q", name)
	}
	return setting.At(id)
}

func TestAnswers(t *testing.T) {
	for _, c := range []struct {
		setting, phrase, value string
		want                   Outcome
	}{
		{"min_length", "at least 14", "14", Meets},
		{"min_length", "at least 14", "13", FallsShort},
		{"min_length", "at least 14", "off", FallsShort},
		{"min_length", "at least 14", "unknown", Unknown},
		{"min_length", "set", "unknown", Unknown},
		{"max_length", "at least 64", "off", Meets},
		{"max_length", "at least 64 or off", "none", Meets},
		{"max_length", "at most 64", "off", FallsShort},
		{"max_age", "at most 90 days", "3 months", Meets},
		{"max_age", "at most 90 days", "never", FallsShort},
		{"max_age", "at most 90 days or never", "never", Meets},
		{"max_age", "at most 90 days", "0 days", Meets},
		{"max_age", "at least 30 days", "never", Meets},
		{"max_age", "between 30 and 90 days", "60 days", Unknown}, // the phrase is refused below
		{"max_age", "between 30 days and 90 days", "60 days", Meets},
		{"max_age", "between 30 days and 90 days", "never", FallsShort},
		{"max_age", "never", "90 days", FallsShort},
		{"history", "between 3 and 10", "11", FallsShort},
		{"history", "between 3 and 10", "3", Meets},
		{"history", "between 3 and 10", "10", Meets},
		{"history", "between 3 and 10", "2", FallsShort},
		{"history", "one of 3, 5, 8 or at least 12", "5", Meets},
		{"history", "one of 3, 5, 8 or at least 12", "24", Meets},
		{"history", "one of 3, 5, 8 or at least 12", "9", FallsShort},
		{"lockout_duration", "at least 30 minutes", "until unlocked", Meets},
		{"lockout_duration", "until unlocked", "10 years", FallsShort},
		{"lockout_window", "at least 15 minutes", "never", Meets},
		{"lockout_attempts", "at most 10", "never", FallsShort},
		{"lockout_attempts", "at least 3", "never", Meets},
		{"blank_allowed", "no", "no", Meets},
		{"blank_allowed", "no", "yes", FallsShort},
		{"common_barred", "set", "no", FallsShort},
		{"storage", "at least salted slow", "memory-hard", Meets},
		{"alphabet", "between digits and letters and digits", "letters and digits", Meets},
		{"alphabet", "between digits and letters and digits", "any", FallsShort},
		{"second_factor", "administrators or everyone", "optional", FallsShort},
	} {
		s := find(t, c.setting)
		v, err := s.Parse(c.value)
		if err != nil {
			t.Fatal(err)
		}
		r, err := Parse(s, c.phrase)
		if err != nil {
			if c.want != Unknown {
				t.Errorf("%s %q: %v", c.setting, c.phrase, err)
			}
			continue
		}
		if got := r.Test(v); got != c.want {
			t.Errorf("%s %q of %s: %s, want %s", c.setting, c.phrase, c.value, got, c.want)
		}
		back, err := Parse(s, r.String())
		if err != nil || back.String() != r.String() {
			t.Errorf("%q prints as %q, which reads as %q (%v)", c.phrase, r, back, err)
		}
	}
}

// TestErrorPlace: an error points at the character where the wrong word is.
func TestErrorPlace(t *testing.T) {
	for _, c := range []struct {
		setting, phrase string
		offset          int
	}{
		{"min_length", "at leats 14", 0}, {"min_length", "at least fourteen", 9}, {"max_age", "at most 90 days or nevr", 19},
		{"max_age", "  at most 90 dyas", 10}, {"history", "one of 3, x, 5", 10}, {"max_age", "between 30 and 90 days", 8},
		{"history", "", 0}, {"history", "at least 3 or", 13}, {"blank_allowed", "at least yes", 9}, {"max_age", "same as", 7},
		{"max_age", "at most unknown", 8},
	} {
		_, err := Parse(find(t, c.setting), c.phrase)
		at, ok := err.(*Error)
		if !ok || at.Offset != c.offset {
			t.Errorf("%q: error %v at %+v, want offset %d", c.phrase, err, at, c.offset)
		}
	}
}

func TestSameAs(t *testing.T) {
	s := find(t, "lockout_attempts")
	r, err := Parse(s, "same as directory or at most 3")
	if err != nil || len(r.Systems()) != 1 {
		t.Fatal(r, err)
	}
	if got := r.Test(setting.Count(6)); got != Unknown {
		t.Errorf("unresolved: %s", got)
	}
	known := r.Resolve(func(string) setting.Value { return setting.Count(6) })
	if known.Test(setting.Count(6)) != Meets || known.Test(setting.Count(5)) != FallsShort || known.Test(setting.Count(2)) != Meets {
		t.Errorf("resolved to %q", known)
	}
}

func FuzzParse(f *testing.F) {
	f.Add("at least 14 or never")
	f.Add("between digits and letters and digits")
	f.Add("one of 3, 5 or same as x")
	f.Fuzz(func(t *testing.T, phrase string) {
		for id := range setting.Len {
			s := setting.At(setting.ID(id))
			r, err := Parse(s, phrase)
			if err != nil {
				continue
			}
			back, err := Parse(s, r.String())
			if err != nil || back.String() != r.String() {
				t.Fatalf("%s: %q prints as %q, which does not read back: %v", s.Name, phrase, r, err)
			}
		}
	})
}
