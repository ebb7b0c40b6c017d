package oracle

import (
	"encoding/base64"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/livetest"
)

// A slapd is a scenario of a directory with two databases.
type slapd struct {
	random *rand.Rand
	taken  int64
	events []event
	names  []string
	dn     map[string]string
	pass   map[string]string
	form   map[string]string // as it was given to the server
	about  map[string]string
	url    string

	module bool // a check of the house's own looks at new passwords
}

const (
	quay    = "dc=quay,dc=example"
	pier    = "dc=pier,dc=example"
	manager = "-x -D cn=manager," + quay + " -w Root+Flow-1"
)

// checkModule is a check of passwords that wants a digit in each.
const checkModule = `struct bv { unsigned long n; char *v; };
int check_password(char *p, void *text, void *entry, void *arg) { for (; *p; p++) if (*p >= '0' && *p <= '9') return 0; return 1; }
int init_module(int argc, char *argv[]) { return 0; }
`

// configuration is cn=config, for slapadd.
func (s *slapd) configuration(r *livetest.Root) string {
	p := s.random
	hash := pick(p, "", "olcPasswordHash: {SSHA}\n", "olcPasswordHash: {CRYPT}\n", "olcPasswordHash: {SSHA512}\n")
	modules := "olcModuleLoad: back_mdb\nolcModuleLoad: ppolicy\n"
	if strings.Contains(hash, "512") || p.IntN(2) == 0 {
		modules += "olcModuleLoad: pw-sha2\n"
	}
	if p.IntN(2) == 0 {
		modules += "olcModuleLoad: argon2\n"
	}
	overlay := func(n int, fallback string) string {
		text := fmt.Sprintf("dn: olcOverlay=ppolicy,olcDatabase={%d}mdb,cn=config\nobjectClass: olcOverlayConfig\n"+
			"objectClass: olcPPolicyConfig\nolcOverlay: ppolicy\n", n)
		if fallback != "" {
			text += "olcPPolicyDefault: " + fallback + "\n"
		}
		text += pick(p, "", "olcPPolicyHashCleartext: TRUE\n") + pick(p, "", "olcPPolicyUseLockout: TRUE\n")
		if s.module && n == 1 && r.Release != "bookworm" {
			text += "olcPPolicyCheckModule: /usr/lib/ldap/yewcheck.so\n"
		}
		return text + "\n"
	}
	grants := []string{"by dn.exact=\"uid=u01," + quay + "\" write", "by dn.exact=\"uid=u02,ou=deck," + quay + "\" =rscxd",
		"by group.exact=\"cn=keepers," + quay + "\" write", "by group/groupOfUniqueNames/uniqueMember=\"cn=chiefs," + quay + "\" manage",
		"by dn.children=\"ou=deck," + quay + "\" read", "by users none", "by dn.one=\"ou=office," + quay + "\" +w continue",
		"by group=\"cn=nonesuch," + quay + "\" write", "by dn=\"uid=u03," + quay + "\" write break"}
	p.Shuffle(len(grants), func(i, j int) { grants[i], grants[j] = grants[j], grants[i] })
	some := func() string { return strings.Join(grants[p.IntN(4):4+p.IntN(5)], " ") }
	access := []string{"to dn.subtree=\"ou=policies," + quay + "\" " + some() + " by * read",
		"to dn.subtree=\"ou=deck," + quay + "\" attrs=userPassword by self write by anonymous auth " + some(),
		"to attrs=userPassword,shadowLastChange by self write by anonymous auth " + some(),
		"to attrs=entry,uid by * read", "to * by self write " + some() + " by * read"}
	rules := ""
	for i, rule := range access {
		if p.IntN(4) > 0 || i == 2 || i == 4 {
			rules += "olcAccess: " + rule + "\n"
		}
	}
	text := "dn: cn=config\nobjectClass: olcGlobal\ncn: config\nolcPidFile: /tmp/slapd.pid\n\n" +
		"dn: cn=module,cn=config\nobjectClass: olcModuleList\ncn: module\nolcModulePath: /usr/lib/ldap\n" + modules + "\n" +
		"dn: cn=schema,cn=config\nobjectClass: olcSchemaConfig\ncn: schema\n\n"
	for _, schema := range []string{"core", "cosine", "nis", "inetorgperson"} {
		text += "include: file:///etc/ldap/schema/" + schema + ".ldif\n\n"
	}
	text += "dn: olcDatabase={-1}frontend,cn=config\nobjectClass: olcDatabaseConfig\nobjectClass: olcFrontendConfig\n" +
		"olcDatabase: {-1}frontend\n" + hash + pick(p, "", "olcAccess: to dn.base=\"\" by * read\n") + "\n" +
		"dn: olcDatabase={0}config,cn=config\nobjectClass: olcDatabaseConfig\nolcDatabase: {0}config\nolcRootDN: cn=config\n\n"
	for n, suffix := range []string{quay, pier} {
		text += fmt.Sprintf("dn: olcDatabase={%d}mdb,cn=config\nobjectClass: olcDatabaseConfig\nobjectClass: olcMdbConfig\n"+
			"olcDatabase: {%[1]d}mdb\nolcSuffix: %s\nolcDbDirectory: /var/lib/ldap/%[1]d\nolcDbMaxSize: "+
			"33554432\nolcDbNoSync: TRUE\nolcRootDN: cn=manager,%[2]s\n"+
			"olcRootPW: Root+Flow-1\nolcLastBind: %s\n%s\n", n+1, suffix, pick(p, "TRUE", "TRUE", "FALSE"), pick2(n == 0, rules,
			"olcAccess: to attrs=userPassword by self write by anonymous auth\nolcAccess: to * by * read\n"))
		switch {
		case n == 0:
			text += overlay(1, pick(p, "", "cn=crew,ou=policies,"+quay, "cn=nonesuch,"+quay))
		case p.IntN(2) == 0:
			text += overlay(2, pick(p, "", "cn=pierside,"+pier))
		}
	}
	return text
}

