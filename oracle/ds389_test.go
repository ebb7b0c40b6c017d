package oracle

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/livetest"
)

// A ds389 is a scenario of a 389 directory.
type ds389 struct {
	random *rand.Rand
	taken  int64
	events []event
	names  []string
	dn     map[string]string
	form   map[string]string // as it was given to the server
	about  map[string]string
	url    string
}

const managerOf389 = "-x -D 'cn=Directory Manager' -w Root+Flow-1"

func (d *ds389) event(after int64, command string) {
	d.events = append(d.events, event{time.Unix(d.taken+after, 0), command})
}

func (d *ds389) modify(after int64, ldif string) {
	d.event(after, "again ldapmodify -c -H "+d.url+" "+managerOf389+" <<'LDIF' >/tmp/said || { cat /tmp/said; exit 1; }\n"+ldif+"\nLDIF")
}

// again are functions for scripts that ask a server which, where the machine is
// busy, sometimes ends itself when a connection does (seen of 3.1.2): it is
// started again, and asked again.
func (d *ds389) again() string {
	return "begin() { " + strings.TrimSuffix(d.begin(), "\n") + "; }\n" + `again() {
	local n code input=; [ -t 0 ] || input=$(cat)
	for n in 1 2 3; do
		code=0; out=$("$@" 2>&1 <<< "$input") || code=$?
		case $out in *"Can't contact"*) begin;; *) [ $n = 1 ] || code=0; break;; esac
	done
	echo "$out"; return $code
}
`
}

