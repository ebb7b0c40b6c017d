package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yewcone/core/rules"
	"yewcone/demo"
)

// TestStandards holds the captured exports of the directory and the Linux host
// against the rule sets that come with the tool. Every line of the table was
// checked by hand against the files: system, rule, setting, value, policy (- on
// the accounts themselves), accounts; a "?" before what is not known.
func TestStandards(t *testing.T) {
	t.Parallel()
	want, err := os.ReadFile("testdata/truth/standards.tsv")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, name := range rules.ShippedNames() {
		got = append(got, verdicts(t, name)...)
	}
	text := strings.Join(got, "\n") + "\n"
	if *update {
		if err := os.WriteFile("testdata/truth/standards.tsv", []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	} else if text != string(want) {
		for _, line := range got {
			if !strings.Contains(string(want), line+"\n") {
				t.Errorf("not in the table: %s", line)
			}
		}
		for line := range strings.Lines(string(want)) {
			if !strings.Contains(text, line) {
				t.Errorf("not found: %s", line)
			}
		}
	}
}

func verdicts(t *testing.T, set string) []string {
	t.Helper()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	replaceIn(t, filepath.Join(folder, "estate.yaml"), "rules: [house, privileged]", "rules: "+set)
	if err := os.Remove(filepath.Join(folder, "exceptions.yaml")); err != nil {
		t.Fatal(err)
	}
	stdout, stderr, code := runTool(t, folder, "check", "directory", "quay1", "--format", "json")
	if code != 1 {
		t.Fatalf("%s: exit %d\n%s", set, code, stderr)
	}
	var result struct {
		Findings []struct {
			System, Rule, Setting, Value, Policy string
			Reach                                struct{ Accounts int }
		}
		Unknowns []struct {
			System, Setting, Fact string
			Rules                 []string
			Reach                 struct{ Accounts int }
		}
	}
	if err := json.Unmarshal([]byte(stdout), &result); err != nil {
		t.Fatal(err)
	}
	var lines []string
	for _, f := range result.Findings {
		if !strings.HasPrefix(f.Rule, "check/") {
			policy := f.Policy
			if policy == "" {
				policy = "-"
			}
			lines = append(lines, fmt.Sprintf("%s\t%s\t%s\t%s\t%s\t%d", f.System, f.Rule, f.Setting, f.Value, policy, f.Reach.Accounts))
		}
	}
	for _, u := range result.Unknowns {
		for _, rule := range u.Rules {
			if !strings.HasPrefix(rule, "check/") {
				lines = append(lines, fmt.Sprintf("%s\t%s\t%s%s\t?\t-\t%d", u.System, rule, u.Setting, u.Fact, u.Reach.Accounts))
			}
		}
	}
	slices.Sort(lines)
	return lines
}
