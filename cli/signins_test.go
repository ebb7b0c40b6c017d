package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"
)

// gate is an estate of one application, whose record of sign-ins is made up by
// the test.
type gate struct {
	t      *testing.T
	folder string
	record strings.Builder
	start  time.Time
}

const gateMapping = `mapping: Gate
dates: yyyy-mm-dd hh:mm:ss
zone: UTC
yes: "Y"
no: "N"
accounts:
  - file: users.csv
    take: {login: name, enabled: "on", account_ends: ends, privileged: admin, last_sign_in: last}
    fixed: {password_usable: yes, blank: no}
signins:
  - file: signins.ndjson
    time: $.at
    account: $.who
    source: $.from
    outcome: $.how
    failed: [bad]
    let_in: [good]
    ignore: [key]
`

func newGate(t *testing.T) *gate {
	g := &gate{t: t, folder: t.TempDir(), start: time.Date(2026, 11, 2, 8, 0, 0, 0, time.UTC)}
	g.write("estate.yaml", `estate: Gate
as_of: 2026-11-20
systems:
  gate:
    title: Gate
    export: {read: mapping, from: ., mapping: gate.yaml}
    signins: {read: mapping}
`)
	g.write("gate.yaml", gateMapping)
	users := "name,on,ends,admin,last\nada,Y,,Y,\nbo,Y,,N,2026-06-01 09:00:00\ncy,N,,N,2026-10-01 09:00:00\ndi,Y,2026-11-05 00:00:00,N,2026-11-01 00:00:00\n" +
		"svc-tide,Y,,N,\n"
	for i := range 60 {
		users += fmt.Sprintf("user%02d,Y,,N,2026-11-01 00:00:00\n", i)
	}
	g.write("users.csv", users)
	return g
}

func (g *gate) write(name, text string) {
	g.t.Helper()
	if err := os.WriteFile(filepath.Join(g.folder, name), []byte(text), 0o600); err != nil {
		g.t.Fatal(err)
	}
}

// event writes a sign-in that came so long after the start.
func (g *gate) event(after time.Duration, who, from, how string) {
	line, err := json.Marshal(map[string]string{"at": g.start.Add(after).Format(time.DateTime), "who": who, "from": from, "how": how})
	if err != nil {
		g.t.Fatal(err)
	}
	g.record.Write(append(line, '\n'))
}

// findings runs the checks and returns what it says of them, in one line.
func (g *gate) findings(args ...string) string {
	g.t.Helper()
	g.write("signins.ndjson", g.record.String())
	stdout, stderr, code := runTool(g.t, g.folder, append([]string{"check", "--all"}, args...)...)
	if code > 1 {
		g.t.Fatalf("exit %d\n%s%s", code, stdout, stderr)
	}
	return strings.Join(strings.Fields(stdout), " ")
}

