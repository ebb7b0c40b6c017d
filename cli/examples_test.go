package cli

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yewcone/cli/tooltest"
	"yewcone/demo"
)

var exampleLine = regexp.MustCompile(`(?m)^ *(yewcone [a-z][^#\n]*)`)

// TestExamplesRun: what the guide and the manual give as examples runs on the
// demo as it is written, one after the other.
func TestExamplesRun(t *testing.T) {
	t.Parallel()
	for _, page := range []string{"guide.md", "candidates.md", "commands.md"} {
		if testing.Short() && page == "commands.md" {
			continue
		}
		text, err := os.ReadFile(filepath.Join("../docs", page))
		if err != nil {
			t.Fatal(err)
		}
		folder := t.TempDir()
		if err := demo.WriteEstate(folder); err != nil {
			t.Fatal(err)
		}
		examples := 0
		for _, m := range exampleLine.FindAllStringSubmatch(string(text), -1) {
			line := strings.TrimSpace(m[1])
			if strings.Contains(line, "completion") || strings.HasPrefix(line, "yewcone demo") || strings.HasPrefix(line, "yewcone init") ||
				strings.Contains(line, "HEAD~") { // the folder is no repository
				continue
			}
			examples++
			c := tooltest.Shell(folder, line)
			c.Stdin = strings.NewReader("kelpovergranite\n")
			out, err := c.CombinedOutput()
			if code := c.ProcessState.ExitCode(); code != 0 && code != 1 && code != 3 {
				t.Errorf("%s: %s: exit %d %v\n%.300s", page, line, code, err, out)
			}
		}
		if examples == 0 {
			t.Errorf("%s has no examples", page)
		}
	}
}
