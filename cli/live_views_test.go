package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// slapdRules hide from the help desk what passwords rest on, and from nobody's
// eyes all but names.
const slapdRules = `access to dn.subtree="ou=policies,dc=marrowby,dc=example" by * none
access to attrs=userPassword,pwdHistory,pwdFailureTime,pwdAccountLockedTime,pwdChangedTime,pwdReset,pwdGraceUseTime,pwdPolicySubentry
  by anonymous auth by * none
access to attrs=entry,objectClass,uid,cn,sn by * read
access to * by users read by * none
`

const slapdPeople = `dn: dc=marrowby,dc=example
objectClass: dcObject
objectClass: organization
o: Marrowby
dc: marrowby

dn: ou=policies,dc=marrowby,dc=example
objectClass: organizationalUnit
ou: policies

dn: cn=default,ou=policies,dc=marrowby,dc=example
objectClass: device
objectClass: pwdPolicy
cn: default
pwdAttribute: userPassword
pwdCheckQuality: 2
pwdMinLength: 13
pwdInHistory: 6
pwdMaxAge: 2592000
pwdLockout: TRUE
pwdMaxFailure: 2
pwdLockoutDuration: 900
pwdMustChange: TRUE

dn: uid=tide,dc=marrowby,dc=example
objectClass: inetOrgPerson
uid: tide
cn: Tide
sn: Tide
userPassword: ebb-and-flow-by-night

dn: uid=mate,dc=marrowby,dc=example
objectClass: inetOrgPerson
uid: mate
cn: Mate
sn: Mate
userPassword: starboard-by-night

dn: uid=keel,dc=marrowby,dc=example
objectClass: inetOrgPerson
uid: keel
cn: Keel
sn: Keel
userPassword: below-the-waterline

dn: uid=desk,dc=marrowby,dc=example
objectClass: inetOrgPerson
uid: desk
cn: Desk
sn: Desk
userPassword: behind-the-counter

dn: cn=radar,dc=marrowby,dc=example
objectClass: applicationProcess
objectClass: simpleSecurityObject
cn: radar
userPassword: turning-and-turning

dn: cn=Jo Reef,dc=marrowby,dc=example
objectClass: person
cn: Jo Reef
sn: Reef
userPassword: a-contractor-of-spring

`

// TestLiveDirectoryViews: the same directory, searched as its administrator, as
// the help desk and as nobody. What is stated is true in all three, and no entry
// is lost without a word.
func TestLiveDirectoryViews(t *testing.T) {
	live(t, "slapd", "ldapadd", "ldapsearch", "ldappasswd")
	folder := openFolder(t)
	for _, sub := range []string{"db", "slapd.d"} {
		if err := os.Mkdir(filepath.Join(folder, sub), 0o700); err != nil {
			t.Fatal(err)
		}
	}
	config := fmt.Sprintf(strings.Replace(slapdConfig, "cn=default,dc", "cn=default,ou=policies,dc", 1), folder) + slapdRules
	for name, text := range map[string]string{"slapd.conf": config, "people.ldif": slapdPeople} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	url := "ldapi://" + strings.ReplaceAll(folder+"/socket", "/", "%2F")
	const manager = " -D cn=manager,dc=marrowby,dc=example -w manager-of-tests "
	shell(t, folder, "slaptest -f slapd.conf -F slapd.d >/dev/null 2>&1 || test -e slapd.d/cn=config.ldif")
	serve(t, func() bool { return exec.Command("ldapsearch", "-x", "-H", url, "-s", "base").Run() == nil },
		"slapd", "-d", "0", "-F", folder+"/slapd.d", "-h", url)
	shell(t, folder, "ldapadd -x -H "+url+manager+"-f people.ldif >/dev/null")
	shell(t, folder, "for i in 1 2; do ldapwhoami -x -H "+url+" -D uid=mate,dc=marrowby,dc=example -w wrong >/dev/null 2>&1 || true; done")
	shell(t, folder, "ldappasswd -x -H "+url+manager+"-s set-anew-by-the-desk uid=keel,dc=marrowby,dc=example")
	truth := map[string]map[string]string{}
	for _, login := range []string{"tide", "mate", "keel", "desk", "radar", "Jo Reef"} {
		truth[login] = map[string]string{"locked": "false", "must_change": "false", "enabled": "true"}
	}
	truth["mate"]["locked"], truth["keel"]["must_change"] = "true", "true"
	for _, c := range []struct {
		who, bind, entry string
		whole            bool
	}{
		{"the administrator", manager, "export: {read: ldif, from: x.ldif, view: whole}\n    default: default", true},
		{"the administrator, who does not say so", manager, "export: {read: ldif, from: x.ldif}\n    default: default", false},
		{"the help desk", " -D uid=desk,dc=marrowby,dc=example -w behind-the-counter ", "export: {read: ldif, from: x.ldif}", false},
		{"nobody", " ", "export: {read: ldif, from: x.ldif}", false},
	} {
		estate := t.TempDir()
		shell(t, estate, "ldapsearch -x -LLL -o ldif-wrap=no -H "+url+c.bind+"-b dc=marrowby,dc=example '(objectClass=*)' '*' '+' > x.ldif")
		text := "estate: Live\nas_of: " + strings.TrimSpace(shell(t, estate, "date -u '+%Y-%m-%d %H:%M:%S'")) +
			"\nsystems:\n  live:\n    " + c.entry + "\n"
		if err := os.WriteFile(filepath.Join(estate, "estate.yaml"), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		stdout, stderr, _ := runTool(t, estate, "intake", "--format", "json")
		seen := map[string]bool{}
		for line := range strings.Lines(stdout) {
			var l struct{ Account map[string]any }
			if json.Unmarshal([]byte(line), &l) != nil || l.Account == nil {
				continue
			}
			login := fmt.Sprint(l.Account["login"])
			seen[login] = true
			for fact, want := range truth[login] {
				got, said := l.Account[fact]
				if said && fmt.Sprint(got) != want || !said && c.whole {
					t.Errorf("%s: %s of %s is %v, and %s in truth", c.who, fact, login, got, want)
				}
			}
		}
		told, _, _ := runTool(t, estate, "intake")
		for login := range truth {
			if !seen[login] && !strings.Contains(told, "may be an account") {
				t.Errorf("%s: %s is lost without a word\n%s%s", c.who, login, told, stderr)
			}
		}
		if !c.whole && !strings.Contains(told, "not visible in this export") {
			t.Errorf("%s: nothing tells what was not visible\n%s", c.who, told)
		}
	}
}
