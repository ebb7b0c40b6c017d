package mapping

import (
	"testing"

	"yewcone/core/strictyaml"
)

// TestValues: a zero means what the mapping says, and what nothing explains is
// refused, not guessed.
func TestValues(t *testing.T) {
	text := func(s string) strictyaml.Text { return strictyaml.Text{Value: s} }
	some := func(s string) *strictyaml.Text { v := text(s); return &v }
	p := &plan{}
	p.file.Yes, p.file.No, p.file.Off = []string{"Ja"}, []string{"Nein"}, []string{"Nie"}
	for _, c := range []struct {
		setting string
		source  settingSource
		text    string
		want    string // "" for not said, "!" for refused
	}{
		{"max_age", settingSource{Unit: some("days")}, "90", "90 days"},
		{"max_age", settingSource{Unit: some("days")}, "90 days", "90 days"},
		{"max_age", settingSource{}, "3 months", "3 months"},
		{"max_age", settingSource{}, "90", "!"},
		{"max_age", settingSource{Unit: some("days")}, "0", "!"},
		{"max_age", settingSource{Unit: some("days"), Zero: some("never")}, "0", "never"},
		{"max_age", settingSource{Unit: some("days"), Zero: some("zero")}, "0", "0 days"},
		{"max_age", settingSource{Unit: some("days"), Zero: some("never")}, "0 days", "never"},
		{"max_age", settingSource{Unit: some("days")}, "0 days", "!"}, {"max_age", settingSource{}, "P0D", "!"},
		{"max_age", settingSource{}, "PT0S", "!"}, {"max_age", settingSource{Unit: some("days")}, "0.0", "!"},
		{"max_age", settingSource{Zero: some("never")}, "P0D", "never"}, {"max_age", settingSource{Zero: some("never")}, "0.0", "never"},
		{"min_length", settingSource{}, "0.0", "!"}, {"min_length", settingSource{Zero: some("none")}, "0 characters", "none"},
		{"max_age", settingSource{Unit: some("seconds")}, "7776000", "90 days"}, {"max_age", settingSource{Unit: some("hours")}, "36", "36 hours"},
		{"max_age", settingSource{}, "PT2688H", "112 days"},
		{"lockout_duration", settingSource{Unit: some("hours"), Zero: some("until unlocked")}, "0", "until unlocked"},
		{"lockout_window", settingSource{Unit: some("hours")}, "0.5", "30 minutes"},
		{"lockout_window", settingSource{Unit: some("hours")}, "0.00001", "!"},
		{"max_age", settingSource{}, "Nie", "never"},
		{"grace_signins", settingSource{}, "Nie", "!"},
		{"history", settingSource{Add: -1}, "6", "5"},
		{"history", settingSource{Add: -1}, "-3", "!"},
		{"min_length", settingSource{}, "10 characters", "10"},
		{"min_length", settingSource{}, "ten", "!"}, {"min_length", settingSource{}, "10 Zeichen", "10"}, {"history", settingSource{}, "5 Kennwörter", "5"},
		{"min_length", settingSource{}, "12 000", "!"}, {"min_length", settingSource{}, "8 or 10", "!"}, {"history", settingSource{}, "5 years", "!"},
		{"history", settingSource{}, "3 (of 5)", "!"}, {"history", settingSource{}, "3 x", "!"}, {"history", settingSource{Zero: some("none")}, "0 of 5", "!"},
		{"min_length", settingSource{}, "", ""},
		{"min_length", settingSource{}, "null", ""},
		{"min_classes", settingSource{}, "9", "!"},
		{"common_barred", settingSource{}, "Ja", "yes"},
		{"common_barred", settingSource{}, "Nein", "no"},
		{"common_barred", settingSource{}, "vielleicht", "!"},
		{"second_factor", settingSource{Words: []strictyaml.Pair[strictyaml.Text]{{Key: text("Pflicht"),
			Value: text("everyone")}}}, "Pflicht", "everyone"},
		{"second_factor", settingSource{}, "Pflicht", "!"},
	} {
		source := c.source
		source.From = text("column")
		taker, ok := p.taker(text(c.setting), &source)
		if !ok || len(p.problems) > 0 {
			t.Fatalf("%s: %v", c.setting, p.problems)
		}
		v, said, problem := p.value(&taker, c.text)
		got := ""
		switch {
		case problem != "":
			got = "!"
		case said:
			got = taker.def.Text(v)
		}
		if got != c.want {
			t.Errorf("%s %q: %q (%s), want %q", c.setting, c.text, got, problem, c.want)
		}
	}
}
