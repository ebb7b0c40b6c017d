package ds389

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/intaketest"
	"yewcone/intake/ldif"
)

// read reads a directory with a global policy, as its manager sees it.
func read(t *testing.T, config, entries string) map[string]string {
	t.Helper()
	said, notes := readOdd(t, config, entries)
	if notes.Partial() || notes.Refused() > 0 {
		t.Error(notes.List())
	}
	return said
}

// readOdd is read for what may be refused.
func readOdd(t *testing.T, config, entries string) (map[string]string, *facts.Notes) {
	t.Helper()
	export, err := Format.Open(&intake.Request{System: "x", From: []string{"d.ldif", "c.ldif"}, AsOf: intaketest.AsOf, Whole: true,
		Folder: intaketest.Write(t, map[string]string{"d.ldif": entries,
			"c.ldif": "dn: cn=config\ncn: config\nnsslapd-rootdn: cn=Directory Manager\n" +
				config + "\n"})})
	if err != nil {
		t.Fatal(err)
	}
	return intaketest.Said(t, export), export.Notes()
}

func person(name, under string, lines ...string) string {
	return "dn: uid=" + name + "," + under + "\nobjectClass: inetOrgPerson\n" + strings.Join(append(lines, "uid: "+name), "\n") + "\n\n"
}

const (
	base = "dc=example"
	hash = "userPassword: {PBKDF2-SHA512}10000$AAAA$BBBB"
)

// noPlugin is the plug-in that could shut out whom nobody used, switched off.
const noPlugin = "\ndn: cn=Account Policy Plugin,cn=plugins,cn=config\nnsslapd-pluginEnabled: off\n"

// localPolicy is one of a subtree.
const localPolicy = "dn: cn=\"cn=nsPwPolicyEntry,ou=deck,dc=example\",cn=nsPwPolicyContainer,ou=deck,dc=example\nobjectClass: ldapsubentry\n" +
	"objectClass: passwordpolicy\ncn: cn=nsPwPolicyEntry,ou=deck,dc=example\npasswordMaxFailure: 5\n\n"

// TestSwitches: a number counts only where its switch is on, and what a policy
// lacks is the program's default.
func TestSwitches(t *testing.T) {
	for config, want := range map[string]map[string]string{
		"": {"max_age": "never", "min_length": "none", "history": "", "lockout_attempts": "never", "lockout_duration": "1 hour",
			"self_change": "yes", "change_at_first_use": "no", "warn_before": "1 day", "min_classes": "none", "login_barred": "off"},
		"passwordHistory: off\npasswordMaxAge: 864000\npasswordInHistory: 3\npasswordMaxFailure: 4\npasswordMinLength: 12\n": {"max_age": "never",
			"history":          "none",
			"lockout_attempts": "never", "min_length": "none"},
		"passwordExp: on\npasswordMaxAge: 864000\n":    {"max_age": "10 days"},
		"passwordExp: on\n":                            {"max_age": "100 days"},
		"passwordHistory: on\n":                        {"history": "6"},
		"passwordLockout: on\npasswordMaxFailure: 4\n": {"lockout_attempts": "4"},
		"passwordLockout: on\npasswordUnlock: off\n": {"lockout_attempts": "3",
			"lockout_duration": "until unlocked"},
		"passwordCheckSyntax: on\n": {"min_length": "8", "min_classes": "3",
			"login_barred": "contained", "names_barred": "yes"},
		"passwordCheckSyntax: on\npasswordMinCategories: 1\n": {"min_classes": "none"},
		"passwordStorageScheme: PBKDF2-SHA512\n":              {"storage": "salted slow"},
		"passwordStorageScheme: CLEAR\n":                      {"storage": "cleartext"},
		"passwordMustChange: on\npasswordChange: off\npasswordMinAge: 60\n": {"change_at_first_use": "yes",
			"self_change": "no", "min_age": "1 minute"},
	} {
		global := map[string]string{}
		for name, value := range want {
			global["policy global: "+name] = value
		}
		intaketest.Hold(t, config, read(t, config, person("ada", base, hash)), global)
	}
}