// policyEntry makes a policy at random.
func (s *slapd) policyEntry(dn string, more ...string) string {
	p := s.random
	name, _, _ := strings.Cut(strings.TrimPrefix(dn, "cn="), ",")
	text := "dn: " + dn + "\nobjectClass: device\nobjectClass: pwdPolicy\nobjectClass: pwdPolicyChecker\ncn: " + name +
		"\npwdAttribute: userPassword\n"
	for _, line := range append([]string{pick(p, "", "pwdMaxAge: 0", "pwdMaxAge: 864000", "pwdMaxAge: 2592000"),
		pick(p, "", "pwdMinAge: 60"), pick(p, "", "pwdGraceAuthNLimit: 0", "pwdGraceAuthNLimit: 2"),
		pick(p, "", "", "pwdGraceExpiry: 7200"), pick(p, "", "pwdExpireWarning: 86400"),
		pick(p, "", "pwdLockout: TRUE", "pwdLockout: TRUE", "pwdLockout: FALSE"), pick(p, "", "pwdMaxFailure: 2", "pwdMaxFailure: 3"),
		pick(p, "", "pwdLockoutDuration: 0", "pwdLockoutDuration: 600", "pwdLockoutDuration: 3600"),
		pick(p, "", "pwdFailureCountInterval: 600"), pick(p, "", "pwdMustChange: TRUE"), pick(p, "", "", "pwdMaxIdle: 864000"),
		pick(p, "", "pwdAllowUserChange: FALSE")}, more...) {
		if line != "" {
			text += line + "\n"
		}
	}
	return text + "\n"
}

func (s *slapd) event(after int64, command string) {
	s.events = append(s.events, event{time.Unix(s.taken+after, 0), command})
}

// change is a command that changes entries as somebody.
func (s *slapd) change(as, ldif string) string {
	return "ldapmodify -H " + s.url + " " + as + " >/dev/null <<'LDIF'\n" + ldif + "\nLDIF"
}