// start makes an instance, and gives it rules.
func (d *ds389) start(r *livetest.Root) {
	d.url = "ldap://127.0.0.1:" + r.Port("1390")
	r.Once("ds389", "srv/ds", `cat > /tmp/inst.inf <<X
[general]
config_version = 2
full_machine_name = localhost
start = False
strict_host_checking = False
selinux = False
systemd = False
[slapd]
instance_name = quay
port = `+r.Port("1390")+`
secure_port = `+r.Port("1391")+`
root_dn = cn=Directory Manager
root_password = Root+Flow-1
self_sign_cert = False
[backend-userroot]
suffix = dc=quay,dc=example
create_suffix_entry = True
sample_entries = no
X
sed -i 's/with_systemd = 1/with_systemd = 0/' /usr/share/dirsrv/inf/defaults.inf
dscreate from-file /tmp/inst.inf >/dev/null 2>&1
mkdir -p /srv/ds; cp -a /etc/dirsrv /srv/ds/etc; cp -a /var/lib/dirsrv /srv/ds/lib
`)
	// Where its clock leaps, no connection is idle. The manager's password is hashed
	// once, and no time is spent on measuring how fast this machine hashes.
	r.Run(`rm -rf /etc/dirsrv /var/lib/dirsrv; cp -a /srv/ds/etc /etc/dirsrv; cp -a /srv/ds/lib /var/lib/dirsrv
sed -z -i 's/\n //g; s/\nnsslapd-idletimeout[^\n]*//; s/\ndn: cn=config\n/&nsslapd-idletimeout: 0\n/
s|\nnsslapd-rootpw:[^\n]*|\nnsslapd-rootpw: {SSHA256}+ajsUHLxQP4Y/TLgYvPVuNAbv6BrtaeqLLHegRjla/hxdWF5c2FsdA==|
s/\(\ncn: PBKDF2_SHA256\n\([^\n][^\n]*\n\)*nsslapd-pluginEnabled: \)on/\1off/' /etc/dirsrv/slapd-quay/dse.ldif
mkdir -p /run/dirsrv /run/lock/dirsrv/slapd-quay /var/log/dirsrv/slapd-quay; chown -R dirsrv:dirsrv /run/dirsrv /run/lock/dirsrv /var/log/dirsrv`)
	p := d.random
	d.modify(-150*day, "dn: cn=config\nchangetype: modify\n"+d.rules(func(name, value string) string {
		return "replace: " + name + "\n" + asLine(name, value) + "-\n"
	})+
		"replace: nsslapd-pwpolicy-local\nnsslapd-pwpolicy-local: on\n-\nreplace: passwordStorageScheme\npasswordStorageScheme: SSHA256\n")
	if p.IntN(2) == 0 {
		d.modify(-150*day, "dn: cn=Account Policy Plugin,cn=plugins,cn=config\nchangetype: modify\nreplace: "+
			"nsslapd-pluginEnabled\nnsslapd-pluginEnabled: on\n\n"+
			"dn: cn=config,cn=Account Policy Plugin,cn=plugins,cn=config\nchangetype: modify\nreplace: "+
			"alwaysrecordlogin\nalwaysrecordlogin: yes\n-\n"+
			"replace: stateattrname\nstateattrname: lastLoginTime\n-\nreplace: altstateattrname\naltstateattrname: createTimestamp\n-\n"+
			"replace: specattrname\nspecattrname: acctPolicySubentry\n-\nreplace: limitattrname\nlimitattrname: "+
			"accountInactivityLimit\n-\n"+
			"replace: accountInactivityLimit\naccountInactivityLimit: 1728000")
	}
	d.event(-150*day, "drop ns-slapd; begin")
	aci := ""
	for i, who := range []string{"userdn=\"ldap:///uid=d01,dc=quay,dc=example\"", "groupdn=\"ldap:///cn=keepers,dc=quay,dc=example\"",
		"userdn=\"ldap:///self\"", "userdn=\"ldap:///uid=d02,ou=deck,dc=quay,dc=example\" or " +
			"userdn=\"ldap:///uid=d03,dc=quay,dc=example\""} {
		rights := pick2(i == 2, "write", pick(p, "write", "all", "read,search"))
		aci += fmt.Sprintf("aci: (targetattr=\"%s\")(version 3.0; acl \"rule %d\"; allow (%s) %s;)\n", pick2(i == 2, "userPassword",
			pick(p, "userPassword", "*", "cn || sn", "userPassword || cn")), i, rights, who)
	}
	if p.IntN(2) == 0 {
		aci += "aci: (targetattr=\"userPassword\")(version 3.0; acl \"not these\"; deny (write) " +
			"groupdn=\"ldap:///cn=chiefs,dc=quay,dc=example\";)\n"
	}
	d.modify(-149*day, "dn: "+quay+"\nchangetype: modify\nadd: aci\n"+aci)
	tree := ""
	for _, unit := range []string{"deck", "office"} {
		tree += "dn: ou=" + unit + "," + quay + "\nchangetype: add\nobjectClass: organizationalUnit\nou: " + unit + "\n\n"
	}
	tree += d.local("ou=deck,"+quay, "nsPwTemplateEntry", true) + d.local("uid=d04,ou=office,"+quay, "", false)
	for n, group := range []string{"keepers", "chiefs"} {
		tree += "dn: cn=" + group + "," + quay + "\nchangetype: add\nobjectClass: groupOfNames\ncn: " + group +
			"\nmember: uid=d05,ou=deck," + quay +
			"\nmember: uid=d06,ou=deck," + quay + "\nmember: uid=d07," + quay + pick2(n == 0, "\nmember: cn=chiefs,"+quay, "") + "\n\n"
	}
	role := func(name, classes, more string) string {
		return "dn: cn=" + name + "," + quay + "\nchangetype: add\nobjectClass: ldapsubentry\nobjectClass: nsRoleDefinition\n" + classes + "cn: " +
			name + "\n" + more + "\n"
	}
	// A role that inactivates who has it, as the server's own tools make it.
	tree += role("nsManagedDisabledRole", "objectClass: nsSimpleRoleDefinition\nobjectClass: nsManagedRoleDefinition\n", "") +
		role("nsDisabledRole", "objectClass: nsComplexRoleDefinition\nobjectClass: nsNestedRoleDefinition\n",
			"nsRoleDN: cn=nsManagedDisabledRole,"+quay+"\n") +
		"dn: cn=nsAccountInactivationTmp," + quay + "\nchangetype: add\nobjectClass: nsContainer\ncn: nsAccountInactivationTmp\n\n" +
		"dn: cn=\"cn=nsDisabledRole," + quay + "\",cn=nsAccountInactivationTmp," + quay +
		"\nchangetype: add\nobjectClass: extensibleObject\n" +
		"objectClass: costemplate\nobjectClass: ldapsubentry\ncosPriority: 0\nnsAccountLock: true\n\n" +
		"dn: cn=nsAccountInactivation_cos," + quay + "\nchangetype: add\nobjectClass: ldapsubentry\nobjectClass: cosSuperDefinition\n" +
		"objectClass: cosClassicDefinition\ncn: nsAccountInactivation_cos\ncosTemplateDn: cn=nsAccountInactivationTmp," + quay +
		"\ncosSpecifier: nsRole\ncosAttribute: nsAccountLock operational\n\n"
	d.modify(-148*day, tree)
}

