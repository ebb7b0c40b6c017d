package oracle

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/livetest"
)

// A domain is a scenario of an Active Directory domain of Samba's.
type domain struct {
	random *rand.Rand
	taken  int64
	steps  []event // lines of Python
	names  []string
	about  map[string]string
}

const (
	domainDN  = "DC=quay,DC=example"
	domainURL = "ldapi://%2Fsrv%2Fad%2Fprivate%2Fldapi"
)

// sambaBegin starts a script in Python that works on the domain, with a clock
// of its own.
const sambaBegin = `import os, subprocess, sys
from samba.samdb import SamDB
from samba.param import LoadParm
from samba.auth import system_session
from samba.sd_utils import SDUtils
from samba.credentials import Credentials
import ldb
URL = '` + domainURL + `'
BASE = '` + domainDN + `'
def clock(t):
    now = int(subprocess.check_output(['date', '+%s%N'], env={'PATH': '/bin'}))
    n = t * 1000000000 + 50000000 - now
    with open('/etc/faketimerc.new', 'w') as f:
        f.write('%s%d.%09d' % ('-' if n < 0 else '+', abs(n) // 1000000000, abs(n) % 1000000000))
    os.rename('/etc/faketimerc.new', '/etc/faketimerc')
lp = LoadParm()
lp.load('/srv/ad/etc/smb.conf')
db = SamDB('/srv/ad/private/sam.ldb', session_info=system_session(), lp=lp)
def wrong(name, times):
    if subprocess.run(['ldapsearch', '-x', '-H', URL, '-s', 'base', '-b', '', '1.1'], capture_output=True).returncode != 0:
        subprocess.run(['/tmp/begin'], capture_output=True) # a leap of the clock ended it
    for i in range(times):
        subprocess.run(['ldapwhoami', '-x', '-H', URL, '-D', name + '@quay.example', '-w', 'wrong'], capture_output=True)
def dn(name):
    return str(db.search(BASE, expression='(sAMAccountName=' + name + ')', attrs=['cn'])[0].dn)
def mod(name, attr, value):
    db.modify_ldif('dn: %s\nchangetype: modify\nreplace: %s\n%s: %s\n' % (name if '=' in name else dn(name), attr, attr, value))
def flag(name, bit, keep=0xffffffff):
    old = int(str(db.search(BASE, expression='(sAMAccountName=' + name + ')', attrs=['userAccountControl'])[0]['userAccountControl']))
    mod(name, 'userAccountControl', (old & keep) | bit)
def rid(name):
    return db.get_domain_sid(), str(db.schema_format_value('objectSID', db.search(BASE, expression='(sAMAccountName=' + name + ')', attrs=['objectSid'])[0]['objectSid'][0]).decode())
def connect(name, password):
    c = Credentials()
    c.guess(lp)
    c.set_bind_dn(name + '@quay.example')
    c.set_password(password)
    return SamDB(URL, credentials=c, lp=lp)
def reset(db, who, password, old=None):
    m = ldb.Message()
    m.dn = ldb.Dn(db, who)
    new = ('"' + password + '"').encode('utf-16-le')
    if old is None:
        m['a'] = ldb.MessageElement(new, ldb.FLAG_MOD_REPLACE, 'unicodePwd')
    else:
        m['a'] = ldb.MessageElement(('"' + old + '"').encode('utf-16-le'), ldb.FLAG_MOD_DELETE, 'unicodePwd')
        m['b'] = ldb.MessageElement(new, ldb.FLAG_MOD_ADD, 'unicodePwd')
    db.modify(m)
`

// filetime is a moment as a domain counts it: in 100 ns since 1601.
func filetime(unix int64) int64 { return (unix + 11_644_473_600) * 10_000_000 }

// ticks is a length of time as policies have it.
func ticks(seconds int64) string {
	if seconds < 0 {
		return "-9223372036854775808" // for ever
	}
	return fmt.Sprint(-seconds * 10_000_000)
}

func (d *domain) step(after int64, format string, args ...any) {
	d.steps = append(d.steps, event{time.Unix(d.taken+after, 0), fmt.Sprintf(format, args...)})
}

