package cli

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestAsIf: rule sets of the call hold as if the estate named them, in every
// command that takes them, and what comes out says so.
func TestAsIf(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := demoFolder(t)
	type result struct {
		Estate   string
		Findings []struct{ Rule, Fingerprint string }
	}
	check := func(args ...string) (r result) {
		stdout, stderr, code := runTool(t, folder, append([]string{"check", "crewdb", "--format", "json"}, args...)...)
		if err := json.Unmarshal([]byte(stdout), &r); err != nil || code != ExitFindings {
			t.Fatalf("%v: exit %d %v: %s", args, code, err, stderr)
		}
		return r
	}
	own, both := check(), check("--rules", "house", "--rules", "privileged")
	if own.Estate != "Marrowby Sound Ferries" || both.Estate != "Marrowby Sound Ferries, as if house and privileged held too" {
		t.Errorf("%q, %q", own.Estate, both.Estate)
	}
	path := filepath.Join(folder, "estate.yaml")
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	named := strings.Replace(
		string(data),
		"    export: {read: mariadb, from: exports/crewdb}\n",
		"    export: {read: mariadb, from: exports/crewdb}\n    rules: [house, privileged]\n",
		1,
	)
	if err := os.WriteFile(path, []byte(named), 0o600); err != nil {
		t.Fatal(err)
	}
	if same := check(); len(same.Findings) != len(both.Findings) || len(both.Findings) <= len(own.Findings) {
		t.Errorf("%d findings where the estate names the rules, %d as if, %d without", len(same.Findings), len(both.Findings), len(own.Findings))
	} else {
		for i := range same.Findings {
			if same.Findings[i] != both.Findings[i] {
				t.Errorf("%v as if, and %v where the estate names the rules", both.Findings[i], same.Findings[i])
			}
		}
	}
	for _, f := range check("--rules", "stig-unix", "--instead").Findings {
		if !strings.HasPrefix(f.Rule, "stig-unix/") && !strings.HasPrefix(f.Rule, "check/") {
			t.Errorf("%s holds beside stig-unix alone", f.Rule)
		}
	}
	stdout, _, _ := runTool(t, folder, "check", "--rules", "stig-unix", "--instead")
	again := regexp.MustCompile(`check --finding (\w+) --rules stig-unix --instead`).FindStringSubmatch(strings.Join(strings.Fields(stdout), " "))
	if again == nil || strings.Contains(stdout, "yewcone changes") {
		t.Fatalf("what comes next is not told: %s", stdout)
	}
	if out, stderr, code := runTool(t, folder, "check", "--finding", again[1], "--rules", "stig-unix", "--instead"); code != ExitClean ||
		!strings.Contains(out, again[1]) {
		t.Errorf("exit %d: %s%s", code, out, stderr)
	}
	if out, _, _ := runTool(t, folder, "gaps", "--rules", "stig-unix"); !strings.HasPrefix(out, "Marrowby Sound Ferries, as if stig-unix held too: ") {
		t.Errorf("%.200s", out)
	}
	for _, c := range [][2]string{{"check --instead", "--instead goes with --rules"}, {"check --rules stig", "no rule set is named \"stig\""}} {
		if _, stderr, code := runTool(t, folder, strings.Fields(c[0])...); code != ExitUsage || !strings.Contains(stderr, c[1]) {
			t.Errorf("%s: exit %d: %s", c[0], code, stderr)
		}
	}
}
