package linux

import (
	"strings"
	"testing"

	"yewcone/intake/intaketest"
	"yewcone/intake/livetest"
)

// shadowLines are lines of shadow, H for the hash of a password, and what comes
// of it on 2026-11-23, day 20780: no entry, in, a new password asked for (new),
// shut, or ended; by libpam 1.5.2 and by 1.7.0, which TestLiveShadow asks.
var shadowLines = []struct{ line, before, since string }{
	{"ada:H:20775:0:90:7:::", "in", "in"}, {"ada:H:20691:0:90:7:::", "in", "in"}, {"ada:H:20690:0:90:7:::", "in", "new"},
	{"ada:H:20689:0:90:7:::", "new", "new"}, {"ada:H:20689:0:90:7:5::", "new", "new"}, {"ada:H:20686:0:90:7:5::", "new", "new"},
	{"ada:H:20685:0:90:7:5::", "new", "shut"}, {"ada:H:20684:0:90:7:5::", "shut", "shut"}, {"ada:H:20690:0:90:7:0::", "in", "shut"},
	{"ada:H:20689:0:90:7:0::", "shut", "shut"}, {"ada:H:20775:0:90:7::20780:", "ended", "ended"},
	{"ada:H:20775:0:90:7::20781:", "in", "in"},
	{"ada:H:20775:0:90:7::0:", "ended", "ended"}, {"ada:H:20775:0:90:7::1:", "ended", "ended"}, {"ada:H:20775:0:90:7::-1:", "no", "no"},
	{"ada:H:20775:0:-1:7:::", "no", "no"}, {"ada:H:20775:0:90:7:-1::", "no", "no"}, {"ada:H:100:0:99999:7:::", "in", "in"},
	{"ada:H:100:0:10000:7:::", "new", "new"}, {"ada:H::0:90:7:::", "new", "in"}, {"ada:H::0:99999:7:::", "in", "in"},
	{"ada:H::0::7:::", "in", "in"}, {"ada:H:0:0:90:7:::", "new", "new"}, {"ada:H:0:0:90:7:0::", "new", "new"},
	{"ada:H:0:0::7:::", "new", "new"},
	{"ada:H:20800:0:90:7:::", "in", "in"}, {"ada:H:20800:0:0:7:::", "in", "in"}, {"ada:H:20780:0:0:7:::", "in", "new"},
	{"ada:H:20779:0:0:7:::", "new", "new"}, {"ada:H:20775:0:90", "in", "in"}, {"ada:H:20775:0:90:", "in", "in"},
	{"ada:H:20775:0:90:7", "no", "no"},
	{"ada:H:20775:0:90:7::", "no", "no"}, {"ada:H:20775:0:90:7:::x", "no", "no"}, {"ada:H:20775:0:90:7:::5", "in", "in"},
	{"ada:H:20775:0:90:7::::", "no", "no"}, {"ada:H:20775:0", "no", "no"}, {"ada:H", "no", "no"}, {"ada:H:20775:0:90:7:::\r", "no", "no"},
	{"ada:H:x:0:90:7:::", "no", "no"}, {"ada:H:20775x:0:90:7:::", "no", "no"}, {"ada:H: 20775:0:90:7:::", "in", "in"},
	{"ada:H:20775 :0:90:7:::", "no", "no"}, {"ada:H:020775:0:90:7:::", "in", "in"}, {"ada:H:+20775:0:90:7:::", "in", "in"},
	{"ada:H:0x5127:0:90:7:::", "no", "no"}, {"ada:H:20775:0:99999999999:7:::", "no", "no"}, {" ada:H:20775:0:90:7:::", "in", "in"},
	{"# a remark\n\nada:H:20775:0:90:7:::", "in", "in"}, {"ada:H:20600:0:10:7:::\nada:H:20775:0:90:7:::", "new", "new"},
	{"ada:H:x\nada:H:20775:0:90:7:::", "in", "in"}, {"ada::20775:0:90:7:::", "in", "in"}, {"ada:!:20775:0:90:7:::", "no", "no"},
	{"ada:!H:20775:0:90:7:::", "no", "no"}, {"ada:*:20775:0:90:7:::", "no", "no"}, {"ada:!!:20775:0:90:7:::", "no", "no"},
	{"ada:x:20775:0:90:7:::", "no", "no"}, {"ada:*LK*:20775:0:90:7:::", "no", "no"}, {"ada:H:20775:0:90:7::", "no", "no"},
}

