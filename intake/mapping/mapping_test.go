package mapping

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"yewcone/core/strictyaml"
)

func TestPaths(t *testing.T) {
	var doc any
	d := json.NewDecoder(strings.NewReader(`{"a": {"b c": [1, {"d": "x"}, {"d": null}], "e": true}, "f": [], "urn:x:2.0": {"g": "y"}}`))
	d.UseNumber()
	if err := d.Decode(&doc); err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]string{
		"$.a.e": "true", "$.a['b c'][0]": "1", "$.a['b c'][1].d": "x", "$.a['b c'][*].d": "x|null", "$.a['b c'][-1].d": "null",
		"$['urn:x:2.0'].g": "y", "$.f[*]": "", "$.f[0]": "", "$.nowhere": "", "$.a.e.deeper": "", "$.a.*": `[1,{"d":"x"},{"d":null}]|true`,
		"$.f": "[]",
	} {
		steps, err := parsePath(path)
		if err != nil {
			t.Errorf("%s: %v", path, err)
			continue
		}
		var got []string
		for _, n := range follow(doc, steps, nil) {
			got = append(got, plainText(n))
		}
		if text := strings.Join(got, "|"); text != want {
			t.Errorf("%s leads to %q, want %q", path, text, want)
		}
	}
	for _, path := range []string{"", "a.b", "$a", "$.", "$..b", "$[", "$[x]", "$['a'", "$['a'x]", "$.a[?@.b]", "$.a[0:2]"} {
		if steps, err := parsePath(path); err == nil {
			t.Errorf("%q is read as %v", path, steps)
		}
	}
}

func TestDateForms(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		form, text, want string
		zone             *time.Location
	}{
		{"dd/mm/yyyy hh:mm", "23/11/2026 06:00", "2026-11-23 06:00", time.UTC},
		{"dd/mm/yyyy hh:mm", "23/07/2026 06:00", "2026-07-23 05:00", london},
		{"d.m.yyyy", "3.7.2026", "2026-07-03", time.UTC},
		{"d mon yyyy", "3 Jul 2026", "2026-07-03", time.UTC},
		{"yyyy-mm-dd hh:mm:ss", "2026-07-03 04:05:06", "2026-07-03 04:05", time.UTC},
		{"dd/mm/yyyy", "2026-07-03", "", time.UTC},
		{"dd/mm/yyyy", "31/02/2026", "", time.UTC},
		{"iso 8601", "2026-11-22T23:30:00-05:00", "2026-11-23 04:30", time.UTC},
		{"iso 8601", "2026-11-22", "2026-11-22", time.UTC},
		{"epoch seconds", "1793637900", "2026-11-02 16:45", time.UTC},
		{"epoch milliseconds", "1793637900000", "2026-11-02 16:45", time.UTC},
		{"epoch days", "20780", "2026-11-23", time.UTC},
		{"epoch days", "x", "", time.UTC},
		{"spreadsheet days", "46349.2395833333", "2026-11-23 05:45", time.UTC},
		{"spreadsheet days", "-1", "", time.UTC},
	} {
		form, err := newDateForm(c.form)
		if err != nil {
			t.Errorf("%s: %v", c.form, err)
			continue
		}
		at, ok := form.parse(c.text, c.zone)
		got := at.String()
		if !ok {
			got = ""
		}
		if got != c.want {
			t.Errorf("%s as %s: %q, want %q", c.text, c.form, got, c.want)
		}
	}
	for _, pattern := range []string{"", "yyyy", "dd/mm", "qq/mm/yyyy", "iso"} {
		if _, err := newDateForm(pattern); err == nil {
			t.Errorf("%q is taken for a date pattern", pattern)
		}
	}
}

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
		{"lockout_duration", settingSource{Unit: some("hours"), Zero: some("until unlocked")}, "0", "until unlocked"},
		{"lockout_window", settingSource{Unit: some("hours")}, "0.5", "30 minutes"},
		{"lockout_window", settingSource{Unit: some("hours")}, "0.00001", "!"},
		{"max_age", settingSource{}, "Nie", "never"},
		{"grace_signins", settingSource{}, "Nie", "!"},
		{"history", settingSource{Add: -1}, "6", "5"},
		{"history", settingSource{Add: -1}, "-3", "!"},
		{"min_length", settingSource{}, "10 characters", "10"},
		{"min_length", settingSource{}, "ten", "!"},
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
