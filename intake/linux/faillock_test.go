package linux

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake/intaketest"
	"yewcone/intake/livetest"
)

// faillockFiles are files of faillock, and which failure in a row locks a person
// and root: as faillock has it, which TestLiveFaillock asks.
var faillockFiles = []struct{ text, person, root string }{
	{"", "3", "never"}, {"deny=4", "4", "never"}, {"deny 4", "4", "never"}, {"deny\t=\t4", "4", "never"}, {"deny == 4", "3", "never"},
	{"Deny = 4", "3", "never"}, {"deny = 4x", "4", "never"}, {"deny = x", "3", "never"}, {"deny = 0x4", "never", "never"},
	{"deny = 04", "4", "never"}, {"deny = 65538", "2", "never"}, {"deny =", "3", "never"}, {"deny = +4", "4", "never"},
	{"deny = 0", "never", "never"}, {"deny = 2\ndeny = 4", "4", "never"}, {"deny = 4 # x", "4", "never"},
	{"tally = 2\ndeny = 4", "4", "never"},
	{"even_deny_root", "3", "3"}, {"even_deny_root = no", "3", "3"}, {"root_unlock_time = 60", "3", "never"},
	{"even_deny_root\nroot_unlock_time = 60", "3", "3"}, {"admin_group = crew", "never", "never"},
	{"admin_group = crew\neven_deny_root", "3", "3"}, {"admin_group = others", "3", "never"},
}

const faillockStack = "auth required pam_faillock.so preauth nodelay\nauth [success=1 default=ignore] pam_unix.so nodelay\n" +
	"auth [default=die] pam_faillock.so authfail nodelay\nauth sufficient pam_faillock.so authsucc nodelay\n"

// A password of the tests and what the host keeps of it.
const ebb, ebbStored = "Ebb", "$6$rounds=1000$ab$VoD.FgcOB2mDau4mNOcjzBHYTcdhHpNrM3i9Re21yGkJ1Daow3Yv18fpboKBH0IcV0TezGe0kT6QDJlFEwXd//"

func faillockHost(text string) map[string]string {
	return linuxHost(ebbStored+":20775:0:99999:7:::", map[string]string{
		"etc/passwd": "root:x:0:0:root:/root:/bin/bash\nada:x:1001:1001:Ada:/home/ada:/bin/bash\n",
		"etc/shadow": "root:" + ebbStored + ":20000:0:99999:7:::\nada:" + ebbStored + ":20000:0:99999:7:::\n",
		"etc/group":  "root:x:0:\ncrew:x:1001:\n", faillockConf: text + "\n", "etc/pam.d/login": faillockStack})
}

func TestLinuxFaillock(t *testing.T) {
	for _, c := range faillockFiles {
		said, _ := intaketest.Read(t, Format, []string{"."}, faillockHost(c.text))
		for login, want := range map[string]string{"ada": c.person, "root": c.root} {
			got := said["account "+login+": own lockout_attempts"]
			if got == "" {
				got = said["policy host: lockout_attempts"]
			}
			if got != want {
				t.Errorf("%q locks %s at %q, expected %s", c.text, login, got, want)
			}
		}
	}
}

// TestLinuxLocks: stacks in which failures lock, do not, or may.
func TestLinuxLocks(t *testing.T) {
	const unix, fails = "auth [success=1 default=ignore] pam_unix.so\n", "auth [default=die] pam_faillock.so authfail\n"
	for stack, want := range map[string]string{
		faillockStack: "3",
		"auth required pam_faillock.so preauth\n" + unix +
			"auth requisite pam_deny.so\nauth required " +
			"pam_permit.so\n": "never",
		"auth optional pam_faillock.so preauth\nauth sufficient pam_unix.so\n" +
			fails: "never",
		"auth requisite pam_faillock.so preauth\nauth sufficient pam_unix.so\n" +
			fails: "3",
		"auth [success=ok default=ignore] pam_faillock.so preauth\n" + unix + fails +
			"auth required pam_permit.so\n": "never",
		"auth requisite pam_faillock.so preauth\nauth sufficient pam_unix.so\nauth [default=ignore] pam_faillock.so " +
			"authfail\n" + fails: "2",
		"auth requisite pam_faillock.so preauth\nauth sufficient pam_pilot.so\nauth sufficient pam_unix.so\n" +
			fails: "",
		"auth requisite pam_faillock.so preauth\nauth sufficient pam_unix.so\nauth requisite pam_deny.so\n" +
			fails: "never",
		"auth [success=1 default=ignore] pam_succeed_if.so uid >= 1000 quiet\n" +
			"auth requisite pam_faillock.so preauth\n" + unix + fails + "auth required pam_permit.so\n": "never",
	} {
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost(ebbStored+":20775:0:99999:7:::",
			map[string]string{faillockConf: "", "etc/pam.d/login": stack}))
		intaketest.Hold(t, stack, said, map[string]string{"policy host: lockout_attempts": want})
	}
}

