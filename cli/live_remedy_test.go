package cli

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// liveRules ask for more than servers come with; what a server cannot do, its
// remedy has to say.
const liveRules = `rules: live
clauses:
  - {id: length, expect: {min_length: at least 14}}
  - {id: kinds, expect: {min_digits: at least 2}}
  - {id: history, expect: {history: at least 9, min_age: at least 2 days}}
  - {id: age, expect: {max_age: at most 90 days, warn_before: at least 5 days}}
  - {id: lockout, expect: {lockout_attempts: at most 5, lockout_window: at least 20 minutes, lockout_duration: at least 20 minutes}}
  - {id: words, expect: {dictionary_barred: yes}}
  - {id: log, expect: {successes_logged: yes, idle_timeout: at most 30 minutes}}
  - {id: delay, expect: {failure_delay: at least 2 seconds}}
`

// mendLive carries a remedy out on a running server, and back: retake takes the
// export anew into a folder.
func mendLive(t *testing.T, entry string, retake func(folder string), apply func(lines string)) {
	t.Helper()
	folder := t.TempDir()
	for name, text := range map[string]string{"rules/live.yaml": liveRules,
		"estate.yaml": "estate: Live\nas_of: 2026-11-23\nsystems:\n  live:\n    rules: live\n    " + entry + "\n"} {
		if err := os.MkdirAll(filepath.Join(folder, filepath.Dir(name)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	take := func() {
		if err := os.MkdirAll(filepath.Join(folder, "x"), 0o755); err != nil {
			t.Fatal(err)
		}
		retake(filepath.Join(folder, "x"))
	}
	take()
	mend(t, folder, "live", func(blocks []toldBlock) {
		for _, b := range blocks {
			apply(strings.Join(b.Lines, "\n") + "\n")
		}
		take()
	})
}

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
		kadmin.local -q 'addprinc -policy crew -pw Ebb-and-flow-9 tide' ; kadmin.local -q 'addprinc -policy "two words" -pw Ebb-and-flow-9 mate'`)
	sets := 0
	commands := strings.NewReplacer("/etc/krb5kdc/", folder+"/", "/etc/krb5.conf", folder+"/krb5.conf").Replace(how(t, "kerberos", "kadmin.local", "cp"))
	mendLive(t, "export: {read: kerberos, from: x}", func(x string) { shell(t, x, env+commands) }, func(lines string) {
		if err := os.WriteFile(filepath.Join(folder, "lines"), []byte(lines), 0o600); err != nil {
			t.Fatal(err)
		}
		if out := shell(t, folder, env+"kadmin.local < lines 2>&1"); strings.Contains(out, "modify_policy:") {
			t.Fatal(out)
		}
		sets++ // the new life holds for passwords that are set after it
		shell(t, folder, env+fmt.Sprintf("kadmin.local -q 'cpw -pw Ebb-and-flow-%[1]d-again tide'; kadmin.local -q 'cpw -pw Ebb-and-flow-%[1]d-again mate'", sets+10))
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
	people := slapdPeople + `dn: cn=bare,ou=policies,dc=marrowby,dc=example
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
	mendLive(t, "export: {read: ldif, from: [x/directory-1.ldif, x/config.ldif]}", func(x string) {
		shell(t, x, "slapcat -F "+folder+"/slapd.d -n 0 -l config.ldif; slapcat -F "+folder+"/slapd.d -n 1 -l directory-1.ldif")
	}, func(lines string) {
		if err := os.WriteFile(filepath.Join(folder, "lines"), []byte(lines), 0o600); err != nil {
			t.Fatal(err)
		}
		shell(t, folder, "ldapmodify -x -H "+url+manager+"-f lines")
	})
}
