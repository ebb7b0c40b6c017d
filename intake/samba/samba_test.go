package samba

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/intake"
	"yewcone/intake/intaketest"
)

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
		{"maxPwdAge: -864000000000", map[string]string{"max_age": ""}}, // the server takes up to one day as never
		{"maxPwdAge: -864010000000", map[string]string{"max_age": "24 hours 1 second"}},
		{"minPwdAge: 0", map[string]string{"min_age": "none"}},
		{"minPwdLength: 0", map[string]string{"min_length": "none", "blank_allowed": ""}},
		{"pwdProperties: 0", map[string]string{"min_classes": "none"}},
		{"pwdProperties: 17", map[string]string{"min_classes": "3", "storage": "unsalted fast"}},
		{"pwdHistoryLength: 0", map[string]string{"history": "none"}},
		{"lockoutThreshold: 0", map[string]string{"lockout_attempts": "never"}},
		{"lockoutDuration: -9223372036854775808", map[string]string{"lockout_duration": "until unlocked"}},
		{"lockoutDuration: 0", map[string]string{"lockout_duration": "until unlocked"}},
		{"lockoutDuration: -5000000", map[string]string{"lockout_duration": "1 second"}},
		{"lockOutObservationWindow: -15000000", map[string]string{"lockout_window": "2 seconds", "lockout_attempts": "10"}},
		{"lockOutObservationWindow: 0", map[string]string{"lockout_attempts": "10", "lockout_window": "1 second"}},
	} {
		want := map[string]string{}
		for name, value := range c.want {
			want["policy domain: "+name] = value
		}
		var lines []string
		if c.line != "" {
			lines = append(lines, c.line)
		}
		said, _ := intaketest.Read(t, Format, []string{"d.ldif"}, sambaDomain(lines...))
		if len(said) == 0 {
			t.Fatalf("%s: nothing was read", c.line)
		}
		intaketest.Hold(t, c.line, said, want)
	}
}

// TestSambaOrder: of several settings objects on groups the lowest number wins;
// one on the user goes before all of these; nothing is merged.
func TestSambaOrder(t *testing.T) {
	object := func(name, precedence, length, to string) string {
		return "dn: CN=" + name + ",CN=Password Settings Container,CN=System,DC=example\nobjectClass: msDS-PasswordSettings\ncn: " +
			name + "\nmsDS-PasswordSettingsPrecedence: " + precedence + "\nmsDS-MinimumPasswordLength: " + length +
			"\nmsDS-PasswordHistoryLength: 3\nmsDS-MinimumPasswordAge: 0\nmsDS-MaximumPasswordAge: -864000000000\n" +
			"msDS-PasswordComplexityEnabled: TRUE\nmsDS-PasswordReversibleEncryptionEnabled: FALSE\nmsDS-LockoutThreshold: 3\n" +
			"msDS-LockoutDuration: -36000000000\nmsDS-LockoutObservationWindow: -36000000000\n" +
			"objectGUID: 11111111-1111-1111-1111-1111111111" + precedence + "\nmsDS-PSOAppliesTo: " + to + "\n\n"
	}
	group := "CN=Crew,CN=Users,DC=example"
	user := func(name, more string) string {
		return "dn: CN=" + name + ",CN=Users,DC=example\nobjectClass: user\nobjectCategory: CN=Person,CN=Schema\nsAMAccountName: " + name +
			"\nuserAccountControl: 512\nprimaryGroupID: 513\nobjectSid: S-1-5-21-1-2-3-1105\nmemberOf: " + group +
			"\npwdLastSet: 134000000000000000\naccountExpires: 0\n" + more + "\n\n"
	}
	files := sambaDomain("lockoutDuration: -36000000000")
	files["d.ldif"] += object("wide", "20", "20", group) + object("near", "10", "10", group) +
		object("own", "90", "15", "CN=bo,CN=Users,DC=example") +
		"dn: " + group + "\nobjectClass: group\nsAMAccountName: Crew\ngroupType: -2147483646\nobjectSid: S-1-5-21-1-2-3-1200\n" +
		"member: CN=al,CN=Users,DC=example\nmember: CN=bo,CN=Users,DC=example\n\n" +
		"dn: CN=Domain Users,CN=Users,DC=example\nobjectClass: group\nsAMAccountName: Domain Users\ngroupType: -2147483646\n" +
		"objectSid: S-1-5-21-1-2-3-513\n\n" +
		user("al", "") + user("bo", "lockoutTime: 134398836000000000\nbadPwdCount: 3\nbadPasswordTime: 134398836000000000") + // an hour ago
		user("cy", "lockoutTime: 134398835990000000")
	said, _ := intaketest.Read(t, Format, []string{"d.ldif"}, files)
	intaketest.Hold(t, "order", said, map[string]string{
		"account al: policy": "near", "account bo: policy": "own", "policy near: min_length": "10",
		"policy near: max_age": "", // one day: by the version
		"account bo: locked":   "", // in the second in which it ends: by the version
		"account cy: locked":   "false", "account bo: password_set": "2025-08-18T14:13:20Z",
	})
}

