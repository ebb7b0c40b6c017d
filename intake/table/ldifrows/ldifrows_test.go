package ldifrows

import (
	"encoding/base64"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake/table"
)

// TestSeveralValues: values of one attribute stand on a line each, in their order,
// whether they stand together or not, in whatever writing, and however many columns
// take them. Held against joining them one by one.
func TestSeveralValues(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	names := []string{"a", "Groups", "b", "groups", "mail"}
	var file strings.Builder
	var want [][]string
	for entry := range 3000 {
		fmt.Fprintf(&file, "dn: uid=%d\n", entry)
		row := make([]string, len(names))
		for range r.IntN(12) {
			name := []string{"a", "groups", "GROUPS", "b", "mail", "other"}[r.IntN(6)]
			for range 1 + r.IntN(3)*r.IntN(2) {
				value := []string{"", "x", "two words", "ü", "y"}[r.IntN(5)]
				if value == "ü" || r.IntN(5) == 0 {
					fmt.Fprintf(&file, "%s:: %s\n", name, base64.StdEncoding.EncodeToString([]byte(value)))
				} else {
					fmt.Fprintf(&file, "%s: %s\n", name, value)
				}
				for c := range names {
					switch {
					case !strings.EqualFold(names[c], name):
					case row[c] == "":
						row[c] = value
					default:
						row[c] += "\n" + value
					}
				}
			}
		}
		file.WriteString("\n")
		want = append(want, row)
	}
	path := filepath.Join(t.TempDir(), "x.ldif")
	if err := os.WriteFile(path, []byte(file.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	var notes facts.Notes
	rows, err := Form.Open(&table.Source{Name: "x.ldif", File: path, Notes: &notes})
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for _, name := range names {
		if _, err := rows.Column(name); err != nil {
			t.Fatal(err)
		}
	}
	for i, expected := range want {
		row, _ := rows.Next()
		if !slices.Equal(row, expected) {
			t.Fatalf("entry %d: %q, want %q", i, row, expected)
		}
	}
	if row, _ := rows.Next(); row != nil || len(notes.List()) > 0 {
		t.Errorf("%q %v", row, notes.List())
	}
}
