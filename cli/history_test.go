package cli

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"yewcone/cli/tooltest"
	"yewcone/demo"
)

const keptEstate = `estate: Kept
as_of: 2026-11-23 06:00
systems:
  desk:
    export: {read: mapping, from: x, mapping: m.yaml}
    rules: r
    match: none
`

// keepFolder is a small estate.
func keepFolder(t *testing.T, history string) string {
	t.Helper()
	folder := t.TempDir()
	writeIn(t, folder, "estate.yaml", keptEstate+history)
	writeIn(t, folder, "m.yaml", "mapping: m\ndates: iso 8601\nyes: \"y\"\nno: \"n\"\nsettings:\n  - {file: s.csv, layout: pairs, key: k, value: v, "+
		"policy: all, default: yes, take: {min_length: least, history: kept}}\naccounts:\n  - {file: a.csv, fixed: {kind: person}, take: {login: l, "+
		"enabled: e, privileged: p, password_set: s}}\n")
	writeIn(t, folder, "rules/r.yaml", "rules: r\nclauses:\n  - {id: length, expect: {min_length: at least 14}, severity: high}\n"+
		"  - {id: history, expect: {history: at least 5}}\n")
	writeIn(t, folder, "x/s.csv", "k,v\nleast,8\nkept,5\n")
	writeIn(t, folder, "x/a.csv", "l,e,p,s\nada,y,n,2026-01-01\nben,y,y,2026-02-01\ncat,n,n,2026-03-01\n")
	return folder
}

// TestDriftTells: what was mended, weakened, made and switched off between two
// results, and back.
func TestDriftTells(t *testing.T) {
	t.Parallel()
	folder := keepFolder(t, "")
	run := func(want int, args ...string) string {
		t.Helper()
		stdout, stderr, code := runTool(t, folder, args...)
		if code != want {
			t.Fatalf("%v: exit %d\n%s%s", args, code, stdout, stderr)
		}
		return strings.Join(strings.Fields(stdout), " ")
	}
	if _, stderr, code := runTool(t, folder, "drift"); code != 2 || !strings.Contains(stderr, "nothing is kept yet") {
		t.Errorf("exit %d %s", code, stderr)
	}
	run(0, "keep")
	if text := run(0, "drift"); !strings.Contains(text, "no finding changed") || strings.Contains(text, "nobody asked") {
		t.Errorf("nothing changed, and it says %s", text)
	}
	run(1, "check", "--format", "json", "--out", "first.json")
	writeIn(t, folder, "x/s.csv", "k,v\nleast,16\nkept,2\n")
	writeIn(t, folder, "x/a.csv", "l,e,p,s\nada,n,n,2026-01-01\nben,y,y,2026-11-20\ndot,y,n,2026-11-20\n")
	text := run(1, "drift")
	for _, want := range []string{"history 5 → 2, weaker", "nobody asked for it desk", "min_length 8 → 16, stricter", "1 made: dot", "1 gone: cat",
		"1 switched off: ada", "1 of 1 passwords were changed", "Fixed: 1 finding", "New: 1 finding"} {
		if !strings.Contains(text, want) {
			t.Errorf("no %q in %s", want, text)
		}
	}
	if text := run(1, "drift", "first.json"); !strings.Contains(text, "Fixed: 1 finding") || !strings.Contains(text, "New: 1 finding") ||
		strings.Contains(text, "not said") {
		t.Errorf("from a file: %s", text)
	}
	run(0, "drift", "--fail-on", "critical")
	run(0, "report", "--since", "1", "--out", "r.md")
	if page, err := os.ReadFile(filepath.Join(folder, "r.md")); err != nil ||
		!strings.Contains(string(page), "Since result 1: 1 new, 1 fixed; 0 the same.") ||
		!strings.Contains(string(page), "5 → 2, weaker") {
		t.Errorf("%s", page)
	}
	run(0, "keep", "--as-of", "2026-12-23 06:00")
	writeIn(t, folder, "x/s.csv", "k,v\nleast,8\nkept,5\n")
	if text := run(1, "drift", "2", "now"); !strings.Contains(text, "Came back: ") || !strings.Contains(text, "last there on 2026-11-23") {
		t.Errorf("came back: %s", text)
	}
	if err := os.Remove(filepath.Join(folder, "x/a.csv")); err != nil {
		t.Fatal(err)
	}
	if text := run(3, "drift", "2026-11-30", "now"); strings.Contains(text, "Fixed") || strings.Contains(text, "gone:") {
		t.Errorf("of an export that is not whole: %s", text)
	}
	if text := run(0, "history"); !strings.Contains(text, "2 results kept, of exports from 2026-11-23 to 2026-12-23") {
		t.Error(text)
	}
	for _, c := range [][]string{{"drift", "9"}, {"drift", "2020-01-01"}, {"drift", "1", "2", "3"}, {"drift", "estate.yaml"}, {"drift", "--fail-on", "bad"}} {
		if _, stderr, code := runTool(t, folder, c...); code != 2 {
			t.Errorf("%v: exit %d %s", c, code, stderr)
		}
	}
	if _, _, code := runWith(t, folder, "no\n", "history", "--delete-before", "2026-12-01"); code != 2 {
		t.Errorf("deleted without a second word: exit %d", code)
	}
	if stdout, _, code := runWith(t, folder, "2026-12-01\n", "history", "--delete-before", "2026-12-01"); code != 0 ||
		!strings.Contains(stdout, "1 deleted") {
		t.Errorf("exit %d %s", code, stdout)
	}
}

