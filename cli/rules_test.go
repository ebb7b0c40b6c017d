package cli

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// TestRulesPage: the rules in plain words; and what changed since a folder and since
// a revision, which say the same.
func TestRulesPage(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder, former := demoFolder(t), demoFolder(t)
	house := filepath.Join(folder, "rules/house.yaml")
	git := func(args ...string) {
		t.Helper()
		c := exec.Command("git", append([]string{"-C", folder, "-c", "user.name=Ada", "-c", "user.email=ada@marrowby.example"}, args...)...)
		if out, err := c.CombinedOutput(); err != nil {
			t.Fatalf("git %v: %v\n%s", args, err, out)
		}
	}
	_, err := exec.LookPath("git")
	hasGit := err == nil
	if hasGit {
		git("init", "-q")
		git("add", ".")
		git("commit", "-q", "-m", "first")
	}
	replaceIn(t, house, "lockout_attempts: at most 10", "lockout_attempts: at most 8")
	replaceIn(t, house, "  - id: room\n    expect: {max_length: at least 64}\n    severity: medium\n", "  - id: hints\n    expect: {hint_allowed: no}\n")
	page, stderr, code := runTool(t, folder, "rules", "page")
	if code != ExitClean {
		t.Fatalf("exit %d: %s", code, stderr)
	}
	for _, line := range []string{"- A password has at least 14 characters. *A long password is the one defence that every system understands.*",
		"- An account is locked after at most 8 wrong passwords, for at least 15 minutes.", "- A password has no hint.",
		"- From 2027-01-01 on: A new password is none of the last 10 passwords.", "- Not allowed: administrators who belong to an agency.",
		"- A password has at least 14 characters. This system cannot do that; what it can: at most 8.",
		"as on directory, or an account is locked after at most 6 wrong passwords.", "### Service accounts, guests"} {
		if !strings.Contains(page, line) {
			t.Errorf("the page has no %q", line)
		}
	}
	later, _, _ := runTool(t, folder, "rules", "page", "rota", "--as-of", "2027-01-01")
	if !strings.Contains(later, "- A new password is none of the last 10 passwords.") || strings.Contains(later, "From 2027") ||
		strings.Contains(later, "tills") {
		t.Errorf("on the day of a step:\n%s", later)
	}
	since := []string{former}
	if hasGit {
		since = append(since, "HEAD")
	}
	var first string
	for _, from := range since {
		page, stderr, code := runTool(t, folder, "rules", "page", "--since", from)
		for _, line := range []string{"- **Changed:** An account is locked after at most 8 wrong passwords, for at least 15 minutes. (before: An account is locked after at most 10 " +
			"wrong passwords, for at least 15 minutes.)", "- **New:** A password has no hint.",
			"- **No longer asked:** ~~A password may have 64 characters"} {
			if !strings.Contains(page, line) {
				t.Errorf("since %s: no %q, exit %d %s", from, line, code, stderr)
			}
		}
		if strings.Contains(page, "**New:** A password has at least 14") {
			t.Errorf("since %s: what was there is new", from)
		}
		page = strings.ReplaceAll(page, "since "+safeMark(filepath.Base(from)), "since X")
		if first == "" {
			first = page
		} else if hasGit && page != first {
			t.Error("a folder and a revision with the same rules differ")
		}
	}
	html, _, code := runTool(t, folder, "rules", "page", "--since", former, "--format", "html")
	if code != ExitClean || !strings.Contains(html, `<span class="sev medium">changed</span>`) || !strings.Contains(html, "default-src 'none'") {
		t.Errorf("exit %d: %.200s", code, html)
	}
	replaceIn(t, house, "title: House password rules", "title: \"House \\u202e\\x1b[2J <script>alert(1)</script>\"")
	for _, args := range []string{"rules page", "rules page --format html", "rules draft --from house --for rota", "rules asked quay1",
		"rules asked quay1 --format html",
		"rules compare house estate"} {
		if out, _, _ := runTool(t, folder, strings.Fields(args)...); strings.ContainsAny(out, "\u202e\x1b") || strings.Contains(out, "<script>") {
			t.Errorf("%s shows what a title hides: %q", args, out[:min(len(out), 600)])
		}
	}
	for _, c := range []struct{ args, want string }{{"rules page --since nosuch", "--since: git knows no such revision"}, {"rules page --since=-x",
		"is no revision"},
		{"rules page --since " + t.TempDir(), "no estate.yaml"}, {"rules page nosuch", "no system is named \"nosuch\""},
		{"rules page --format csv", "--format is one of markdown, html"}, {"rules draft --from house", "--for SYSTEM"},
		{"rules draft --from huose --for rota", "did you mean \"house\""}, {"rules draft --from house --for rotta", "did you mean \"rota\""},
		{"rules compare house", "two rule sets or more"}, {"rules compare estate", "and \"estate\""}, {"rules show --since x", "goes with \"rules page\""}} {
		if out, stderr, code := runTool(t, folder, strings.Fields(c.args)...); code != ExitUsage || !strings.Contains(stderr, c.want) {
			t.Errorf("%s: exit %d: %s%s", c.args, code, out, stderr)
		}
	}
	if _, stderr, code := runTool(t, folder, "rules", "page", "--out", "rules/house.yaml"); code != ExitUsage || !strings.Contains(stderr, "not replaced") {
		t.Errorf("exit %d: %s", code, stderr)
	}
}