// TestSambaFlags: bits of userAccountControl, and the end of an account.
func TestSambaFlags(t *testing.T) {
	user := func(name, control, more string) string {
		return "dn: CN=" + name + ",CN=Users,DC=example\nobjectClass: user\nobjectCategory: CN=Person,CN=Schema\nsAMAccountName: " + name +
			"\nuserAccountControl: " + control + "\nprimaryGroupID: 513\nobjectSid: S-1-5-21-1-2-3-1105\n" + more + "\n\n"
	}
	const never = "pwdLastSet: 134000000000000000\naccountExpires: 9223372036854775807"
	files := sambaDomain()
	files["d.ldif"] += user("plain", "512", never) + user("off", "514", never) + user("marked", "66048", never) +
		user("card", "262656", never) + user("blank", "544", never) + user("reset", "512", "pwdLastSet: 0\naccountExpires: 0") +
		user("ended", "512", "pwdLastSet: 134000000000000000\naccountExpires: 134000000000000000") +
		user("bare", "512", "pwdLastSet: 134000000000000000") + user("asked", "4194816", never)
	said, _ := intaketest.Read(t, Format, []string{"d.ldif"}, files)
	intaketest.Hold(t, "flags", said, map[string]string{
		"account plain: never_expires": "false", "account plain: enabled": "true", "account plain: must_change": "false",
		"account off: enabled": "false", "account marked: never_expires": "true", "account marked: password_expires": "never",
		"account card: password_usable": "", "account card: second_factor": "", "account blank: blank_allowed": "true",
		"account reset: must_change": "true", "account reset: enabled": "true", "account ended: enabled": "false",
		"account bare: enabled": "", "account bare: account_ends": "", "account plain: account_ends": "never",
		"account ended: account_ends": "2025-08-18T14:13:20Z", "account ended: key_set": "2025-08-18T14:13:20Z",
		"account plain: preauthenticates": "true", "account asked: preauthenticates": "false",
	})
}

// TestSambaIdentifiers: a general search tool gives them in binary.
func TestSambaIdentifiers(t *testing.T) {
	sid := "\x01\x05\x00\x00\x00\x00\x00\x05\x15\x00\x00\x00\x01\x00\x00\x00\x02\x00\x00\x00\x03\x00\x00\x00\xf4\x01\x00\x00"
	for raw, want := range map[string]string{sid: "S-1-5-21-1-2-3-500", "S-1-5-32-544": "S-1-5-32-544", "": "",
		"\x01\x02\x00\x00\x00\x00\x00\x05\x20\x00\x00\x00\x20\x02\x00\x00": "S-1-5-32-544"} {
		if got := sidText(raw); got != want {
			t.Errorf("%q: %s", raw, got)
		}
	}
	if got := guidText("\x33\x22\x11\x00\x55\x44\x77\x66\x88\x99\xaa\xbb\xcc\xdd\xee\xff"); got != "00112233-4455-6677-8899-aabbccddeeff" {
		t.Error(got)
	}
}