// rules are settings at random, each in a form that takes its name and value.
func (d *ds389) rules(form func(name, value string) string) string {
	p := d.random
	text := ""
	for _, set := range [][2]string{{"passwordExp", pick(p, "on", "off")}, {"passwordMaxAge", pick(p, "2592000", "864000")},
		{"passwordMustChange", pick(p, "on", "off")}, {"passwordLockout", pick(p, "on", "on", "off")},
		{"passwordMaxFailure", pick(p, "2", "3")},
		{"passwordUnlock", pick(p, "on", "on", "off")}, {"passwordLockoutDuration", pick(p, "600", "3600")},
		{"passwordResetFailureCount", "600"},
		{"passwordGraceLimit", pick(p, "0", "2")}, {"passwordLegacyPolicy", pick(p, "on", "off")}, {"passwordChange", "on"}} {
		if p.IntN(5) > 0 {
			text += form(set[0], set[1])
		}
	}
	return text
}

func asLine(name, value string) string { return name + ": " + value + "\n" }

// local is a policy of an entry or a subtree.
func (d *ds389) local(of, template string, subtree bool) string {
	under := of
	if !subtree {
		_, under, _ = strings.Cut(of, ",")
	}
	container := "cn=nsPwPolicyContainer," + under
	policy := fmt.Sprintf("cn=\"cn=nsPwPolicyEntry,%s\",%s", of, container)
	text := fmt.Sprintf("dn: %s\nchangetype: add\nobjectClass: nsContainer\ncn: nsPwPolicyContainer\n\ndn: %s\nchangetype: "+
		"add\nobjectClass: ldapsubentry\n"+
		"objectClass: passwordpolicy\ncn: cn=nsPwPolicyEntry,%s\n%s\n", container, policy, of,
		strings.ReplaceAll(strings.ReplaceAll(d.rules(asLine), "passwordLegacyPolicy: on\n", ""),
			"passwordLegacyPolicy: off\n", ""))
	if subtree {
		text += fmt.Sprintf("dn: cn=\"cn=nsPwTemplateEntry,%[1]s\",%[2]s\nchangetype: add\nobjectClass: "+
			"extensibleObject\nobjectClass: costemplate\n"+
			"objectClass: ldapsubentry\ncn: cn=nsPwTemplateEntry,%[1]s\ncosPriority: 1\npwdpolicysubentry: %[3]s\n\n"+
			"dn: cn=nsPwPolicy_CoS,%[1]s\nchangetype: add\nobjectClass: ldapsubentry\nobjectClass: "+
			"cosSuperDefinition\nobjectClass: cosPointerDefinition\n"+
			"cn: nsPwPolicy_CoS\ncosTemplateDn: cn=\"cn=nsPwTemplateEntry,%[1]s\",%[2]s\ncosAttribute: pwdpolicysubentry "+
			"default operational-default\n\n", of,
			container, policy)
	}
	return text
}

