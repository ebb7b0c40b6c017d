package reference

import (
	"strings"
	"testing"

	"yewcone/core/check"
	"yewcone/core/setting"
)

// TestPages: every setting and check has an entry, in order.
func TestPages(t *testing.T) {
	page := Settings()
	if len(page.Entries) != int(setting.Len) {
		t.Fatalf("%d entries", len(page.Entries))
	}
	for i, e := range page.Entries {
		if e.Name != setting.ID(i).String() || e.Title == "" {
			t.Errorf("entry %d is %q", i, e.Name)
		}
	}
	for i, e := range Checks(check.All()).Entries {
		if e.Name != check.IDs()[i] || e.Title == "" || strings.Contains(e.Title, "{limit}") {
			t.Errorf("entry %d is %q: %q", i, e.Name, e.Title)
		}
	}
}
