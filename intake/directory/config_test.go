package directory

import (
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake/intaketest"
)

// serverConfig is cn=config with two databases, the second without policies.
func serverConfig(first string, more ...string) string {
	entry := func(dn string, lines ...string) string {
		return "dn: " + dn + "\n" + strings.Join(lines, "\n") + "\n" + dumpStamps + "\n"
	}
	return entry("cn=module{0},cn=config", "objectClass: olcModuleList", "olcModuleLoad: {0}back_mdb", "olcModuleLoad: {1}ppolicy.la") +
		entry("olcDatabase={-1}frontend,cn=config",
			append([]string{"objectClass: olcDatabaseConfig", "objectClass: olcFrontendConfig"}, more...)...) +
		entry("olcDatabase={1}mdb,cn=config", "objectClass: olcDatabaseConfig", "olcSuffix: dc=example", "olcRootDN: cn=root,dc=example",
			"olcRootPW: {CLEAR}secret", first) +
		entry("olcOverlay={0}ppolicy,olcDatabase={1}mdb,cn=config", "objectClass: olcPPolicyConfig", "olcPPolicyDefault: cn=p,dc=example",
			"olcPPolicyHashCleartext: TRUE") +
		entry("olcDatabase={2}mdb,cn=config", "objectClass: olcDatabaseConfig", "olcSuffix: dc=pier,dc=example", "olcLastBind: TRUE")
}

// TestConfigInPart: an overlay whose database is not in the export, where others are, may
// hold in any of them; a configuration that shows no overlay says that there is none
// only where all of it would be seen.
func TestConfigInPart(t *testing.T) {
	text := ldifPolicy("pwdLockout: TRUE", "pwdMaxFailure: 3", "pwdMinLength: 8") + someone("ada", "dc=example", someHash, "pwdAccountLockedTime: 000001010000Z") +
		someone("bo", "dc=pier,dc=example", someHash, "pwdAccountLockedTime: 000001010000Z")
	seen := strings.NewReplacer(dumpStamps, "") // as a search shows it, without operational attributes
	whole := serverConfig("olcLastBind: TRUE")
	overlay := whole[strings.Index(whole, "dn: olcOverlay="):strings.Index(whole, "dn: olcDatabase={2}")]
	for what, c := range map[string]struct{ data, config, ada, bo, told string }{
		"whole": {text, whole, "true", "false", ""},
		"a digit too many": {text, strings.Replace(whole, "ppolicy,olcDatabase={1}", "ppolicy,olcDatabase={11}", 1), "", "",
			"whose entry is not in the export"},
		"only the overlay":       {text, overlay, "true", "true", ""},
		"no overlay, all of it":  {text, strings.Replace(whole, overlay, "", 1), "false", "false", "no policy holds for anybody"},
		"no overlay, a search":   {seen.Replace(text), seen.Replace(strings.Replace(whole, overlay, "", 1)), "", "", "which policies hold is not known"},
		"with overlay, a search": {seen.Replace(text), seen.Replace(whole), "", "false", ""},
	} {
		said, notes := intaketest.Read(t, Format, []string{"x.ldif", "config.ldif"}, map[string]string{"x.ldif": c.data, "config.ldif": c.config})
		intaketest.Hold(t, what, said, map[string]string{"account ada: locked": c.ada, "account bo: locked": c.bo})
		told := ""
		for _, n := range notes.List() {
			told += n.Message + "\n"
		}
		if !strings.Contains(told, c.told) || c.told == "" && strings.Contains(told, "not known; export all of cn=config") {
			t.Errorf("%s: %s", what, told)
		}
	}
}

// someone is an entry with lines of its own.
func someone(name, under string, lines ...string) string {
	return "dn: uid=" + name + "," + under + "\nobjectClass: inetOrgPerson\n" +
		strings.Join(append(lines, "uid: "+name), "\n") + "\n" + dumpStamps + "\n"
}

const someHash = "userPassword: {SSHA}c29tZXRoaW5nIHRoYXQgaXMgbm9uZQ=="

// TestDatabases: each has its own policies, or none; the root of each is an
// account that no policy holds for.
func TestDatabases(t *testing.T) {
	policy := ldifPolicy("pwdMaxAge: 864000", "pwdLockout: TRUE", "pwdMaxFailure: 3", "pwdMaxIdle: 864000",
		"pwdCheckQuality: 2", "pwdMinLength: 8")
	text := policy + someone("ada", "dc=example", someHash, "pwdChangedTime: 20261120060000Z", "pwdLastSuccess: 20261122060000Z") +
		someone("bo", "dc=pier,dc=example", someHash, "pwdAccountLockedTime: 000001010000Z", "pwdEndTime: 20260101000000Z") +
		someone("cy", "dc=example", someHash, "pwdPolicySubentry: cn=nonesuch,dc=example", "pwdAccountLockedTime: 000001010000Z") +
		someone("di", "dc=example", someHash, "pwdChangedTime: 20261122060000Z", "pwdLastSuccess: 20261101060000Z") +
		someone("ed", "dc=example", someHash, "pwdChangedTime: 20261122060000Z", "pwdAccountLockedTime: 20261123070000Z") +
		someone("flo", "dc=example", someHash, "pwdChangedTime: 20261122060000Z", "pwdEndTime: 20270101000000Z") +
		someone("gil", "dc=example") + someone("hal", "dc=example", "userPassword: {CLEARTEXT}open") +
		someone("ida", "dc=example", "userPassword: {TOMORROW}abc") + someone("joe", "dc=example", "userPassword: {ARGON2}abc") +
		someone("kim", "dc=example", "userPassword: {CRYPT}!")
	said, _ := intaketest.Read(t, Format, []string{"x.ldif", "config.ldif"}, map[string]string{"x.ldif": text,
		"config.ldif": serverConfig("olcLastBind: TRUE")})
	intaketest.Hold(t, "databases", said, map[string]string{
		"account ada: policy": "", "account bo: policy": "no policy", "account bo: locked": "false", "account bo: enabled": "true",
		"account cy: locked": "false", "account cy: policy": "cn=nonesuch,dc=example", "policy no policy: min_length": "none",
		"account ada: locked": "false", "account di: locked": "true", "account di: locked_since": "2026-11-11T06:00:00Z",
		"account di: locked_until": "never",
		"account ed: locked":       "false", "account flo: account_ends": "2027-01-01T00:00:00Z", "account gil: password_usable": "false",
		"account gil: password_expires": "", "account hal: password_usable": "false", "account hal: storage": "cleartext",
		"account ida: password_usable": "false", "account joe: password_usable": "false", "account kim: password_usable": "false",
		"account ada: password_usable": "true", "policy p: storage": "salted fast",
		"account cn=root,dc=example: privileged": "true", "account cn=root,dc=example: policy": "no policy",
		"account cn=root,dc=example: kind": "built-in"})
}

