package linux

import (
	"strconv"
	"strings"
	"testing"

	"yewcone/intake"
	"yewcone/intake/intaketest"
	"yewcone/intake/livetest"
)

// TestLinuxDoors: sshd's and sudo's own doors, and how often a hash was made.
func TestLinuxDoors(t *testing.T) {
	const sshd = "passwordauthentication yes\nusepam yes\nkbdinteractiveauthentication no\npermitemptypasswords no\nmaxauthtries 4\n"
	for _, c := range []struct {
		name, text string
		ada, root  string
	}{
		{"sshd.txt", sshd + "permitrootlogin yes\n", "true", "true"},
		{"sshd.txt", sshd + "permitrootlogin without-password\n", "true", "false"},
		{"sshd.txt", "passwordauthentication no\nusepam yes\nkbdinteractiveauthentication no\npermitrootlogin yes\n", "false", "false"},
		{"sshd.txt", "passwordauthentication no\nusepam yes\nkbdinteractiveauthentication yes\npermitrootlogin yes\n", "true", "true"},
		{"sshd.txt", sshd + "permitrootlogin no\nallowusers bo\n", "", "false"},
		{"other.txt", sshd, "", ""},
	} {
		said, _ := intaketest.Read(t, Format, []string{"."},
			linuxHost("", map[string]string{c.name: c.text, "etc/ssh/sshd_config": "Include x\n",
				"etc/shadow": "root:" + ebbStored + ":20775:0:99999:7:::\nada:" + ebbStored + ":20775:0:99999:7:::\n"}))
		intaketest.Hold(t, c.text, said, map[string]string{"account ada: remote_password": c.ada, "account root: remote_password": c.root,
			"account ada: hash_rounds": "1000"})
	}
	said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("", map[string]string{"sshd.txt": sshd, "etc/ssh/sshd_config": "\n"}))
	intaketest.Hold(t, "tries", said, map[string]string{"account ada: connection_tries": "4"})
	said, _ = intaketest.Read(t, Format, []string{"."}, linuxHost(ebbStored+":20775:0:99999:7:::", map[string]string{"sshd.txt": sshd,
		"etc/ssh/sshd_config": "Match User ada\n"}))
	intaketest.Hold(t, "some have their own", said, map[string]string{"account ada: remote_password": ""})
	for rule, want := range map[string]string{"ada ALL=(ALL) NOPASSWD: ALL": "true", "ada ALL=(ALL) ALL": "false",
		"ada ALL=(ALL) NOPASSWD: /bin/ls":           "false",
		"Defaults !authenticate\nada ALL=(ALL) ALL": "true", "Defaults !authenticate\nada ALL=(ALL) PASSWD: ALL": "false",
		"ada ALL=(ALL) NOPASSWD: /bin/ls, ALL": "true", "ada ALL=(ALL) NOPASSWD: ALL, PASSWD: /bin/ls": "true",
		"+crew ALL=(ALL) NOPASSWD: ALL": ""} {
		said, _ := intaketest.Read(t, Format, []string{"."}, withRule(rule))
		intaketest.Hold(t, rule, said, map[string]string{"account ada: unasked_power": want, "account root: unasked_power": "true"})
	}
}

// TestLinuxPowerTries: how often sudo lets a password be tried.
func TestLinuxPowerTries(t *testing.T) {
	for rule, want := range map[string]string{"ada ALL=(ALL) ALL": "3", "Defaults passwd_tries=5\nada ALL=(ALL) ALL": "5",
		"Defaults:bo passwd_tries=5\nada ALL=(ALL) ALL": "", "ada ALL=(ALL) NOPASSWD: ALL": "", "bo ALL=(ALL) ALL": ""} {
		said, _ := intaketest.Read(t, Format, []string{"."}, withRule(rule))
		intaketest.Hold(t, rule, said, map[string]string{"account ada: power_tries": want})
	}
}