// TestSambaVersions: an age of one day is never in 4.17, and one day in 4.22.
func TestSambaVersions(t *testing.T) {
	for version, want := range map[string]string{"4.17.12-Debian": "never", "4.22.11-Debian-4.22.11+dfsg": "1 day",
		"4.19.1": "", "new": ""} {
		files := sambaDomain("maxPwdAge: -864000000000")
		files["d.ldif"] += "dn: CN=version\nsambaVersion: " + version + "\n\n"
		said, _ := intaketest.Read(t, Format, []string{"d.ldif"}, files)
		intaketest.Hold(t, version, said, map[string]string{"policy domain: max_age": want})
	}
}

// TestSambaMore: who was given others' passwords, what is stored readably, and
// what loses to another settings object.
func TestSambaMore(t *testing.T) {
	user := func(name, control, rid, more string) string {
		return "dn: CN=" + name + ",CN=Users,DC=example\nobjectClass: user\nobjectCategory: CN=Person,CN=Schema\nsAMAccountName: " + name +
			"\nuserAccountControl: " + control + "\nprimaryGroupID: 513\nobjectSid: S-1-5-21-1-2-3-" + rid +
			"\nmemberOf: CN=Crew,CN=Users,DC=example\n" +
			"pwdLastSet: 134000000000000000\naccountExpires: 0\n" + more + "\n"
	}
	group := func(name, sid, member string) string {
		return "dn: CN=" + name + ",CN=Users,DC=example\nobjectClass: group\nsAMAccountName: " + name +
			"\ngroupType: -2147483646\nobjectSid: " + sid +
			"\nmember: CN=" + member + ",CN=Users,DC=example\n\n"
	}
	files := sambaDomain("pwdProperties: 17")
	files["d.ldif"] += group("Crew", "S-1-5-21-1-2-3-1200", "plain") + group("Desk", "S-1-5-21-1-2-3-1300", "desk") +
		group("Operators", "S-1-5-32-548", "operator") + group("Domain Users", "S-1-5-21-1-2-3-513", "nobody") +
		user("plain", "512", "1101", "") + user("desk", "512", "1102", "") + user("operator", "512", "1103", "") +
		user("given", "512", "1104", "") +
		user("readable", "640", "1105", "") + user("hours", "512", "1106", "logonHours:: AAAA\n") +
		"dn: OU=deck,DC=example\nobjectClass: organizationalUnit\nnTSecurityDescriptor: " +
		"O:DAG:DAD:AI(OA;CIIO;CR;00299570-246d-11d0-a768-00aa006e0529;" +
		"bf967aba-0de6-11d0-a285-00aa003049e2;S-1-5-21-1-2-3-1300)(A;;GA;;;S-1-5-21-1-2-3-1104)(A;;RP;;;S-1-5-21-1-2-3-1101)(A;;GA;;;DA)S:AI(AU;;GA;;;S-1-5-21-1-2-3-1101)\n\n"
	export, err := Format.Open(&intake.Request{System: "x", Folder: intaketest.Write(t, files), From: []string{"d.ldif"},
		AsOf: intaketest.AsOf, Whole: true})
	if err != nil {
		t.Fatal(err)
	}
	said := intaketest.Said(t, export)
	notes := export.Notes()
	intaketest.Hold(t, "more", said, map[string]string{
		"account desk: privileged": "true", "account operator: privileged": "true", "account given: privileged": "true",
		"account readable: own storage": "reversible", "account readable: storage": "", "account plain: storage": "unsalted fast",
		"account plain: own storage": ""})
	if !strings.Contains(fmt.Sprint(notes.List()), "logonHours") {
		t.Error(notes.List())
	}
}