// TestSchemes: what the server compares passwords with, by its modules.
func TestSchemes(t *testing.T) {
	for _, c := range []struct {
		value   string
		modules []string
		want    facts.Tri
	}{
		{"plain", nil, facts.Yes}, {"{SSHA}x", nil, facts.Yes}, {"{CLEARTEXT}x", []string{"ppolicy"}, facts.No}, {"{}x", nil, facts.Yes},
		{"", nil, facts.No}, {"{SSHA512}x", []string{"ppolicy", "pw-sha2"}, facts.Yes}, {"{SSHA512}x", []string{"ppolicy"}, facts.No},
		{"{SSHA512}x", nil, facts.Unknown}, {"{ARGON2}x", []string{"argon2"}, facts.Yes}, {"{NEW}x", []string{"pw-new"}, facts.Unknown},
		{"{NEW}x", []string{"ppolicy"}, facts.No}, {"{SASL}ada@EXAMPLE", nil, facts.Unknown}, {"{CRYPT}*", nil, facts.No},
	} {
		if got := (&config{modules: c.modules}).letsIn(c.value); got != c.want {
			t.Errorf("%.12q with %v: %s", c.value, c.modules, got)
		}
	}
	for hash, want := range map[string]string{"olcPasswordHash: {SSHA512}": "salted fast", "olcPasswordHash: {CRYPT}": "",
		"olcPasswordHash: {CLEARTEXT}": "cleartext", "cn: none": "salted fast"} {
		said, _ := intaketest.Read(t, Format, []string{"x.ldif", "config.ldif"},
			map[string]string{"x.ldif": ldifPolicy(), "config.ldif": serverConfig("cn: x", hash)})
		intaketest.Hold(t, hash, said, map[string]string{"policy p: storage": want})
	}
}

// TestAccess: who may set others' passwords or change policies, by the rules of
// the database, in their order.
func TestAccess(t *testing.T) {
	group := func(class, attr, member string) string {
		return "dn: cn=keepers,dc=example\nobjectClass: " + class + "\ncn: keepers\n" + attr + ": " + member + "\n" + dumpStamps + "\n"
	}
	people := someone("ada", "dc=example", someHash) + someone("bo", "ou=deck,dc=example", someHash) + ldifPolicy()
	const rest = " by self write by anonymous auth by * none"
	for _, c := range []struct{ access, group, want string }{
		{"", "", "false"},
		{"to * by users read", "", "false"}, {"to * by users write", "", "true"}, {"to * by self write by * read", "", "false"},
		{"to attrs=userPassword by dn.exact=\"uid=ada,dc=example\" write" + rest, "", "true"},
		{"to attrs=userPassword by self write by users none by dn=\"uid=ada,dc=example\" write", "", "false"},
		{"to dn.subtree=\"ou=deck,dc=example\" attrs=userPassword by dn=\"uid=ada,dc=example\" =rw", "", "true"},
		{"to dn.subtree=\"ou=away,dc=example\" by dn=\"uid=ada,dc=example\" write", "", "false"},
		{"to dn.base=\"cn=p,dc=example\" by dn=\"uid=ada,dc=example\" write", "", "true"}, // a policy
		{"to * by group=\"cn=keepers,dc=example\" write", group("groupOfNames", "member", "uid=ada,dc=example"), "true"},
		{"to * by group=\"cn=keepers,dc=example\" write", group("groupOfUniqueNames", "uniqueMember", "uid=ada,dc=example"), "false"},
		{"to * by group/groupOfUniqueNames/uniqueMember=\"cn=keepers,dc=example\" write",
			group("groupOfUniqueNames", "uniqueMember", "uid=ada,dc=example"), "true"},
		{"to * by group=\"cn=keepers,dc=example\" write", group("groupOfNames", "member", "uid=bo,ou=deck,dc=example"), "false"},
		{"to * by users +w continue by * none", "", "false"}, {"to * by users +w continue by users +r", "", "true"},
		{"to * by users write break", "", "false"}, {"to * by set=\"this/owner & user\" write", "", ""},
		{"to filter=(uid=bo) by users write", "", ""}, {"to dn.regex=\"^uid=[^,]+$\" by users write", "", ""},
	} {
		said, _ := intaketest.Read(t, Format, []string{"x.ldif", "config.ldif"}, map[string]string{"x.ldif": people + c.group,
			"config.ldif": serverConfig("olcAccess: {0}" + c.access)})
		intaketest.Hold(t, c.access, said, map[string]string{"account ada: privileged": c.want})
	}
}
