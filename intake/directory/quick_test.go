package directory_test

import (
	"encoding/base64"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"yewcone/core/audit"
	"yewcone/intake/intaketest"
	"yewcone/intake/intaketest/bothways"
	"yewcone/intake/text"
)

// made is a directory made at random.
type made struct {
	*rand.Rand
	ldif  strings.Builder
	odd   int    // one in so many values is not the usual
	calm  int    // how much alike people are
	mixed bool   // the attributes of each entry stand in an order of their own
	whole bool   // as the server writes it out itself
	often string // an attribute that many have, or what else there is much of
}

func (m *made) pick(list ...string) string { return list[m.IntN(len(list))] }

// usual picks mostly the first.
func (m *made) usual(list ...string) string {
	return list[m.IntN(len(list))*min(1, m.IntN(m.calm+1)/m.calm)]
}

func (m *made) seldom() bool { return m.IntN(m.odd) == 0 }

func (m *made) stamp() string {
	at := time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Add(-time.Duration(m.IntN(900*24)) * time.Hour)
	switch {
	case !m.seldom():
		return at.Format("20060102150405Z")
	case m.IntN(2) == 0:
		return at.Format("20060102150405.000000Z")
	}
	return m.pick(at.Format("200601021504Z"), "yesterday", "20261340060000Z", at.Format("20060102150405")+"+0100")
}

const suffix = "dc=marrowby,dc=example"

// entry writes an entry of some lines, the first its name.
func (m *made) entry(lines ...string) {
	if m.whole || m.IntN(3) > 0 {
		lines = append(lines, "structuralObjectClass: person", "entryUUID: 4e0325fa-5848-103e-93fe-f1c12f44f29e", "creatorsName: cn=manager,"+suffix,
			"createTimestamp: "+m.stamp(), "entryCSN: 20180205080000.077921Z#000000#000#000000", "modifiersName: cn=manager,"+suffix,
			"modifyTimestamp: "+m.stamp())
	}
	if m.mixed {
		m.Shuffle(len(lines)-1, func(i, j int) { lines[i+1], lines[j+1] = lines[j+1], lines[i+1] })
	}
	if m.IntN(9*m.odd) == 0 {
		m.ldif.WriteString("# a remark\n")
	}
	for _, line := range lines {
		name, value, _ := strings.Cut(line, ": ")
		switch {
		case m.often == "coded" && (name == "sn" || name == "description"):
			line = name + ":: " + m.usual(base64.StdEncoding.EncodeToString([]byte(value)), "?")
		case m.IntN(30) == 0 && name == "userPassword", m.IntN(9*m.odd) == 0:
			line = name + ":: " + base64.StdEncoding.EncodeToString([]byte(value))
		case m.IntN(9*m.odd) == 0 && len(value) > 4:
			line = name + ": " + value[:3] + "\n " + value[3:]
		case m.IntN(30*m.odd) == 0 && name != "dn":
			line = m.pick(strings.ToUpper(name), name+";lang-en") + ": " + value
		case (m.IntN(30*m.odd) == 0 || m.often == "empty" && m.IntN(40) == 0) && name != "dn":
			line = name + m.pick(": ", ":: ")
		case m.IntN(90*m.odd) == 0:
			line = m.pick("no line", name+":: ?", "pwdReset: maybe")
		}
		m.ldif.WriteString(line + "\n")
	}
	m.ldif.WriteString("\n")
}

var hashes = []string{"{SSHA}6sd8f76s8d7f6", "{SHA}aaaa", "{CRYPT}$6$aa$bb", "{CRYPT}aaBBccDDeeFFg", "{CRYPT}_short",
	"{PBKDF2-SHA512}10000$aa$bb", "{SASL}ann@x",
	"{ODD}x", "plain", "{}x", "{ssha}6sd8f76s8d7f6", "{CLEARTEXT}x"}

