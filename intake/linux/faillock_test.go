package linux

import (
	"fmt"
	"strings"
	"testing"

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