// start unpacks a domain and gives it a policy.
func (d *domain) start(r *livetest.Root) {
	r.Once("domain", "srv/ad", clocked+`echo "@2025-06-01 06:00:00" > /etc/faketimerc; rm -f /etc/samba/smb.conf
FAKETIME_NO_CACHE= samba-tool domain provision --realm=QUAY.EXAMPLE --domain=QUAY --adminpass='Root+Flow-1' --server-role=dc --dns-backend=NONE \
	--host-name=quaydc --targetdir=/srv/ad --option="vfs objects = dfs_samba4 acl_xattr xattr_tdb" >/dev/null 2>&1
sed -i 's/server services = .*/server services = ldap\n\tldap server require strong auth = no\n\ttls enabled = no\n\tinterfaces = `+r.Port("127.0.0.1")+`\/8\n\tbind interfaces only = yes/' /srv/ad/etc/smb.conf
`)
	p := d.random
	length := func() string {
		return ticks(int64(pick(p, 0, 600, 3600, -1)))
	}
	age := func() string { return ticks(int64(pick(p, 0, 30*day, 60*day, -1, day))) }
	for _, set := range []string{"minPwdLength", "0", "pwdProperties", fmt.Sprint(pick(p, 0, 1, 1, 17)), "pwdHistoryLength",
		fmt.Sprint(pick(p, 0, 1, 3)),
		"minPwdAge", "0", "maxPwdAge", age(), "lockoutThreshold", fmt.Sprint(pick(p, 0, 2, 3)), "lockoutDuration", length(),
		"lockOutObservationWindow", length()} {
		if set != "" && set[0] >= 'a' {
			d.step(-150*day, "mod(BASE, %q, %%s)", set)
			continue
		}
		last := &d.steps[len(d.steps)-1]
		last.command = strings.Replace(last.command, "%s", "'"+set+"'", 1)
	}
	d.step(-150*day, `for g, t in (('crew', -2147483646), ('inner', -2147483646), ('mail', 2), ('local', -2147483644), ('desk', -2147483646)):
    db.newgroup(g, grouptype=t)`)
	d.step(-150*day, `db.create_ou('OU=deck,' + BASE); db.create_ou('OU=office,' + BASE)`)
	d.step(-149*day, `db.add_remove_group_members('crew', ['inner'], add_members_operation=True)`)
	for i, name := range []string{"first", "second", "third", "fourth", "candidates", "past"} {
		precedence := pick(p, 10, 10, 20, 30)
		applies := [][]string{{"crew"}, {"inner"}, {"local", "mail"}, {"desk"}, {}, {}}[i]
		text := fmt.Sprintf("dn: CN=%s,CN=Password Settings Container,CN=System,%s\nobjectClass: "+
			"msDS-PasswordSettings\nmsDS-PasswordSettingsPrecedence: %d\n"+
			"msDS-PasswordReversibleEncryptionEnabled: %s\nmsDS-PasswordHistoryLength: %d\nmsDS-PasswordComplexityEnabled: %s\n"+
			"msDS-MinimumPasswordLength: %d\nmsDS-MinimumPasswordAge: 0\nmsDS-MaximumPasswordAge: %s\nmsDS-LockoutThreshold: %d\n"+
			"msDS-LockoutObservationWindow: %s\nmsDS-LockoutDuration: %s\n", name, domainDN, precedence,
			pick(p, "TRUE", "FALSE"), pick(p, 0, 1, 3),
			pick(p, "TRUE", "FALSE"), pick(p, 0, 7, 9), pick2(i < 4, age(), ticks(-1)), pick(p, 0, 2, 3), length(), length())
		d.step(-148*day, "s = %q\nfor g in %s:\n    s += 'msDS-PSOAppliesTo: ' + dn(g) + '\\n'\ndb.add_ldif(s)", text, pythonList(applies))
	}
	d.step(-147*day, `flag('administrator', 0x10000)`) // whose password takes the export
	d.step(-147*day, `SDUtils(db).dacl_add_ace('OU=deck,' + BASE, '(OA;CIIO;CR;00299570-246d-11d0-a768-00aa006e0529;bf967aba-0de6-11d0-a285-00aa003049e2;%%s)' %% rid('desk')[1])`)
}

func pythonList(list []string) string {
	data, _ := json.Marshal(list)
	return string(data)
}