// TestSignInChecks: what stands out in a record, and what only looks so.
func TestSignInChecks(t *testing.T) {
	t.Parallel()
	const hour, minute = time.Hour, time.Minute
	for _, c := range []struct {
		what   string
		events func(*gate)
		wants  []string // that begin with ! are not there
	}{
		{"many names from one address", func(g *gate) {
			for i := range 12 {
				g.event(time.Duration(i)*hour, fmt.Sprintf("user%02d", i), "203.0.113.9", "bad")
			}
		}, []string{"medium gate: 203.0.113.9 gave wrong passwords for 12 names from 2026-11-02 08:00 to 2026-11-02 19:00 UTC, and came in with none of them",
			"!signin-many-names-in"}},
		{"and one that fitted", func(g *gate) {
			for i := range 12 {
				g.event(time.Duration(i)*hour, fmt.Sprintf("user%02d", i), "203.0.113.9", "bad")
			}
			g.event(13*hour, "user30", "203.0.113.9", "good")
		}, []string{"12 of which never came in from there; it came in with user30", "check/signin-many-names-in", "!check/signin-many-names,"}},
		{"a busy shared address", func(g *gate) {
			for i := range 60 {
				if i%4 == 0 {
					g.event(time.Duration(i)*minute, fmt.Sprintf("user%02d", i), "192.0.2.1", "bad")
				}
				if i > 11 {
					g.event(time.Duration(i)*minute+30*time.Second, fmt.Sprintf("user%02d", i), "192.0.2.1", "good")
				}
			}
		}, []string{"!signin-"}},
		{"an address without which there is none", func(g *gate) {
			for i := range 12 {
				g.event(time.Duration(i)*hour, fmt.Sprintf("user%02d", i), "", "bad")
			}
		}, []string{"!signin-"}},
		{"one name from many addresses", func(g *gate) {
			for i := range 12 {
				g.event(time.Duration(i)*24*hour, "ada", fmt.Sprintf("198.51.100.%d", i), "bad")
			}
		}, []string{"high gate: accounts with wrong passwords from many addresses that never came in with them 1 account, privileged: ada " +
			"(12 wrong passwords from 12 addresses, 12 of them never let in)"}},
		{"somebody on the road", func(g *gate) {
			for i := range 12 {
				g.event(time.Duration(i)*24*hour, "user01", fmt.Sprintf("198.51.100.%d", i), "bad")
				g.event(time.Duration(i)*24*hour+minute, "user01", fmt.Sprintf("198.51.100.%d", i), "good")
			}
		}, []string{"!signin-"}},
		{"a right one after many", func(g *gate) {
			for i := range 11 {
				g.event(time.Duration(i)*minute, "user01", "203.0.113.9", "bad")
			}
			g.event(20*minute, "user01", "192.0.2.7", "good")
			g.event(30*minute, "user01", "203.0.113.9", "good")
		}, []string{"user01 (11 wrong passwords from 203.0.113.9, and the right one at 2026-11-02 08:30 UTC)", "check/signin-after-failures"}},
		{"the owner beside a guesser", func(g *gate) {
			for i := range 11 {
				g.event(time.Duration(i)*minute, "user01", "203.0.113.9", "bad")
			}
			g.event(20*minute, "user01", "192.0.2.7", "good")
		}, []string{"!signin-"}},
		{"very many at once", func(g *gate) {
			for i := range 31 {
				g.event(time.Duration(i)*time.Second, "user01", "203.0.113.9", "bad")
			}
		}, []string{"user01 (31 wrong passwords in the 10 minutes up to 2026-11-02 08:00 UTC)", "check/signin-burst"}},
		{"a program with an old password", func(g *gate) {
			for i := range 200 {
				g.event(time.Duration(i)*5*minute, "svc-tide", "192.0.2.5", "bad")
			}
		}, []string{"svc-tide (200 wrong passwords from 1 address, never let in from there, in 17 of 17 hours)", "check/signin-steady", "!signin-burst"}},
		{"one that sleeps at night is no program", func(g *gate) {
			for i := range 14 {
				g.event(time.Duration(i)*24*hour, "user01", "192.0.2.5", "bad")
			}
		}, []string{"!signin-"}},
		{"switched off and let in", func(g *gate) {
			g.event(17*24*hour+23*hour, "cy", "192.0.2.5", "good")
			g.event(4*24*hour, "di", "192.0.2.5", "good")
		}, []string{"cy (switched off in the export of 2026-11-20 00:00, and let in at 2026-11-20 07:00 UTC)",
			"di (it ended on 2026-11-05 and was let in at 2026-11-06 08:00 UTC)", "2 accounts, all disabled", "check/signin-off-in"}},
		{"let in before it was switched off, as far as anybody knows", func(g *gate) {
			g.event(hour, "cy", "192.0.2.5", "good")
			g.event(hour, "di", "192.0.2.5", "good")
		}, []string{"!signin-"}},
		{"switched off and tried", func(g *gate) { g.event(hour, "cy", "192.0.2.5", "bad") },
			[]string{"1 account, disabled: cy (1 wrong password, the last at 2026-11-02 09:00 UTC)", "check/signin-off-tried"}},
		{"after a long time", func(g *gate) { g.event(hour, "bo", "192.0.2.5", "key") },
			[]string{"bo (let in at 2026-11-02 09:00 UTC, and last before that on 2026-06-01 by the export)", "check/signin-after-idle"}},
		{"a long time within the record", func(g *gate) {
			g.event(-100*24*hour, "user01", "192.0.2.5", "good")
			g.event(hour, "user01", "192.0.2.5", "good")
		}, []string{"user01 (let in at 2026-11-02 09:00 UTC; the record has none before it since 2026-07-25 08:00)", "check/signin-after-idle"}},
		{"an administrator at another hour and from elsewhere", func(g *gate) {
			for i := range 10 {
				for h := range 3 {
					g.event(time.Duration(i)*24*hour+time.Duration(h)*hour, "ada", "192.0.2.5", "good")
					g.event(time.Duration(i)*24*hour+time.Duration(h)*hour, "bo", "192.0.2.5", "good")
				}
			}
			g.event(10*24*hour+18*hour, "ada", "203.0.113.1", "good")
			g.event(10*24*hour+18*hour, "bo", "203.0.113.1", "good")
		}, []string{"ada (at 2026-11-13 02:00 UTC; 30 sign-ins on the 10 days before were at other hours)", "check/signin-new-hour",
			"ada (from 203.0.113.1 at 2026-11-13 02:00 UTC; 30 sign-ins on the 10 days before came from other networks)", "check/signin-new-network", "!: bo (from"}},
		{"an hour later, in the same network, or with too little before", func(g *gate) {
			for i := range 10 {
				g.event(time.Duration(i)*24*hour, "ada", "192.0.2.5", "good")
				g.event(time.Duration(i)*24*hour+minute, "ada", "192.0.2.5", "good")
			}
			g.event(10*24*hour+hour, "ada", "192.0.2.99", "good")
		}, []string{"!signin-"}},
		{"names that are none", func(g *gate) {
			g.event(hour, "Summer2026!", "203.0.113.9", "bad")
			g.event(hour, "oracle", "203.0.113.9", "bad")
			g.event(2*hour, "newcomer", "192.0.2.5", "good")
		}, []string{"2 wrong passwords for 2 names that are no account of the export, 2 of these names from 203.0.113.9", "!Summer2026",
			"1 name was let in and is no account of the export: newcomer", "check/signin-not-in-export"}},
	} {
		g := newGate(t)
		c.events(g)
		got := g.findings()
		for _, want := range c.wants {
			if text, not := strings.CutPrefix(want, "!"); strings.Contains(got, text) == not {
				t.Errorf("%s: %q is there: %v\n%s", c.what, text, not, got)
			}
		}
	}
}

