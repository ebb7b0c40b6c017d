package formats

import (
	"strings"
	"testing"
)

// TestEndings: no two forms claim the same ending, and each finds its form.
func TestEndings(t *testing.T) {
	seen := map[string]bool{}
	for _, f := range Check {
		for _, ending := range f.Endings {
			found, ok := CheckByEnding(strings.ToUpper(ending))
			if seen[ending] || !ok || found.Name != f.Name {
				t.Errorf("%s is claimed twice, or is of %q", ending, found.Name)
			}
			seen[ending] = true
		}
	}
	if _, ok := FindCheck(Page); !ok {
		t.Errorf("there is no form %s", Page)
	}
	if _, ok := CheckByEnding(""); ok {
		t.Error("no ending is one")
	}
}