func (d *domain) accounts() {
	p := d.random
	// A domain counts fractions of seconds: nobody is asked in the second of an edge.
	edge := func() int64 { return int64(pick(p, -1, 1, realmLater, -5000, 5000)) }
	d.about = map[string]string{}
	for i := range 44 {
		name := fmt.Sprintf("m%02d", i)
		made := -int64(pick(p, 10, 30, 60))*day + edge()
		unit := pick(p, "None", "None", "'OU=deck'", "'OU=office'")
		d.step(made, "db.newuser(%q, %q, userou=%s)", name, realmPassword(i), unit)
		group := pick(p, "", "", "crew", "inner", "mail", "local", "desk", "Domain Admins", "Account Operators", "Backup Operators")
		if i%11 < 8 && group != "" {
			d.step(made+1, "db.add_remove_group_members(%q, [%q], add_members_operation=True)", group, name)
		}
		d.about[name] = unit + " " + group
		note := func(after int64, format string, args ...any) {
			d.about[name] += " " + fmt.Sprintf(format, args...)
			d.step(after, format, args...)
		}
		switch i % 11 {
		case 1:
			note(made+2, "flag(%q, %s)", name, pick(p, "0x2", "0x10000", "0x20", "0x80", "0x400000", "0x40000"))
		case 2:
			note(-600, "mod(%q, 'accountExpires', %d)", name, pick(p, 0, filetime(d.taken+edge()), 9223372036854775807))
		case 3:
			note(-500, "mod(%q, 'pwdLastSet', 0)", name)
			if p.IntN(2) == 0 {
				note(-400, "flag(%q, 0x10000)", name)
			}
		case 4:
			note(-100, "mod('CN=%s,CN=Password Settings Container,CN=System,' + BASE, 'msDS-PSOAppliesTo', dn(%q))",
				pick(p, "third", "fourth"), name)
		case 5, 6, 7:
			note(min(-1, -int64(pick(p, 0, 600, 3600))+edge()%600), "wrong(%q, %d)", name, pick(p, 1, 2, 3, 4))
		case 8:
			d.step(made+3, "db.add_remove_group_members('crew', [%q], add_members_operation=True)", name)
			note(made+4, "mod(%q, 'primaryGroupID', rid('crew')[1].split('-')[-1])", name)
		case 9:
			if p.IntN(2) == 0 { // whatever the policy of today says of locks
				note(-50, "mod(%q, 'lockoutTime', %d)", name, filetime(d.taken-int64(pick(p, 0, 600, 3600))+edge()%600))
			}
		case 10:
			note(made+5, "flag(%q, 0x40000)", name)
			note(made+6, "db.setpassword('(sAMAccountName=%s)', %q)", name, realmPassword(i))
		}
		d.names = append(d.names, name)
	}
	for _, name := range []string{"cand", "last", "v1", "v2", "v3"} {
		unit, ok := map[string]string{"v2": "'OU=deck'", "v3": "'OU=office'"}[name]
		d.step(-2*day, "db.newuser(%q, 'Own+Flow-1', userou=%s)", name, pick2(ok, unit, "None"))
	}
	d.step(-2*day, "mod('CN=candidates,CN=Password Settings Container,CN=System,' + BASE, 'msDS-PSOAppliesTo', dn('cand'))")
	d.step(-2*day, "mod('CN=past,CN=Password Settings Container,CN=System,' + BASE, 'msDS-PSOAppliesTo', dn('last'))")
	for n := range 6 {
		d.step(-day+int64(n)*60, "db.setpassword('(sAMAccountName=last)', %q)", old(n))
	}
}

// python runs a script against the domain and returns what it prints.
func (d *domain) python(r *livetest.Root, script string) string {
	r.Write("tmp/steps.py", sambaBegin+script)
	return r.Run(clocked + "python3 /tmp/steps.py 2>/tmp/python.err || { tail -5 /tmp/python.err; exit 1; }\n")
}

func (d *domain) begin(at int64) string {
	return fmt.Sprintf("clock %d; mkdir -p /run/samba /var/cache/samba /var/log/samba; rm -f /srv/ad/private/ldapi; samba "+
		"-s /srv/ad/etc/smb.conf -D -M single --option='pid directory=/tmp'\n"+
		"for i in $(seq 2400); do [ -S /srv/ad/private/ldapi ] && ldapsearch -x -H '%s' -s base -b '' 1.1 >/dev/null 2>&1 && "+
		"break; LD_PRELOAD= sleep 0.05; done\n", at, domainURL)
}

