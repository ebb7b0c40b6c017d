package cli

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"yewcone/cli/tooltest"
)

type impactResult struct {
	Systems []struct {
		System  string
		Effects map[string]struct {
			Accounts, Privileged int
			Kinds                map[string]int
		}
		Days       map[string]struct{ Accounts int }
		Ended, New []struct{ Fingerprint string }
	}
}

// TestImpactIsTrue: raising a minimum and shortening an age gives the same
// numbers as a copy of the estate in which that was done by hand.
func TestImpactIsTrue(t *testing.T) {
	t.Parallel()
	const over = "rules: over\nclauses:\n  - {id: over, forbid: overdue and enabled}\n" +
		"  - {id: soon, forbid: 'enabled and not overdue and password_expires < date(\"2026-12-24\")'}\n"
	estates := map[string]string{}
	for _, which := range []string{"as it is", "by hand"} {
		folder := t.TempDir()
		if err := os.CopyFS(folder, os.DirFS("../demo/estate")); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(folder, "rules/over.yaml"), []byte(over), 0o600); err != nil {
			t.Fatal(err)
		}
		replaceIn(t, filepath.Join(folder, "estate.yaml"), "    match: email\n    rules: [house, privileged]\n\n  yard",
			"    match: email\n    rules: [house, privileged, over]\n\n  yard")
		estates[which] = folder
	}
	replaceIn(t, filepath.Join(estates["by hand"], "exports/partners/settings.json"), `"minLength": 12`, `"minLength": 16`)
	replaceIn(t, filepath.Join(estates["by hand"], "exports/partners/settings.json"), `"maxAgeDays": 365`, `"maxAgeDays": 60`)
	stdout, stderr, code := runTool(t, estates["as it is"], "impact", "--set", "partners/portal.min_length=16", "--set", "partners/portal.max_age=60 days",
		"--format", "json")
	var d impactResult
	if err := json.Unmarshal([]byte(stdout), &d); code != 0 || err != nil || len(d.Systems) != 1 {
		t.Fatalf("exit %d %v\n%s", code, err, stderr)
	}
	s := d.Systems[0]
	before, after := reachedBy(t, estates["as it is"]), reachedBy(t, estates["by hand"])
	expired := s.Effects["expired at once"].Accounts + s.Effects["shut at once"].Accounts
	if n := len(after["over/over"]) - len(before["over/over"]); n != expired || n == 0 {
		t.Errorf("%d are expired at once, and %d by hand", expired, n)
	}
	soon := 0
	for day, g := range s.Days {
		if day < "2026-12-24" {
			soon += g.Accounts
		}
	}
	if n := len(after["over/soon"]); n != soon || n == 0 {
		t.Errorf("%d end within a month, and %d by hand", soon, n)
	}
	was, is := tooltest.FoundIn(t, estates["as it is"], "partners"), tooltest.FoundIn(t, estates["by hand"], "partners")
	for _, c := range []struct {
		what      string
		said      []struct{ Fingerprint string }
		in, notIn map[string]string
	}{{"ended", s.Ended, was, is}, {"new", s.New, is, was}} {
		var said, true_ []string
		for _, f := range c.said {
			said = append(said, f.Fingerprint)
		}
		for f, sentence := range c.in {
			if c.notIn[f] == "" && !strings.HasPrefix(sentence, "over/") {
				true_ = append(true_, f)
			}
		}
		said = slices.DeleteFunc(said, func(f string) bool { return strings.HasPrefix(c.in[f], "over/") })
		slices.Sort(said)
		slices.Sort(true_)
		if !slices.Equal(said, true_) {
			t.Errorf("%s: %v, by hand %v", c.what, said, true_)
		}
	}
	stdout, _, _ = runTool(t, estates["as it is"], "impact", "--set", "partners/portal.max_age=60 days", "--format", "csv")
	rows, err := csv.NewReader(strings.NewReader(stdout)).ReadAll()
	n := 0
	for _, row := range rows {
		if row[4] == "expired at once" || row[4] == "shut at once" {
			n++
		}
	}
	if err != nil || n != expired {
		t.Errorf("%v: %d rows for %d that are expired at once", err, n, expired)
	}
}