func (s *slapd) accounts() {
	p := s.random
	edge := func() int64 { return int64(pick(p, -1, 0, 1, realmLater, -5000, 5000)) }
	stamp := func(after int64) string { return time.Unix(s.taken+after, 0).UTC().Format("20060102150405Z") }
	s.dn, s.pass, s.about, s.form = map[string]string{}, map[string]string{}, map[string]string{}, map[string]string{}
	for i := range 44 {
		name, password := fmt.Sprintf("u%02d", i), realmPassword(i)
		under := pick(p, "", "ou=deck,", "ou=office,") + quay
		if i%11 == 10 {
			under = pier
		}
		dn := "uid=" + name + "," + under
		form := pick(p, password, password, "$(slappasswd -s "+password+")", "$(slappasswd -s "+password+")", "{CLEARTEXT}"+password,
			"$(slappasswd -h {CRYPT} -c '$6$%.8s' -s "+password+")", "{CRYPT}!",
			"{SSHA512}$(slappasswd -o module-load=pw-sha2 -h {SSHA512} -s "+
				password+" | cut -c10-)", "$(slappasswd -o module-load=argon2 -h {ARGON2} -s "+password+")",
			"{SMD5}$(slappasswd -h {SMD5} -s "+
				password+" | cut -c7-)", "{TOMORROW}"+password, "{}"+password, "")
		entry := "dn: " + dn + "\nobjectClass: inetOrgPerson\nuid: " + name + "\ncn: " + name + "\nsn: " + name + "\n"
		if strings.HasPrefix(form, "{}") {
			password = form
		}
		if form != "" {
			entry += "userPassword: " + form + "\n"
		}
		policy := pick(p, "", "", "crew", "strict", "gone", "lax")
		if policy != "" {
			entry += "pwdPolicySubentry: cn=" + policy + ",ou=policies," + quay + "\n"
		}
		made := -int64(pick(p, 10, 30, 90))*day + edge()
		s.event(made, "ldapadd -H "+s.url+" "+strings.Replace(manager, quay, pick2(under == pier, pier, quay), 1)+" >/dev/null <<LDIF\n"+
			entry+"\nLDIF")
		s.form[name] = form
		s.about[name] = fmt.Sprintf("%.12s %s", strings.TrimPrefix(form, "$(slappasswd "), policy)
		as := strings.Replace(manager, quay, pick2(under == pier, pier, quay), 1)
		if p.IntN(2) == 0 {
			s.event(-int64(pick(p, 5, 10, 10))*day+edge(),
				fmt.Sprintf("ldapwhoami -H %s -x -D %s -w '%s' >/dev/null 2>&1 || :", s.url, dn, password))
		}
		raw := func(attribute, value string) {
			s.about[name] += " " + attribute + " " + value
			s.event(-60, "ldapmodify -e relax -H "+s.url+" "+as+" >/dev/null 2>&1 <<'LDIF' || echo no "+attribute+"\ndn: "+
				""+dn+"\nchangetype: modify\nreplace: "+
				attribute+"\n"+attribute+": "+value+"\nLDIF")
		}
		switch i % 11 {
		case 1:
			raw("pwdReset", "TRUE")
		case 2:
			raw("pwdAccountLockedTime", pick(p, "000001010000Z", stamp(-600+edge()%600), stamp(-3600+edge()%600), stamp(edge())))
		case 3:
			raw("pwdEndTime", stamp(edge()))
		case 4:
			raw("pwdStartTime", stamp(edge()))
		case 5:
			s.event(-int64(pick(p, 40, 100)), s.change(as,
				"dn: "+dn+"\nchangetype: modify\nreplace: userPassword\nuserPassword: "+password))
		case 6, 7:
			at, tries := -int64(pick(p, 0, 600, 3600))+edge()%600, pick(p, 1, 2, 3, 4)
			s.about[name] += fmt.Sprintf(" %d tries at %d", tries, at)
			s.event(min(at, 0), strings.Repeat(fmt.Sprintf("ldapwhoami -H %s -x -D %s -w wrong >/dev/null 2>&1 || :\n", s.url, dn), tries))
		case 8:
			for range p.IntN(4) {
				s.event(-30, fmt.Sprintf("ldapwhoami -H %s -x -D %s -w '%s' >/dev/null 2>&1 || :", s.url, dn, password))
			}
		}
		s.names, s.dn[name], s.pass[name] = append(s.names, name), dn, password
	}
}