// TestTrend: results in a row, with a gap where a system was not read; the
// pictures are pictures.
func TestTrend(t *testing.T) {
	t.Parallel()
	folder := keepFolder(t, "")
	for i, least := range []string{"8", "16", "", "16"} {
		if least == "" {
			if err := os.Rename(filepath.Join(folder, "x/a.csv"), filepath.Join(folder, "away")); err != nil {
				t.Fatal(err)
			}
		} else {
			writeIn(t, folder, "x/s.csv", "k,v\nleast,"+least+"\nkept,5\n")
		}
		if _, stderr, code := runTool(t, folder, "keep", "--as-of", []string{"2026-04-01", "2026-02-01", "2026-03-01", "2026-05-01"}[i]); code != 0 &&
			code != 3 {
			t.Fatalf("exit %d %s", code, stderr)
		}
		if least == "" {
			if err := os.Rename(filepath.Join(folder, "away"), filepath.Join(folder, "x/a.csv")); err != nil {
				t.Fatal(err)
			}
		}
	}
	stdout, _, code := runTool(t, folder, "trend")
	if plain := strings.Join(strings.Fields(stdout), " "); code != 0 || !strings.Contains(plain, "4 results from 2026-02-01 to 2026-05-01") ||
		!strings.Contains(stdout, "▁ █▁") || !strings.Contains(plain, "1 result is a gap") {
		t.Errorf("exit %d\n%s", code, stdout)
	}
	stdout, _, _ = runTool(t, folder, "trend", "desk", "--format", "csv")
	if n := strings.Count(stdout, "\n"); n != 4 {
		t.Errorf("%d lines\n%s", n, stdout)
	}
	for format, begin := range map[string]string{"svg": "<?xml", "png": "\x89PNG"} {
		stdout, _, code := runTool(t, folder, "trend", "--format", format)
		if again, _, _ := runTool(t, folder, "trend", "--format", format); code != 0 || !strings.HasPrefix(stdout, begin) || again != stdout {
			t.Errorf("%s: exit %d, %.20q, or two differ", format, code, stdout)
		}
	}
	if _, stderr, code := runTool(t, folder, "trend", "desc"); code != 2 || !strings.Contains(stderr, "did you mean \"desk\"") {
		t.Errorf("exit %d %s", code, stderr)
	}
}

