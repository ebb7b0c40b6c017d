package cli

import (
	"encoding/csv"
	"encoding/json"
	"strconv"
	"strings"
	"testing"
)

// TestAskedAgrees: what "rules asked" says is below is what a check finds, setting
// by setting, on every system of the demo.
func TestAskedAgrees(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := demoFolder(t)
	stdout, stderr, code := runTool(t, folder, "rules", "asked", "--format", "csv")
	rows, err := csv.NewReader(strings.NewReader(stdout)).ReadAll()
	if code != ExitClean || err != nil || len(rows) < 100 {
		t.Fatalf("exit %d, %d rows, %v: %s", code, len(rows), err, stderr)
	}
	below, clauses := map[string]int{}, map[string]string{}
	for _, row := range rows[1:] {
		n, _ := strconv.Atoi(row[6])
		below[row[0]+" "+row[2]] += n
		clauses[row[0]+" "+row[2]] += row[4] + " "
		if state := row[11]; (n > 0) != (state == "broken" || state == "beyond the system") {
			t.Errorf("%q", row)
		}
	}
	stdout, _, _ = runTool(t, folder, "check", "--format", "json", "--examples", "0")
	type found struct {
		System, Rule, Setting string
		Accounts              int
		Reach                 struct{ Accounts int }
	}
	var result struct{ Findings, Accepted []found }
	if err := json.Unmarshal([]byte(stdout), &result); err != nil {
		t.Fatal(err)
	}
	counted, rules := map[string]int{}, map[string]map[string]bool{}
	for _, f := range append(result.Findings, result.Accepted...) {
		if f.Setting == "" || strings.HasPrefix(f.Rule, "check/") {
			continue
		}
		key := f.System + " " + f.Setting
		counted[key] += max(f.Accounts, f.Reach.Accounts)
		if rules[key] == nil {
			rules[key] = map[string]bool{}
		}
		rules[key][f.Rule] = true
		if !strings.Contains(clauses[key], f.Rule) {
			t.Errorf("%s: %s is not told to ask it, but %q", key, f.Rule, clauses[key])
		}
	}
	seen := 0
	for key, n := range counted {
		if len(rules[key]) > 1 { // an account may break two clauses on one setting
			continue
		}
		if seen++; below[key] != n {
			t.Errorf("%s: %d accounts are below, and the findings reach %d", key, below[key], n)
		}
	}
	for key, n := range below {
		if n > 0 && counted[key] == 0 {
			t.Errorf("%s: %d accounts are below, and nothing is found", key, n)
		}
	}
	if seen < 40 {
		t.Errorf("only %d settings were compared", seen)
	}
	for line, wants := range map[string]string{"rules asked rota": "rota (Crew rota): house and privileged ask",
		"rules asked mailboxes --only beyond": "at most 8, nearest 8", "rules asked --format csv --matrix": "setting,directory,quay1,rota,",
		"report --format html": "id=\"asked\"",
		"rules asked crewdb":   "nobody has said which rules hold", "rules asked crewdb --rules house": "house asks"} {
		if out, stderr, code := runTool(t, folder, strings.Fields(line)...); code != ExitClean || !strings.Contains(out, wants) {
			t.Errorf("%s: exit %d: %s%s", line, code, out, stderr)
		}
	}
	if _, stderr, code := runTool(t, folder, "rules", "show", "--only", "broken"); code != ExitUsage ||
		!strings.Contains(stderr, "goes with \"rules asked\"") {
		t.Errorf("exit %d: %s", code, stderr)
	}
}
