package cli

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yewcone/cli/tooltest"
)

// endless is a packed text of a beginning, the same piece over and over, and an
// end, of so many MB.
func endless(t *testing.T, before, piece, after string, megabytes int) []byte {
	t.Helper()
	pack := func(text []byte) []byte {
		var b bytes.Buffer
		w, _ := gzip.NewWriterLevel(&b, gzip.BestSpeed)
		_, err := w.Write(text)
		if err == nil {
			err = w.Close()
		}
		if err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	const part = 4 << 20
	pieces := pack(bytes.Repeat([]byte(piece), part/len(piece)))
	out := pack([]byte(before))
	for range megabytes << 20 / part {
		out = append(out, pieces...)
	}
	return append(out, pack([]byte(after))...)
}

// mostResident is what reading anything takes at most, in MB.
const mostResident = 256

// TestBounds: no file takes more memory than a run may, whatever is in it, and each
// that is cut off for it says so and where. Each is 100 MB, once unpacked.
func TestBounds(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("the race detector takes memory of its own")
	}
	folder := demoFolder(t)
	for _, c := range []struct{ system, file, before, piece string }{
		{"bookings", "roles.csv", "rolname,rolsuper,\"", "A"},
		{"bookings", "auth_members.csv", "role,member\n", "a,b\n"},
		{"crewdb", "global_priv.tsv", "Host\tUser\tPriv\n%\ta\t{", "\"a\":1,"},
		{"directory", "slapcat.ldif", "dn: cn=a\n", "a: b\n"},
		{"directory", "slapcat.ldif", "", "dn: cn=a\nobjectClass: pwdPolicy\npwdMinLength: 5\n\n"},
		{"quay1", "etc/passwd", "", "A"},
		{"quay1", "etc/sudoers", "a", "b\\\n"},
		{"quay1", "etc/pam.d/common-auth", "", "auth required pam_unix.so\n"},
		{"quay1", "../../signins/quay1-auth.log.gz", "", "A"},
		{"rota", "users.csv", "", ","},
		{"rota", "signins.csv", "\"", "A"},
		{"mailboxes", "boxes.tsv", "", "A"},
		{"gangway", "gangway-1.json", "{\"a\":", "["},
		{"gangway", "gangway-1.json", "{\"a\":\"", "A"},
		{"partners", "users-001.json", "{\"Resources\":[{", "\"a\":1,"},
		{"depot", "cuentas.xml", "<a b=\"", "A"},
		{"depot", "cuentas.xml", "<deposito><cuentas><cuenta>", "<correo>b</correo>"},
		{"depot", "cuentas.xml", "", "<a>"},
		{"depot", "cuentas.xml", "<a ", "b=\"1\" "},
		{"yard", "einstellungen.csv", "", "A"},
	} {
		name := c.system + " " + c.file + " " + c.before + c.piece
		path := filepath.Join(folder, "exports", c.system, filepath.FromSlash(c.file))
		data, err := os.ReadFile(path)
		if err == nil {
			err = os.WriteFile(path, endless(t, c.before, c.piece, "\n", 100), 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
		cmd := tooltest.Command(folder, "check", c.system)
		began := time.Now()
		out, _ := cmd.CombinedOutput()
		took := time.Since(began)
		said := string(out)
		t.Logf("%s: %s", name, took)
		kilobytes, ok := tooltest.Peak(cmd.ProcessState)
		if !ok {
			t.Skip("how much memory it took is not known")
		}
		if peak := kilobytes >> 10; peak > mostResident {
			t.Errorf("%s: %d MB", name, peak)
		}
		if code := cmd.ProcessState.ExitCode(); code != ExitPartial || strings.Contains(said, "goroutine ") ||
			!strings.Contains(said, "reading this takes more than") && !strings.Contains(said, "PARTIAL") ||
			!strings.Contains(said, filepath.Base(c.file)) {
			t.Errorf("%s: exit %d after %s: %.2000s", name, code, took, said)
		}
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
}

// TestLargeDocument: settings that stand in one document with all accounts are read,
// however many there are.
func TestLargeDocument(t *testing.T) {
	t.Parallel()
	folder := demoFolder(t)
	before, _, _ := runTool(t, folder, "check", "gangway", "--format", "csv")
	path := filepath.Join(folder, "exports/gangway/gangway-1.json")
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	log := `, "log": {"entries": [` + strings.Repeat(`{"at": "2026-11-20", "door": "quay"},`, 600_000) + "{}]}}\n"
	if err := os.WriteFile(path, []byte(strings.TrimSuffix(strings.TrimSpace(string(data)), "}")+log), 0o600); err != nil {
		t.Fatal(err)
	}
	after, stderr, code := runTool(t, folder, "check", "gangway", "--format", "csv")
	if code != ExitFindings || after != before || before == "" {
		t.Errorf("exit %d: %s\n%s\n%s", code, stderr, before, after)
	}
}

// TestMemoryAllowed: who has the memory may give more of it.
func TestMemoryAllowed(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("the race detector takes memory of its own")
	}
	folder := demoFolder(t)
	path := filepath.Join(folder, "exports/bookings/auth_members.csv")
	if err := os.WriteFile(path, endless(t, "role,member\n", "a,b\n", "", 8), 0o600); err != nil {
		t.Fatal(err)
	}
	for limit, wants := range map[string]bool{"GOMEMLIMIT=78MiB": true, "GOMEMLIMIT=4GiB": false} {
		cmd := tooltest.Command(folder, "check", "bookings")
		cmd.Env = append(cmd.Environ(), limit)
		out, _ := cmd.CombinedOutput()
		if told := strings.Contains(string(out), "auth_members.csv: reading this takes more than 78 MB of memory"); told != wants {
			t.Errorf("%s: %s", limit, out)
		}
	}
}

// manyFolder is an estate of systems with so many policies, and so many accounts in the
// roles that these hold for.
func manyFolder(t *testing.T, systems, policies, accounts int) string {
	t.Helper()
	folder := t.TempDir()
	write := func(name, text string) { t.Helper(); writeIn(t, folder, name, text) }
	write("map.yaml", "mapping: many\nsettings:\n  - {file: policies.csv, layout: rows, policy: name, roles: name, "+
		"take: {min_length: length, max_age: {from: age, unit: days, zero: never}}}\n"+
		"accounts:\n  - file: users.csv\n    take: {login: login, roles: role}\n")
	write("rules/all.yaml", "rules: all\nclauses:\n  - id: length\n    expect: {min_length: at least 14}\n    because: it is long\n")
	estate := "estate: many\nas_of: 2026-11-23\nsystems:\n"
	for s := range systems {
		estate += fmt.Sprintf("  s%d:\n    export: {read: mapping, from: exports/s%d, mapping: map.yaml}\n    chooses: own before role\n    rules: all\n", s, s)
		rows, users := "name,length,age\n", []byte("login,role\n")
		for p := range policies {
			rows += fmt.Sprintf("p%d,%d,%d\n", p, 4+p%20, p)
		}
		for a := range accounts {
			users = fmt.Appendf(users, "a%d.s%d,p%d\n", a, s, a%policies)
		}
		write(fmt.Sprintf("exports/s%d/policies.csv", s), rows)
		write(fmt.Sprintf("exports/s%d/users.csv", s), string(users))
	}
	write("estate.yaml", estate)
	return folder
}

// TestManyPolicies: many systems with many policies each take a MB for each of them and
// no more than others beside, and their results are written before anybody has gone.
func TestManyPolicies(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("the race detector takes memory of its own")
	}
	const systems = 80
	folder := manyFolder(t, systems, 300, 2000)
	for _, args := range []string{"check --format text", "check --format html", "check --format xlsx", "check --format json", "report --format html",
		"report --format xlsx", "report --format markdown", "keep", "drift"} {
		if command, format, ok := strings.Cut(args, " --format "); ok {
			args += " --out " + command + "." + format
		}
		cmd := tooltest.Command(folder, strings.Fields(args)...)
		cmd.Env = append(cmd.Environ(), fmt.Sprintf("GOMEMLIMIT=%dMiB", 64+systems))
		out, _ := cmd.CombinedOutput()
		kilobytes, ok := tooltest.Peak(cmd.ProcessState)
		t.Logf("%s: %d MB", args, kilobytes>>10)
		wants := ExitClean
		if strings.HasPrefix(args, "check") {
			wants = ExitFindings
		}
		took := cmd.ProcessState.UserTime() // of the processor, which others may hold up
		if !ok || cmd.ProcessState.ExitCode() != wants || kilobytes>>10 > mostResident || took > time.Minute {
			t.Errorf("%s: exit %d, %d MB, %s: %s", args, cmd.ProcessState.ExitCode(), kilobytes>>10, took, out)
		}
	}
}
