package kerberos

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/core/setting"
	"yewcone/intake/intaketest"
)

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
				"account ada: locked": "false", "account ada: storage": "salted slow", "account ada: preauthenticates": "true",
				"account ada: key_set": "2025-09-01T10:00:00Z", "account ada: account_ends": "never"}},
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
		{"without preauthentication nothing is counted any more", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3",
			"0 days 00:00:00", "0 days 00:00:00"), principal("Mon Nov 03 04:30:00 UTC 2025", "3", ""),
			map[string]string{"account ada: locked": "true", "account ada: own lockout_attempts": "never",
				"account ada: preauthenticates": "false"}},
		{"failures that are more than an hour old are forgotten", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "5",
			"0 days 01:00:00", "0 days 00:00:00"), principal("Mon Nov 23 04:59:59 UTC 2026", "3", "REQUIRES_PRE_AUTH"),
			map[string]string{"account ada: failures": "0", "account ada: locked": "false"}},
		{"failures of an hour count", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "5",
			"0 days 01:00:00", "0 days 00:00:00"), principal("Mon Nov 23 05:00:00 UTC 2026", "3", "REQUIRES_PRE_AUTH"),
			map[string]string{"account ada: failures": "3"}},
		{"flags", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3", "0 days 00:00:00", "0 days 00:00:00"),
			principal("[never]", "0", "REQUIRES_PRE_AUTH DISALLOW_ALL_TIX REQUIRES_PWCHANGE"),
			map[string]string{"account ada: enabled": "false", "account ada: must_change": "true"}},
	} {
		intaketest.Hold(t, c.what, read(t, map[string]string{"getpol.txt": c.policy, "getprinc.txt": c.principal}), c.want)
	}
}

// read reads a realm of a few files, with those that name nothing special.
func read(t *testing.T, files map[string]string) map[string]string {
	t.Helper()
	for name, usual := range map[string]string{"kadm5.acl": "*/admin@EXAMPLE *\n", "kdc.conf": "[realms]\n\tEXAMPLE = {\n\t}\n",
		"krb5.conf": "[libdefaults]\n", "getpol.txt": crew} {
		if _, there := files[name]; !there {
			files[name] = usual
		}
	}
	said, notes := intaketest.Read(t, Format, []string{"."}, files)
	if notes.Partial() || notes.Refused() > 0 {
		t.Error(notes.List())
	}
	return said
}

// crew is a policy.
const crew = "Policy: crew\nMaximum password life: 60 days 00:00:00\nMinimum password life: 0 days 00:00:00\nMinimum password length: 8\n" +
	"Minimum number of password character classes: 1\nNumber of old keys kept: 1\nMaximum password failures before lockout: 3\n" +
	"Password failure count reset interval: 0 days 00:00:00\nPassword lockout duration: 0 days 01:00:00\n" +
	"Allowed key/salt types: aes256-cts:normal\n"

// block is what getprinc prints; more replaces its lines.
func block(name string, more ...string) string {
	text := "Principal: " + name + "@EXAMPLE\nExpiration date: [never]\nLast password change: Tue Sep 01 10:00:00 UTC 2026\n" +
		"Password expiration date: Sat Oct 31 10:00:00 UTC 2026\nLast modified: Tue Sep 01 10:00:00 UTC 2026 (root/admin@EXAMPLE)\n" +
		"Last successful authentication: [never]\nLast failed authentication: [never]\n" +
		"Failed password attempts: 0\nNumber of keys: 1\nKey: vno 1, aes256-cts-hmac-sha1-96\nAttributes: REQUIRES_PRE_AUTH\nPolicy: crew\n"
	for _, line := range more {
		key, _, _ := strings.Cut(line, ":")
		from := strings.Index(text, "\n"+key+":") + 1
		text = text[:from] + line + text[from+strings.IndexByte(text[from:], '\n'):]
	}
	return text
}

// TestPrincipals: what a principal says that its policy does not.
func TestPrincipals(t *testing.T) {
	said := read(t, map[string]string{"getprinc.txt": "kadmin.local:  getprinc \"p\"\n" + block("usual") +
		block("for-ever", "Password expiration date: [never]") +
		block("years", "Password expiration date: Sun Sep 01 10:00:00 UTC 2030") +
		block("bare", "Policy: [none]") + block("orphan", "Policy: nonesuch [does not exist]") +
		block("ended", "Expiration date: Sun Nov 22 10:00:00 UTC 2026") +
		block("empty", "Number of keys: 0") +
		block("weak", "Key: vno 1, DEPRECATED:arcfour-hmac") + block("token", "Attributes: REQUIRES_PRE_AUTH REQUIRES_HW_AUTH") +
		block("far", "Last password change: Tue Sep 01 13:00:00 +03 2026") +
		block("lax", "Attributes:", "Failed password attempts: 3", "Last failed authentication: Mon Nov 23 05:59:00 UTC 2026") +
		block("krbtgt/OTHER", "Policy: [none]") + block("krbtgt/EXAMPLE", "Policy: [none]")})
	intaketest.Hold(t, "principals", said, map[string]string{
		"account usual: own max_age": "", "account for-ever: own max_age": "never", "account years: own max_age": "1461 days",
		"policy no policy: max_age": "never", "policy no policy: min_length": "none", "policy no policy: blank_allowed": "no",
		"account bare: policy": "", "account orphan: policy": "nonesuch",
		"account ended: account_ends": "2026-11-22T10:00:00Z", "account ended: enabled": "false",
		"account empty: password_usable": "false", "account usual: password_usable": "true",
		"account weak: storage": "unsalted fast", "account usual: storage": "salted slow", "account token: second_factor": "true",
		"account far: password_set": "2026-09-01T10:00:00Z", "account lax: locked": "true", "account lax: own lockout_attempts": "never",
		"account lax: preauthenticates": "false", "account lax: failures": "3",
		"account krbtgt/OTHER: kind": "service", "account krbtgt/EXAMPLE: is there": "",
		"policy crew: common_barred": "no", "policy crew: login_barred": "equal", "policy crew: lockout_attempts": "3"})
}