// TestSignInExceptions: an address may be accepted by name, and another is not
// covered by it; a record that is not there leaves its checks open.
func TestSignInExceptions(t *testing.T) {
	t.Parallel()
	g := newGate(t)
	for i := range 12 {
		g.event(time.Duration(i)*time.Hour, fmt.Sprintf("user%02d", i), "203.0.113.9", "bad")
		g.event(time.Duration(i)*time.Hour, fmt.Sprintf("user%02d", i), "203.0.113.10", "bad")
	}
	g.write("exceptions.yaml", `exceptions:
  - {system: gate, rule: check/signin-many-names, value: 203.0.113.9, because: our own test, owner: ada, until: 2027-01-01}
`)
	got := g.findings()
	open, accepted, _ := strings.Cut(got, "Accepted, and not counted above")
	if !strings.Contains(open, "203.0.113.10 gave wrong") || strings.Contains(open, "203.0.113.9 gave wrong") ||
		!strings.Contains(accepted, "203.0.113.9 gave wrong") {
		t.Errorf("not as accepted: %s", got)
	}
	if err := os.Remove(filepath.Join(g.folder, "signins.ndjson")); err != nil {
		t.Fatal(err)
	}
	stdout, stderr, code := runTool(t, g.folder, "check", "--all")
	if code != 3 || !strings.Contains(stdout+stderr, "the record of sign-ins is not used") {
		t.Errorf("exit %d\n%s%s", code, stdout, stderr)
	}
}