// start makes the directory and starts it.
func (s *slapd) start(r *livetest.Root) {
	s.url = "ldap://127.0.0.1:" + r.Port("1389")
	if _, err := exec.LookPath("gcc"); err == nil && s.random.IntN(3) == 0 {
		r.Write("tmp/yewcheck.c", checkModule)
		out, err := exec.Command("gcc", "-shared", "-fPIC", "-nostdlib", "-o", r.Path("usr/lib/ldap/yewcheck.so"),
			r.Path("tmp/yewcheck.c")).CombinedOutput()
		if err != nil {
			r.Fatal(fmt.Errorf("%w: %s", err, out))
		}
		s.module = true
	}
	r.Write("tmp/config.ldif", s.configuration(r))
	tree := ""
	for _, entry := range []string{quay, pier} {
		tree += "dn: " + entry + "\nobjectClass: dcObject\nobjectClass: organization\ndc: " + entry[3:7] + "\no: " + entry[3:7] + "\n\n"
	}
	for _, unit := range []string{"policies", "deck", "office"} {
		tree += "dn: ou=" + unit + "," + quay + "\nobjectClass: organizationalUnit\nou: " + unit + "\n\n"
	}
	first, second, _ := strings.Cut(tree, "dn: "+pier)
	second, rest, _ := strings.Cut(second, "dn: ou=")
	for _, name := range []string{"crew", "strict", "lax"} {
		rest += s.policyEntry("cn=" + name + ",ou=policies," + quay)
	}
	rest += "dn: cn=free,ou=policies," + quay + "\nobjectClass: device\nobjectClass: pwdPolicy\ncn: free\npwdAttribute: userPassword\n\n"
	check := pick(s.random, "pwdCheckQuality: 0", "pwdCheckQuality: 1", "pwdCheckQuality: 2")
	if s.module {
		check += pick2(r.Release == "bookworm", "\npwdCheckModule: /usr/lib/ldap/yewcheck.so", "\npwdUseCheckModule: TRUE")
	}
	rest += "dn: cn=candidates,ou=policies," + quay +
		"\nobjectClass: device\nobjectClass: pwdPolicy\nobjectClass: pwdPolicyChecker\ncn: candidates\npwdAttribute: " +
		"userPassword\npwdMinLength: " + fmt.Sprint(pick(s.random, 6, 8, 10)) + "\n" +
		pick(s.random, "", "pwdMaxLength: 11\n") + check + "\n\n"
	rest += "dn: cn=past,ou=policies," + quay + "\nobjectClass: device\nobjectClass: pwdPolicy\ncn: past\npwdAttribute: userPassword\n" +
		"pwdInHistory: " + fmt.Sprint(pick(s.random, 0, 1, 3)) + "\n\n"
	rest += "dn: cn=keepers," + quay + "\nobjectClass: groupOfNames\ncn: keepers\nmember: uid=u04," + quay +
		"\nmember: uid=u05,ou=deck," + quay +
		"\nmember: cn=chiefs," + quay + "\n\ndn: cn=chiefs," + quay +
		"\nobjectClass: groupOfUniqueNames\ncn: chiefs\nuniqueMember: uid=u06,ou=deck," + quay +
		"\nuniqueMember: uid=u07," + quay + "\n\n"
	for _, victim := range []string{"uid=v1,", "uid=v2,ou=deck,", "uid=v3,ou=office,"} {
		rest += "dn: " + victim + quay + "\nobjectClass: inetOrgPerson\ncn: v\nsn: v\nuserPassword: " +
			"Same+Flow-1\npwdPolicySubentry: cn=free,ou=policies," + quay + "\n\n"
	}
	r.Write("tmp/first.ldif", first+"dn: ou="+rest)
	r.Write("tmp/second.ldif", "dn: "+pier+second+s.policyEntry("cn=pierside,"+pier))
	r.Run(clocked + fmt.Sprintf(`echo +0 > /etc/faketimerc; rm -rf /etc/ldap/slapd.d; mkdir -p /etc/ldap/slapd.d /var/lib/ldap/1 /var/lib/ldap/2
slapadd -n 0 -F /etc/ldap/slapd.d -l /tmp/config.ldif; clock %d; slapadd -n 1 -l /tmp/first.ldif; slapadd -n 2 -l /tmp/second.ldif
`, s.taken-200*day))
	for n, name := range []string{"cand", "last"} {
		s.event(-day, "ldapadd -H "+s.url+" "+manager+" >/dev/null <<'LDIF'\ndn: uid="+name+","+quay+"\nobjectClass: "+
			"inetOrgPerson\nuid: "+name+"\ncn: "+name+
			"\nsn: "+name+"\nuserPassword: Own+Flow-1\npwdPolicySubentry: cn="+pick2(n == 0, "candidates",
			"past")+",ou=policies,"+quay+"\nLDIF")
	}
}

// begin and stop the server within a script.
func (s *slapd) begin() string {
	// The one that was ended may still have its address for a moment.
	return "for i in $(seq 200); do slapd -h " + s.url + " -F /etc/ldap/slapd.d && break; LD_PRELOAD= sleep 0.05; done; for i in $(seq 2400); do ldapsearch -x -H " + s.url +
		" -s base -b '' 1.1 >/dev/null 2>&1 && break; LD_PRELOAD= sleep 0.05; done\n"
}