// TestLinuxAccounts: a second root is somebody's, an account ends, one without a
// line in shadow or with one that the system cannot read has no ages, and root's
// locks may last otherwise than others'.
func TestLinuxAccounts(t *testing.T) {
	files := linuxHost("", map[string]string{
		"etc/passwd": "root:x:0:0:root:/root:/bin/bash\ntoor:x:0:0:Second:/root:/bin/bash\nada:x:1001:1001:Ada:/home/ada:/bin/bash\n" +
			"bo:x:1002:1002:Bo:/home/bo:/bin/bash\ncyd:x:1003:1003:Cyd:/home/cyd:/bin/bash\n",
		"etc/shadow": "root:*:20000:0:99999:7:::\ntoor:" + ebbStored + ":20700:0:99999:7:::\nada:" + ebbStored + ":20775:0:90:7::20790:\n" +
			"cyd:" + ebbStored + ":20700:0:90:7:x::\n",
		faillockConf: "even_deny_root\nroot_unlock_time = 60\nunlock_time = 900\n", "etc/pam.d/login": faillockStack})
	said := intaketest.Derive(t, Format, []string{"."}, files)
	intaketest.Hold(t, "accounts", said, map[string]string{
		"account root: kind": "built-in", "account toor: kind": "person", "account toor: privileged": "true",
		"account ada: account_ends": "2026-12-02", "account ada: enabled": "true", "account root: account_ends": "never",
		"account bo: own max_age": "", "account bo: overdue": "unknown", "account bo: password_set": "", "account bo: password_usable": "",
		"account cyd: own max_age": "", "account cyd: overdue": "unknown", "account cyd: password_set": "", "account cyd: password_usable": "false",
		"policy host: lockout_duration": "15 minutes", "account root: own lockout_duration": "1 minute", "account ada: own lockout_duration": "",
	})
}

// TestLinuxNewPasswords: stacks in which pwquality holds, does not, or may.
func TestLinuxNewPasswords(t *testing.T) {
	const unix, quality = "password required pam_unix.so use_authtok\n", "pam_pwquality.so retry=3\n"
	for stack, want := range map[string]string{
		"password requisite " + quality + unix:                                                                 "12",
		"password optional " + quality + unix:                                                                  "12",
		"password optional " + quality + "password required pam_unix.so\n":                                     "6",
		"password sufficient " + quality + "password required pam_unix.so use_authtok minlen=9\n":              "12", // and is never stored
		"password required pam_unix.so\npassword required " + quality:                                          "6",
		"password requisite " + quality + "password requisite pam_pwquality.so use_authtok minlen=15\n" + unix: "15",
		"password [success=1 default=ignore] pam_pilot.so\npassword requisite " + quality + unix:               "",
		"password required pam_deny.so\npassword requisite " + quality + unix:                                  "12",
	} {
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("*:20775:0:99999:7:::",
			map[string]string{"etc/security/pwquality.conf": "minlen = 12\n", "etc/pam.d/passwd": stack}))
		intaketest.Hold(t, stack, said, map[string]string{"policy host: min_length": want})
	}
	for conf, want := range map[string]map[string]string{
		"dcredit = 1":                     {"policy host: strength_floor": ""},
		"maxclassrepeat = 4":              {"policy host: strength_floor": ""},
		"dictcheck = 0\nbadwords = ferry": {"policy host: common_barred": "", "policy host: strength_floor": "none"},
		"dictcheck = 0":                   {"policy host: common_barred": "no"},
		"minlen = 9":                      {"policy host: common_barred": "", "account ada: own login_barred": "off"},
	} {
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("*:20775:0:99999:7:::", map[string]string{
			"etc/security/pwquality.conf": conf + "\n", "etc/pam.d/passwd": "password requisite " + quality + unix}))
		intaketest.Hold(t, conf, said, want)
	}
}

// remembers are values of remember, and how many old passwords pam_pwhistory bars with
// them beside the present one, as TestLiveRemember asks.
var remembers = map[string]string{"3": "2", "05": "4", "010": "9", "4x": "3", "0x4": "none", "+4": "3", "-1": "none", "x": "none", "": "none", "1": "none"}

// TestLiveRemember asks pam_pwhistory: the first old password that it takes again tells
// how many it bars.
func TestLiveRemember(t *testing.T) {
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		r.Run("useradd -M ada")
		for value, want := range remembers {
			r.Write("etc/pam.d/yew", "password requisite pam_pwhistory.so enforce_for_root remember="+value+"\npassword required pam_unix.so try_first_pass\n")
			r.Write("etc/security/opasswd", "")
			out := r.Run("of='" + value + `'; set_to() { printf "Tide-$of-$1-lamp\nTide-$of-$1-lamp\n" | pamtester yew ada chauthtok >/dev/null 2>&1; }
				for i in 1 2 3 4 5 6 7 8 9 10 11 12; do set_to $i || exit 1; done
				for back in 0 1 2 3 4 5 6 7 8 9 10 11; do if set_to $((12 - back)); then echo $back; exit; fi; done; echo all`)
			said, _ := strconv.Atoi(strings.TrimSpace(out))
			if told := strconv.Itoa(said - 1); said <= 1 && want != "none" || said > 1 && told != want || strings.Contains(out, "all") {
				t.Errorf("remember=%s: the password of %s before is taken again, we say that it bars %s old ones", value, strings.TrimSpace(out), want)
			}
		}
	})
}