// TestKeepKilled: killed at some point, forty times: what was said to be
// kept is there, and everything that is there is whole.
func TestKeepKilled(t *testing.T) {
	t.Parallel()
	times := 40
	if testing.Short() {
		times = 20
	}
	killKeep(t, keepFolder(t, ""), times)
}

func killKeep(t *testing.T, folder string, times int) {
	t.Helper()
	begin := time.Now()
	if _, stderr, code := runTool(t, folder, "keep"); code != 0 {
		t.Fatalf("exit %d %s", code, stderr)
	}
	whole := time.Since(begin)
	said := 1
	random := rand.New(rand.NewPCG(7, 7))
	for range times {
		c := tooltest.Command(folder, "keep")
		var out bytes.Buffer
		c.Stdout = &out
		if err := c.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(time.Duration(random.Int64N(int64(whole) * 5 / 4)))
		_ = c.Process.Kill()
		_ = c.Wait()
		if strings.Contains(out.String(), "Kept as result") {
			said++
		}
	}
	stdout, stderr, code := runTool(t, folder, "history", "--format", "jsonl")
	if code != 0 {
		t.Fatalf("exit %d %s", code, stderr)
	}
	n := 0
	for line := range strings.Lines(stdout) {
		var l struct {
			Record   struct{ Findings []any }
			Accounts map[string][]any
		}
		if err := json.Unmarshal([]byte(line), &l); err != nil || len(l.Record.Findings) == 0 || len(l.Accounts["desk"]) != 3 {
			t.Fatalf("a result that is not whole: %v %.200s", err, line)
		}
		n++
	}
	if n < said {
		t.Errorf("%d were said to be kept, and %d are there", said, n)
	}
	t.Logf("%d of %d kept, %d said so", n, times+1, said)
}

// TestKeepMany: the accounts of many systems are kept, compared and written down in less
// memory than they take, and none of them gets lost.
func TestKeepMany(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("the race detector takes memory of its own")
	}
	const systems, accounts = 8, 50_000
	folder := manyFolder(t, systems, 3, accounts)
	run := func(args ...string) string {
		t.Helper()
		cmd := tooltest.Command(folder, args...)
		cmd.Env = append(cmd.Environ(), "GOMEMLIMIT=72MiB")
		out, err := cmd.Output()
		if err != nil {
			t.Fatalf("%v: %v: %.2000s", args, err, out)
		}
		return string(out)
	}
	run("keep")
	users := filepath.Join(folder, "exports/s7/users.csv")
	data, err := os.ReadFile(users)
	if err != nil {
		t.Fatal(err)
	}
	changed := strings.Replace(strings.Replace(string(data), "a59998.s7,p1", "a59998.s7,p2", 1), "\na31000.s7,", "\nnewcomer,", 1)
	if err := os.WriteFile(users, []byte(changed), 0o600); err != nil {
		t.Fatal(err)
	}
	run("keep")
	for _, args := range [][]string{{"drift", "1", "2"}, {"drift", "1", "now"}, {"drift", "1", folder}} {
		out := run(append(args, "--format", "json", "--fail-on", "critical")...)
		var d struct {
			Accounts []struct {
				System     string
				Made, Gone []string
			}
		}
		if err := json.Unmarshal([]byte(out), &d); err != nil || len(d.Accounts) != 1 || d.Accounts[0].System != "s7" ||
			!slices.Equal(d.Accounts[0].Made, []string{"newcomer"}) || !slices.Equal(d.Accounts[0].Gone, []string{"a31000.s7"}) {
			t.Errorf("%v: %v %.2000s", args, err, out)
		}
	}
	cmd := tooltest.Command(folder, "keep")
	cmd.Env = append(cmd.Environ(), "TMPDIR="+filepath.Join(folder, "nowhere"), "TMP="+filepath.Join(folder, "nowhere"))
	if out, _ := cmd.CombinedOutput(); cmd.ProcessState.ExitCode() != ExitUsage || !strings.Contains(string(out), "name a folder with room in TMPDIR") {
		t.Errorf("without room for temporary files: %s", out)
	}
	run("history", "--format", "jsonl", "--out", "all.jsonl")
	data, err = os.ReadFile(filepath.Join(folder, "all.jsonl"))
	if n := bytes.Count(data, []byte(`{"l":`)); err != nil || n != 2*systems*accounts {
		t.Errorf("%v: %d accounts written down", err, n)
	}
}

