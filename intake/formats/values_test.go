package formats

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/core/snapshot"
	"yewcone/intake"
)

// asWritten reads an export that a test writes, and returns what it says:
// "policy NAME: setting" and "account LOGIN: fact".
func asWritten(t *testing.T, format string, from []string, files map[string]string) (said map[string]string, notes *facts.Notes) {
	t.Helper()
	folder := t.TempDir()
	for name, text := range files {
		write(t, filepath.Join(folder, name), []byte(text))
	}
	f, ok := Find(format)
	if !ok {
		t.Fatal(format)
	}
	export, err := f.Open(&intake.Request{System: "x", Folder: folder, From: from, AsOf: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)})
	if err != nil {
		t.Fatal(err)
	}
	said = map[string]string{}
	system := export.System()
	for i := range system.Policies {
		p := snapshot.OfPolicy(&system.Policies[i])
		for _, v := range p.Settings {
			said["policy "+p.Name+": "+v.Setting] = v.Value
		}
	}
	var a snapshot.Account
	err = export.Accounts(func(x *facts.Account) error {
		snapshot.OfAccount(&a, x)
		data, err := json.Marshal(&a)
		if err != nil {
			return err
		}
		for name, value := range factsOf(string(data)) {
			said["account "+a.Login+": "+name] = value
		}
		said["account "+a.Login+": is there"] = "yes"
		for i := range a.Overrides {
			said["account "+a.Login+": own "+a.Overrides[i].Setting] = a.Overrides[i].Value
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return said, export.Notes()
}

// hold compares what was read with what must be; "" stands for unknown.
func hold(t *testing.T, what string, said map[string]string, want map[string]string) {
	t.Helper()
	for name, value := range want {
		if said[name] != value {
			t.Errorf("%s: %s is %q, expected %q", what, name, said[name], value)
		}
	}
}

func ldifPolicy(lines ...string) string {
	return "dn: cn=p,dc=example\nobjectClass: device\nobjectClass: pwdPolicy\ncn: p\npwdAttribute: userPassword\nentryCSN: " +
		"20260101000000.000000Z#000000#000#000000\n" + strings.Join(lines, "\n") + "\n\n"
}

// TestDirectoryValues: what zeros, what is absent, and what switches mean in
// the password policy schema.
func TestDirectoryValues(t *testing.T) {
	for _, c := range []struct {
		lines []string
		want  map[string]string
	}{
		{nil, map[string]string{"max_age": "never", "min_age": "none", "min_length": "none", "max_length": "none",
			"history": "none", "lockout_attempts": "never", "self_change": "yes", "change_at_first_use": "no",
			"grace_signins": "0", "warn_before": "none"}},
		{[]string{"pwdMaxAge: 0", "pwdMinAge: 0", "pwdInHistory: 0"}, map[string]string{"max_age": "never",
			"min_age": "none", "history": "none"}},
		{[]string{"pwdMaxAge: 7776000", "pwdMinAge: 3600", "pwdExpireWarning: 86400"},
			map[string]string{"max_age": "90 days", "min_age": "1 hour", "warn_before": "1 day"}},
		{[]string{"pwdMinLength: 14"}, map[string]string{"min_length": "none"}}, // nothing looks at it
		{[]string{"pwdMinLength: 14", "pwdCheckQuality: 1"}, map[string]string{"min_length": "14", "blank_allowed": "no"}},
		{[]string{"pwdMinLength: 0", "pwdCheckQuality: 2"}, map[string]string{"min_length": "none", "blank_allowed": ""}},
		{[]string{"pwdMaxFailure: 5"}, map[string]string{"lockout_attempts": "never"}}, // without pwdLockout
		{[]string{"pwdMaxFailure: 5", "pwdLockout: FALSE"}, map[string]string{"lockout_attempts": "never"}},
		{[]string{"pwdMaxFailure: 5", "pwdLockout: TRUE"}, map[string]string{"lockout_attempts": "5",
			"lockout_duration": "until unlocked", "lockout_window": "never"}},
		{[]string{"pwdMaxFailure: 0", "pwdLockout: TRUE"}, map[string]string{"lockout_attempts": "never"}},
		{[]string{"pwdMaxFailure: 5", "pwdLockout: TRUE", "pwdLockoutDuration: 0", "pwdFailureCountInterval: 0"},
			map[string]string{"lockout_duration": "until unlocked", "lockout_window": "never"}},
		{[]string{"pwdMaxFailure: 5", "pwdLockout: TRUE", "pwdLockoutDuration: 900", "pwdFailureCountInterval: 60"},
			map[string]string{"lockout_duration": "15 minutes", "lockout_window": "1 minute"}},
		{[]string{"pwdMustChange: TRUE", "pwdAllowUserChange: FALSE", "pwdGraceAuthNLimit: 3"},
			map[string]string{"change_at_first_use": "yes", "self_change": "no", "grace_signins": "3"}},
		{[]string{"pwdMaxIdle: 2592000", "pwdMinDelay: 2"}, map[string]string{"dormant_after": "30 days", "failure_delay": "2 seconds"}},
		{[]string{"pwdMaxAge: 99999999999999"}, map[string]string{"max_age": "36500 days"}},
	} {
		want := map[string]string{}
		for name, value := range c.want {
			want["policy p: "+name] = value
		}
		said, _ := asWritten(t, "ldif", []string{"x.ldif"}, map[string]string{"x.ldif": ldifPolicy(c.lines...)})
		hold(t, strings.Join(c.lines, ", "), said, want)
	}
	said, notes := asWritten(t, "ldif", []string{"x.ldif"}, map[string]string{"x.ldif": ldifPolicy("pwdMaxAge: soon", "pwdInHistory: -3")})
	if notes.Refused() != 2 {
		t.Errorf("%d values are refused, expected 2: %v", notes.Refused(), said)
	}
}

// TestDirectoryAccounts: stamps of the server under a policy that locks for a
// while and one that does not.
func TestDirectoryAccounts(t *testing.T) {
	account := func(uid string, lines ...string) string {
		return "dn: uid=" + uid + ",ou=people,dc=example\nobjectClass: inetOrgPerson\nuid: " + uid +
			"\nuserPassword: {SSHA}aaaa\nentryUUID: 1\ncreateTimestamp: 20250101000000Z\npwdPolicySubentry: " +
			"cn=p,dc=example\n" + strings.Join(lines, "\n") + "\n\n"
	}
	text := ldifPolicy("pwdLockout: TRUE", "pwdMaxFailure: 3", "pwdLockoutDuration: 3600", "pwdFailureCountInterval: 600",
		"pwdMustChange: TRUE", "pwdMaxAge: 86400") +
		account("plain", "pwdChangedTime: 20261120060000Z") +
		account("nostamp") +
		account("lockedtwo", "pwdAccountLockedTime: 20261123053000Z") +
		account("lockover", "pwdAccountLockedTime: 20261123043000Z") +
		account("admin-locked", "pwdAccountLockedTime: 000001010000Z") +
		account("reset", "pwdReset: TRUE") +
		account("failing", "pwdFailureTime: 20261123055500Z", "pwdFailureTime: 20261123055600.123Z", "pwdFailureTime: 20261120000000Z") +
		account("starts", "pwdStartTime: 20270101000000Z") +
		account("ended", "pwdEndTime: 20260101000000Z") +
		"dn: uid=bare,dc=example\nobjectClass: inetOrgPerson\nuid: bare\n\n"
	said, _ := asWritten(t, "ldif", []string{"x.ldif"}, map[string]string{"x.ldif": text})
	hold(t, "accounts", said, map[string]string{
		"account plain: password_set": "2026-11-20T06:00:00Z", "account plain: locked": "false",
		"account plain: enabled": "true", "account plain: storage": "salted fast",
		"account nostamp: password_set": "", "account nostamp: password_expires": "never", // a password without a stamp never ends
		"account lockedtwo: locked": "true", "account lockedtwo: locked_until": "2026-11-23T06:30:00Z",
		"account lockover: locked":     "false",
		"account admin-locked: locked": "true", "account admin-locked: locked_until": "never",
		"account reset: must_change": "true", "account plain: must_change": "false",
		"account failing: failures": "2", "account plain: failures": "0",
		"account starts: enabled": "false", "account ended: enabled": "false",
		"account bare: locked": "", "account bare: must_change": "", "account bare: is there": "yes", // nothing operational was exported
	})
}

func sambaDomain(lines ...string) map[string]string {
	base := map[string]string{"minPwdLength": "8", "pwdProperties": "1", "pwdHistoryLength": "12",
		"minPwdAge": "-864000000000", "maxPwdAge": "-77760000000000", "lockoutThreshold": "10",
		"lockoutDuration": "-18000000000", "lockOutObservationWindow": "-18000000000"}
	for _, l := range lines {
		name, value, _ := strings.Cut(l, ": ")
		base[name] = value
	}
	text := "dn: DC=example\nobjectClass: domainDNS\nobjectSid: S-1-5-21-1-2-3\nobjectGUID: " +
		"5fa26c11-7eba-43bf-84e9-6b92ab4d7c80\nwhenChanged: 20230306081000.0Z\n"
	for name, value := range base {
		text += name + ": " + value + "\n"
	}
	return map[string]string{"d.ldif": text + "\n"}
}

// TestSambaValues: negative lengths in 100 ns, their special values, and bits.
func TestSambaValues(t *testing.T) {
	for _, c := range []struct {
		line string
		want map[string]string
	}{
		{"", map[string]string{"min_length": "8", "min_classes": "3", "history": "12", "min_age": "1 day",
			"max_age": "90 days", "lockout_attempts": "10", "lockout_window": "30 minutes",
			"lockout_duration": "30 minutes", "storage": "unsalted fast"}},
		{"maxPwdAge: -9223372036854775808", map[string]string{"max_age": "never"}},
		{"maxPwdAge: 0", map[string]string{"max_age": "never"}},
		{"minPwdAge: 0", map[string]string{"min_age": "none"}},
		{"minPwdLength: 0", map[string]string{"min_length": "none", "blank_allowed": ""}},
		{"pwdProperties: 0", map[string]string{"min_classes": "none"}},
		{"pwdProperties: 17", map[string]string{"min_classes": "3", "storage": "reversible"}},
		{"pwdHistoryLength: 0", map[string]string{"history": "none"}},
		{"lockoutThreshold: 0", map[string]string{"lockout_attempts": "never"}},
		{"lockoutDuration: -9223372036854775808", map[string]string{"lockout_duration": "until unlocked"}},
		{"lockoutDuration: 0", map[string]string{"lockout_duration": "until unlocked"}},
		{"lockOutObservationWindow: 0", map[string]string{"lockout_attempts": "never"}}, // each failure is forgotten at once
	} {
		want := map[string]string{}
		for name, value := range c.want {
			want["policy domain: "+name] = value
		}
		var lines []string
		if c.line != "" {
			lines = append(lines, c.line)
		}
		said, _ := asWritten(t, "samba", []string{"d.ldif"}, sambaDomain(lines...))
		if len(said) == 0 {
			t.Fatalf("%s: nothing was read", c.line)
		}
		hold(t, c.line, said, want)
	}
}

// linuxHost is a host with one account and what it needs to be read.
func linuxHost(shadow string, more map[string]string) map[string]string {
	files := map[string]string{
		"etc/passwd":     "root:x:0:0:root:/root:/bin/bash\nada:x:1001:1001:Ada:/home/ada:/bin/bash\n",
		"etc/shadow":     "root:*:20000:0:99999:7:::\nada:" + shadow + "\n",
		"etc/group":      "root:x:0:\nsudo:x:27:\n",
		"etc/login.defs": "PASS_MAX_DAYS 90\nPASS_MIN_DAYS 1\nPASS_WARN_AGE 7\n",
		"etc/pam.d/common-password": "password requisite pam_pwquality.so retry=3\npassword [success=1 default=ignore] " +
			"pam_unix.so obscure use_authtok yescrypt\npassword requisite pam_deny.so\n",
		"etc/pam.d/common-auth": "auth [success=1 default=ignore] pam_unix.so\nauth requisite pam_deny.so\n",
		"etc/sudoers":           "root ALL=(ALL:ALL) ALL\n%sudo ALL=(ALL:ALL) ALL\n",
	}
	for name, text := range more {
		files[name] = text
	}
	return files
}

// TestLinuxShadow: the fields of a line in shadow, with their special values.
// Day 20775 is 2026-11-18.
func TestLinuxShadow(t *testing.T) {
	const hash = "$y$j9T$aaaaaaaa$bbbbbbbb"
	for line, want := range map[string]map[string]string{
		hash + ":20775:0:90:7:::": {"password_set": "2026-11-18", "own max_age": "90 days", "enabled": "true",
			"storage": "memory-hard", "must_change": "false", "password_usable": "true"},
		hash + ":20775:0:99999:7:::":    {"own max_age": "never"},
		hash + ":20775:0:10000:7:::":    {"own max_age": "never"},
		hash + ":20775:0:9999:7:::":     {"own max_age": "9999 days"},
		hash + ":20775:0::7:::":         {"own max_age": "never"},
		hash + ":20775:0:0:7:::":        {"own max_age": "0 days"},
		hash + ":20775:5:90:7:::":       {"own min_age": "5 days"},
		hash + ":0:0:90:7:::":           {"must_change": "true"},
		hash + "::0:90:7:::":            {"password_set": "", "must_change": "false"},
		hash + ":20775:0:90:7:14::":     {"own grace_period": "14 days"},
		hash + ":20775:0:90:7::20700:":  {"enabled": "false"},
		hash + ":20775:0:90:7::20900:":  {"enabled": "true"},
		"!" + hash + ":20775:0:90:7:::": {"password_usable": "false"},
		"*:20775:0:90:7:::":             {"password_usable": "false"},
		":20775:0:90:7:::":              {"blank": "true"},
		"aaBBccDDeeFFg:20775:0:90:7:::": {"storage": "salted fast"},
	} {
		said, _ := asWritten(t, "linux", []string{"."}, linuxHost(line, nil))
		if said["account ada: is there"] != "yes" {
			t.Fatalf("%s: the account was not read: %v", line, said)
		}
		full := map[string]string{}
		for name, value := range want {
			full["account ada: "+name] = value
		}
		hold(t, line, said, full)
	}
}

// TestLinuxQuality: credits, files and lines of PAM, each beating the others as
// on a running system.
func TestLinuxQuality(t *testing.T) {
	const conf, dropIn, pam = "etc/security/pwquality.conf", "etc/security/pwquality.conf.d/50-x.conf", "etc/pam.d/common-password"
	stack := func(args string) string {
		return "password requisite pam_pwquality.so " + args +
			"\npassword [success=1 default=ignore] pam_unix.so use_authtok yescrypt\npassword requisite pam_deny.so\n"
	}
	for _, c := range []struct {
		what  string
		files map[string]string
		want  map[string]string
	}{
		{"not copied", nil, map[string]string{"min_length": "", "dictionary_barred": "", "max_length": "none"}},
		{"defaults", map[string]string{conf: ""}, map[string]string{"min_length": "8", "min_digits": "none",
			"min_changed": "1", "dictionary_barred": "yes", "login_barred": "contained", "max_length": "none"}},
		{"conf", map[string]string{conf: "minlen = 12\nminclass = 3\nmaxrepeat = 2\nmaxsequence = 4\n"},
			map[string]string{"min_length": "12", "min_classes": "3", "max_repeat": "2", "max_run": "4"}},
		{"negative credits demand", map[string]string{conf: "minlen = 12\ndcredit = -2\nucredit = -1\n"},
			map[string]string{"min_length": "12", "min_digits": "2", "min_upper": "1"}},
		{"positive credits shorten", map[string]string{conf: "minlen = 12\ndcredit = 2\n"},
			map[string]string{"min_length": "10", "min_digits": "none"}},
		{"never below six", map[string]string{conf: "minlen = 3\n"}, map[string]string{"min_length": "6"}},
		{"the main file comes last", map[string]string{conf: "minlen = 12\n", dropIn: "minlen = 20\n"},
			map[string]string{"min_length": "12"}},
		{"a drop-in alone", map[string]string{conf: "", dropIn: "minlen = 20\n"}, map[string]string{"min_length": "20"}},
		{"the line beats the files", map[string]string{conf: "minlen = 12\n", pam: stack("minlen=16")},
			map[string]string{"min_length": "16"}},
		{"switched off", map[string]string{conf: "minlen = 12\nenforcing = 0\n"}, map[string]string{"dictionary_barred": "no"}},
		{"no dictionary", map[string]string{conf: "dictcheck = 0\nusercheck = 0\n"},
			map[string]string{"dictionary_barred": "no", "login_barred": "off"}},
	} {
		said, _ := asWritten(t, "linux", []string{"."}, linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::", c.files))
		full := map[string]string{}
		for name, value := range c.want {
			full["policy host: "+name] = value
		}
		hold(t, c.what, said, full)
	}
}

// TestKerberosValues: lives, keys that count the present one, and locks that
// stand nowhere.
func TestKerberosValues(t *testing.T) {
	policy := func(life, least, length, classes, keys, failures, reset, lock string) string {
		return fmt.Sprintf("Policy: p\nMaximum password life: %s\nMinimum password life: %s\nMinimum password length: "+
			"%s\nMinimum number of password character classes: %s\nNumber of old keys kept: %s\nMaximum password failures "+
			"before lockout: %s\nPassword failure count reset interval: %s\nPassword lockout duration: %s\n", life, least,
			length, classes, keys, failures, reset, lock)
	}
	principal := func(failed, count, flags string) string {
		return "Principal: ada@EXAMPLE\nExpiration date: [never]\nLast password change: Mon Sep 01 10:00:00 UTC " +
			"2025\nPassword expiration date: [never]\nLast successful authentication: [never]\nLast failed authentication: " +
			"" + failed + "\nFailed password attempts: " + count +
			"\nNumber of keys: 1\nKey: vno 1, aes256-cts-hmac-sha1-96\nAttributes: " + flags + "\nPolicy: p\n"
	}
	for _, c := range []struct {
		what, policy, principal string
		want                    map[string]string
	}{
		{"usual", policy("90 days 00:00:00", "1 day 00:00:00", "12", "3", "5", "6", "0 days 00:15:00", "0 days 01:00:00"),
			principal("[never]", "0", "REQUIRES_PRE_AUTH"),
			map[string]string{"policy p: max_age": "90 days", "policy p: min_age": "1 day", "policy p: min_length": "12",
				"policy p: min_classes": "3", "policy p: history": "4", "policy p: lockout_attempts": "6",
				"policy p: lockout_window": "15 minutes", "policy p: lockout_duration": "1 hour",
				"account ada: locked": "false", "account ada: storage": "salted slow"}},
		{"zeros", policy("0 days 00:00:00", "0 days 00:00:00", "1", "1", "1", "0", "0 days 00:00:00", "0 days 00:00:00"),
			principal("[never]", "0", "REQUIRES_PRE_AUTH"),
			map[string]string{"policy p: max_age": "never", "policy p: min_age": "none", "policy p: min_classes": "none",
				"policy p: history": "none", "policy p: lockout_attempts": "never", "policy p: lockout_window": "never",
				"policy p: lockout_duration": "until unlocked"}},
		{"locked until an hour is over", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3", "0 days 00:00:00",
			"0 days 01:00:00"), principal("Mon Nov 23 05:30:00 UTC 2026", "3", "REQUIRES_PRE_AUTH"),
			map[string]string{"account ada: locked": "true", "account ada: locked_until": "2026-11-23T06:30:00Z",
				"account ada: failures": "3"}},
		{"a lock that is over", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3", "0 days 00:00:00",
			"0 days 01:00:00"), principal("Mon Nov 23 04:30:00 UTC 2026", "3", "REQUIRES_PRE_AUTH"),
			map[string]string{"account ada: locked": "false"}},
		{"locked for ever", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3", "0 days 00:00:00",
			"0 days 00:00:00"), principal("Mon Nov 03 04:30:00 UTC 2025", "3", "REQUIRES_PRE_AUTH"),
			map[string]string{"account ada: locked": "true", "account ada: locked_until": "never"}},
		{"without preauthentication nothing is counted", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3",
			"0 days 00:00:00", "0 days 00:00:00"), principal("Mon Nov 03 04:30:00 UTC 2025", "3", ""),
			map[string]string{"account ada: locked": "false", "account ada: own lockout_attempts": "never"}},
		{"flags", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3", "0 days 00:00:00", "0 days 00:00:00"),
			principal("[never]", "0", "REQUIRES_PRE_AUTH DISALLOW_ALL_TIX REQUIRES_PWCHANGE"),
			map[string]string{"account ada: enabled": "false", "account ada: must_change": "true"}},
	} {
		said, _ := asWritten(t, "kerberos", []string{"."}, map[string]string{"getpol.txt": c.policy,
			"getprinc.txt": c.principal, "kadm5.acl": "*/admin@EXAMPLE *\n"})
		hold(t, c.what, said, c.want)
	}
}
