package directory

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/intake"
	"yewcone/intake/intaketest"
)

// dumpStamps are what the server's own dump has on every entry.
const dumpStamps = "structuralObjectClass: device\nentryUUID: 1\ncreatorsName: cn=m\ncreateTimestamp: 20250101000000Z\n" +
	"entryCSN: 20260101000000.000000Z#000000#000#000000\nmodifiersName: cn=m\nmodifyTimestamp: 20260101000000Z\n"

func ldifPolicy(lines ...string) string {
	return "dn: cn=p,dc=example\nobjectClass: device\nobjectClass: pwdPolicy\ncn: p\npwdAttribute: userPassword\n" + dumpStamps +
		strings.Join(lines, "\n") + "\n\n"
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
		{[]string{"pwdLockout: TRUE", "pwdMaxIdle: 2592000", "pwdMinDelay: 2"}, map[string]string{"dormant_after": "30 days", "failure_delay": "2 seconds"}},
		{[]string{"pwdMaxIdle: 2592000"}, map[string]string{"dormant_after": "never"}},
		{[]string{"pwdMaxAge: 99999999999999"}, map[string]string{"max_age": "36500 days"}},
	} {
		want := map[string]string{}
		for name, value := range c.want {
			want["policy p: "+name] = value
		}
		said, _ := intaketest.Read(t, Format, []string{"x.ldif"}, map[string]string{"x.ldif": ldifPolicy(c.lines...)})
		intaketest.Hold(t, strings.Join(c.lines, ", "), said, want)
	}
	said, notes := intaketest.Read(t, Format, []string{"x.ldif"},
		map[string]string{"x.ldif": ldifPolicy("pwdMaxAge: soon", "pwdInHistory: -3")})
	if notes.Refused() != 2 {
		t.Errorf("%d values are refused, expected 2: %v", notes.Refused(), said)
	}
}

// TestDirectoryAccounts: stamps of the server under a policy that locks for a
// while and one that does not.
func TestDirectoryAccounts(t *testing.T) {
	account := func(uid string, lines ...string) string {
		return "dn: uid=" + uid + ",ou=people,dc=example\nobjectClass: inetOrgPerson\nuid: " + uid +
			"\nuserPassword: {SSHA}aaaa\npwdPolicySubentry: cn=p,dc=example\n" + dumpStamps + strings.Join(lines, "\n") + "\n\n"
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
		account("ended", "pwdEndTime: 20260101000000Z")
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
		"account ended: account_ends": "2026-01-01T00:00:00Z", "account plain: account_ends": "never",
	})
	// One entry without the stamps, and it may be any search: only what it
	// shows on others of the kind is known to be absent.
	text += "dn: uid=bare,dc=example\nobjectClass: inetOrgPerson\nuid: bare\n\n"
	said, _ = intaketest.Read(t, Format, []string{"x.ldif"}, map[string]string{"x.ldif": text})
	intaketest.Hold(t, "a search", said, map[string]string{
		"account bare: is there": "yes", "account bare: locked": "false", "account bare: enabled": "true", "account plain: locked": "false",
		"account plain: must_change": "false", "account nostamp: password_expires": "never", "account plain: failures": "0",
		"account lockedtwo: locked": "true", "policy p: history": "", "policy p: max_age": "1 day", "account plain: grace_used": "",
	})
}