func (d *ds389) accounts() {
	p := d.random
	edge := func() int64 { return int64(pick(p, -1, 0, 1, realmLater, -5000, 5000)) }
	d.dn, d.form, d.about = map[string]string{}, map[string]string{}, map[string]string{}
	for i := range 44 {
		name, password := fmt.Sprintf("d%02d", i), realmPassword(i)
		under := pick(p, "", "ou=deck,", "ou=office,") + quay
		switch i {
		case 4:
			under = "ou=office," + quay
		case 1, 3, 7:
			under = quay
		case 2, 5, 6:
			under = "ou=deck," + quay
		}
		dn := "uid=" + name + "," + under
		d.names, d.dn[name] = append(d.names, name), dn
		form := pick(p, password, password, password, "{CLEAR}"+password, "{TOMORROW}"+password, "")
		if form != password {
			form = pick(p, form, password)
		}
		d.form[name] = form
		made := -int64(pick(p, 10, 30))*day + edge()
		entry := "dn: " + dn + "\nchangetype: add\nobjectClass: inetOrgPerson\nobjectClass: " +
			"organizationalPerson\nobjectClass: person\nuid: " + name + "\ncn: " + name +
			"\nsn: " + name + "\n"
		if form != "" {
			entry += "userPassword: " + form + "\n"
		}
		d.modify(made, entry)
		d.about[name] = under + " " + form[:min(len(form), 6)]
		note := func(after int64, lines string) {
			d.about[name] += " " + strings.ReplaceAll(lines, "\n", " ")
			d.modify(after, "dn: "+dn+"\nchangetype: modify\n"+lines)
		}
		visit := func(after int64, password string, times int) {
			d.about[name] += fmt.Sprintf(" %d tries at %d", times, after)
			d.event(after, strings.Repeat(fmt.Sprintf("again ldapwhoami -H %s -x -D %s -w '%s' </dev/null >/dev/null || :\n", d.url, dn,
				password), times))
		}
		switch i % 11 {
		case 1:
			note(-100, pick(p, "replace: nsAccountLock\nnsAccountLock: true", "replace: nsAccountLock\nnsAccountLock: false",
				"replace: nsRoleDN\nnsRoleDN: cn=nsManagedDisabledRole,"+quay))
		case 3:
			note(-100, "replace: userPassword\nuserPassword: "+password)
			d.form[name] = password
		case 4:
			if i == 4 {
				container := "cn=nsPwPolicyContainer,ou=office," + quay
				note(made+10, "replace: pwdpolicysubentry\npwdpolicysubentry: cn=\"cn=nsPwPolicyEntry,"+dn+"\","+container)
				note(made+20, "replace: userPassword\nuserPassword: "+password)
				d.form[name] = password
			}
		case 5, 6, 7:
			visit(min(0, -int64(pick(p, 0, 600, 3600))+edge()%600), "wrong", pick(p, 1, 2, 3, 4))
		case 8:
			visit(-int64(pick(p, 5, 20))*day+edge(), password, 1)
		case 9:
			visit(-30, password, p.IntN(4))
		case 10:
			note(-200, "replace: passwordExpirationTime\npasswordExpirationTime: "+time.Unix(d.taken+edge(),
				0).UTC().Format("20060102150405Z"))
		}
	}
	for n, victim := range []string{"uid=v1,", "uid=v2,ou=deck,", "uid=v3,ou=office,"} {
		d.modify(-140*day, fmt.Sprintf("dn: %s%s\nchangetype: add\nobjectClass: inetOrgPerson\nuid: v%d\ncn: v\nsn: "+
			"v\nuserPassword: Same+Flow-1\n", victim, quay, n+1))
	}
	for _, name := range []string{"cand", "last"} {
		d.modify(-2*day, "dn: ou="+name+","+quay+"\nchangetype: add\nobjectClass: organizationalUnit\nou: "+name+"\n\n"+
			strings.Replace(d.local("ou="+name+","+quay, "", true), "objectClass: passwordpolicy\n",
				"objectClass: passwordpolicy\n"+d.quality(name), 1))
		d.modify(-day, "dn: uid="+name+",ou="+name+","+quay+"\nchangetype: add\nobjectClass: inetOrgPerson\nuid: "+
			""+name+"\ncn: "+name+"\nsn: "+name+"\nuserPassword: Own+Flow-1\n")
	}
	d.event(-day+30, "for i in $(seq 600); do ldapsearch -x -LLL -H "+d.url+" "+managerOf389+" -b uid=last,ou=last,"+quay+
		" pwdpolicysubentry | grep -qi 'pwdpolicysubentry: ' && break; LD_PRELOAD= sleep 0.1; done") // it finds policies when it gets to it
	for n := range 6 {
		d.event(-day+int64(n+1)*60, "LD_PRELOAD= sleep 1.1") // its history is dated by a clock that it looks at once a second
		d.modify(-day+int64(n+1)*60, "dn: uid=last,ou=last,"+quay+"\nchangetype: modify\nreplace: userPassword\nuserPassword: "+old(n))
	}
}

