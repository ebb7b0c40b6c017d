package linux

import (
	"fmt"
	"testing"

	"yewcone/intake/intaketest"
)

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
		hash + "::0:90:7:::":            {"password_set": "", "must_change": ""},
		hash + ":20775:0:90:7:14::":     {"own grace_period": "14 days"},
		hash + ":20775:0:90:7::20700:":  {"enabled": "false"},
		hash + ":20775:0:90:7::20900:":  {"enabled": "true"},
		"!" + hash + ":20775:0:90:7:::": {"password_usable": "false"},
		"*:20775:0:90:7:::":             {"password_usable": "false"},
		"*LK*:20775:0:90:7:::":          {"password_usable": "false", "locked": ""},
		"!" + hash + ":20000:0:90:7:::": {"locked": "true"},
		":20775:0:90:7:::":              {"blank": "true", "password_usable": ""},
		"aaBBccDDeeFFg:20775:0:90:7:::": {"storage": "salted fast"},
	} {
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost(line, nil))
		if said["account ada: is there"] != "yes" {
			t.Fatalf("%s: the account was not read: %v", line, said)
		}
		full := map[string]string{}
		for name, value := range want {
			full["account ada: "+name] = value
		}
		intaketest.Hold(t, line, said, full)
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
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::", c.files))
		full := map[string]string{}
		for name, value := range c.want {
			full["policy host: "+name] = value
		}
		intaketest.Hold(t, c.what, said, full)
	}
}

// TestLinuxEdges: an account ends with the day before its end day; the floor of
// pwquality is 6, whatever pam_unix asks; a lock of an hour is over after it.
func TestLinuxEdges(t *testing.T) {
	const day = 20780 // 2026-11-23, on which the export was taken
	for end, want := range map[int]string{day - 1: "false", day: "false", day + 1: "true"} {
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost(fmt.Sprintf("$y$j9T$aaaa$bbbb:20775:0:90:7::%d:", end), nil))
		intaketest.Hold(t, fmt.Sprint("end day ", end-day), said, map[string]string{"account ada: enabled": want})
	}
	said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::", map[string]string{
		"etc/security/pwquality.conf": "minlen = 2\n",
		"etc/pam.d/common-password": "password requisite pam_pwquality.so\npassword [success=1 default=ignore] pam_unix.so minlen=3 " +
			"use_authtok yescrypt\npassword requisite pam_deny.so\n"}))
	intaketest.Hold(t, "root", said, map[string]string{"account root: own min_length": "none"}) // no enforce_for_root: only warned
	said, _ = intaketest.Read(t, Format, []string{"."}, linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::", map[string]string{
		"etc/security/pwquality.conf": "minlen = 2\nenforce_for_root\n",
		"etc/pam.d/common-password": "password requisite pam_pwquality.so\npassword [success=1 default=ignore] pam_unix.so minlen=3 " +
			"use_authtok yescrypt\npassword requisite pam_deny.so\n"}))
	intaketest.Hold(t, "root is held", said, map[string]string{"account root: own min_length": ""})
	intaketest.Hold(t, "floor", said, map[string]string{"policy host: min_length": "6"})
	for at, want := range map[string]string{"04:59:59": "false", "05:00:00": "true", "05:00:01": "true"} {
		tally := "ada:\nWhen                Type  Source                                           Valid\n"
		for range 3 {
			tally += "2026-11-23 " + at + " TTY   pts/0                                                V\n"
		}
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::", map[string]string{
			"faillock.txt":               tally,
			"etc/security/faillock.conf": "deny = 3\nunlock_time = 3600\nfail_interval = 7200\n",
			"etc/pam.d/common-auth": "auth required pam_faillock.so preauth\nauth [success=1 default=ignore] pam_unix.so\n" +
				"auth [default=die] pam_faillock.so authfail\nauth sufficient pam_faillock.so authsucc\n"}))
		intaketest.Hold(t, "failed at "+at, said, map[string]string{"account ada: locked": want, "account ada: failures": "3"})
	}
}
