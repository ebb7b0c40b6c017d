package signins_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/core/signin"
	"yewcone/demo"
	"yewcone/intake/estatefolder"
	"yewcone/intake/signins"
)

// asked are the lockouts of the tables, in their order.
var asked = []signin.Lockout{{Known: true, Attempts: 3, Window: 900, Duration: 1800}, {Known: true, Attempts: 5, Window: 600, Duration: 1800},
	{Known: true, Attempts: 5, Window: 1800, Duration: 1800}, {Known: true, Attempts: 10, Window: 3600, Duration: 1800},
	{Known: true, Attempts: 6, Window: 1200, Duration: 1800}, {Known: true, Attempts: 5, Window: -1, Duration: 1800}}

func replayOf(t *testing.T, system string) (accounts []signin.Account, sources []signin.Source) {
	t.Helper()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	portal, err := os.ReadFile("testdata/portal-signins.csv") // the demo's has a story of its own
	if err == nil {
		err = os.WriteFile(filepath.Join(folder, "exports", "rota", "signins.csv"), portal, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	e, err := estatefolder.Load(folder)
	if err != nil {
		t.Fatal(err)
	}
	subjects, err := e.Subjects([]string{system}, time.Time{})
	if err != nil {
		t.Fatal(err)
	}
	r := signin.New([][]signin.Lockout{asked}, func([]byte) int { return 0 })
	if err := r.Run(subjects[0].Record.Read); err != nil {
		t.Fatal(err)
	}
	names, addresses := r.Done()
	for _, n := range names {
		accounts = append(accounts, r.Account(n))
	}
	for _, n := range addresses {
		sources = append(sources, r.Source(n))
	}
	return accounts, sources
}

// TestTruth: every number of the tables, which were counted from the events and
// not from the files.
func TestTruth(t *testing.T) {
	for _, system := range []string{"quay1", "rota"} {
		accounts, sources := replayOf(t, system)
		byName := map[string]string{}
		for _, a := range accounts {
			text := fmt.Sprintf("%d|%d|%d|%d|%d|%d", a.Failures, a.LetIn, a.Sources, a.Peaks[0], a.Peaks[1], a.Peaks[2])
			for i := range a.Under {
				u := &a.Under[i]
				if u.Locks == 0 {
					text += "|no"
					continue
				}
				text += "|" + time.UnixMicro(u.First).UTC().Format("02/01 15:04:05") + fmt.Sprintf(" (%d)", u.Locks)
			}
			byName[a.Name] = text
		}
		for _, s := range sources {
			byName["source "+s.Name] = fmt.Sprintf("%d|%d|%d|%d|%d", s.Failures, s.InVain, s.LetIn, s.Peaks[0], s.Peaks[2])
		}
		for _, kind := range []string{"accounts", "sources"} {
			data, err := os.ReadFile(filepath.Join("testdata", system+"-"+kind+".tsv"))
			if err != nil {
				t.Fatal(err)
			}
			for i, line := range strings.Split(strings.TrimSpace(string(data)), "\n") {
				cells := strings.Split(line, "\t")
				name := cells[0]
				if kind == "sources" {
					name = "source " + name
				}
				if want := strings.Join(cells[1:], "|"); i > 0 && byName[name] != want {
					t.Errorf("%s: %s\n is   %s\n want %s", system, name, byName[name], want)
				}
			}
		}
	}
}

// read is what lines of OpenSSH tell.
func read(t *testing.T, zone *time.Location, files ...string) []string {
	t.Helper()
	return readAs(t, "sshd", zone, nil, files...)
}

func readAs(t *testing.T, form string, zone *time.Location, programs []string, files ...string) []string {
	t.Helper()
	folder := t.TempDir()
	var book signin.Book
	s := signins.Source{Folder: folder, Book: &book, Zone: zone, Until: time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC), Notes: &facts.Notes{}, Programs: programs}
	for i, text := range files {
		path := filepath.Join(folder, strconv.Itoa(i))
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		s.Files, s.Names = append(s.Files, path), append(s.Names, strconv.Itoa(i))
	}
	var out []string
	order := signin.NewOrder(nil, func(e *signin.Event) {
		at, who, from := time.UnixMicro(e.At).UTC().Format(time.DateTime), book.Accounts.Name(e.Account), book.Sources.Name(e.Source)
		out = append(out, fmt.Sprintf("%s %s %s %d x%d", at, who, from, e.Outcome, e.Times))
	})
	err := signins.Forms[form](&s, order.Add)
	if err = errors.Join(err, order.End()); err != nil {
		t.Fatal(err)
	}
	for _, n := range s.Notes.List() {
		out = append(out, n.Message)
	}
	return out
}

// TestForms: the forms in which hosts keep lines, years that are not written,
// files in whatever order, and names that hold the words of the log.
func TestForms(t *testing.T) {
	const failed = "quay1 sshd[1]: Failed password for ada from 192.0.2.1 port 5 ssh2\n"
	for _, c := range []struct {
		what  string
		files []string
		zone  *time.Location
		want  []string
	}{
		{"no year", []string{"Mar  1 05:00:00 " + failed}, time.UTC, []string{"2026-03-01 05:00:00 ada 192.0.2.1 0 x1"}},
		{"of the year before", []string{"Dec 31 23:59:59 " + failed + "Jan  1 00:00:01 " + failed}, time.UTC,
			[]string{"2025-12-31 23:59:59 ada 192.0.2.1 0 x1", "2026-01-01 00:00:01 ada 192.0.2.1 0 x1"}},
		{"a leap day", []string{"Feb 29 12:00:00 " + failed}, time.UTC, []string{"2024-02-29 12:00:00 ada 192.0.2.1 0 x1"}},
		{"a zone", []string{"Feb 28 12:00:00 " + failed}, time.FixedZone("", 7200), []string{"2026-02-28 10:00:00 ada 192.0.2.1 0 x1"}},
		{"with its moment", []string{"2026-02-28T12:00:00.250+01:00 " + failed}, time.UTC, []string{"2026-02-28 11:00:00 ada 192.0.2.1 0 x1"}},
		{"RFC 5424", []string{"<38>1 2026-02-28T12:00:00Z quay1 sshd 77 - - Failed password for ada from 192.0.2.1 port 5 ssh2\n" +
			"<38>1 2026-02-28T12:00:01Z quay1 sshd 77 - [x@1 a=\"b\"] Accepted password for ada from 192.0.2.1 port 5 ssh2\n"}, time.UTC,
			[]string{"2026-02-28 12:00:00 ada 192.0.2.1 0 x1", "2026-02-28 12:00:01 ada 192.0.2.1 1 x1"}},
		{"journal", []string{`{"__REALTIME_TIMESTAMP":"1772280000000000","SYSLOG_IDENTIFIER":"sshd",` +
			`"MESSAGE":"Failed password for ada from ::ffff:192.0.2.1 port 5 ssh2"}` + "\n" +
			`{"__REALTIME_TIMESTAMP":"1772280000000000","SYSLOG_IDENTIFIER":"cron","MESSAGE":"Failed password for ada from 192.0.2.1 port 5 ssh2"}` + "\n"},
			time.UTC, []string{"2026-02-28 12:00:00 ada 192.0.2.1 0 x1"}},
		{"folded", []string{"Feb 28 12:00:00 quay1 sshd[1]: message repeated 3 times: [ Failed password for ada from 192.0.2.1 port 5 ssh2]\n"}, time.UTC,
			[]string{"2026-02-28 12:00:00 ada 192.0.2.1 0 x3"}},
		{"the later file first", []string{"Feb 28 12:00:00 " + failed, "Feb 27 12:00:00 " + failed}, time.UTC,
			[]string{"2026-02-27 12:00:00 ada 192.0.2.1 0 x1", "2026-02-28 12:00:00 ada 192.0.2.1 0 x1"}},
		{"names of words", []string{"Feb 28 12:00:00 quay1 sshd[1]: Failed password for invalid user " +
			"root from 198.51.100.9 port 1 ssh2 from 192.0.2.1 port 5 ssh2\n"},
			time.UTC, []string{"2026-02-28 12:00:00 root from 198.51.100.9 port 1 ssh2 192.0.2.1 0 x1"}},
		{"other programs and lines", []string{"Feb 28 12:00:00 quay1 sudo: pam_unix(sudo:auth): Failed password for ada from 192.0.2.1 port 5 ssh2\n" +
			"Feb 28 12:00:00 quay1 su[2]: x sshd[1]: Failed password for ada from 192.0.2.1 port 5 ssh2\n" +
			"Feb 28 12:00:00 quay1 sshd[1]: pam_unix(sshd:auth): authentication failure; user=ada\n\n"}, time.UTC, nil},
		{"a key", []string{"Feb 28 12:00:00 quay1 sshd[1]: Accepted publickey for ada from 2001:DB8:0::1 port 5 ssh2: ED25519 SHA256:x\n"}, time.UTC,
			[]string{"2026-02-28 12:00:00 ada 2001:db8::1 2 x1"}},
		{"a line that never ends", []string{strings.Repeat("x", 3<<20) + "\nFeb 28 12:00:00 " + failed}, time.UTC,
			[]string{"2026-02-28 12:00:00 ada 192.0.2.1 0 x1", "the line has no stamp that is known, and is left out (text of 65536 characters)"}},
	} {
		if got := read(t, c.zone, c.files...); strings.Join(got, "\n") != strings.Join(c.want, "\n") {
			t.Errorf("%s: %q, want %q", c.what, got, c.want)
		}
	}
}

// TestPrograms: PAM's lines of other programs, of which each failure has one
// line or two modules' lines, and one for what a connection tried beyond it.
func TestPrograms(t *testing.T) {
	const login = "Feb 28 12:00:00 quay1 login[7]: pam_unix(login:auth): authentication failure; logname=LOGIN uid=0 euid=0 tty=/dev/tty1 ruser= rhost=  user=ada\n"
	for _, c := range []struct {
		what, text string
		want       []string
	}{
		{"a console", login + "Feb 28 12:00:09 quay1 login[7]: pam_unix(login:session): session opened for user ada(uid=1000) by LOGIN(uid=0)\n",
			[]string{"2026-02-28 12:00:00 ada /dev/tty1 0 x1", "2026-02-28 12:00:09 ada  1 x1"}},
		{"two modules", login + strings.Replace(login, "pam_unix", "pam_sss", 1), []string{"2026-02-28 12:00:00 ada /dev/tty1 0 x1"}},
		{"two in a second", login + login, []string{"2026-02-28 12:00:00 ada /dev/tty1 0 x1", "2026-02-28 12:00:00 ada /dev/tty1 0 x1"}},
		{"more of them", "Feb 28 12:00:00 quay1 login[7]: PAM 2 more authentication failures; logname= uid=0 euid=0 tty=tty1 ruser= rhost=192.0.2.1  user=ada\n",
			[]string{"2026-02-28 12:00:00 ada 192.0.2.1 0 x2"}},
		{"a name that is none", strings.Replace(login, "  user=ada", " ", 1), nil},
		{"another program", strings.ReplaceAll(login, "login", "cron"), nil},
		{"su by somebody and by root", "Feb 28 12:00:00 quay1 su[7]: pam_unix(su:session): session opened for user root(uid=0) by ada(uid=1000)\n" +
			"Feb 28 12:00:01 quay1 su[7]: pam_unix(su:session): session opened for user ada(uid=1000) by root(uid=0)\n",
			[]string{"2026-02-28 12:00:00 root  1 x1", "2026-02-28 12:00:01 ada  2 x1"}},
		{"sudo", "Feb 28 12:00:00 quay1 sudo: pam_unix(sudo:session): session opened for user root(uid=0) by ada(uid=1000)\n",
			[]string{"2026-02-28 12:00:00 ada  2 x1"}},
	} {
		if got := readAs(t, "sshd", time.UTC, []string{"login", "su", "sudo"}, c.text); strings.Join(got, "\n") != strings.Join(c.want, "\n") {
			t.Errorf("%s: %q, want %q", c.what, got, c.want)
		}
	}
}

// TestOrder: lines in two files count once, an hour that comes twice is two, and
// a record that has the newest first is turned round.
func TestOrder(t *testing.T) {
	line := func(at string, n int) string {
		return fmt.Sprintf("%s quay1 sshd[%d]: Failed password for ada from 192.0.2.1 port %d ssh2\n", at, n, n)
	}
	one, two, three := line("Feb 27 12:00:00", 1), line("Feb 27 12:00:00", 1), line("Feb 27 12:00:05", 3)
	if got := read(t, time.UTC, one+two+three, two+three+line("Feb 27 12:00:09", 4)); len(got) != 5 ||
		got[4] != "2 sign-ins stand in more than one file of the record, and count once" {
		t.Errorf("files that overlap: %q", got)
	}
	copenhagen, err := time.LoadLocation("Europe/Copenhagen")
	if err != nil {
		t.Fatal(err)
	}
	got := read(t, copenhagen, line("Oct 26 01:59:00", 1)+line("Oct 26 02:30:00", 2)+line("Oct 26 02:10:00", 3)+line("Oct 26 03:00:00", 4))
	if want := "2025-10-25 23:59:00 2025-10-26 00:30:00 2025-10-26 01:10:00 2025-10-26 02:00:00"; moments(got) != want {
		t.Errorf("clocks that are put back: %s, want %s", moments(got), want)
	}
	for _, n := range []int{5, 5000} {
		newest := ""
		for i := range n { // some of the same second
			newest += line(time.Date(2026, 2, 20, 0, 0, (n-i)/30, 0, time.UTC).Format(time.Stamp), i)
		}
		got := read(t, time.UTC, newest)
		if !slices.IsSorted(got) || len(got) != n {
			t.Errorf("%d, the newest first, come as %q …", len(got), got[0])
		}
	}
}

func moments(events []string) string {
	var list []string
	for _, e := range events {
		list = append(list, e[:len(time.DateTime)])
	}
	return strings.Join(list, " ")
}

// TestLists: what faillock and lastb print, the latest first or not, and what
// slapd's access log has.
func TestLists(t *testing.T) {
	const head = "When                Type  Source                                           Valid\n"
	for _, c := range []struct {
		what, form, text string
		want             []string
	}{
		{"faillock", "failures", "ada:\n" + head + "2026-02-28 12:00:05 RHOST 192.0.2.1                      V\nbo:\n" + head +
			"2026-02-28 12:00:00 TTY   /dev/tty2       I\n", []string{"2026-02-28 12:00:00 bo /dev/tty2 0 x1", "2026-02-28 12:00:05 ada 192.0.2.1 0 x1"}},
		{"lastb", "failures", "root     ssh:notty    203.0.113.77     2026-02-28T12:00:05+01:00 - 2026-02-28T12:00:05+01:00  (00:00)\n" +
			"ada      tty1                          2026-02-28T11:00:00+01:00 - 2026-02-28T11:00:00+01:00  (00:00)\n" +
			"         ssh:notty    203.0.113.77     2026-02-28T10:00:00+01:00 - 2026-02-28T10:00:00+01:00  (00:00)\n\nbtmp begins 2026-02-28T10:00:00+01:00\n",
			[]string{"2026-02-28 10:00:00 ada tty1 0 x1", "2026-02-28 11:00:05 root 203.0.113.77 0 x1"}},
		{"neither", "failures", "Failed password for ada\n", []string{"the line is no failure as faillock, or lastb with --time-format iso, prints it, and is left out " +
			"(text of 23 characters)"}},
		{"access log", "accesslog", readFile(t, "testdata/accesslog.ldif"), []string{"2026-11-28 16:25:43 uid=ada,dc=marrowby,dc=example  0 x1",
			"2026-11-28 16:25:43 uid=ada,dc=marrowby,dc=example  0 x1", "2026-11-28 16:25:43 uid=ada,dc=marrowby,dc=example  1 x1",
			"2026-11-28 16:25:43 uid=nosuch,dc=marrowby,dc=example  0 x1", "2026-11-28 16:25:43 uid=ada,dc=marrowby,dc=example  1 x1"}},
	} {
		if got := readAs(t, c.form, time.UTC, nil, c.text); strings.Join(got, "\n") != strings.Join(c.want, "\n") {
			t.Errorf("%s: %q, want %q", c.what, got, c.want)
		}
	}
}

func readFile(t *testing.T, name string) string {
	t.Helper()
	data, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// FuzzLines: whatever somebody has written into the log as a name, another
// account's counts stay.
func FuzzLines(f *testing.F) {
	f.Add("root from 192.0.2.1 port 5 ssh2")
	f.Add("x\x00\x1b[2J")
	f.Add("message repeated 9 times: [ Failed password for ada from 192.0.2.1 port 5 ssh2]")
	f.Fuzz(func(t *testing.T, name string) {
		if strings.ContainsAny(name, "\n\r") || name == "ada" || name == "invalid user ada" {
			t.Skip()
		}
		line := "Feb 28 12:00:00 quay1 sshd[1]: Failed password for invalid user " + name + " from 198.51.100.9 port 5 ssh2\n"
		ada := 0
		for _, e := range read(t, time.UTC, line+"Feb 28 12:00:01 quay1 sshd[1]: Failed password for ada from 192.0.2.1 port 5 ssh2\n") {
			if strings.Contains(e, " ada 192.0.2.1 0 x1") && strings.HasPrefix(e, "2026-02-28 12:00:01") {
				ada++
			}
		}
		if ada != 1 {
			t.Errorf("%q changes ada's count to %d", name, ada)
		}
	})
}

// FuzzRecord: whatever stands in a record, in whatever form, the sign-in behind
// it is read, and is the only one of its account.
func FuzzRecord(f *testing.F) {
	f.Add("Feb 30 25:00:00 quay1 sshd[1]: Failed password for x from y port 1 ssh2")
	f.Add("<38>1 2026-02-28T12:00:00Z - - - - [x y=\"]\"] Failed password for x from 192.0.2.1 port 1 ssh2")
	f.Add(`{"__REALTIME_TIMESTAMP":"9e99","SYSLOG_IDENTIFIER":"sshd","MESSAGE":[70,97]}`)
	f.Add("Feb 28 12:00:00 quay1 login[1]: PAM 9 more authentication failures; logname= tty=tty1 rhost=  user=")
	f.Add("Feb 28 12:00:00 quay1 su: pam_unix(su:session): session opened for user x(uid=0) by (uid=)")
	f.Add("Feb 28 12:00:00 quay1 sshd[1]: message repeated 99999999 times: [ Failed password for x from y port 1 ssh2]")
	f.Fuzz(func(t *testing.T, line string) {
		if strings.Contains(line, "ada") || len(line) > 1<<14 {
			t.Skip()
		}
		for _, last := range []string{
			"Feb 28 12:00:01 quay1 sshd[1]: Failed password for ada from 192.0.2.1 port 5 ssh2",
			"<38>1 2026-02-28T12:00:01Z quay1 sshd 77 - - Failed password for ada from 192.0.2.1 port 5 ssh2",
			`{"__REALTIME_TIMESTAMP":"1772280001000000","SYSLOG_IDENTIFIER":"sshd","MESSAGE":"Failed password for ada from 192.0.2.1 port 5 ssh2"}`,
		} {
			ada := 0
			for _, e := range readAs(t, "sshd", time.UTC, []string{"login", "su", "sudo"}, line+"\n"+last+"\n") {
				if strings.Contains(e, " ada ") {
					if ada++; e != "2026-02-28 12:00:01 ada 192.0.2.1 0 x1" {
						t.Errorf("%q makes of ada's line %q", line, e)
					}
				}
			}
			if ada != 1 {
				t.Errorf("%q makes ada's count %d", line, ada)
			}
		}
	})
}
