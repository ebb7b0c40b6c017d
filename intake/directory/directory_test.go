package directory

import (
	"strings"
	"testing"

	"yewcone/intake/intaketest"
)

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
		said, _ := intaketest.Read(t, Format, []string{"x.ldif"}, map[string]string{"x.ldif": ldifPolicy(c.lines...)})
		intaketest.Hold(t, strings.Join(c.lines, ", "), said, want)
	}
	said, notes := intaketest.Read(t, Format, []string{"x.ldif"}, map[string]string{"x.ldif": ldifPolicy("pwdMaxAge: soon", "pwdInHistory: -3")})
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
	said, _ := intaketest.Read(t, Format, []string{"x.ldif"}, map[string]string{"x.ldif": text})
	intaketest.Hold(t, "accounts", said, map[string]string{
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