// TestLinuxHistory: pam_pwhistory counts the present password among those that
// it bars, and pam_unix does not, as both releases do.
func TestLinuxHistory(t *testing.T) {
	const unix = "password required pam_unix.so use_authtok\n"
	for _, c := range []struct{ stack, conf, versions, want string }{
		{"password requisite pam_pwhistory.so remember=3\n" + unix, "", "", "2"},
		{"password required pam_unix.so remember=3\n", "", "", "3"},
		{"password requisite pam_pwhistory.so remember=1\n" + unix, "", "", "none"}, {unix, "", "", "none"},
		{"password optional pam_pwhistory.so remember=3\npassword required pam_unix.so\n", "", "", "none"},
		{"password requisite pam_pwhistory.so\n" + unix, "", "", ""}, {"password requisite pam_pwhistory.so\n" + unix, "", "1.5.2", "9"},
		{"password requisite pam_pwhistory.so\n" + unix, "remember = 6\n", "1.7.0", "5"},
		{"password requisite pam_pwhistory.so\n" + unix, "remember = 6\n", "1.5.2", "9"},
		{"password requisite pam_pwhistory.so remember=3\n" + unix, "remember = 6\n", "1.7.0", "2"},
		{"password [success=1 default=ignore] pam_pilot.so\npassword requisite pam_pwhistory.so remember=3\n" + unix, "", "", ""},
	} {
		files := linuxHost("*:20775:0:99999:7:::", map[string]string{"etc/pam.d/passwd": c.stack})
		if c.conf != "" {
			files[pwhistoryConf] = c.conf
		}
		if c.versions != "" {
			files["versions.txt"] = "libpam-modules:amd64\t" + c.versions + "-1\n"
		}
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, c.stack+c.conf+c.versions, said, map[string]string{"policy host: history": c.want})
	}
}

// TestLinuxNumbers: numbers of a stack are decimal, and what stands behind them does not
// count, but for pam_lastlog.
func TestLinuxNumbers(t *testing.T) {
	history := func(line, want string) {
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("*:20775:0:99999:7:::", map[string]string{"etc/pam.d/passwd": line}))
		intaketest.Hold(t, line, said, map[string]string{"policy host: history": want})
	}
	for value, want := range remembers {
		history("password requisite pam_pwhistory.so remember="+value+"\npassword required pam_unix.so use_authtok\n", want)
	}
	history("password requisite pam_pwhistory.so remember=5000\npassword required pam_unix.so use_authtok\n", "399")
	history("password required pam_unix.so remember=010\n", "10")
	for value, want := range map[string]string{"010": "10 days", "90": "90 days", "90x": "", "soon": ""} {
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("*:20775:0:99999:7:::", map[string]string{
			"etc/pam.d/login": "auth required pam_lastlog.so inactive=" + value + "\nauth required pam_unix.so\n"}))
		intaketest.Hold(t, value, said, map[string]string{"policy host: dormant_after": want})
	}
}

// TestLinuxTaken: the moment is the export's own, and of several hosts the
// latest, where all tell one.
func TestLinuxTaken(t *testing.T) {
	for _, c := range []struct{ a, b, want string }{
		{"2026-11-23T06:00:00Z\n", "2026-11-23T07:00:00Z\n", "2026-11-23 07:00"}, {"2026-11-23T06:00:00Z\n", "", ""}, {"yesterday\n", "2026-11-23T07:00:00Z\n", ""},
	} {
		files := map[string]string{}
		for name, text := range linuxHost("*:20775:0:99999:7:::", nil) {
			files["a/"+name], files["b/"+name] = text, text
		}
		files["a/taken.txt"] = c.a
		if c.b != "" {
			files["b/taken.txt"] = c.b
		}
		export, err := Format.Open(&intake.Request{System: "x", Folder: intaketest.Write(t, files), From: []string{"a", "b"}})
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		if at := export.System().AsOf; !at.IsZero() {
			got = at.Format("2006-01-02 15:04")
		}
		if got != c.want {
			t.Errorf("%q and %q speak for %q, expected %q", c.a, c.b, got, c.want)
		}
	}
}