// TestZones: a zone that does not tell its offset sends to the tables.
func TestZones(t *testing.T) {
	files := map[string]string{"getprinc.txt": strings.ReplaceAll(block("ada"), "UTC", "CET")}
	intaketest.Hold(t, "alone", read(t, files), map[string]string{"account ada: password_set": "", "account ada: locked": "false"})
	for name, table := range map[string]string{"princ_meta": "name,lastpwd,policy\nada@EXAMPLE,1788256800,crew\n",
		"princ_lockout":   "name,last_success,last_failed,fail_count\nada@EXAMPLE,0,0,0\n",
		"princ_tktpolicy": "name,expiration,pw_expiration\nada@EXAMPLE,0,1795000000\n",
		"princ_flags": "name,flag,value\nada@EXAMPLE,0x00000040,0\nada@EXAMPLE,0x00000080,1\nada@EXAMPLE,0x00000100,0\n" +
			"ada@EXAMPLE,0x00000200,1\n",
		"keyinfo": "name,keyindex,enctype\nada@EXAMPLE,0,23\n"} {
		files[name+".csv"] = table
	}
	intaketest.Hold(t, "with tables", read(t, files), map[string]string{"account ada: password_set": "2026-09-01T10:00:00Z",
		"account ada: must_change": "true", "account ada: preauthenticates": "true", "account ada: storage": "unsalted fast",
		"account ada: enabled": "true"})
}

// TestProfile: what the server's own files switch off.
func TestProfile(t *testing.T) {
	locked := map[string]string{"getprinc.txt": block("ada", "Failed password attempts: 3",
		"Last failed authentication: Mon Nov 23 05:59:00 UTC 2026")}
	for conf, want := range map[string]map[string]string{
		"[dbmodules]\n EXAMPLE = {\n  disable_lockout = true\n " +
			"}\n": {"account ada: locked": "false",
			"policy crew: lockout_attempts": "never"},
		"[dbmodules]\n OTHER = {\n  disable_lockout = true\n " +
			"}\n": {"account ada: locked": "true",
			"policy crew: lockout_attempts": "3"},
		"include /etc/krb5.more\n": {"account " +
			"ada: locked": "", "policy crew: lockout_attempts": "", "policy crew: common_barred": ""},
		"[realms]\n EXAMPLE = {\n  dict_file = /w\n " +
			"}\n": {"account ada: locked": "true",
			"policy crew: common_barred": ""},
		"[realms]\n EXAMPLE = {\n  database_module = m\n }\n[dbmodules]\n m = {\n  disable_lockout = yes\n " +
			"}\n": {"account ada: locked": "false"},
	} {
		locked["kdc.conf"] = conf
		intaketest.Hold(t, conf, read(t, locked), want)
	}
	delete(locked, "krb5.conf")
	said, _ := intaketest.Read(t, Format, []string{"."}, map[string]string{"getpol.txt": crew, "getprinc.txt": locked["getprinc.txt"]})
	intaketest.Hold(t, "neither file", said, map[string]string{"account ada: locked": "", "policy crew: lockout_attempts": ""})
}

// TestRights: the first line counts that fits, with its capitals and targets.
func TestRights(t *testing.T) {
	for acl, want := range map[string]string{
		"ada@EXAMPLE *\n": "true", "ada c\n": "true", "ada il\n": "false", "ada *CADMS\n": "false", "ada Cc\n": "true",
		"ada l\nada *\n": "false", "ada c bo@EXAMPLE\n": "true", "ada c ada@EXAMPLE\n": "false", "ada c cy@EXAMPLE\n": "false",
		"ada c *@EXAMPLE\n": "true", "ada a *@EXAMPLE\n": "false", "* c *1@EXAMPLE\n": "false",
		"ada l bo@EXAMPLE\nada c *@EXAMPLE\n": "false",
		"ada l bo@EXAMPLE\nada a\n":           "true", "ada \\\n  c\n": "true", "# ada *\n": "false", "ada e\n": "true",
		"*/admin *\n": "false",
		"ada z\n":     "", "ada\n": "",
	} {
		said := read(t, map[string]string{"kadm5.acl": acl, "getprinc.txt": block("ada") + block("bo")})
		intaketest.Hold(t, acl, said, map[string]string{"account ada: privileged": want})
	}
}

// TestKeyGrades: the weakest key of a principal counts.
func TestKeyGrades(t *testing.T) {
	for kind, want := range map[string]setting.Value{
		"aes256-cts-hmac-sha1-96": setting.StoredSaltedSlow, "camellia128-cts-cmac": setting.StoredSaltedSlow,
		"arcfour-hmac": setting.StoredUnsalted, "rc4-hmac": setting.StoredUnsalted, "des-cbc-crc": setting.StoredSaltedFast, "novel": {},
	} {
		if got := keyGrade(kind); got != want {
			t.Errorf("%s: %v", kind, got)
		}
	}
	if got := weaker(setting.StoredSaltedSlow, setting.StoredUnsalted); got != setting.StoredUnsalted {
		t.Errorf("%v", got)
	}
}