// TestLiveOpenLDAP holds the reader of directories against ones that were
// lived in.
func TestLiveOpenLDAP(t *testing.T) {
	t.Parallel() // its servers mostly wait
	scenarios(t, "OpenLDAP", "ldif", eachAlone, func(t *testing.T, r *livetest.Root, random *rand.Rand, commands string, c *tally) {
		s := &slapd{random: random, taken: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Unix() + int64(random.IntN(day))}
		s.start(r)
		s.accounts()
		search := strings.NewReplacer("ldap://SERVER", s.url, "BINDDN -W", "cn=manager,"+quay+" -w Root+Flow-1", "SUFFIX", quay).
			Replace(how(t, "ldif", ":\n", "ldapsearch"))
		r.Run(clocked + "exec 2>&1\n" + s.begin() + history(s.events) + fmt.Sprintf("mkdir /root/export; cd /root/export; clock %d\n%s\n"+
			"mkdir /root/search; cd /root/search; cp ../export/config.ldif .; ldapsearch%s\nend slapd; cp -a /var/lib/ldap /root/db\n",
			s.taken, commands, search))
		e := newEstateFrom(t, r.Path("root/export"), "ldif", "directory-1.ldif", "directory-2.ldif", "config.ldif")
		searched := newEstateFrom(t, r.Path("root/search"), "ldif", "directory-1.ldif", "config.ldif")
		for _, after := range []int64{0, 1, realmLater - 1, realmLater, realmLater + 1} {
			s.visits(r, c, after, e, searched)
		}
		s.rights(r, c, e)
		s.candidates(r, c, e)
	})
}

// visits signs in as each account, so many seconds after the export.
func (s *slapd) visits(r *livetest.Root, c *tally, after int64, estates ...*estate) {
	lines := s.ask(r, after, s.pass)
	// The server may have taken a form for the password itself. That is asked apart,
	// since each wrong password may be the one that locks.
	forms := map[string]string{}
	for name, form := range s.form {
		if strings.HasPrefix(form, "{") && !strings.Contains(form, "$(") {
			forms[name] = form
		}
	}
	for i, line := range s.ask(r, after, forms) {
		if i < len(lines) && !strings.Contains(lines[i], "dn:") {
			lines[i] += line
		}
	}
	for _, e := range estates {
		said := e.facts(moment(time.Unix(s.taken+after, 0)))
		for i, name := range s.names {
			a, there := said[name]
			if !there {
				continue // of the other database, which this search does not reach
			}
			who, line := fmt.Sprintf("%s (%s) at +%d", name, s.about[name], after), lines[i]
			if c.tooLate(line) {
				continue
			}
			in := strings.Contains(line, "dn:")
			if form := s.form[name]; !in && a["password_usable"] == facts.Yes && (strings.HasPrefix(form, "$(slappasswd -o") ||
				strings.HasPrefix(form, "{SSHA512}")) {
				continue // a server without the module may have hashed the text of the hash
			}
			c.hold(who, "a right password lets in", a["enabled"].And(a["locked"].Not()).And(a["password_usable"]).And(a["shut"].Not()), in, line)
			if in {
				c.hold(who, "a new password is asked for", a["overdue"].Or(a["must_change"]), strings.Contains(line, "must be changed") ||
					strings.Contains(line, "race"), line)
			}
		}
	}
}

// ask signs in as each account that one of these passwords is of, so many seconds
// after the export, and returns a line of answers for each account.
func (s *slapd) ask(r *livetest.Root, after int64, with map[string]string) []string {
	var b strings.Builder
	fmt.Fprintf(&b, "%srm -rf /var/lib/ldap; cp -a /root/db /var/lib/ldap; clock %d\n%s", clocked, s.taken+after, s.begin())
	for _, name := range s.names {
		password, asked := with[name]
		if !asked {
			b.WriteString("echo\n")
			continue
		}
		fmt.Fprintf(&b, "clock %d; ldapwhoami -e ppolicy -H %s -x -D %s -w '%s' 2>&1 | tr '\n' ' ' || :; told %[1]d\n", s.taken+after, s.url, s.dn[name], password)
	}
	return strings.Split(r.Run(b.String()+"drop slapd\n"), "\n")
}

