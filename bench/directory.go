package main

import (
	"encoding/base64"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"
)

// The form "directory" is LDIF as slapcat writes it: three policies, a group, then
// people with stored passwords. It is read by the format for directories.

// directoryConditions are what is counted in a directory, as a rule for the program and in Go.
var directoryConditions = []condition{
	{"old-password", `password_age > days(365)`, func(r *row) bool { return r.passwordOver(365) }},
	{"old-clerk", `policy == "clerks" and password_age > days(180)`, func(r *row) bool { return r.Role == "clerks" && r.passwordOver(180) }},
	{"idle", `idle > days(90)`, func(r *row) bool { return r.LastSignIn != "" && r.idleOver(90) }}, // who never signed in is not told
	{"new", `account_age < days(30) and password_age > days(14)`, func(r *row) bool { return !r.made30() && r.passwordOver(14) }},
	{"locked", `locked`, func(r *row) bool { return r.Locked }},
	{"first-password", `must_change and password_age > days(14)`, func(r *row) bool { return r.MustChange && r.passwordOver(14) }},
	{"old-admin", `privileged and password_age > days(90)`, func(r *row) bool { return r.member && r.passwordOver(90) }},
	{"weakly-stored", `storage < "salted fast"`, func(r *row) bool { return r.weak }},
	{"old-and-weak", `storage < "salted fast" and password_age > days(730)`, func(r *row) bool { return r.weak && r.passwordOver(730) }},
	{"fleet-idle", `under(unit, "Fleet") and idle > days(180)`, func(r *row) bool { return r.LastSignIn != "" && r.under("Fleet") && r.idleOver(180) }},
	{"test", `login startsWith "test-"`, func(r *row) bool { return strings.HasPrefix(r.Login, "test-") }},
	{"office", `email contains "Keelby" and not locked`, func(r *row) bool { return strings.Contains(r.Mail, "Keelby") && !r.Locked }},
}

const (
	suffix     = "dc=marrowby,dc=example"
	directory1 = `dn: ` + suffix + `
objectClass: dcObject
objectClass: organization
o: Marrowby Sound Ferries
dc: marrowby
`
	directoryConfig = `dn: cn=config
objectClass: olcGlobal
cn: config
` + stamps + `
dn: olcDatabase={1}mdb,cn=config
objectClass: olcDatabaseConfig
objectClass: olcMdbConfig
olcDatabase: {1}mdb
olcSuffix: ` + suffix + `
olcRootDN: cn=manager,` + suffix + `
` + stamps + `
dn: olcOverlay={0}ppolicy,olcDatabase={1}mdb,cn=config
objectClass: olcOverlayConfig
objectClass: olcPPolicyConfig
olcOverlay: {0}ppolicy
olcPPolicyDefault: cn=crew,ou=policies,` + suffix + `
` + stamps + "\n"
	stamps = `structuralObjectClass: organization
entryUUID: 4e0325fa-5848-103e-93fe-f1c12f44f29e
creatorsName: cn=manager,` + suffix + `
createTimestamp: 20180205080000Z
entryCSN: 20180205080000.077921Z#000000#000#000000
modifiersName: cn=manager,` + suffix + `
modifyTimestamp: 20180205080000Z
`
)

// admins are how many accounts the group of administrators has.
const admins = 40

// writeDirectory writes what comes before the people.
func writeDirectory(w io.Writer, dates func(time.Time) string) {
	fmt.Fprintf(w, "%s%s\ndn: ou=policies,%s\nobjectClass: organizationalUnit\nou: policies\n%s\n", directory1, stamps, suffix, stamps)
	for _, p := range []struct {
		name string
		days int
	}{{"crew", 365}, {"clerks", 180}, {"services", 0}} {
		fmt.Fprintf(w, "dn: cn=%s,ou=policies,%s\nobjectClass: device\nobjectClass: pwdPolicy\ncn: %s\npwdAttribute: userPassword\npwdMinLength: 10\n"+
			"pwdCheckQuality: 2\npwdInHistory: 8\npwdMaxAge: %d\npwdLockout: TRUE\npwdMaxFailure: 6\npwdLockoutDuration: 0\npwdMustChange: TRUE\n%s\n",
			p.name, suffix, p.name, p.days*86400, stamps)
	}
	fmt.Fprintf(w, "dn: cn=admins,%s\nobjectClass: groupOfNames\ncn: admins\n", suffix)
	var m maker
	fields := make([]string, len(columns))
	for i := range admins {
		m.account(i+1, fields, dates)
		fmt.Fprintf(w, "member: %s\n", nameOf(fields))
	}
	fmt.Fprintf(w, "%s\n", stamps)
}

