package cli

import (
	"encoding/json"
	"os"
	"strings"
	"testing"
)

// TestReferenceIsCurrent: the pages in docs are what the program prints, and
// its JSON tells of the same entries.
func TestReferenceIsCurrent(t *testing.T) {
	for _, name := range []string{"settings", "checks", "facts"} {
		page, _, code := runTool(t, t.TempDir(), name, "--format", "markdown")
		written, err := os.ReadFile("../docs/" + name + ".md")
		if err != nil || code != 0 {
			t.Fatal(name, code, err)
		}
		if page != string(written) {
			t.Errorf("docs/%s.md is stale; write it with: go run ./cmd/yewcone %s --format markdown >docs/%s.md", name, name, name)
		}
		stdout, _, _ := runTool(t, t.TempDir(), name, "--format", "json")
		var document struct {
			Format  string
			Version int
			Entries []struct {
				Name, Group, Title string
				Fields             map[string]string
			}
		}
		if err := json.Unmarshal([]byte(stdout), &document); err != nil {
			t.Fatal(err)
		}
		if document.Format != "yewcone "+name || document.Version != 1 {
			t.Errorf("%s: format %q, version %d", name, document.Format, document.Version)
		}
		if n := strings.Count(page, "\n### "); n < 40 || n != len(document.Entries) {
			t.Errorf("%s: %d entries as Markdown, %d as JSON", name, n, len(document.Entries))
		}
		for _, e := range document.Entries {
			if e.Name == "" || e.Group == "" || e.Title == "" || len(e.Fields) == 0 {
				t.Errorf("%s: not all is said of %+v", name, e)
			}
		}
	}
}

// TestReferenceOfSome: names choose entries in every form, in their order.
func TestReferenceOfSome(t *testing.T) {
	for _, form := range []string{"text", "json", "markdown"} {
		stdout, _, code := runTool(t, t.TempDir(), "settings", "--format", form, "max_age", "history")
		out := strings.ReplaceAll(stdout, `\_`, "_")
		first, second := strings.Index(out, "max_age"), strings.Index(out, "history")
		if code != 0 || first < 0 || second < first || strings.Contains(out, "min_length") {
			t.Errorf("%s: exit %d\n%s", form, code, stdout)
		}
	}
	_, stderr, code := runTool(t, t.TempDir(), "facts", "lgin")
	if code != 2 || !strings.Contains(stderr, `did you mean "login"?`) {
		t.Errorf("exit %d: %s", code, stderr)
	}
}
