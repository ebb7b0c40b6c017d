package mapping_test

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/core/audit"
	"yewcone/intake/intaketest"
	"yewcone/intake/intaketest/bothways"
)

// TestJoined: five columns of yes and no side by side, which are looked at together, say
// of each account what each of them says, whatever stands there and however it is written.
func TestJoined(t *testing.T) {
	words := []string{"yes", "no", "", "null", " yes"}
	var table strings.Builder
	table.WriteString("login,active,locked,must,never,second,set\n")
	for pass := range 3 { // what is learned is met again
		for n := range 5 * 5 * 5 * 5 * 5 {
			name := fmt.Sprint("u", n, "-", pass)
			switch (n + pass) % 11 {
			case 1:
				name = `"u""` + name + `"`
			case 2:
				name = `"u,` + name + `"`
			}
			fmt.Fprint(&table, name)
			for i := range 5 {
				word := words[[]int{n, n / 5, n / 25, n / 125, n / 625}[i]%5]
				if (n+pass)%61 == 10*i {
					word = "perhaps"
				}
				if (n+pass)%13 == i {
					word = `"` + word + `"`
				}
				fmt.Fprint(&table, ",", word)
			}
			fmt.Fprint(&table, ",2026-11-01T06:00:00Z\n")
		}
	}
	var clauses strings.Builder
	for _, flag := range []string{"enabled", "locked", "must_change", "never_expires", "second_factor"} {
		fmt.Fprintf(&clauses, "  - {id: is-%s, forbid: %s, because: it is asked}\n  - {id: not-%s, forbid: not %s, because: it is asked}\n",
			strings.ReplaceAll(flag, "_", "-"), flag, strings.ReplaceAll(flag, "_", "-"), flag)
	}
	m := &made{files: map[string]string{
		"accounts.csv":    table.String(),
		"rules/made.yaml": "rules: made\ntitle: Made\nclauses:\n" + clauses.String(),
		"mapping.yaml": "mapping: made\ndates: iso 8601\nyes: yes\nno: no\naccounts:\n  - file: accounts.csv\n    fixed: {password_usable: yes}\n    take:\n" +
			"      login: login\n      enabled: active\n      locked: {from: locked, empty: no}\n      must_change: must\n      never_expires: {from: never, null: yes}\n" +
			"      second_factor: {from: second, else: no}\n      password_set: set\n",
		"estate.yaml": "estate: Made\nas_of: 2026-11-20\nsystems:\n  one:\n    export: {read: mapping, from: accounts.csv, mapping: mapping.yaml}\n    rules: made\n",
	}}
	folder := intaketest.Write(t, m.files)
	want, ok := bothways.Judge(t, folder, audit.Options{Jobs: 2, Singly: true})
	got, _ := bothways.Judge(t, folder, audit.Options{Jobs: 2})
	if a, b, differ := bothways.Differ(want, got); differ || !ok {
		t.Fatalf("line differs\n each on its own %s\n the quick way   %s", a, b)
	}
}