// quality is what the candidates, or old passwords, are asked.
func (d *ds389) quality(name string) string {
	p := d.random
	if name == "last" {
		return "passwordHistory: " + pick(p, "on", "off") + "\npasswordInHistory: " + pick(p, "1", "3") + "\n"
	}
	return fmt.Sprintf("passwordCheckSyntax: %s\npasswordMinLength: %d\npasswordMinDigits: %d\npasswordMinUppers: "+
		"%d\npasswordMinCategories: %d\n"+
		"passwordMaxRepeats: %d\n", pick(p, "on", "on", "off"), pick(p, 6, 8, 10), pick(p, 0, 1), pick(p, 0, 1),
		pick(p, 1, 2, 3), pick(p, 0, 2, 3))
}

func (d *ds389) begin() string {
	// One start in some hundred ends at once, and says nothing.
	return fmt.Sprintf("for k in 1 2 3 4; do rm -rf /run/lock/dirsrv/slapd-quay/* /tmp/ns-slapd.pid; ns-slapd -D /etc/dirsrv/slapd-quay -i "+
		"/tmp/ns-slapd.pid >/dev/null 2>&1 && break; LD_PRELOAD= sleep 0.5; done; for i in $(seq 2400); do [ -s /tmp/ns-slapd.pid ] && ldapsearch -x -H %s -s base -b '' 1.1 >/dev/null 2>&1 && break; LD_PRELOAD= sleep 0.05; done\n"+
		"[ $i -lt 2400 ] || { echo no start; tail -5 /var/log/dirsrv/slapd-quay/errors; exit 7; }\n", d.url)
}

func (d *ds389) restore(after int64) string {
	return "rm -rf /var/lib/dirsrv /etc/dirsrv /dev/shm/slapd-quay*; cp -a /root/lib /var/lib/dirsrv; cp -a /root/etc " +
		"/etc/dirsrv; " + d.again() + fmt.Sprintf("clock %d; begin\n", d.taken+after)
}

// TestLive389 holds the reader of 389 directories against ones that were lived
// in.
func TestLive389(t *testing.T) {
	t.Parallel() // its servers mostly wait
	scenarios(t, "389 directory", "389-directory", eachAlone, func(t *testing.T, r *livetest.Root, random *rand.Rand, commands string, c *tally) {
		d := &ds389{random: random, taken: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Unix() + int64(random.IntN(day))}
		d.start(r)
		d.accounts()
		commands = strings.NewReplacer("ldap://SERVER", d.url, "BINDDN", "cn=Directory Manager", "-W", "-w Root+Flow-1", "SUFFIX", quay).
			Replace(commands)
		r.Write("tmp/take", commands+"\nldapsearch -x -LLL -o ldif-wrap=no -H "+d.url+" "+managerOf389+" -b uid=last,ou=last,"+quay+
			" passwordHistory > /root/last.ldif\n")
		r.Run(clocked + d.again() + "exec 2>&1\necho +0 > /etc/faketimerc\n" + fmt.Sprintf("clock %d; begin\n", d.taken-150*day) + history(d.events) +
			fmt.Sprintf("mkdir /root/export; cd /root/export; clock %d\nfor n in 1 2 3; do bash -eu /tmp/take && break; [ $n -lt 3 ]; begin; done\n"+
				"end ns-slapd; cp -a /var/lib/dirsrv /root/lib; cp -a /etc/dirsrv /root/etc\n", d.taken))
		e := newEstateFrom(t, r.Path("root/export"), "389-directory", "config.ldif", "directory.ldif")
		for _, after := range []int64{0, 1, realmLater - 1, realmLater, realmLater + 1} {
			d.visits(r, c, e, after)
		}
		d.rights(r, c, e)
		d.candidates(r, c, e)
		d.took(t, r)
	})
}