// person writes the entry of an account, or of what looks like one.
func (m *made) person(i int) {
	login := fmt.Sprintf("%su%d", m.usual("", "test-", "svc-"), i)
	if m.often == "twice" && m.IntN(9) == 0 {
		login = "u1"
	}
	unit := m.usual("ou=Deck,ou=Fleet,", "ou=Shore,", "ou=Ticket office,ou=Shore,")
	if m.seldom() || m.often == "names" && m.IntN(4) == 0 {
		unit = m.pick("", "ou=Deck\\2C aft,", "OU = Deck , ou=Fleet,", "ou=Bürö,", "ou=People+l=Keelby,")
	}
	dn := "uid=" + login + "," + unit + suffix
	if m.seldom() {
		dn = m.pick("cn=Last\\, First "+login+","+unit+suffix, "cn="+login+","+unit+suffix, "uid="+login+"+cn=x,"+unit+suffix, "uid="+login+",dc=other", suffix)
	}
	if m.often == "another database" && m.IntN(4) == 0 {
		dn = "uid=" + login + ",ou=Deck,ou=Fleet,dc=other"
	}
	class := "inetOrgPerson"
	if m.often == "no passwords" && i/40%2 == 1 { // so that their look is learned
		class = "device"
	}
	if m.seldom() {
		class = m.pick("inetOrgPerson\nobjectClass: posixAccount", "account\nobjectClass: simpleSecurityObject", "organizationalRole", "device", "INETORGPERSON")
	}
	lines := []string{"dn: " + dn}
	for c := range strings.SplitSeq("objectClass: "+class, "\n") {
		lines = append(lines, c)
	}
	add := func(often int, name string, values ...string) {
		if m.often == "no passwords" && (name == "userPassword" || name == "pwdChangedTime") {
			return
		}
		if name == m.often && m.IntN(3) == 0 {
			lines = append(lines, name+": "+m.pick(values...))
		}
		if often == 1 && !m.seldom() || often > 1 && m.IntN(often*m.calm) == 0 {
			lines = append(lines, name+": "+m.usual(values...))
		}
	}
	add(1, "uid", login)
	if m.IntN(9*m.odd) == 0 {
		add(1, "uid", "another")
	}
	add(1, "cn", "Ann Keelby", "Ben")
	add(4, "displayName", "ann", "the "+login)
	add(1, "sn", "Keelby", "Quay")
	add(2, "givenName", "Ann")
	add(1, "mail", login+"@marrowby.example", "ann@keelby.example")
	add(m.odd, "mail", "two@keelby.example")
	add(2, "employeeNumber", fmt.Sprint("E", i))
	add(3, "title", "master")
	add(5, "description", "a service", "x")
	if m.IntN(40*m.odd) == 0 {
		add(1, "nsAccountLock", "TRUE")
	}
	add(4, "pwdPolicySubentry", "cn=clerks,ou=policies,"+suffix, "CN=clerks, ou=policies,"+suffix, "cn=lost,"+suffix)
	add(1, "userPassword", hashes[0]+login, hashes[0], hashes[m.IntN(len(hashes))])
	add(5*m.odd, "userPassword", hashes[m.IntN(len(hashes))])
	add(1, "pwdChangedTime", m.stamp())
	add(7, "pwdAccountLockedTime", "000001010000Z", m.stamp())
	add(9, "pwdReset", "TRUE", "FALSE")
	add(1, "pwdLastSuccess", m.stamp())
	add(3, "authTimestamp", m.stamp())
	for range m.IntN(3) {
		add(9, "pwdFailureTime", m.stamp())
	}
	add(5*m.odd, "pwdGraceUseTime", m.stamp())
	add(5*m.odd, "pwdEndTime", m.stamp(), "20270101000000Z")
	add(5*m.odd, "pwdStartTime", m.stamp())
	m.entry(lines...)
}