// safeMark is a folder's name as Markdown has it.
func safeMark(name string) string { return strings.ReplaceAll(name, "_", "\\_") }

// TestDraftedRules: what a draft asks in the place of its sources holds on the system
// that it was made for; and what adopting a set would change is told by what is asked
// today.
func TestDraftedRules(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := demoFolder(t)
	draft, stderr, code := runTool(t, folder, "rules", "draft", "--from", "nist-800-63b-4", "--from", "house", "--for", "mailboxes", "--name", "exchange")
	for _, part := range []string{"rules: exchange\n", "      min_length: at least 8",
		"#    rule: house/length\n#    setting: min_length\n#    value: \"8\"     # asked for: at least 12",
		"change_at_first_use yes (house/first-use)", "max_age: nist-800-63b-4/no-routine-change asks for never, and house/expiry for at most 365 days",
		"max_length: at least 64   # also house/room (at least 64)", "    for: 'kind == \"person\"'\n"} {
		if !strings.Contains(draft, part) {
			t.Errorf("the draft has no %q; exit %d %s", part, code, stderr)
		}
	}
	loose, _, _ := runTool(t, folder, "rules", "draft", "--from", "nist-800-63b-4", "--from", "house", "--for", "rota", "--loosest")
	for _, part := range []string{"the loosest counts", "max_age: at most 365 days or never", "replaces: [attempts]", "lockout_attempts: at most 100"} {
		if !strings.Contains(loose, part) {
			t.Errorf("the loosest draft has no %q\n%s", part, loose)
		}
	}
	if err := os.WriteFile(filepath.Join(folder, "rules/exchange.yaml"), []byte(draft), 0o600); err != nil {
		t.Fatal(err)
	}
	asked, stderr, code := runTool(t, folder, "rules", "asked", "mailboxes", "--rules", "exchange", "--instead")
	if code != ExitClean || strings.Contains(asked, "beyond") || !strings.Contains(asked, "exchange/length") {
		t.Errorf("exit %d: %s%s", code, asked, stderr)
	}
	adopt, stderr, code := runTool(t, folder, "rules", "compare", "nist-800-63b-4", "estate")
	for _, part := range []string{"nist-800-63b-4 on directory, quay1, rota", "2 cannot be met beside what is asked today", "where nothing holds today:",
		"max_age            administrators                             at most 60 days   never",
		"lockout_attempts   administrators                             at most 5"} {
		if !strings.Contains(adopt, part) {
			t.Errorf("no %q; exit %d %s\n%s", part, code, stderr, adopt)
		}
	}
}