// took holds what the tool takes from the directory itself against what was taken by
// hand: every statement is the same.
func (d *ds389) took(t *testing.T, r *livetest.Root) {
	e := newEstateFrom(t, r.Path("root/export"), "389-directory", "config.ldif", "directory.ldif")
	secret := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(secret, []byte("Root+Flow-1"), 0o600); err != nil {
		t.Fatal(err)
	}
	e.write("estate.yaml", fmt.Sprintf(`estate: Live
systems:
  live:
    rules: live
    export: {read: 389-directory, from: [x/config.ldif, x/directory.ldif]}
    source: {ask: ldap, address: %q, user: cn=Directory Manager, secret: file %s, base: %q}
`, "ldapi://"+url.QueryEscape(r.Path("run/slapd-quay.socket")), secret, quay))
	d.steady(r, clocked+d.restore(0)+"rm -rf /root/again; mkdir /root/again; cd /root/again; bash -eu /tmp/take")
	byHand := newEstateFrom(t, r.Path("root/again"), "389-directory", "config.ldif", "directory.ldif")
	run(t, e.folder, "", "take")
	r.Run(clocked + "drop ns-slapd")
	for _, after := range []int64{0, realmLater + 1} {
		at := moment(time.Unix(d.taken+after, 0))
		if want, got := byHand.facts(at), e.facts(at); !reflect.DeepEqual(want, got) {
			for login := range want {
				if !reflect.DeepEqual(want[login], got[login]) {
					t.Errorf("%s at +%d: by hand %v, taken %v", login, after, want[login], got[login])
				}
			}
			if len(want) != len(got) {
				t.Errorf("%d accounts by hand, %d taken", len(want), len(got))
			}
		}
	}
}

// steady runs a script that begins with restore, and once more where the server went
// away in the middle, as it does once in some hundred times.
func (d *ds389) steady(r *livetest.Root, script string) string {
	out, err := r.Try("set -eu -o pipefail\n" + script)
	if err == nil {
		return out
	}
	_, _ = r.Try(clocked + "drop ns-slapd")
	return r.Run(script)
}

// visits signs in as each account, so many seconds after the export.
func (d *ds389) visits(r *livetest.Root, c *tally, e *estate, after int64) {
	var b strings.Builder
	b.WriteString(clocked + d.restore(after))
	for i, name := range d.names {
		ask := fmt.Sprintf("again ldapwhoami -e ppolicy -H %s -x -D %s -w", d.url, d.dn[name])
		password := realmPassword(i)
		if form := d.form[name]; form == "" || strings.HasPrefix(form, "{TOMORROW}") {
			password = orBlank(form) // a scheme that nobody knows is part of the password
		}
		fmt.Fprintf(&b, "clock %d; %s '%s' </dev/null | tr '\\n' ' ' || :; told %[1]d\n", d.taken+after, ask, password)
	}
	lines := strings.Split(d.steady(r, b.String()+"drop ns-slapd\n"), "\n")
	said := e.facts(moment(time.Unix(d.taken+after, 0)))
	for i, name := range d.names {
		a, who, line := said[name], fmt.Sprintf("%s (%s) at +%d", name, d.about[name], after), lines[i]
		if c.tooLate(line) {
			continue
		}
		in := strings.Contains(line, "dn:") || strings.Contains(line, "must be changed")
		c.hold(who, "a right password lets in", a["enabled"].And(a["locked"].Not()).And(a["password_usable"]).And(a["shut"].Not()), in, line)
		if in {
			c.hold(who, "a new password is asked for", a["overdue"].Or(a["must_change"]), strings.Contains(line, "must be changed") ||
				strings.Contains(line, "grace") || strings.Contains(line, "Password expired"), line)
		}
	}
}

// rights has each account set the passwords of others.
func (d *ds389) rights(r *livetest.Root, c *tally, e *estate) {
	ask := ""
	for _, victim := range []string{"uid=v1,", "uid=v2,ou=deck,", "uid=v3,ou=office,"} {
		ask += "dn: " + victim + quay + "\nchangetype: modify\nreplace: userPassword\nuserPassword: Same+Flow-1\n\n"
	}
	r.Write("tmp/ask.ldif", ask)
	var b strings.Builder
	b.WriteString(clocked + d.restore(0))
	for i, name := range d.names {
		fmt.Fprintf(&b, "clock %d; again ldapmodify -c -v -H %s -x -D %s -w '%s' -f /tmp/ask.ldif </dev/null | grep -E "+
			"'complete|Insuff|ldap_bind|unwilling|Unwilling' | "+
			"sort -u | tr '\\n' ' ' || :; echo\n", d.taken, d.url, d.dn[name], realmPassword(i))
	}
	lines := strings.Split(r.Run(b.String()+"drop ns-slapd\n"), "\n")
	said := e.facts("")
	for i, name := range d.names {
		if !strings.Contains(lines[i], "ldap_bind") && !strings.Contains(strings.ToLower(lines[i]), "unwilling") {
			c.hold(name+" ("+d.dn[name]+")", "sets others' passwords", said[name]["privileged"],
				strings.Contains(lines[i], "complete"), lines[i])
		}
	}
}

