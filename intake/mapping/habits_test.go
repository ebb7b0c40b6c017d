package mapping

import (
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/intaketest"
)

// A habit is something that applications do, in a mapping and its files; a name
// ending in "?" is what is derived of an account.
type habit struct {
	what, mapping string
	files         map[string]string
	want          map[string]string
	noted         string // what is said while reading
}

// hold reads each habit and compares what is said.
func hold(t *testing.T, habits []habit) {
	t.Helper()
	for _, h := range habits {
		t.Run(h.what, func(t *testing.T) {
			files := map[string]string{"m.yaml": "mapping: m\n" + h.mapping}
			from := []string{"."}
			for name, text := range h.files {
				files[name] = text
			}
			format := Format
			open := format.Open
			format.Open = func(r *intake.Request) (facts.Export, error) {
				r.Mapping = "m.yaml"
				return open(r)
			}
			_, notes := intaketest.Read(t, format, from, files)
			intaketest.Hold(t, h.what, intaketest.Derive(t, format, from, files), h.want)
			var said []string
			for _, n := range notes.List() {
				said = append(said, n.Origin.String()+": "+n.Message)
			}
			slices.Sort(said)
			if all := strings.Join(said, "\n"); !strings.Contains(all, h.noted) || h.noted == "" && strings.Contains(all, "not understood") {
				t.Errorf("expected the note %q, found:\n%s", h.noted, all)
			}
		})
	}
}

const oneUser = "user,x\nada,"