// outcome puts what was read of ada into the words of shadowLines; "" where it
// is unknown.
func outcome(t *testing.T, line, version string) string {
	files := linuxHost("", map[string]string{"etc/shadow": "root:*:20000:0:99999:7:::\n" + strings.ReplaceAll(line, "H", ebbStored) + "\n",
		"versions.txt": "libpam-modules:amd64\t" + version + "\n", "etc/pam.d/other": "@include common-auth\n",
		"etc/pam.d/login": "auth required pam_unix.so nullok\n", "etc/pam.d/common-auth": "auth required pam_unix.so nullok\n"})
	said := intaketest.Derive(t, Format, []string{"."}, files)
	is := func(fact string) string { return said["account ada: "+fact] }
	switch {
	case is("password_usable") == "false":
		return "no"
	case is("enabled") == "false":
		return "ended"
	case is("must_change") == "true":
		return "new"
	case is("shut") == "yes":
		return "shut"
	case is("overdue") == "yes":
		return "new"
	case is("password_usable") == "true" && is("enabled") == "true" && is("must_change") == "false" && is("overdue") == "no":
		return "in"
	}
	return ""
}

func TestLinuxShadowLines(t *testing.T) {
	for _, c := range shadowLines {
		for version, want := range map[string]string{"1.5.2-6+deb12u1": c.before, "1.7.0-5": c.since} {
			if got := outcome(t, c.line, version); got != want {
				t.Errorf("%s, %q: %q, expected %q", version, c.line, got, want)
			}
		}
		if got := outcome(t, c.line, "1.6.0"); c.before != c.since && got != "" || got != c.before && got != "" {
			t.Errorf("a version that nobody asked, %q: %q", c.line, got)
		}
	}
}

// TestLiveShadow asks two releases of libpam, with a clock that stands still.
func TestLiveShadow(t *testing.T) {
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		r.Run("useradd -M ada")
		r.Clock("2026-11-23 06:00:00")
		r.Write("etc/pam.d/yew", "auth required pam_unix.so nodelay nullok\naccount required pam_unix.so\n")
		for _, c := range shadowLines {
			r.Write("etc/shadow", "root:*:20000:0:99999:7:::\n"+strings.ReplaceAll(c.line, "H", ebbStored)+"\n")
			password := ebb
			if strings.Contains(c.line, "::20775") {
				password = ""
			}
			out, _ := r.Try("echo " + password + " | pamtester yew ada authenticate acct_mgmt 2>&1")
			got := "no"
			for words, is := range map[string]string{"new one required": "new", "token expired": "shut",
				"User account has expired": "ended",
				"account management done":  "in"} {
				if strings.Contains(out, words) {
					got = is
				}
			}
			if want := map[string]string{"bookworm": c.before, "trixie": c.since}[r.Release]; got != want {
				t.Errorf("%q: %s, expected %s: %s", c.line, got, want, out)
			}
		}
		t.Logf("%d lines asked of %s", len(shadowLines), r.Release)
	})
}

// TestLinuxLegalLines: remarks, empty lines, lines of five fields and keys that
// nobody knows make no export partial.
func TestLinuxLegalLines(t *testing.T) {
	files := linuxHost("", map[string]string{"etc/shadow": "# by hand\n\nroot:*:20000:0:99999\nada:" + ebbStored + ":20775:0:90:7:::\n",
		"etc/security/faillock.conf": "# x\n\nunheard = 4\n", "etc/pam.d/login": "# x\n\n" + faillockStack})
	for _, name := range []string{"etc/passwd", "etc/group", "etc/sudoers", "etc/login.defs"} {
		files[name] = "# a remark\n\n" + files[name]
	}
	said, notes := intaketest.Read(t, Format, []string{"."}, files)
	if notes.Partial() || notes.Refused() > 0 {
		t.Errorf("partial: %v", notes.List())
	}
	intaketest.Hold(t, "legal", said, map[string]string{"account ada: password_usable": "true", "account ada: privileged": "false",
		"account root: own max_age": "never", "policy host: lockout_attempts": "3"})
}