// candidates has the owner set the password to each of them, and to old ones.
func (d *ds389) candidates(r *livetest.Root, c *tally, e *estate) {
	all := invented(d.random, 300, 9, "cand", "quill", "harbour")
	var b strings.Builder
	for _, p := range all {
		fmt.Fprintf(&b, "dn: uid=cand,ou=cand,%s\nchangetype: modify\nreplace: userPassword\nuserPassword: %s\n\n", quay, p)
	}
	r.Write("tmp/candidates.ldif", b.String())
	out := ""
	for n := range 3 {
		out, _ = r.Try(clocked + pick2(n > 0, "drop ns-slapd\n", "") + d.restore(0) + fmt.Sprintf("clock %d; ldapmodify -c -S "+
			"/tmp/refused -H %s -x -D uid=cand,ou=cand,%s -w Own+Flow-1 -f /tmp/candidates.ldif 2>&1 | tail -3\n",
			d.taken, d.url, quay))
		if !strings.Contains(out, "Can't contact") {
			break
		}
	}
	refused := refusedIn(r.Read("tmp/refused"))
	for i, said := range e.verdicts("cand", "Own+Flow-1", all) {
		c.hold("cand", "the password is accepted", said, !refused[all[i]], all[i], out)
	}
	barred := 0
	fmt.Sscan(e.setting("ou=last,"+quay, "history"), &barred)
	stamps := map[string]bool{}
	kept := regexp.MustCompile(`passwordHistory: (\d+Z)`).FindAllStringSubmatch(r.Read("root/last.ldif"), -1)
	for _, m := range kept {
		stamps[m[1]] = true
	}
	if len(stamps) < len(kept) || len(kept) < barred || !everyMinute(slices.Sorted(maps.Keys(stamps))) {
		c.t.Logf("%s: old passwords are not asked: %d are barred, %d are kept, of %d seconds", c.where, barred, len(kept), len(stamps))
		r.Run(clocked + "drop ns-slapd\n")
		return // a busy server dates two alike, or saw the policy only after the changes
	}
	type trial struct {
		before   int // the present password
		accepted bool
		out      string
	}
	ask := func() (list []trial, asSaid bool) {
		asSaid = true
		for n := 5; n >= 0; n-- {
			out, _ := r.Try(clocked + d.again() + fmt.Sprintf("clock %d; again ldapmodify -H %s -x -D uid=last,ou=last,%s -w '%s' "+
				"<<'LDIF'\ndn: uid=last,ou=last,%[3]s\n"+
				"changetype: modify\nreplace: userPassword\nuserPassword: %[5]s\nLDIF\n", d.taken, d.url, quay, old(5), old(n)))
			x := trial{5 - n, !strings.Contains(out, "ldap_"), out}
			list, asSaid = append(list, x), asSaid && x.accepted == (x.before > barred || barred == 0)
			if x.accepted {
				break
			}
		}
		return list, asSaid
	}
	list, asSaid := ask()
	if !asSaid { // a server that ended in between may have kept what it did not confirm: what is so stays so
		_, _ = r.Try(clocked + "drop ns-slapd\n" + d.restore(0))
		list, _ = ask()
	}
	for _, x := range list {
		c.hold("last", "an old password is accepted", facts.TriOf(x.before > barred || barred == 0), x.accepted,
			fmt.Sprintf("history %d, %d before the present one", barred, x.before), x.out)
	}
	r.Run(clocked + "drop ns-slapd\n")
}

// everyMinute reports whether moments are those of changes one after the other,
// which were made a minute apart: a busy server dates some by the clock of those
// before, and keeps one of two that are dated alike.
func everyMinute(stamps []string) bool {
	for i := 1; i < len(stamps); i++ {
		a, err := time.Parse("20060102150405Z", stamps[i-1])
		b, err2 := time.Parse("20060102150405Z", stamps[i])
		if gap := b.Sub(a); err != nil || err2 != nil || gap < 45*time.Second || gap > 75*time.Second {
			return false
		}
	}
	return true
}

// orBlank is for a client that takes no empty password.
func orBlank(text string) string {
	if text == "" {
		return " "
	}
	return text
}
