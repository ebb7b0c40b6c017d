package mapping_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"yewcone/core/audit"
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
	folder := t.TempDir()
	m.write(t, folder)
	var results [2][]byte
	for i, singly := range []bool{true, false} {
		got, err := audit.Run("made", opened(t, folder), audit.Options{Examples: 3, Jobs: 2, Singly: singly, MaxRefused: 1 << 20})
		if err != nil {
			t.Fatal(err)
		}
		if results[i], err = json.MarshalIndent([]any{got.Systems, got.Findings, got.Unknowns}, "", " "); err != nil {
			t.Fatal(err)
		}
		results[i] = places.ReplaceAll(results[i], nil)
	}
	if !bytes.Equal(results[0], results[1]) {
		a, b := strings.Split(string(results[0]), "\n"), strings.Split(string(results[1]), "\n")
		for i := range min(len(a), len(b)) {
			if a[i] != b[i] {
				t.Fatalf("line %d differs\n each on its own %s\n the quick way   %s", i, a[i], b[i])
			}
		}
	}
}
