package cli

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"

	"yewcone/cli/tooltest"
	"yewcone/demo"
)

// TestDamaged: exports that something happened to on their way say so, and
// nothing is counted twice.
func TestDamaged(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(3, 0))
	double := func(data string) string { return data + data }
	for _, c := range []struct {
		system, file string
		change       func(string) string
		code         int
		wants        []string
	}{
		{"rota", "users.csv", func(s string) string { _, rows, _ := strings.Cut(s, "\n"); return s + rows }, 3, []string{
			"Read 1 system with 2400 accounts", "the account stands in the export before this, and is counted once"}},
		{"directory", "slapcat.ldif", double, 3, []string{"Read 1 system with 30 accounts", "is counted once"}},
		{"quay1", "etc/passwd", double, 3, []string{"Read 1 system with 42 accounts", "exports/quay1/etc/passwd:43"}},
		{"quay1", "etc/pam.d/common-auth", func(string) string { return "" }, 3, []string{"the file is empty, as no system has it"}},
		{"quay1", "etc/group", func(s string) string { return s[:200] + "\x01\x02" + s[200:] }, 3, []string{"the line has control characters"}},
		{"quay1", "lastlog.txt", func(s string) string { return strings.ReplaceAll(s, "\n", "\r") }, 3, []string{"lines have run together on the way"}},
		{"quay1", "etc/sudoers.d/10-marrowby", func(string) string { return "" }, 1, []string{"the file is empty: where the host's is not, copy it again"}},
		{"mailboxes", "settings.tsv", func(s string) string { return strings.Replace(s, "Longest PIN\t8", "Longest PIN\t4294967296", 1) }, 3,
			[]string{"4294967296 is too large"}},
		{"mailboxes", "boxes.tsv", func(s string) string { head, _, _ := strings.Cut(s, "\n"); return head }, 3, []string{"the file ends in its headings"}},
		{"mailboxes", "boxes.tsv", func(s string) string { head, _, _ := strings.Cut(s, "\n"); return head + "\n" }, 3, []string{
			"the table of accounts has no row"}},
		{"directory", "slapcat.ldif", func(s string) string {
			return s + "# search result\nsearch: 2\nresult: 4 Size limit exceeded\n\n# numEntries: 9\n"
		}, 3,
			[]string{"the search ended with the result 4 Size limit exceeded"}},
		{"directory", "slapcat.ldif", func(s string) string {
			return s + "# search result\nsearch: 2\nresult: 0 Success\n\n# numEntries: 9999\n"
		}, 3,
			[]string{"the search tool says that it wrote 9999 entries"}},
		{"rota", "users.csv", func(s string) string {
			return strings.Replace(s, "\ntomasz.wilga,", "\n"+strings.Repeat("n", 5000)+",", 1)
		}, 3,
			[]string{"Read 1 system with 2399 accounts", "users.csv:6: the name of the account is 5000 bytes long"}},
		{"partners", "users-101.json", func(s string) string { return strings.Replace(s, "\"totalResults\": 150", "\"totalResults\": 151", 1) }, 3,
			[]string{"the service says that it has 151 entries (totalResults), and 150 were read"}},
		{"quay1", "faillock.txt", func(s string) string { return strings.Replace(s, "2026-11-23 05:39:55", "2026-13-23 05:39:55", 1) }, 3,
			[]string{"faillock.txt:21: this is no failed sign-in as faillock prints it; whether \"siobhan.keane\" is locked is unknown"}},
		{"rota", "users.csv", func(s string) string { return s[:strings.LastIndex(s[:9000], "\n")] + "\nERROR:  Quark7\n" }, 3,
			[]string{"the program that wrote this tells an error here: what was to come is missing"}},
		{"bookings", "roles.csv", func(s string) string { return s + "(99 rows)\n" }, 3, []string{"says that it wrote 99 rows, and 27 were read"}},
		{"crewdb", "global_priv.tsv", func(s string) string { return s + "ERROR 2013 (HY000) at line 1: Quark7\n" }, 3,
			[]string{"the program that wrote this tells an error here"}},
		{"directory", "slapcat.ldif", func(s string) string {
			return s[:strings.LastIndex(s[:20000], "\n\n")+2] + "ldap_result: Can't contact LDAP server (-1)\n"
		}, 3,
			[]string{"the program that wrote this tells an error here"}},
		{"mailboxes", "boxes.tsv", func(s string) string { return s + "(6 rows)\n" }, 1, []string{"no rows refused"}},
		{"mailboxes", "boxes.tsv", func(s string) string { return s + "(7 rows)\n" }, 3, []string{"boxes.tsv:8: the program that wrote this says that it wrote 7 rows, and 6"}},
		{"depot", "cuentas.xml", func(s string) string { return strings.Replace(s, "</cuenta>", "P&Quark7;</cuenta>", 1) }, 3,
			[]string{"cuentas.xml:4: the file cannot be read on as XML: an & stands there that begins no character that XML knows;"}},
		{"depot", "cuentas.xml", func(s string) string { return strings.Replace(s, "</cuenta>", "P<Quark7>word</cuenta>", 1) }, 3,
			[]string{"cuentas.xml:4: the file cannot be read on as XML: an element is closed by the end of another;"}},
		{"cargo", "manifests.xlsx", func(s string) string {
			at := r.IntN(len(s)/2) + 100
			return s[:at] + string([]byte{s[at] ^ 4}) + s[at+1:]
		}, 3, []string{"no whole workbook"}},
	} {
		path := filepath.Join(folder, "exports", c.system, filepath.FromSlash(c.file))
		data, err := os.ReadFile(path)
		if err == nil {
			err = os.WriteFile(path, []byte(c.change(string(data))), 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
		stdout, stderr, code := runTool(t, folder, "check", "--all", c.system)
		plain := strings.Join(strings.Fields(stdout+stderr), " ")
		for _, want := range c.wants {
			if code != c.code || !strings.Contains(plain, want) {
				t.Errorf("%s/%s: exit %d, no %q in %.1500s", c.system, c.file, code, want, plain)
			}
		}
		if strings.Contains(plain, "same stored password as another 2400") || strings.Contains(plain, "same stored password as another 42") {
			t.Errorf("%s/%s: accounts are compared with themselves", c.system, c.file)
		}
		if strings.Contains(plain, "Quark7") {
			t.Errorf("%s/%s: text of the file is shown", c.system, c.file)
		}
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
}

// TestDoubled: where accounts that stand twice cannot be left out, they are not
// compared with themselves; what is odd in a record is told beside them.
func TestDoubled(t *testing.T) {
	t.Parallel()
	g := newGate(t)
	g.event(time.Hour, "ada", "192.0.2.5", "later")
	g.write("signins.ndjson", g.record.String())
	replaceIn(t, filepath.Join(g.folder, "gate.yaml"), "last_sign_in: last}", "last_sign_in: last, stored_value: stored}")
	users := "ada,Y,,Y,,$6$x$1\nbo,Y,,Y,,$6$x$2\n"
	g.write("users.csv", "name,on,ends,admin,last,stored\n"+users+users)
	for _, args := range [][]string{{"check", "--all"}, {"check", "--all", "--each", "each.jsonl"}} {
		stdout, stderr, code := runTool(t, g.folder, args...)
		plain := strings.Join(strings.Fields(stdout+stderr), " ")
		if code != 3 || strings.Contains(plain, "same stored password") || !strings.Contains(plain, "the outcome is none of") {
			t.Errorf("%v: exit %d: %s", args, code, plain)
		}
	}
}

// TestNoFiles: what is no file with a beginning and an end is refused at once.
func TestNoFiles(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ system, file string }{{"mailboxes", "boxes.tsv"}, {"quay1", "etc/passwd"}, {"cargo", "manifests.xlsx"},
		{"directory", "slapcat.ldif"},
		{"bookings", "roles.csv"}, {"rota", "signins.csv"}} {
		path := filepath.Join(folder, "exports", c.system, filepath.FromSlash(c.file))
		if err := os.Remove(path); err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("mkfifo", path).CombinedOutput(); err != nil {
			t.Skipf("no pipes here: %v %s", err, out)
		}
		stdout, stderr, code := runTool(t, folder, "check", c.system)
		if code < 2 || !strings.Contains(strings.Join(strings.Fields(stdout+stderr), " "), "is a pipe, not a file") {
			t.Errorf("%s/%s: exit %d\n%s%s", c.system, c.file, code, stdout, stderr)
		}
	}
}

// TestOutKeepsTheEstate: results never replace what they were made from, nor
// each other.
func TestOutKeepsTheEstate(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	estate := filepath.Join(folder, "estate.yaml")
	data, err := os.ReadFile(estate)
	err = errors.Join(err, os.WriteFile(estate, append(data, "\nlists: {common: common.txt}\n"...), 0o600),
		os.WriteFile(filepath.Join(folder, "common.txt"), []byte("garnet\n"), 0o600))
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"estate.yaml", "exceptions.yaml", "rules/house.yaml", "trials/rota.yaml", "common.txt", "mappings/rota.yaml", "exports/rota/users.csv", "exports/quay1/etc/shadow",
		"exports/directory/slapcat.ldif", "signins/quay1-auth.log.gz"} {
		path := filepath.Join(folder, filepath.FromSlash(name))
		before, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		for _, args := range [][]string{{"check", "--out", path}, {"check", "--each", path}, {"report", "--format", "html", "--out", path}, {"gaps", "--out", path},
			{"remedy", "--out", path}} {
			_, stderr, code := runTool(t, folder, args...)
			after, err := os.ReadFile(path)
			if err != nil || string(after) != string(before) || code != 2 || !strings.Contains(stderr, "is not replaced") {
				t.Errorf("%v: exit %d, changed %v: %s", args, code, string(after) != string(before), stderr)
			}
		}
	}
	if _, stderr, code := runTool(t, folder, "check", "--out", "x.json", "--each", "./x.json"); code != 2 || !strings.Contains(stderr, "both name") {
		t.Errorf("exit %d: %s", code, stderr)
	}
	for range 2 { // what a run wrote before may be written again
		if _, stderr, code := runTool(t, folder, "report", "--out", "report.html"); code != 0 && code != 1 {
			t.Errorf("exit %d: %s", code, stderr)
		}
	}
}

