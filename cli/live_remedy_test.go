package cli

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"yewcone/cli/tooltest"
)

// TestLiveKerberosRemedy: modify_policy as printed, and back.
func TestLiveKerberosRemedy(t *testing.T) {
	live(t, "kadmin.local", "kdb5_util")
	folder := openFolder(t)
	env := fmt.Sprintf("export KRB5_CONFIG=%[1]s/krb5.conf KRB5_KDC_PROFILE=%[1]s/kdc.conf\n", folder)
	for name, text := range map[string]string{
		"krb5.conf": "[libdefaults]\n default_realm = MARROWBY.EXAMPLE\n",
		"kdc.conf":  "[realms]\n MARROWBY.EXAMPLE = {\n  database_name = " + folder + "/principal\n  key_stash_file = " + folder + "/stash\n }\n",
		"kadm5.acl": "",
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	shell(t, folder, env+"kdb5_util create -s -P not-for-anything >/dev/null\n"+
		`kadmin.local -q 'add_policy -maxlife "200 days" -minlength 8 -history 3 -maxfailure 20 -failurecountinterval "5 minutes" -lockoutduration "5 minutes" crew'
		kadmin.local -q 'add_policy "two words"'
		kadmin.local -q 'addprinc -policy crew -pw Ebb-and-flow-9 guest' ; kadmin.local -q 'addprinc -policy crew -pw Ebb-and-flow-9 tide' ; kadmin.local -q 'addprinc -policy "two words" -pw Ebb-and-flow-9 mate'`)
	sets := 0
	commands := strings.NewReplacer("/etc/krb5kdc/", folder+"/", "/etc/krb5.conf", folder+"/krb5.conf").Replace(how(t, "kerberos", "kadmin.local", "cp"))
	tooltest.MendLive(t, "export: {read: kerberos, from: x}", func(x string) { shell(t, x, env+commands) }, func(_, lines string) {
		if err := os.WriteFile(filepath.Join(folder, "lines"), []byte(lines), 0o600); err != nil {
			t.Fatal(err)
		}
		if out := shell(t, folder, env+"kadmin.local < lines 2>&1"); strings.Contains(out, "modify_policy:") {
			t.Fatal(out)
		}
		sets++ // the new life holds for passwords that are set after it
		shell(t, folder, env+fmt.Sprintf("kadmin.local -q 'cpw -pw Ebb-and-flow-%[1]d-again tide'; kadmin.local -q 'cpw -pw Ebb-and-flow-%[1]d-again mate'; "+
			"kadmin.local -q 'cpw -pw Ebb-and-flow-%[1]d-again guest'", sets+10))
	})
}

// TestLiveDirectoryRemedy: LDIF as printed for ldapmodify, and back.
func TestLiveDirectoryRemedy(t *testing.T) {
	live(t, "slapd", "ldapadd", "ldapmodify", "slapcat")
	folder := openFolder(t)
	for _, sub := range []string{"db", "slapd.d"} {
		if err := os.Mkdir(filepath.Join(folder, sub), 0o700); err != nil {
			t.Fatal(err)
		}
	}
	people := slapdPeople + `dn: uid=guest,dc=marrowby,dc=example
objectClass: inetOrgPerson
uid: guest
cn: Guest
sn: Guest
userPassword: under-the-water-line

dn: cn=bare,ou=policies,dc=marrowby,dc=example
objectClass: device
objectClass: pwdPolicy
cn: bare
pwdAttribute: userPassword

dn: uid=reef,dc=marrowby,dc=example
objectClass: inetOrgPerson
uid: reef
cn: Reef
sn: Reef
userPassword: under-the-water-line
pwdPolicySubentry: cn=bare,ou=policies,dc=marrowby,dc=example
`
	for name, text := range map[string]string{"people.ldif": people,
		"slapd.conf": fmt.Sprintf(strings.Replace(slapdConfig, "cn=default,dc", "cn=default,ou=policies,dc", 1), folder)} {
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
	tooltest.MendLive(t, "export: {read: ldif, from: [x/directory-1.ldif, x/config.ldif]}", func(x string) {
		shell(t, x, "slapcat -F "+folder+"/slapd.d -n 0 -l config.ldif; slapcat -F "+folder+"/slapd.d -n 1 -l directory-1.ldif")
	}, func(_, lines string) {
		if err := os.WriteFile(filepath.Join(folder, "lines"), []byte(lines), 0o600); err != nil {
			t.Fatal(err)
		}
		shell(t, folder, "ldapmodify -x -H "+url+manager+"-f lines")
	})
}
