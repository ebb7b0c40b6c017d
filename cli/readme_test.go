package cli

import (
	"os"
	"strings"
	"testing"
)

// TestReadmeIsTrue: what the README shows as printed is what is printed now.
func TestReadmeIsTrue(t *testing.T) {
	t.Parallel()
	readme, err := os.ReadFile("../README.md")
	if err != nil {
		t.Fatal(err)
	}
	printed, err := os.ReadFile("testdata/script/demo.txtar")
	if err != nil {
		t.Fatal(err)
	}
	_, block, _ := strings.Cut(string(readme), "```\n")
	block, _, _ = strings.Cut(block, "```")
	lines := 0
	for line := range strings.Lines(block) {
		line = strings.TrimRight(line, "\n")
		if line == "…" || line == "" {
			continue
		}
		lines++
		if !strings.Contains(string(printed), line) {
			t.Errorf("the program no longer prints: %s", line)
		}
	}
	if lines < 10 {
		t.Errorf("only %d lines were found", lines)
	}
}