// TestStopped: a run that is told to end leaves no half file, and the file of the
// run before as it was.
func TestStopped(t *testing.T) {
	t.Parallel()
	if runtime.GOOS == "windows" || testing.Short() {
		t.Skip("no such signals here, or under the race detector")
	}
	g := newGate(t)
	users := "name,on,ends,admin,last\n" + strings.Repeat("ada,Y,,Y,2026-01-01 00:00:00\n", 1)
	var rows strings.Builder
	for i := range 400_000 { // so that it takes some time
		fmt.Fprintf(&rows, "user%06d,Y,,Y,2025-01-01 00:00:00\n", i)
	}
	g.write("users.csv", users+rows.String())
	g.write("signins.ndjson", "")
	g.write("each.jsonl", "before")
	c := tooltest.Command(g.folder, "check", "--each", "each.jsonl")
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	half := func() bool {
		list, err := filepath.Glob(filepath.Join(g.folder, ".each.jsonl.*"))
		return err == nil && len(list) > 0
	}
	for end := time.Now().Add(20 * time.Second); !half() && time.Now().Before(end); {
		time.Sleep(time.Millisecond)
	}
	if err := c.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	_ = c.Wait()
	before, err := os.ReadFile(filepath.Join(g.folder, "each.jsonl"))
	if code := c.ProcessState.ExitCode(); code != 128+int(syscall.SIGTERM) || half() || err != nil || string(before) != "before" {
		t.Errorf("exit %d, half a file left %v, before it %.20q %v", code, half(), before, err)
	}
}