// TestLiveFaillock asks faillock itself.
func TestLiveFaillock(t *testing.T) {
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		for _, c := range faillockFiles {
			for name, text := range faillockHost(c.text) {
				r.Write(name, text)
			}
			out := r.Run(`for u in ada root; do n=never; rm -rf /run/faillock; mkdir /run/faillock
				for i in 1 2 3 4 5 6; do echo wrong | pamtester login $u authenticate >/dev/null 2>&1 || true
					rm -rf /tmp/tally; cp -a /run/faillock /tmp/tally
					if ! echo ` + ebb + ` | pamtester login $u authenticate >/dev/null 2>&1; then n=$i; break; fi
					rm -rf /run/faillock; cp -a /tmp/tally /run/faillock; done; echo $n; done`)
			if said := strings.Fields(out); fmt.Sprint(said) != fmt.Sprint([]string{c.person, c.root}) {
				t.Errorf("%q: faillock says %v, we %s %s", c.text, said, c.person, c.root)
			}
		}
		t.Logf("%d files asked of %s", len(faillockFiles), r.Release)
	})
}

// TestTallyDamaged: what cannot be read of faillock's print leaves its account's lock
// open, and every account's where nobody can tell whose it is.
func TestTallyDamaged(t *testing.T) {
	const head = "When                Type  Source                                           Valid\n"
	failed := func(at string) string {
		return "2026-11-23 " + at + " TTY   pts/0                                                V\n"
	}
	three := failed("05:58:01") + failed("05:58:02") + failed("05:58:03")
	for what, c := range map[string]struct{ tally, ada, root, failures, told string }{
		"whole": {"ada:\n" + head + three, "true", "false", "3", ""},
		"a month too many": {"ada:\n" + head + strings.Replace(three, "-11-", "-13-", 1), "", "false", "",
			"faillock.txt:3: this is no failed sign-in as faillock prints it; whether \"ada\" is locked is unknown"},
		"a word for a date": {"ada:\n" + head + strings.Replace(three, "2026-11-23 05", "today 05", 1), "", "false", "", "faillock.txt:3"},
		"a column is gone":  {"ada:\n" + head + strings.Replace(three, " V\n", "\n", 1), "", "false", "", "faillock.txt:3"},
		"a name is gone":    {"root:\n" + head + head + three, "", "", "", "faillock.txt:3: a line that names the account is missing before this"},
		"no name at all":    {head + three, "", "", "", "faillock.txt:1"},
		"an error":          {"faillock: Error opening the tally file\n", "", "", "", "faillock.txt:1: this stands below no account"},
		"cut in a line":     {"root:\n" + head + "ada:\n" + head + three[:100], "", "", "", "faillock.txt:6: the file ends in the middle of a line"},
		"all is one line":   {strings.ReplaceAll("ada:\n"+head+three, "\n", "\r"), "", "", "", "faillock.txt:1: carriage returns stand inside the line"},
		"nobody failed":     {"", "false", "false", "0", "faillock.txt: the file is empty"},
	} {
		files := linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::", map[string]string{"faillock.txt": c.tally,
			"etc/security/faillock.conf": "deny = 3\nunlock_time = 3600\nfail_interval = 7200\neven_deny_root\n",
			"etc/pam.d/common-auth": "auth required pam_faillock.so preauth\nauth [success=1 default=ignore] pam_unix.so\n" +
				"auth [default=die] pam_faillock.so authfail\nauth sufficient pam_faillock.so authsucc\n"})
		said, notes := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, what, said, map[string]string{"account ada: locked": c.ada, "account root: locked": c.root, "account ada: failures": c.failures})
		told := ""
		for _, n := range notes.List() {
			told += n.Origin.String() + ": " + n.Message + "\n"
		}
		if !strings.Contains(told, c.told) {
			t.Errorf("%s: %s", what, told)
		}
		if c.tally == "" { // printed by somebody who may not read failures
			delete(files, "etc/shadow")
			said, _ = intaketest.Read(t, Format, []string{"."}, files)
			intaketest.Hold(t, "nobody failed, without shadow", said, map[string]string{"account ada: locked": "", "account ada: failures": ""})
		}
	}
}

// TestLastSignInDamaged: a line of lastlog that holds two, or none, says nothing of
// anybody.
func TestLastSignInDamaged(t *testing.T) {
	const head = "Username         Port     From                                       Latest\n"
	const ada = "ada              pts/0    192.0.2.14                                Mon Nov 23 05:02:11 +0000 2026"
	const bob = "root                                                                **Never logged in**"
	for text, want := range map[string]map[string]string{
		ada + "\n" + bob + "\n": {"account ada: last_sign_in": "2026-11-23T05:02:11Z", "account root: last_sign_in": "never"},
		ada + "\r" + bob + "\n": {"account ada: last_sign_in": "", "account root: last_sign_in": ""},
		bob + "\r" + ada + "\n": {"account ada: last_sign_in": "", "account root: last_sign_in": ""},
		strings.Replace(ada, "Mon Nov 23", "lun. nov. 23", 1) + "\n" + bob + "\n": {"account ada: last_sign_in": "", "account root: last_sign_in": "never"},
	} {
		said, notes := intaketest.Read(t, Format, []string{"."}, linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::", map[string]string{"lastlog.txt": head + text}))
		intaketest.Hold(t, text, said, want)
		told := slices.ContainsFunc(notes.List(), func(n facts.Note) bool { return n.Origin.String() == "./lastlog.txt:2" })
		if told != (want["account ada: last_sign_in"] == "") {
			t.Errorf("%q: %v", text, notes.List())
		}
	}
}