// reachedBy are the accounts that rules reach, by rule.
func reachedBy(t *testing.T, folder string) map[string][]string {
	t.Helper()
	if _, stderr, code := runTool(t, folder, "check", "partners", "--each", "each.jsonl"); code > 1 {
		t.Fatalf("exit %d\n%s", code, stderr)
	}
	data, err := os.ReadFile(filepath.Join(folder, "each.jsonl"))
	if err != nil {
		t.Fatal(err)
	}
	by := map[string][]string{}
	for line := range strings.Lines(string(data)) {
		var l struct{ Rule, Login string }
		if err := json.Unmarshal([]byte(line), &l); err != nil {
			t.Fatal(err)
		}
		by[l.Rule] = append(by[l.Rule], l.Login)
	}
	return by
}

// TestProposals: what is wrong in a proposal is said.
func TestProposals(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := os.CopyFS(folder, os.DirFS("../demo/estate")); err != nil {
		t.Fatal(err)
	}
	writeIn(t, folder, "p.txt", "# of the board\nrota/service.min_length = 16\n\nrota/service.max_agee = 60 days\n")
	for _, c := range [][]string{
		{"is no proposal", "--set", "rota.min_length=16"}, {"did you mean \"min_length\"", "--set", "rota/service.min_lenght=16"},
		{"did you mean \"rota\"", "--set", "rotta/service.min_length=16"}, {"did you mean \"service\"", "--set", "rota/servce.min_length=16"},
		{"no value of min_length", "--set", "rota/service.min_length=long"}, {"cannot be proposed", "--set", "rota/service.min_length=unknown"},
		{"p.txt:4:", "--from", "p.txt"}, {"no policy of rota says reuse_after", "--set", "rota/*.reuse_after=30 days"},
		{"no rule set is named", "--rules", "hous"}, {"--format is one of", "--format", "xml"},
	} {
		_, stderr, code := runTool(t, folder, append([]string{"impact"}, c[1:]...)...)
		if code != 2 || !strings.Contains(stderr, c[0]) {
			t.Errorf("%v: exit %d, %s", c[1:], code, stderr)
		}
	}
	stdout, stderr, code := runTool(t, folder, "impact", "--set", "rota/*.second_factor=everyone", "--set", "tills/Base.lockout_attempts=never")
	for _, want := range []string{"second factor asked, none there", "Feed account: second_factor", "tills"} {
		if !strings.Contains(stdout, want) {
			t.Errorf("exit %d: no %q\n%s%s", code, want, stdout, stderr)
		}
	}
}

// TestHostileNames: what the new commands print holds nothing that acts on a
// terminal, a spreadsheet or a calendar, whatever accounts, policies and
// systems are called; a system that cannot be read is told.
func TestHostileNames(t *testing.T) {
	t.Parallel()
	folder := hostileFolder(t)
	for _, c := range [][]string{{"changes"}, {"changes", "--format", "csv"}, {"remedy"}, {"remedy", "--undo"}, {"impact", "--set", "a/*.min_length=14"},
		{"impact", "--set", "a/*.min_length=14", "--format", "csv"}, {"due"}, {"due", "--format", "csv"}, {"due", "--format", "ics"},
		{"check"}, {"intake"}, {"intake", "--draft", "a"}} {
		stdout, stderr, code := runTool(t, folder, c...)
		if code > 1 && code != 3 {
			t.Errorf("%v: exit %d %s", c, code, stderr)
		}
		for _, r := range stdout + stderr {
			if r < ' ' && r != '\n' && r != '\r' || r == '\u202e' || r == 0x7f {
				t.Errorf("%v: prints %U", c, r)
				break
			}
		}
		if c[len(c)-1] != "csv" {
			continue
		}
		rows, err := csv.NewReader(strings.NewReader(stdout)).ReadAll()
		if err != nil {
			t.Errorf("%v: %v", c, err)
		}
		for _, row := range rows {
			for _, cell := range row {
				if cell != "" && strings.ContainsAny(cell[:1], "=+@") {
					t.Errorf("%v: a cell begins as a formula: %q", c, cell)
				}
			}
		}
	}
	if err := os.Remove(filepath.Join(folder, "users.json")); err != nil {
		t.Fatal(err)
	}
	for _, c := range [][]string{{"changes"}, {"remedy"}, {"impact", "--set", "a/*.min_length=14"}, {"due"}, {"check"}} {
		if stdout, stderr, code := runTool(t, folder, c...); code != 3 {
			t.Errorf("%v: exit %d where a file is missing\n%s%s", c, code, stdout, stderr)
		}
	}
}