// TestLastSignInFromRecord: where the export does not say when an account was
// last used, the record does, and is named.
func TestLastSignInFromRecord(t *testing.T) {
	t.Parallel()
	g := newGate(t)
	g.event(time.Hour, "ada", "192.0.2.5", "good")
	g.event(2*time.Hour, "bo", "192.0.2.5", "good")
	g.findings()
	for _, c := range [][2]string{{"ada", "last sign-in 2026-11-02 09:00, by the record of sign-ins gate.yaml (signins)"}, {"bo", "last sign-in 2026-11-02 10:00, by the record"}, {"di", "last sign-in 2026-11-01 00:00 "},
		{"svc-tide", "last sign-in unknown"}} {
		stdout, _, _ := runTool(t, g.folder, "why", "gate", c[0])
		if plain := strings.Join(strings.Fields(stdout), " "); !strings.Contains(plain, c[1]) {
			t.Errorf("%s: no %q in %s", c[0], c[1], plain)
		}
	}
}

// TestSignInForms: tables of every form, a mapping of its own, names that are
// folded, and words that are none.
func TestSignInForms(t *testing.T) {
	t.Parallel()
	rows := [][]string{{"at", "who", "from", "how"}}
	for i := range 12 {
		rows = append(
			rows,
			[]string{fmt.Sprintf("2026-11-02 08:%02d:00", 50-i), []string{"ada", "ADA", `GATE\Ada`, "ada@gate.example"}[i%4], "203.0.113.9", "bad"},
		)
	}
	rows = append(rows, []string{"2026-11-02 09:30:00", "ada", "203.0.113.9", "good"})
	book := excelize.NewFile()
	xml, csvText := "<signins>", ""
	for i, row := range rows {
		if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
			t.Fatal(err)
		}
		csvText += strings.Join(row, ",") + "\n"
		if i > 0 {
			xml += fmt.Sprintf("<s><at>%s</at><who>%s</who><from>%s</from><how>%s</how></s>", row[0], row[1], row[2], row[3])
		}
	}
	sheet, err := book.WriteToBuffer()
	if err != nil {
		t.Fatal(err)
	}
	const own = "mapping: Record\ndates: yyyy-mm-dd hh:mm:ss\nzone: UTC\nsignins:\n" +
		"  - {file: FILE, ROWS time: at, account: who, source: from, outcome: how, failed: [bad], let_in: [good], folds: [case, domain]}\n"
	for _, c := range []struct{ file, text, rows string }{{"signins.csv", csvText, ""}, {"signins.xlsx", sheet.String(), ""},
		{"signins.xml", xml + "</signins>", "rows: /signins/s,"}} {
		g := newGate(t)
		g.write(c.file, c.text)
		g.write("record.yaml", strings.NewReplacer("FILE", c.file, "ROWS", c.rows).Replace(own))
		replaceIn(t, filepath.Join(g.folder, "estate.yaml"), "signins: {read: mapping}", "signins: {read: mapping, from: "+c.file+", mapping: record.yaml}")
		if got, want := g.findings(), "ada (12 wrong passwords from 203.0.113.9, and the right one at 2026-11-02 09:30 UTC)"; !strings.Contains(got, want) ||
			strings.Contains(got, "no account of the export") {
			t.Errorf("%s: no %q in %s", c.file, want, got)
		}
	}
	for _, c := range [][3]string{
		{"folds: [case, domain]", "folds: [caps]", `not "caps"`},
		{"failed: [bad]", "failed: [wrong]", "the outcome is none of"},
		{"time: at", "time: moment", `signins.csv has no column "moment"`},
	} {
		g := newGate(t)
		g.write("signins.csv", csvText)
		g.write("record.yaml", strings.NewReplacer("FILE", "signins.csv", "ROWS", "", c[0], c[1]).Replace(own))
		replaceIn(t, filepath.Join(g.folder, "estate.yaml"), "signins: {read: mapping}", "signins: {read: mapping, from: signins.csv, mapping: record.yaml}")
		stdout, stderr, code := runTool(t, g.folder, "check", "--all")
		if plain := strings.Join(strings.Fields(stdout+stderr), " "); code < 2 || !strings.Contains(plain, c[2]) {
			t.Errorf("%s: exit %d, no %q in %s", c[1], code, c[2], plain)
		}
	}
}