// TestViews: what an administrator, the help desk and anybody get of the same
// directory. Nothing is stated that their view does not show.
func TestViews(t *testing.T) {
	const operational = "structuralObjectClass: inetOrgPerson\nentryUUID: 1\ncreatorsName: cn=m\ncreateTimestamp: 20250101000000Z\n" +
		"entryCSN: 20260101000000.000000Z#000000#000#000000\nmodifiersName: cn=m\nmodifyTimestamp: 20260101000000Z\n" +
		"entryDN: x\nsubschemaSubentry: cn=Subschema\nhasSubordinates: FALSE\n"
	const policy = "dn: cn=p,dc=example\nobjectClass: device\nobjectClass: pwdPolicy\ncn: p\n" + operational +
		"pwdAttribute: userPassword\npwdLockout: TRUE\npwdMaxFailure: 3\npwdMustChange: TRUE\npwdMaxAge: 86400\npwdLockoutDuration: 600\n\n"
	person := func(uid, more string) string {
		return "dn: uid=" + uid + ",dc=example\nobjectClass: inetOrgPerson\nuid: " + uid + "\ncn: " + uid + "\n" + operational + more + "\n"
	}
	const program = "dn: cn=radar,dc=example\nobjectClass: applicationProcess\nobjectClass: simpleSecurityObject\ncn: radar\n" + operational
	const contractor = "dn: cn=Jo Keel,dc=example\nobjectClass: person\ncn: Jo Keel\nsn: Keel\n" + operational
	const password = "userPassword: {SSHA}aaaa\n"
	const named = "pwdPolicySubentry: cn=p,dc=example\n"
	admin := policy + person("ada", password+named+"pwdAccountLockedTime: 20261123055900Z\npwdChangedTime: 20261122060000Z\n") +
		person("bo", password+named+"pwdReset: TRUE\npwdChangedTime: 20261122060000Z\n") + person("cy", password) +
		person("di", password+"pwdEndTime: 20260101000000Z\n") +
		program + password + "\n" + contractor + password + "\n"
	desk := person("ada", "") + person("bo", "") + person("cy", "") + program + "\n" + contractor + "\n"
	for _, c := range []struct {
		who, text string
		whole     bool
		want      map[string]string
		accounts  int
		noted     string
	}{
		{"the administrator", admin, true, map[string]string{"ada: locked": "true", "bo: locked": "false", "bo: must_change": "true",
			"cy: password_expires": "never", "cy: must_change": "false", "cy: enabled": "true", "radar: locked": "false", "di: enabled": ""}, 6, ""},
		{"who does not say so", admin, false, map[string]string{"ada: locked": "true", "bo: locked": "false", "bo: must_change": "true",
			"cy: password_expires": "never", "cy: enabled": "", "cy: must_change": "false",
			"di: enabled": "", "di: account_ends": ""}, 6, "does not show which policy"}, // under no policy, an end ends nothing
		{"the help desk", desk, false, map[string]string{"ada: locked": "", "bo: must_change": "", "cy: password_expires": "",
			"cy: enabled": "", "radar: is there": "yes", "ada: groups": ""}, 4, "may be an account"},
		{"nobody", strings.ReplaceAll(desk, operational, ""), false, map[string]string{"ada: locked": "", "bo: must_change": "",
			"cy: password_expires": "", "cy: enabled": "", "radar: is there": "yes"}, 4, "no policy is visible"},
	} {
		export, err := Format.Open(&intake.Request{System: "x", From: []string{"x.ldif"}, AsOf: intaketest.AsOf, Whole: c.whole,
			Folder: intaketest.Write(t, map[string]string{"x.ldif": c.text})})
		if err != nil {
			t.Fatal(err)
		}
		said, accounts := intaketest.Said(t, export), 0
		for name := range said {
			if strings.HasSuffix(name, ": is there") {
				accounts++
			}
		}
		want := map[string]string{}
		for name, value := range c.want {
			want["account "+name] = value
		}
		intaketest.Hold(t, c.who, said, want)
		if noted := fmt.Sprint(export.Notes().List()); accounts != c.accounts || !strings.Contains(noted, c.noted) {
			t.Errorf("%s: %d accounts, %s", c.who, accounts, noted)
		}
		if v := export.System().View; v.Whole != c.whole || !c.whole && len(v.NotVisible()) == 0 {
			t.Errorf("%s: %+v", c.who, v.NotVisible())
		}
	}
}

// TestForeignServers: what another family of servers keeps is not read as if it
// were this one's.
func TestForeignServers(t *testing.T) {
	const text = "dn: cn=policies,dc=example\nobjectClass: nsContainer\ncn: policies\n\n" +
		"dn: cn=strict,cn=policies,dc=example\nobjectClass: passwordPolicy\nobjectClass: ldapsubentry\ncn: " +
		"strict\npasswordMaxAge: 86400\n\n" +
		"dn: uid=ada,dc=example\nobjectClass: inetOrgPerson\nuid: ada\nuserPassword: {SSHA}aaaa\nnsAccountLock: true\n" +
		"passwordExpirationTime: 20260101000000Z\n" + dumpStamps + "\n"
	said, notes := intaketest.Read(t, Format, []string{"x.ldif"}, map[string]string{"x.ldif": text})
	intaketest.Hold(t, "foreign", said, map[string]string{"account ada: is there": "yes", "account ada: enabled": "",
		"account ada: locked":      "",
		"account ada: must_change": "", "account ada: password_expires": "", "account strict: is there": "",
		"account policies: is there": "",
		"account ada: never_expires": ""})
	if !notes.Partial() || !strings.Contains(fmt.Sprint(notes.List()), "nsaccountlock") {
		t.Error(notes.List())
	}
}