// rights has each account set the passwords of others and change policies.
func (s *slapd) rights(r *livetest.Root, c *tally, e *estate) {
	var b strings.Builder
	fmt.Fprintf(&b, "%srm -rf /var/lib/ldap; cp -a /root/db /var/lib/ldap; clock %d\n%s", clocked, s.taken, s.begin())
	ask := ""
	for _, victim := range []string{"uid=v1,", "uid=v2,ou=deck,", "uid=v3,ou=office,"} {
		ask += "dn: " + victim + quay + "\nchangetype: modify\nreplace: userPassword\nuserPassword: Same+Flow-1\n\n"
	}
	r.Write("tmp/ask.ldif", ask+"dn: cn=free,ou=policies,"+quay+"\nchangetype: modify\nreplace: pwdMinLength\npwdMinLength: 1\n")
	for _, name := range s.names {
		fmt.Fprintf(&b, "clock %d; ldapmodify -c -v -H %s -x -D %s -w '%s' -f /tmp/ask.ldif 2>&1 | grep -E "+
			"'complete|Insuff|ldap_bind|must|restricted' | "+
			"sort -u | tr '\\n' ' ' || :; echo\n", s.taken, s.url, s.dn[name], s.pass[name])
	}
	lines := strings.Split(r.Run(b.String()+"drop slapd\n"), "\n")
	said := e.facts("")
	for i, name := range s.names {
		if strings.Contains(lines[i], "ldap_bind") || strings.Contains(lines[i], "restricted") {
			continue
		}
		c.hold(name+" ("+s.dn[name]+")", "sets others' passwords or policies", said[name]["privileged"],
			strings.Contains(lines[i], "complete"), lines[i])
	}
}

// candidates has the owner set the password to each of them.
func (s *slapd) candidates(r *livetest.Root, c *tally, e *estate) {
	all := invented(s.random, 300, 9, "cand", "quill", "harbour")
	var b strings.Builder
	for _, p := range all {
		fmt.Fprintf(&b, "dn: uid=cand,%s\nchangetype: modify\nreplace: userPassword\nuserPassword: %s\n\n", quay, p)
	}
	r.Write("tmp/candidates.ldif", b.String())
	r.Run(clocked + fmt.Sprintf("rm -rf /var/lib/ldap; cp -a /root/db /var/lib/ldap; clock %d\n%sldapmodify -c -S "+
		"/tmp/refused -H %s -x -D uid=cand,%s "+
		"-w Own+Flow-1 -f /tmp/candidates.ldif >/dev/null 2>&1 || :\n", s.taken, s.begin(), s.url, quay))
	refused := refusedIn(r.Read("tmp/refused"))
	for i, said := range e.verdicts("cand", "Own+Flow-1", all) {
		c.hold("cand", "the password is accepted", said, !refused[all[i]], all[i])
	}
	var history strings.Builder
	for _, p := range []string{old(0), old(1), old(2), old(3), old(4)} {
		fmt.Fprintf(&history, "dn: uid=last,%s\nchangetype: modify\nreplace: userPassword\nuserPassword: %s\n\n", quay, p)
	}
	r.Write("tmp/history.ldif", history.String())
	barred := 0
	fmt.Sscan(e.setting("past", "history"), &barred)
	for n := range 5 {
		out := r.Run(clocked + fmt.Sprintf("clock %d; sed -n '1,3p; s|^userP.*|userPassword: Filler+%[6]s|p; 4q' "+
			"/tmp/history.ldif | ldapmodify -H %[2]s %[3]s >/dev/null; "+
			"clock %[7]d; ldapmodify -H %[2]s %[3]s -f /tmp/history.ldif >/dev/null; ldapmodify -H %[2]s -x -D uid=last,%[4]s -w '%[5]s' "+
			"2>&1 <<'LDIF' || :\ndn: uid=last,%[4]s\nchangetype: modify\nreplace: userPassword\nuserPassword: "+
			"%[6]s\nLDIF\n", s.taken+int64(n)*60, s.url, manager,
			quay, old(4), old(n), s.taken+int64(n)*60+30))
		c.hold("last", "an old password is accepted", facts.TriOf(4-n > barred || barred == 0), !strings.Contains(out, "ldap_modify"),
			fmt.Sprintf("history %d, %d before the present one", barred, 4-n), out)
	}
	r.Run(clocked + "drop slapd\n")
}

// refusedIn lists the passwords of the changes that a directory refused, as its
// client writes them down.
func refusedIn(ldif string) map[string]bool {
	refused := map[string]bool{}
	for line := range strings.Lines(ldif) {
		if value, ok := strings.CutPrefix(line, "userPassword: "); ok {
			refused[strings.TrimSpace(value)] = true
		} else if value, ok := strings.CutPrefix(line, "userPassword:: "); ok {
			if plain, err := base64.StdEncoding.DecodeString(strings.TrimSpace(value)); err == nil {
				refused[string(plain)] = true
			}
		}
	}
	return refused
}