// TestVocabulary: zero, empty, null, missing, yes, no, words and else mean the
// same for settings and for facts.
func TestVocabulary(t *testing.T) {
	document := func(take string) string {
		return "settings:\n  - {file: s.json, layout: document, policy: p, default: yes, take: {" + take + "}}\n"
	}
	accounts := func(take string) string {
		return "dates: iso 8601\naccounts:\n  - {file: a.json, rows: \"$[*]\", take: {login: $.u, " + take + "}}\n"
	}
	hold(t, []habit{
		{"a setting's zero", document("max_age: {from: $.a, unit: days, zero: never}"), map[string]string{"s.json": `{"a": 0}`},
			map[string]string{"policy p: max_age": "never"}, ""},
		{"a setting's null", document("max_age: {from: $.a, unit: days, null: never, empty: 5 days}"), map[string]string{"s.json": `{"a": null}`},
			map[string]string{"policy p: max_age": "never"}, ""},
		{"a setting's null that only empty answers", document("max_age: {from: $.a, unit: days, empty: never}"),
			map[string]string{"s.json": `{"a": null}`}, map[string]string{"policy p: max_age": ""}, ""},
		{"a setting's empty", document("max_age: {from: $.a, unit: days, empty: never}"), map[string]string{"s.json": `{"a": ""}`},
			map[string]string{"policy p: max_age": "never"}, ""},
		{"a setting that is missing: the application's default", document("max_age: {from: $.a, unit: days, missing: 90 days}, min_length: $.b"),
			map[string]string{"s.json": `{"b": 8}`}, map[string]string{"policy p: max_age": "90 days", "policy p: min_length": "8"}, ""},
		{"a setting's key that is missing", "settings:\n  - {file: s.csv, layout: pairs, key: k, value: v, policy: p, take: " +
			"{max_age: {from: life, unit: days, missing: 42 days}, min_length: len}}\n", map[string]string{"s.csv": "k,v\nlen,8\n"},
			map[string]string{"policy p: max_age": "42 days", "policy p: min_length": "8"}, ""},
		{"a setting's own words for yes", document("common_barred: {from: $.a, yes: [Ja], no: [Nein]}, dictionary_barred: {from: $.b, " +
			"yes: [an], else: no}"), map[string]string{"s.json": `{"a": "Nein", "b": "aus"}`},
			map[string]string{"policy p: common_barred": "no", "policy p: dictionary_barred": "no"}, ""},
		{"a setting's else", document("second_factor: {from: $.a, words: {must: everyone}, else: \"off\"}"),
			map[string]string{"s.json": `{"a": "maybe"}`}, map[string]string{"policy p: second_factor": "off"}, ""},
		{"a date's null, empty and missing are three things", accounts("last_sign_in: {from: $.x, null: never}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo","x":""},{"u":"cy"},{"u":"di","x":"2026-01-01T00:00:00Z"}]`},
			map[string]string{"account ada: last_sign_in": "never", "account bo: last_sign_in": "", "account cy: last_sign_in": ""}, ""},
		{"null that only empty answers is told", accounts("last_sign_in: {from: $.x, empty: never}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo","x":""}]`},
			map[string]string{"account ada: last_sign_in": "", "account bo: last_sign_in": "never"}, `"$.x" is null in some rows`},
		{"a flag's null, missing and else", accounts("locked: {from: $.x, null: no, missing: no, else: yes}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo"},{"u":"cy","x":"2026-11-01"}]`},
			map[string]string{"account ada: locked": "false", "account bo: locked": "false", "account cy: locked": "true"}, ""},
		{"null as empty", accounts("last_sign_in: {from: $.x, empty: never, null: empty}"), map[string]string{"a.json": `[{"u":"ada","x":null}]`},
			map[string]string{"account ada: last_sign_in": "never"}, ""},
		{"a kind's gaps", accounts("kind: {from: $.x, words: {P: person}, null: service}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo","x":"P"}]`},
			map[string]string{"account ada: kind": "service", "account bo: kind": "person"}, ""},
		{"a list's gaps", accounts("groups: {from: \"$.x[*]\", missing: none}"), map[string]string{"a.json": `[{"u":"ada"},{"u":"bo","x":["g"]}]`},
			map[string]string{"account ada: groups": "[]", "account bo: groups": "[g]"}, ""},
		{"a storage's gaps", accounts("storage: {from: $.x, words: {a: salted fast}, null: cleartext}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo","x":"a"}]`},
			map[string]string{"account ada: storage": "cleartext", "account bo: storage": "salted fast"}, ""},
	})
}

// TestReadWrongOnce: what was read as something else before.
func TestReadWrongOnce(t *testing.T) {
	table := func(top, take string) string {
		return top + "accounts:\n  - {file: a.csv, take: {login: user, " + take + "}}\n"
	}
	hold(t, []habit{
		{"the zero of a count", table("dates: epoch seconds\n", "last_sign_in: {from: x, zero: never, words: {\"-1\": never}}"),
			map[string]string{"a.csv": oneUser + "0\nbo,-1\ncy,1793637900\n"}, map[string]string{"account ada: last_sign_in": "never",
				"account bo: last_sign_in": "never", "account cy: last_sign_in": "2026-11-02T16:45:00Z"}, ""},
		{"a zero without a meaning", table("dates: epoch seconds\n", "last_sign_in: x"), map[string]string{"a.csv": oneUser + "0\nbo,-1\n"},
			map[string]string{"account ada: last_sign_in": "", "account bo: last_sign_in": ""}, `last_sign_in: "0" is not understood`},
		{"a word for a whole moment", table("dates: iso 8601\n", "account_ends: {from: x, words: {\"9999-12-31T23:59:59Z\": never}}"),
			map[string]string{"a.csv": oneUser + "9999-12-31T23:59:59Z\n"}, map[string]string{"account ada: account_ends": "never"}, ""},
		{"a lock that only has an end", table("dates: iso 8601\n", "locked_until: {from: x, empty: not locked}"),
			map[string]string{"a.csv": oneUser + "2026-11-24T00:00:00Z\nbo,\n"},
			map[string]string{"account ada: locked_until": "2026-11-24T00:00:00Z", "account bo: locked": "false"}, ""},
		{"a whole day and a life in seconds", table("dates: yyyy-mm-dd\nsettings:\n  - {file: s.ini, layout: pairs, key: key, value: value, "+
			"policy: p, default: yes, take: {max_age: {from: life, unit: seconds}}}\n", "password_set: x"),
			map[string]string{"a.csv": oneUser + "2026-08-25\nbo,2026-08-24\n", "s.ini": "life = 7776000\n"}, // 90 days
			map[string]string{"policy p: max_age": "90 days", "account ada: overdue": "no", "account bo: overdue": "yes"}, ""},
		{"a password that was never set", table("dates: yyyy-mm-dd\nsettings:\n  - {file: s.ini, layout: pairs, key: key, value: value, "+
			"policy: p, default: yes, take: {max_age: {from: life, unit: days}}}\n", "password_set: {from: x, empty: never}"),
			map[string]string{"a.csv": oneUser + "\n", "s.ini": "life = 90\n"}, map[string]string{"account ada: overdue": "no"}, ""},
	})
}

// TestNotUsed: a column that another table of the same file takes is used.
func TestNotUsed(t *testing.T) {
	folder := intaketest.Write(t, map[string]string{"a.csv": "user,role,age,spare\nada,x,90,1\n",
		"m.yaml": "mapping: m\nsettings:\n  - {file: a.csv, layout: rows, policy: role, take: {max_age: {from: age, unit: days}}}\n" +
			"accounts:\n  - {file: a.csv, fixed: {kind: service}, take: {login: user, roles: role}}\n"})
	export, err := Format.Open(&intake.Request{System: "x", Folder: folder, From: []string{"."}, Mapping: "m.yaml", AsOf: intaketest.AsOf})
	if err != nil {
		t.Fatal(err)
	}
	intaketest.Hold(t, "fixed", intaketest.Said(t, export), map[string]string{"account ada: kind": "service"})
	left := export.(interface{ Unread() []facts.Unread }).Unread()
	if len(left) != 1 || strings.Join(left[0].Names, ",") != "spare" {
		t.Errorf("not used: %v", left)
	}
}

// TestNoSecretInErrors: a first row that is none of headings is not shown.
func TestNoSecretInErrors(t *testing.T) {
	const hash = "$6$c29tZXNhbHQ$c29tZXRoaW5nIHRoYXQgaXMgbm8gaGFzaCBhdCBhbGw"
	for _, row := range []string{"ada," + hash, "ada,{SSHA}c29tZXRoaW5n", "ada,12345"} {
		folder := intaketest.Write(t, map[string]string{"a.csv": row + "\n",
			"m.yaml": "mapping: m\naccounts:\n  - {file: a.csv, take: {login: user}}\n"})
		_, err := Format.Open(&intake.Request{System: "x", Folder: folder, From: []string{"."}, Mapping: "m.yaml", AsOf: intaketest.AsOf})
		_, value, _ := strings.Cut(row, ",")
		if err == nil || strings.Contains(err.Error(), value) || !strings.Contains(err.Error(), "reads like values, not headings") {
			t.Errorf("%.9s: %v", row, err)
		}
	}
}