// TestStepAhead: a step that lies ahead is told in check, why and due, with those who
// will fall short; on its day the rule is broken, and nothing lies ahead any more.
func TestStepAhead(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := demoFolder(t)
	type found struct {
		System, Rule, Severity, Sentence string
		Reach                            struct{ Accounts int }
	}
	read := func(args ...string) (list []found) {
		t.Helper()
		stdout, stderr, _ := runTool(t, folder, append([]string{"check", "--format", "json", "--examples", "0"}, args...)...)
		var result struct{ Findings []found }
		if err := json.Unmarshal([]byte(stdout), &result); err != nil {
			t.Fatal(err, stderr)
		}
		return result.Findings
	}
	ahead, broken := map[string]int{}, map[string]int{}
	for _, f := range read() {
		switch f.Rule {
		case "check/step-ahead":
			if ahead[f.System] += f.Reach.Accounts; f.Severity != "info" ||
				!strings.Contains(f.Sentence, "house/history asks at least 10 from 2027-01-01 on") {
				t.Errorf("%+v", f)
			}
		case "house/history":
			if strings.Contains(f.Sentence, "history ") {
				broken[f.System] += f.Reach.Accounts
			}
		}
	}
	then := map[string]int{}
	for _, f := range read("--as-of", "2027-01-01 06:00") {
		if f.Rule == "check/step-ahead" {
			t.Errorf("on the day: %+v", f)
		}
		if f.Rule == "house/history" && strings.Contains(f.Sentence, "history ") {
			then[f.System] += f.Reach.Accounts
		}
	}
	if len(ahead) < 2 {
		t.Fatalf("%v", ahead)
	}
	for system, n := range ahead {
		if then[system] != broken[system]+n {
			t.Errorf("%s: %d are short of it today, %d will be; on the day %d are", system, broken[system], n, then[system])
		}
	}
	due, _, _ := runTool(t, folder, "due", "--within", "50 days", "--format", "csv")
	why, _, _ := runTool(t, folder, "why", "directory", "imacaskill")
	if !strings.Contains(due, "rule,ahead,2027-01-01,2027-01-01,39,directory,Staff directory,") ||
		!strings.Contains(due, "until then at least 8; 18 accounts fall short") ||
		!strings.Contains(why, "soon       house/history: asks for history at least 10 from 2027-01-01 on; it is 8") {
		t.Errorf("%s\n%s", due, why)
	}
}

// TestNamedInExceptions: the names of rule sets can be asked in exceptions, unless two
// sets that hold on a system mean different things by one.
func TestNamedInExceptions(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := demoFolder(t)
	add := func(system, accounts string) (string, int) {
		t.Helper()
		path := filepath.Join(folder, "exceptions.yaml")
		old, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		text := string(old) + "  - {system: " + system + ", rule: check/dormant, accounts: " + accounts + ", because: b, owner: o, until: 2027-01-31}\n"
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		_, stderr, code := runTool(t, folder, "check", "tills", "--fail-on", "critical")
		if err := os.WriteFile(path, old, 0o600); err != nil {
			t.Fatal(err)
		}
		return stderr, code
	}
	if stderr, code := add("directory", "programs and not administrators"); code == ExitUsage {
		t.Errorf("exit %d: %s", code, stderr)
	}
	if stderr, code := add("tills", "programs"); code == ExitUsage {
		t.Errorf("exit %d: %s", code, stderr)
	}
	if stderr, code := add("tills", "programms"); code != ExitUsage || !strings.Contains(stderr, "did you mean \"programs\"") {
		t.Errorf("exit %d: %s", code, stderr)
	}
	replaceIn(t, filepath.Join(folder, "rules/privileged.yaml"), "who:\n", "who:\n  staff: kind == \"staff\" or enabled\n")
	if _, stderr, code := runTool(t, folder, "check"); code != ExitUsage || !strings.Contains(stderr, "\"staff\" is no kind") {
		t.Errorf("exit %d: %s", code, stderr)
	}
	replaceIn(t, filepath.Join(folder, "rules/privileged.yaml"), "kind == \"staff\" or enabled", "enabled")
	if _, stderr, code := runTool(t, folder, "check"); code != ExitUsage || !strings.Contains(stderr, "means one thing in house and another in privileged") {
		t.Errorf("exit %d: %s", code, stderr)
	}
}