// directory makes one of so many people.
func (m *made) directory(people int) map[string]string {
	idle := m.IntN(4) == 0
	var later []func()
	groups := func() {
		members := []string{"dn: cn=admins," + suffix, "objectClass: groupOfNames", "cn: admins"}
		for range 1 + m.IntN(9) {
			members = append(members, fmt.Sprintf("member: uid=u%d,ou=Deck,ou=Fleet,%s", m.IntN(people), suffix))
		}
		m.entry(append(members, "member: cn=pursers,"+suffix)...)
		m.entry("dn: cn=pursers,"+suffix, "objectClass: posixGroup", "cn: pursers", fmt.Sprint("memberUid: u", m.IntN(people)),
			fmt.Sprint("memberUid: u", m.IntN(people)))
	}
	policies := func() {
		for i, name := range []string{"crew", "clerks"}[:m.IntN(3)] {
			lines := []string{"dn: cn=" + name + ",ou=policies," + suffix, "objectClass: device", "objectClass: pwdPolicy", "cn: " + name,
				"pwdAttribute: userPassword", fmt.Sprint("pwdMinLength: ", 8+4*i), "pwdCheckQuality: 2", m.pick("pwdMaxAge: 7776000", "pwdMaxAge: 0", "pwdInHistory: 3"),
				m.pick("pwdLockout: TRUE", "pwdLockout: FALSE"), "pwdMaxFailure: 5", m.pick("pwdLockoutDuration: 0", "pwdLockoutDuration: 900"),
				"pwdFailureCountInterval: 86400", m.pick("pwdMustChange: TRUE", "pwdMustChange: FALSE"), m.pick("pwdGraceAuthNLimit: 2", "pwdGraceAuthNLimit: 0")}
			if idle {
				lines = append(lines, "pwdMaxIdle: 8640000")
			}
			m.entry(lines...)
		}
	}
	m.entry("dn: "+suffix, "objectClass: organization", "o: Marrowby")
	for _, write := range []func(){groups, policies} {
		switch m.IntN(4) {
		case 0:
			later = append(later, write)
		case 1: // none
		default:
			write()
		}
	}
	for i := range people {
		m.person(i)
		if m.IntN(8*people) == 0 {
			groups()
		}
	}
	for _, write := range later {
		write()
	}
	files := map[string]string{"accounts.ldif": m.ldif.String(), "rules/made.yaml": m.rules()}
	from := "accounts.ldif"
	if m.IntN(3) > 0 {
		m.ldif.Reset()
		access := m.pick("", "olcAccess: {0}to * by group.exact=\"cn=admins,"+suffix+"\" write by * read\n",
			"olcAccess: {0}to attrs=userPassword by dn.exact=\"uid=u3,ou=Deck,ou=Fleet,"+suffix+"\" write by self write\n",
			"olcAccess: {0}to * by dn.subtree=\"ou=Shore,"+suffix+"\" write by set=\"user\" read\n")
		m.ldif.WriteString("dn: olcDatabase={1}mdb,cn=config\nobjectClass: olcDatabaseConfig\nolcDatabase: {1}mdb\nolcSuffix: " + suffix +
			"\nolcRootDN: cn=manager," + suffix + "\n" + m.pick("", "olcRootPW: {SSHA}aaaa\n") + access + "\n")
		if m.IntN(5) > 0 {
			m.ldif.WriteString("dn: olcOverlay={0}ppolicy,olcDatabase={1}mdb,cn=config\nobjectClass: olcPPolicyConfig\n" +
				m.pick("", "olcPPolicyDefault: cn=crew,ou=policies,"+suffix+"\n") + "\n")
		}
		if m.often == "another database" {
			m.ldif.WriteString("dn: olcDatabase={2}mdb,cn=config\nobjectClass: olcDatabaseConfig\nolcDatabase: {2}mdb\nolcSuffix: dc=other\n\n")
			if m.IntN(3) == 0 {
				m.ldif.WriteString("dn: olcOverlay={0}ppolicy,olcDatabase={2}mdb,cn=config\nobjectClass: olcPPolicyConfig\n\n")
			}
		}
		files["config.ldif"] = m.ldif.String()
		from += ", config.ldif"
	}
	kinds := m.pick("", "    kinds:\n      service: 'login startsWith \"svc-\"'\n      shared: 'description contains \"service\"'\n")
	files["estate.yaml"] = "estate: Made\n" + m.pick("", "as_of: 2026-11-20 06:00\n") + "systems:\n  accounts:\n    export: {read: ldif, from: [" + from + "]" +
		m.pick("", ", view: whole") + "}\n" + kinds + m.pick("", "", "    privileged: 'under(unit, \"Shore\") and \"admins\" in groups'\n") + "    rules: made\n"
	return files
}