// live begins the domain and has it live through its history.
func (d *domain) live(r *livetest.Root) {
	r.Run(clocked + "echo +0 > /etc/faketimerc; mkdir -p /var/lib/samba; rm -rf /var/lib/samba/private; ln -s " +
		"/srv/ad/private /var/lib/samba/private\n" + d.begin(d.taken-150*day))
	r.Write("tmp/begin", "#!/bin/bash\n"+strings.TrimPrefix(d.begin(0), "clock 0; "))
	r.Run("chmod 755 /tmp/begin")
	var steps strings.Builder
	for line := range strings.Lines(history(d.steps)) {
		if at, ok := strings.CutPrefix(line, "clock "); ok {
			line = "clock(" + strings.TrimSpace(at) + ")\n"
		}
		steps.WriteString(line)
	}
	d.python(r, steps.String())
}

// TestLiveSamba holds the reader of domains against domains that were lived in.
func TestLiveSamba(t *testing.T) {
	t.Parallel() // its servers mostly wait
	scenarios(t, "Samba", "samba", eachAlone, func(t *testing.T, r *livetest.Root, random *rand.Rand, commands string, c *tally) {
		d := &domain{random: random, taken: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Unix() + int64(random.IntN(day))}
		d.start(r)
		d.accounts()
		d.live(r)
		search := strings.NewReplacer("ldap://SERVER", domainURL, "USER@DOMAIN -W",
			"administrator@quay.example -w Root+Flow-1", "DOMAINDN", domainDN)
		r.Run(clocked + fmt.Sprintf("end samba; %s\nmkdir /root/export /root/search; cd /root/export; clock %d\n%s\ncd "+
			"/root/search; %s\nend samba; cp -a /srv/ad /root/ad\n", d.begin(d.taken), d.taken,
			strings.ReplaceAll(commands, "DOMAINDN", domainDN), search.Replace(how(t, "samba", "administrator:\n"))))
		estates := []*estate{newEstateFrom(t, r.Path("root/export"), "samba", "domain.ldif", "pso.ldif", "accounts.ldif", "units.ldif"),
			newEstateFrom(t, r.Path("root/search"), "samba", "domain.ldif", "pso.ldif", "accounts.ldif"), d.took(t, r)}
		for _, after := range []int64{0, 2, realmLater - 1, realmLater + 1} {
			d.visits(r, c, after, estates...)
		}
		d.rights(r, c, estates[0])
		d.candidates(r, c, estates...)
	})
}

// took is an estate with what the tool takes from the domain itself.
func (d *domain) took(t *testing.T, r *livetest.Root) *estate {
	e := newEstateFrom(t, r.Path("root/search"), "samba", "domain.ldif", "pso.ldif", "accounts.ldif", "units.ldif")
	secret := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(secret, []byte("Root+Flow-1"), 0o600); err != nil {
		t.Fatal(err)
	}
	e.write("estate.yaml", fmt.Sprintf(`estate: Live
systems:
  live:
    rules: live
    as_of: %q
    export: {read: samba, from: [x/domain.ldif, x/pso.ldif, x/accounts.ldif, x/units.ldif], view: whole}
    source: {ask: ldap, address: %q, user: administrator@quay.example, secret: file %s}
`, moment(time.Unix(d.taken, 0)), "ldapi://"+url.QueryEscape(r.Path("srv/ad/private/ldapi")), secret))
	r.Run(clocked + d.begin(d.taken))
	run(t, e.folder, "", "take")
	r.Run(clocked + "end samba")
	return e
}

func (d *domain) restore(after int64) string {
	return "rm -rf /srv/ad; cp -a /root/ad /srv/ad\n" + d.begin(d.taken+after)
}