// TestOddSwitches: a word that is neither on nor off, or a number that is none, leaves open
// what rests on it, and is told.
func TestOddSwitches(t *testing.T) {
	for config, want := range map[string]map[string]string{
		"passwordLockout: perhaps\npasswordMaxFailure: 4\n": {"policy global: lockout_attempts": "", "account ada: locked": ""},
		"passwordLockout: on\npasswordMaxFailure: 4x\n":     {"policy global: lockout_attempts": "", "account ada: locked": "false"},
		"passwordLockout: on\npasswordUnlock: tomorrow\n":   {"policy global: lockout_duration": "", "account ada: locked": ""},
		"passwordCheckSyntax: deep\n": {"policy global: min_length": "", "policy global: min_classes": "",
			"policy global: common_barred": "", "policy global: login_barred": ""},
		"passwordCheckSyntax: on\npasswordMinLength: ten\n": {"policy global: min_length": "", "policy global: min_classes": "3"},
		"passwordExp: yearly\npasswordMaxAge: 864000\n":     {"policy global: max_age": "", "account ada: password_expires": ""},
		"passwordMustChange: once\npasswordMinAge: -\n": {"policy global: change_at_first_use": "", "policy global: min_age": "",
			"account ada: must_change": ""},
		"passwordCheckSyntax: on\npasswordDictCheck: german\n": {"policy global: dictionary_barred": ""},
		"passwordHistory: some\npasswordInHistory: 6\n":        {"policy global: history": ""},
	} {
		said, notes := readOdd(t, config+noPlugin, person("ada", base, hash, "passwordExpirationTime: 20261120000000Z"))
		intaketest.Hold(t, config, said, want)
		if notes.Refused() == 0 {
			t.Errorf("%s: nothing is told", config)
		}
	}
}

// TestAccounts: stored ends, locks and marks, and which policy is whose.
func TestAccounts(t *testing.T) {
	const on = "passwordExp: on\npasswordLockout: on\npasswordMustChange: on\n" + noPlugin
	said := read(t, on, localPolicy+person("ada", base, hash, "passwordExpirationTime: 20261120000000Z")+
		person("bo", base, hash, "accountUnlockTime: 20261123060001Z")+person("cy", base, hash, "accountUnlockTime: 20261123060000Z")+
		person("di", base, hash, "passwordExpirationTime: 19700101000000Z")+person("ed", base, hash, "nsAccountLock: true")+
		person("flo", "ou=deck,dc=example", hash, "accountUnlockTime: 20261123070000Z",
			"pwdpolicysubentry: cn=\"cn=nsPwPolicyEntry,ou=deck,dc=example\",cn=nsPwPolicyContainer,ou=deck,dc=example")+
		person("gil", base)+person("hal", base, "userPassword: {CLEAR}open")+person("ida", base, "userPassword: {TOMORROW}x"))
	intaketest.Hold(t, "accounts", said, map[string]string{
		"account ada: password_expires": "2026-11-20T00:00:00Z", "account bo: locked": "true",
		"account bo: locked_until": "2026-11-23T06:00:01Z",
		"account cy: locked":       "false", "account di: must_change": "true", "account ada: must_change": "false",
		"account ed: enabled":  "false",
		"account ada: enabled": "true", "account flo: policy": "ou=deck,dc=example", "account flo: locked": "false",
		"policy ou=deck,dc=example: lockout_attempts": "never", "policy ou=deck,dc=example: max_age": "never",
		"account gil: password_usable": "false", "account hal: storage": "cleartext", "account hal: password_usable": "true",
		"account ida: password_usable": "", "account ada: storage": "salted slow"})
	said = read(t, "passwordLockout: on\npasswordUnlock: off\n", person("ada", base, hash, "accountUnlockTime: 19700101000000Z"))
	intaketest.Hold(t, "for ever", said, map[string]string{"account ada: locked": "true", "account ada: locked_until": "never"})
}

// TestIdle: the account policy plug-in shuts out whom nobody used.
func TestIdle(t *testing.T) {
	for enabled, want := range map[string]string{"on": "true", "off": "false"} {
		plugin := "\ndn: cn=Account Policy Plugin,cn=plugins,cn=config\nnsslapd-pluginEnabled: " + enabled + "\n\n" +
			"dn: cn=config,cn=Account Policy Plugin,cn=plugins,cn=config\nstateattrname: lastLoginTime\naltstateattrname: " +
			"createTimestamp\n" +
			"accountInactivityLimit: 864000\n"
		said := read(t, "cn: x\n"+plugin, person("ada", base, hash, "lastLoginTime: 20261101000000Z")+
			person("bo", base, hash, "lastLoginTime: 20261122000000Z"))
		intaketest.Hold(t, enabled, said, map[string]string{"account ada: locked": want, "account bo: locked": "false"})
	}
	for what, config := range map[string]string{"not in the export": "", "without its settings": strings.Replace(noPlugin, "off", "on", 1)} {
		said := read(t, "cn: x\n"+config, person("ada", base, hash, "lastLoginTime: 20261101000000Z"))
		intaketest.Hold(t, "the plug-in "+what, said, map[string]string{"account ada: locked": ""})
	}
}