// rules makes rules that ask for all sorts of facts together.
func (m *made) rules() string {
	parts := []string{`enabled`, `not locked`, `"admins" in groups`, `"pursers" in groups`, `under(unit, "Fleet")`, `unit == "Shore"`, `unit contains "office"`,
		`unit == "Deck, aft"`,
		`login startsWith "test-"`, `email contains "keelby"`, `kind == "person"`, `idle > days(90)`, `password_age > days(200)`, `never_signed_in`, `locked`,
		`must_change and password_age > days(14)`, `storage < "salted slow"`, `account_age between days(10) and days(400)`, `overdue`, `privileged`,
		`password_set < created`, `policy == "clerks"`, `login in ["u7", "u8"]`, `email matches "^b.*e$"`, `never_changed`, `display_name == "Ann Keelby"`,
		`last_name startsWith "Q"`, `first_name == "Ann"`, `description contains "x"`, `employee_no endsWith "7"`, `short_login in ["u3", "u4"]`,
		`last_sign_in < password_set`, `used_after_end`, `password_expires < date("2026-12-20")`}
	if m.IntN(8) == 0 {
		parts = append(parts, `email == login`, `display_name == login`)
	}
	condition := func() string {
		text := m.pick(parts...)
		for range m.IntN(3) {
			text += m.pick(" and ", " or ", " and not ") + "(" + m.pick(parts...) + ")"
		}
		return "'" + text + "'"
	}
	b := "rules: made\ntitle: Made\nclauses:\n"
	for i := range 2 + m.IntN(6) {
		b += fmt.Sprintf("  - id: c%d\n    forbid: %s\n    because: it is asked\n", i, condition())
		if m.IntN(2) == 0 {
			b += "    for: " + condition() + "\n"
		}
	}
	return b + fmt.Sprintf("  - id: length\n    for: %s\n    expect: {min_length: at least 12}\n    because: it is asked\n", condition())
}

// quick judges a directory both ways, and reports whether it could be read.
func quick(t *testing.T, seed uint64) bool {
	t.Helper()
	m := &made{Rand: rand.New(rand.NewPCG(seed, 11))}
	m.odd, m.calm, m.mixed, m.whole = 4<<m.IntN(6), 1<<m.IntN(6), m.IntN(9) == 0, m.IntN(3) > 0
	m.often = m.pick("pwdEndTime", "pwdStartTime", "pwdGraceUseTime", "pwdFailureTime", "description", "empty", "twice", "userPassword",
		"no passwords", "names", "another database", "coded", "coded", "coded")
	files := m.directory(20 + m.IntN(900))
	folder := intaketest.Write(t, files)
	want, ok := bothways.Judge(t, folder, audit.Options{Jobs: 1, Singly: true})
	for _, jobs := range []int{1, 3} {
		got, _ := bothways.Judge(t, folder, audit.Options{Jobs: jobs})
		if a, b, differ := bothways.Differ(want, got); differ {
			t.Fatalf("seed %d, %d jobs:\n each on its own %s\n the quick way   %s\n%s\n%s", seed, jobs, a, b, files["estate.yaml"], files["rules/made.yaml"])
		}
	}
	if !ok {
		t.Logf("seed %d: %s", seed, want)
	}
	return ok
}

// TestQuickWay: what comes out is the same when accounts that are like others are not
// made.
func TestQuickWay(t *testing.T) {
	defer inSmallPieces()()
	all := uint64(80)
	if testing.Short() { // with the race detector, which finds what it finds in few
		all = 20
	}
	var failed []uint64
	for seed := range all {
		if !quick(t, seed) {
			failed = append(failed, seed)
		}
	}
	if len(failed) > int(all)/5 {
		t.Errorf("of %d directories these could not be read: %v", all, slices.Clip(failed))
	}
}

// inSmallPieces has few people stand in several pieces, of which nothing may be kept, until
// what it returns is called.
func inSmallPieces() func() {
	pieces := text.PieceSize
	text.PieceSize, text.Spoil = 1<<12, true
	return func() { text.PieceSize, text.Spoil = pieces, false }
}

func FuzzQuickWay(f *testing.F) {
	f.Cleanup(inSmallPieces())
	f.Add(uint64(1000))
	f.Fuzz(func(t *testing.T, seed uint64) { quick(t, seed) })
}