// visits signs in as each account, so many seconds after the export.
func (d *domain) visits(r *livetest.Root, c *tally, after int64, estates ...*estate) {
	var b strings.Builder
	b.WriteString(clocked + d.restore(after))
	for i, name := range d.names {
		fmt.Fprintf(&b, "clock %[1]d; ldapwhoami -x -H '%[2]s' -D %[3]s@quay.example -w '%[4]s' 2>&1 | tr '\\n' ' ' || :; told %[1]d\n",
			d.taken+after, domainURL, name, realmPassword(i))
	}
	lines := strings.Split(r.Run(b.String()+"drop samba\n"), "\n")
	for _, e := range estates {
		said := e.facts(moment(time.Unix(d.taken+after, 0)))
		for i, name := range d.names {
			a, who, line := said[name], fmt.Sprintf("%s (%s) at +%d", name, d.about[name], after), lines[i]
			if c.tooLate(line) {
				continue
			}
			asked := strings.Contains(line, "data 532") || strings.Contains(line, "data 773")
			let := strings.Contains(line, "u:QUAY") || strings.Contains(line, "not supported") // who they are, it may not tell
			in := let || asked
			c.hold(who, "a right password lets in", a["enabled"].And(a["locked"].Not()).And(a["password_usable"]), in, line)
			if in {
				c.hold(who, "a new password is asked for", a["overdue"].Or(a["must_change"]), asked, line)
			}
			if strings.Contains(line, "data 775") || let {
				c.hold(who, "locked", a["locked"], strings.Contains(line, "data 775"), line)
			}
		}
	}
}

// rights has each account set the passwords of others and change policies.
func (d *domain) rights(r *livetest.Root, c *tally, e *estate) {
	r.Run(clocked + d.restore(0))
	var b strings.Builder
	b.WriteString("victims = [dn(v) for v in ('v1', 'v2', 'v3')]\n")
	for i, name := range d.names {
		fmt.Fprintf(&b, `clock(%d)
try:
    c = connect(%q, %q)
    done = 'no'
    for v in victims:
        try:
            reset(c, v, 'Victim+Flow-1')
            done = 'yes'
        except ldb.LdbError as e:
            last = e
    try:
        c.modify_ldif('dn: ' + BASE + '\nchangetype: modify\nreplace: minPwdLength\nminPwdLength: 0\n')
        done = 'yes'
    except ldb.LdbError as e:
        pass
    print(done)
except Exception as e:
    print('shut')
`, d.taken, name, realmPassword(i))
	}
	lines := strings.Split(d.python(r, b.String()), "\n")
	r.Run(clocked + "drop samba\n")
	said := e.facts("")
	for i, name := range d.names {
		if lines[i] != "shut" {
			c.hold(name+" "+d.about[name], "sets others' passwords or policies", said[name]["privileged"], lines[i] == "yes", lines[i])
		}
	}
}

// candidates has the owner set the password to each of them, and to old ones.
func (d *domain) candidates(r *livetest.Root, c *tally, estates ...*estate) {
	all := invented(d.random, 300, 8, "cand", "quill", "harbour")
	r.Run(clocked + d.restore(0))
	list, _ := json.Marshal(all)
	out := d.python(r, fmt.Sprintf(`clock(%d)
who, old = dn('cand'), 'Own+Flow-1'
c = connect('cand', old)
for p in %s:
    try:
        reset(c, who, p, old)
        old = p
        print('yes')
    except ldb.LdbError as e:
        print('no', str(e).replace('\n', ' '))
who = dn('last')
c = connect('last', %q)
for p in %s:
    try:
        reset(c, who, p, %[3]q)
        print('yes')
        break
    except ldb.LdbError as e:
        print('no', str(e).replace('\n', ' '))
`, d.taken, list, old(5), pythonList([]string{old(5), old(4), old(3), old(2), old(1), old(0)})))
	lines := strings.Split(out, "\n")
	for _, e := range estates {
		for i, said := range e.verdicts("cand", "Own+Flow-1", all) {
			c.hold("cand", "the password is accepted", said, lines[i] == "yes", all[i], lines[i])
		}
	}
	barred := 0
	fmt.Sscan(estates[0].setting("past", "history"), &barred)
	for i, line := range lines[len(all):] { // from the present one back, to the first that is accepted
		if line != "" {
			c.hold("last", "an old password is accepted", facts.TriOf(i >= barred), strings.HasPrefix(line, "yes"),
				fmt.Sprintf("history %d, %d before the present one", barred, i), line)
		}
	}
	r.Run(clocked + "drop samba\n")
}
