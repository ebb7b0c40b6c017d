package kerberos

import (
	"fmt"
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
		{"without preauthentication nothing is counted", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3",
			"0 days 00:00:00", "0 days 00:00:00"), principal("Mon Nov 03 04:30:00 UTC 2025", "3", ""),
			map[string]string{"account ada: locked": "false", "account ada: own lockout_attempts": "never", "account ada: preauthenticates": "false"}},
		{"failures that are an hour old are forgotten", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "5",
			"0 days 01:00:00", "0 days 00:00:00"), principal("Mon Nov 23 05:00:00 UTC 2026", "3", "REQUIRES_PRE_AUTH"),
			map[string]string{"account ada: failures": "0", "account ada: locked": "false"}},
		{"failures of less than an hour count", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "5",
			"0 days 01:00:00", "0 days 00:00:00"), principal("Mon Nov 23 05:00:01 UTC 2026", "3", "REQUIRES_PRE_AUTH"),
			map[string]string{"account ada: failures": "3"}},
		{"flags", policy("0 days 00:00:00", "0 days 00:00:00", "8", "1", "1", "3", "0 days 00:00:00", "0 days 00:00:00"),
			principal("[never]", "0", "REQUIRES_PRE_AUTH DISALLOW_ALL_TIX REQUIRES_PWCHANGE"),
			map[string]string{"account ada: enabled": "false", "account ada: must_change": "true"}},
	} {
		said, _ := intaketest.Read(t, Format, []string{"."}, map[string]string{"getpol.txt": c.policy,
			"getprinc.txt": c.principal, "kadm5.acl": "*/admin@EXAMPLE *\n"})
		intaketest.Hold(t, c.what, said, c.want)
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