// TestKeepHoldsNoSecret: no stored password of the demo is in the history.
func TestKeepHoldsNoSecret(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	if _, stderr, code := runTool(t, folder, "keep"); code != 0 {
		t.Fatalf("exit %d %s", code, stderr)
	}
	stdout, _, _ := runTool(t, folder, "history", "--format", "jsonl")
	for _, secret := range []string{"$6$", "$y$", "SSHA", "pbkdf2", "SCRAM-SHA", "{SHA}"} {
		if strings.Contains(stdout, secret) {
			t.Errorf("%s is in what is kept", secret)
		}
	}
}

// TestLiveHistory: the same on PostgreSQL: the tests of the store, ten at once,
// and killed at some point.
func TestLiveHistory(t *testing.T) {
	t.Parallel()
	live(t, "psql", "setpriv")
	folder := openFolder(t)
	startPostgreSQL(t, folder, 5432, "-c", "listen_addresses=")
	url := "postgres://postgres@/postgres?host=" + folder
	c := exec.Command("go", "test", "-count=1", "yewcone/store")
	c.Env = append(os.Environ(), "YEWCONE_TEST_POSTGRES="+url)
	if out, err := c.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	shell(t, folder, "psql -q -h "+folder+" -U postgres -c 'TRUNCATE results, sums, shared, parts'")
	estate := keepFolder(t, "history: {url: \""+url+"\"}\n")
	killKeep(t, estate, 100)
	var all sync.WaitGroup
	for range 10 {
		all.Add(1)
		go func() {
			defer all.Done()
			if _, stderr, code := runTool(t, estate, "keep"); code != 0 {
				t.Errorf("exit %d %s", code, stderr)
			}
		}()
	}
	all.Wait()
}