// TestAccess: who may set others' passwords.
func TestAccess(t *testing.T) {
	group := "dn: cn=keepers,dc=example\nobjectClass: groupOfNames\ncn: keepers\nmember: cn=inner,dc=example\n\n" +
		"dn: cn=inner,dc=example\nobjectClass: groupOfNames\ncn: inner\nmember: uid=ada,dc=example\n\n"
	for rule, want := range map[string]string{
		`(targetattr="userPassword")(version 3.0; acl "a"; allow (write) userdn="ldap:///uid=ada,dc=example";)`:                         "true",
		`(targetattr="*")(version 3.0; acl "a"; allow (all) groupdn="ldap:///cn=keepers,dc=example";)`:                                  "true",
		`(targetattr="cn || sn")(version 3.0; acl "a"; allow (write) userdn="ldap:///uid=ada,dc=example";)`:                             "false",
		`(targetattr!="cn || sn")(version 3.0; acl "a"; allow (write) userdn="ldap:///uid=ada,dc=example";)`:                            "true",
		`(targetattr="userPassword")(version 3.0; acl "a"; allow (write) userdn="ldap:///self";)`:                                       "false",
		`(targetattr="userPassword")(version 3.0; acl "a"; allow (read) userdn="ldap:///uid=ada,dc=example";)`:                          "false",
		`(targetattr="*")(targetfilter="(cn=x)")(version 3.0; acl "a"; allow (write) userdn="ldap:///uid=ada,dc=example";)`:             "",
		`(targetattr="*")(version 3.0; acl "a"; allow (write) userdn="ldap:///anyone";)`:                                                "true",
		`(targetattr="*")(version 3.0; acl "a"; allow (write) userdn="ldap:///uid=ada,dc=example" and ip="192.0.2.1";)`:                 "",
		`(target="ldap:///ou=away,dc=example")(targetattr="*")(version 3.0; acl "a"; allow (all) userdn="ldap:///uid=ada,dc=example";)`: "false",
	} {
		said := read(t, "", "dn: dc=example\nobjectClass: domain\naci: "+rule+"\n\n"+group+person("ada", base,
			hash)+person("bo", base, hash))
		intaketest.Hold(t, rule, said, map[string]string{"account ada: privileged": want})
	}
}

// TestManyAccounts: a rule is tried on some accounts only, and where it is for none of
// these, it may be for one of the others.
func TestManyAccounts(t *testing.T) {
	rule := `(target="ldap:///ou=zoo,dc=example")(targetattr="*")(version 3.0; acl "a"; allow (all) userdn="ldap:///uid=ada,dc=example";)`
	for count, want := range map[int]string{10: "true", ldif.MostSampled: ""} {
		var b strings.Builder
		for i := range count {
			b.WriteString(person(fmt.Sprintf("m%06d", i), base, hash))
		}
		said := read(t, "", "dn: dc=example\nobjectClass: domain\naci: "+rule+"\n\n"+person("ada", base, hash)+b.String()+person("zz", "ou=zoo,dc=example", hash))
		intaketest.Hold(t, fmt.Sprint(count), said, map[string]string{"account ada: privileged": want, "account m000001: privileged": "false"})
	}
}

// TestHiddenSwitch: a search must name passwordHistory, or it is not shown.
func TestHiddenSwitch(t *testing.T) {
	said, notes := intaketest.Read(t, Format, []string{"d.ldif"}, map[string]string{"d.ldif": localPolicy + person("ada", base, hash)})
	intaketest.Hold(t, "no config, no word that all was seen", said, map[string]string{"policy ou=deck,dc=example: history": "",
		"policy ou=deck,dc=example: lockout_attempts": "never", "account ada: locked": "", "account ada: enabled": ""})
	if !strings.Contains(notes.List()[0].Message, "not visible") {
		t.Error(notes.List())
	}
}

// TestGrades: the names that this server has for schemes.
func TestGrades(t *testing.T) {
	for value, want := range map[string]facts.Tri{"{PBKDF2_SHA256}x": facts.Yes, "{SSHA512}x": facts.Yes,
		"{CRYPT}!": facts.No, "": facts.No,
		"{NEW}x": facts.Unknown, "open": facts.Yes} {
		if got := letsIn(value); got != want {
			t.Errorf("%.8q: %s", value, got)
		}
	}
}