// nameOf is the distinguished name of an account.
func nameOf(fields []string) string {
	units := strings.Split(fields[4], "/")
	slices.Reverse(units)
	return "uid=" + fields[0] + ",ou=" + strings.Join(units, ",ou=") + "," + suffix
}

// writePerson writes an account as the server would.
func writePerson(w io.Writer, fields []string, m *maker) {
	first, last, _ := strings.Cut(fields[1], " ")
	fmt.Fprintf(w, "dn: %s\nobjectClass: inetOrgPerson\nuid: %s\ncn: %s\ngivenName: %s\nsn: %s\nmail: %s\nemployeeNumber: %s\ntitle: %s\n",
		nameOf(fields), fields[0], fields[1], first, last, fields[2], fields[3], fields[5])
	if fields[5] == "ticket clerk" || fields[5] == "bookkeeper" {
		fmt.Fprintf(w, "pwdPolicySubentry: cn=clerks,ou=policies,%s\n", suffix)
	}
	fmt.Fprintf(w, "structuralObjectClass: inetOrgPerson\nentryUUID: %08x-5848-103e-93fe-f1c12f44f29e\ncreatorsName: cn=manager,%s\ncreateTimestamp: %s\n",
		m.next(1<<31), suffix, fields[12])
	fmt.Fprintf(w, "userPassword:: %s\npwdChangedTime: %s\n", base64.StdEncoding.EncodeToString([]byte(m.hash())), fields[13])
	if fields[8] == "yes" {
		fmt.Fprintf(w, "pwdAccountLockedTime: 000001010000Z\n")
	}
	if fields[9] == "yes" {
		fmt.Fprintf(w, "pwdReset: TRUE\n")
	}
	if fields[14] != "" {
		fmt.Fprintf(w, "pwdLastSuccess: %s\n", fields[14])
	}
	at := fields[13][:14]
	fmt.Fprintf(w, "entryCSN: %s.%06dZ#000000#000#000000\nmodifiersName: cn=manager,%s\nmodifyTimestamp: %s\n\n", at, m.next(1e6), suffix, fields[13])
}

// hash is made up, as a stored password in SHA-1 with a salt or, once in nine, without.
func (m *maker) hash() string {
	raw := make([]byte, 20+8)
	for i := range raw {
		raw[i] = byte(m.next(256))
	}
	if m.next(9) == 0 {
		return "{SHA}" + base64.StdEncoding.EncodeToString(raw[:20])
	}
	return "{SSHA}" + base64.StdEncoding.EncodeToString(raw)
}

// countDirectory counts as countLDIF does, in the attributes of a directory; it takes the group and
// which policies there are from what comes before the people.
func countDirectory(f io.Reader) (*counts, error) {
	members := map[string]bool{}
	var c counts
	var r row
	dn, person := "", false
	err := eachAttribute(f, func(name, value string) {
		switch name {
		case "dn":
			dn = value
			units := strings.Split(strings.TrimSuffix(value, ","+suffix), ",ou=")
			slices.Reverse(units)
			r.Unit = strings.Join(units[:len(units)-1], "/")
		case "member":
			members[value] = true
		case "objectClass":
			person = person || value == "inetOrgPerson"
		case "uid":
			r.Login = value
		case "cn":
			r.Name = value
		case "mail":
			r.Mail = value
		case "employeeNumber":
			r.Employee = value
		case "pwdPolicySubentry":
			r.Role, _, _ = strings.Cut(strings.TrimPrefix(value, "cn="), ",")
		case "createTimestamp":
			r.Created = value
		case "userPassword":
			r.weak = strings.HasPrefix(value, "{SHA}")
		case "pwdChangedTime":
			r.PasswordSet = value
		case "pwdAccountLockedTime":
			r.Locked = true
		case "pwdReset":
			r.MustChange = value == "TRUE"
		case "pwdLastSuccess":
			r.LastSignIn = value
		}
	}, func() error {
		if person {
			r.member = members[dn]
			if err := r.readDates("20060102150405Z"); err != nil {
				return err
			}
			c.add(&r, directoryConditions)
		}
		r, person = row{}, false
		return nil
	})
	return &c, err
}
