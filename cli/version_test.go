package cli

import (
	"regexp"
	"testing"
)

// TestVersion: what is built, by what, and what it knows of, is told.
func TestVersion(t *testing.T) {
	t.Parallel()
	stdout, stderr, code := runTool(t, t.TempDir(), "version")
	want := regexp.MustCompile(`(?s)^yewcone \S+\n(revision   [0-9a-f]{12}.*\n)?built by   go1\S+ for \w+/\w+\ncatalogue  [0-9a-f]{8}: \d+ settings, \d+ checks, \d+ facts\n$`)
	if code != 0 || !want.MatchString(stdout) {
		t.Errorf("exit %d\n%s%s", code, stdout, stderr)
	}
	if again, _, _ := runTool(t, t.TempDir(), "version"); again != stdout {
		t.Errorf("another mark: %s", again)
	}
}