// TestDemoMonths: the six months tell their story, and are the same each time.
func TestDemoMonths(t *testing.T) {
	t.Parallel()
	folder := filepath.Join(t.TempDir(), "m")
	told, stderr, code := runTool(t, ".", "demo", "--months", folder)
	if code != 0 {
		t.Fatalf("exit %d\n%s", code, stderr)
	}
	text := strings.Join(strings.Fields(told), " ")
	for _, want := range []string{"lockout_attempts 8 → 50, weaker, asked for 5", "min_length 12 → 8, weaker", "Other rules held then for partners, yard",
		"From 2026-03-20 on other rules hold for partners, yard", "From 2026-05-20 on another mapping reads yard", "of accounts that a password lets in"} {
		if !strings.Contains(text, want) {
			t.Errorf("no %q in\n%s", want, told)
		}
	}
	last := filepath.Join(folder, "2026-06")
	for _, c := range []struct {
		args  []string
		wants []string
	}{
		{[]string{"drift", "3", "4"}, []string{"lockout_attempts 50 → 5, stricter, as asked for", "109 with a password older than what became stricter: "}},
		{[]string{"drift", "4", "5"}, []string{"No longer accepted: 1 finding", "Another mapping read yard then", "yard: 2 made: dienst-kran, dienst-waage"}},
		{[]string{"drift", "5", "6"}, []string{"yard: 1 now privileged: bfaehrmoor1", "lockout_duration 5 minutes → 15 minutes"}},
		{[]string{"drift", "3", "4", "--format", "csv"}, []string{"value,stricter,partners,,portal,lockout_attempts,50,5,5,",
			"account,with a password older than what became stricter,partners,"}},
		{[]string{"drift", "3", "4", "--format", "markdown"}, []string{"109 with a password older than what became stricter: "}},
		{[]string{"drift", "3", "4", "--format", "html"}, []string{"<h2>What changed</h2>", "50 → 5, stricter, as asked for", "and 59 more", "</html>"}},
		{[]string{"drift", "3", "4", "--format", "xlsx"}, []string{"PK"}},
		{[]string{"drift", "3", "4", "--format", "json"}, []string{`"not_yet": [`}},
		{[]string{"trend", "--rule", "house/length"}, []string{"partners 0 → 144 of 150", "yard 22 → 21 of 26"}},
		{[]string{"trend", "--rule", "house/length", "--format", "csv"}, []string{",house/length,144\n", ",house/length,21\n"}},
		{[]string{"trend", "--format", "csv"}, []string{"second_factor,guesses_a_day,rules,mapping"}},
		{[]string{"report", "--since", "1", "--format", "html"}, []string{`<img src="data:image/svg`, "over 6 kept results"}},
		{[]string{"history"}, []string{"2026-06-20"}},
	} {
		stdout, stderr, code := runTool(t, last, c.args...)
		joined := strings.Join(strings.Fields(stdout), " ")
		for _, want := range c.wants {
			if code > 1 || !strings.Contains(joined, want) && !strings.Contains(stdout, want) {
				t.Errorf("%v: exit %d, no %q in\n%.3000s%s", c.args, code, want, stdout, stderr)
			}
		}
	}
	kept, _, _ := runTool(t, last, "drift", "3", "4")
	if exports, _, _ := runTool(t, last, "drift", "../2026-03", "../2026-04"); kept != exports {
		t.Errorf("of the exports it is\n%s\nof what was kept\n%s", exports, kept)
	}
	if stdout, _, _ := runTool(t, last, "trend"); !strings.Contains(stdout, "████▁▁") || !strings.Contains(stdout, "accepted") {
		t.Errorf("the exception that ended is not told\n%s", stdout)
	}
	if _, stderr, code := runTool(t, last, "trend", "--rule", "house/lenght"); code != 2 || !strings.Contains(stderr, `did you mean "house/length"`) {
		t.Errorf("exit %d %s", code, stderr)
	}
	other := filepath.Join(t.TempDir(), "m")
	if err := demo.WriteMonths(other); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("diff", "-r", "--exclude=history.db*", folder, other).CombinedOutput(); err != nil {
		t.Errorf("%v\n%s", err, out)
	}
	if err := demo.WriteMonths(other); err == nil {
		t.Error("what is there is written over")
	}
}

// TestIntakeAsksWhatIsGone: an export with more than a tenth of its accounts gone
// since the last that was kept is asked about; a smaller one is not.
func TestIntakeAsksWhatIsGone(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := demoFolder(t)
	ask := "2400 accounts in what is kept of 2026-11-23: more than a tenth is gone"
	told := func() bool {
		stdout, stderr, code := runTool(t, folder, "intake", "rota")
		if code != ExitClean || stderr != "" {
			t.Fatalf("exit %d: %s", code, stderr)
		}
		return strings.Contains(strings.Join(strings.Fields(stdout), " "), ask)
	}
	if told() {
		t.Error("nothing was kept yet")
	}
	if _, stderr, code := runTool(t, folder, "keep"); code != ExitClean {
		t.Fatal(stderr)
	}
	path := filepath.Join(folder, "exports/rota/users.csv")
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.SplitAfter(string(data), "\n")
	for left, want := range map[int]bool{2350: false, 2250: false, 2000: true, 3: true} {
		if err := os.WriteFile(path, []byte(strings.Join(lines[:left+1], "")), 0o600); err != nil {
			t.Fatal(err)
		}
		if told() != want {
			t.Errorf("%d accounts left: asked %v", left, !want)
		}
	}
}
