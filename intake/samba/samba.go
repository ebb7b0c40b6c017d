// Package samba reads the LDIF of a Samba Active Directory domain: the domain
// object, password settings objects with their targets, groups, and accounts.
//
// What the values mean was tried on Samba 4.17 and 4.22:
//   - lengths of time are negative counts of 100 ns, moments are counts of 100
//     ns since 1601; -0x8000000000000000 is for ever;
//   - a lock of 0 lasts until an administrator unlocks; an observation window
//     of 0 forgets each failure at once, so that nothing ever locks;
//   - a maximum age of up to one day counts as never up to 4.17, and as what it
//     says since 4.22;
//   - lockoutTime stays after a timed lock has run out;
//   - pwdLastSet 0 asks for a change, but not beside "password never expires";
//   - a settings object of the user goes before those of groups; among equals
//     the lowest precedence wins, then the smaller objectGUID; it replaces all
//     of the domain's settings.
package samba

import (
	"cmp"
	"encoding/hex"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/ldif"
)

// how are the commands that take an export.
const how = `On a domain controller, as root (leave out unicodePwd and supplementalCredentials):
ldbsearch -H /var/lib/samba/private/sam.ldb -s base -b DOMAINDN > domain.ldif
samba -V | sed 's/Version \(.*\)/\ndn: CN=version\nsambaVersion: \1\n/' >> domain.ldif
ldbsearch -H /var/lib/samba/private/sam.ldb -b 'CN=Password Settings Container,CN=System,DOMAINDN' '(objectClass=msDS-PasswordSettings)' > pso.ldif
ldbsearch -H /var/lib/samba/private/sam.ldb -b DOMAINDN '(|(objectCategory=person)(objectCategory=computer)(objectCategory=group))' \
  objectClass cn sAMAccountName displayName givenName sn mail description userAccountControl pwdLastSet badPwdCount badPasswordTime \
  lockoutTime accountExpires lastLogon lastLogonTimestamp primaryGroupID memberOf member groupType objectSid objectGUID whenCreated whenChanged \
  logonHours userWorkstations > accounts.ldif
ldbsearch -H /var/lib/samba/private/sam.ldb -b DOMAINDN '(|(objectClass=organizationalUnit)(objectClass=domainDNS))' objectClass nTSecurityDescriptor > units.ldif

or from elsewhere, as an administrator:
ldapsearch -LLL -x -H ldap://SERVER -D USER@DOMAIN -W -s base -b DOMAINDN > domain.ldif
ldapsearch -LLL -x -H ldap://SERVER -D USER@DOMAIN -W -b 'CN=Password Settings Container,CN=System,DOMAINDN' '(objectClass=msDS-PasswordSettings)' > pso.ldif
ldapsearch -LLL -x -H ldap://SERVER -D USER@DOMAIN -W -E pr=1000/noprompt -b DOMAINDN '(|(objectCategory=person)(objectCategory=computer)(objectCategory=group))' \
  objectClass cn sAMAccountName displayName givenName sn mail description userAccountControl pwdLastSet badPwdCount badPasswordTime \
  lockoutTime accountExpires lastLogon lastLogonTimestamp primaryGroupID memberOf member groupType objectSid objectGUID whenCreated whenChanged \
  logonHours userWorkstations > accounts.ldif

units.ldif tells who was given the right to set others' passwords.
estate.yaml:
  export: {read: samba, from: [domain.ldif, pso.ldif, accounts.ldif, units.ldif], view: whole}   whole: nothing was hidden
`

// Format is the LDIF of a Samba AD domain.
var Format = intake.Format{
	Name: "samba",
	Doc:  "LDIF of a Samba Active Directory domain, from ldbsearch: the domain object, password settings objects, groups and accounts",
	Open: open,
	How:  how,
	ToKnow: map[string]string{
		"second_factor": "the domain does not know it: write it under \"known\" in estate.yaml",
		"last_sign_in": "lastLogonTimestamp is replicated and late by up to two weeks; export it together with lastLogon " +
			"of every controller",
		"idle": "lastLogonTimestamp is replicated and late by up to two weeks; export it together with lastLogon " +
			"of every controller",
		"kind":            "say under \"kinds\" in estate.yaml which accounts are not people",
		"common_barred":   "depends on the server's check password script: write it under \"known\" in estate.yaml",
		"blank_allowed":   "no least length: try an empty password, and write the answer under \"known\" in estate.yaml",
		"password_set":    "pwdLastSet was set to 0, or is not in the export",
		"never_signed_in": "export lastLogonTimestamp together with lastLogon of every controller",
	},
}

const wanted = `cn name samaccountname userprincipalname mail displayname givenname sn description employeenumber employeeid
	objectguid objectsid whencreated whenchanged useraccountcontrol pwdlastset badpwdcount badpasswordtime lockouttime accountexpires
	lastlogon lastlogontimestamp primarygroupid memberof member grouptype
	ntsecuritydescriptor logonhours userworkstations sambaversion
	minpwdlength pwdproperties pwdhistorylength minpwdage maxpwdage lockoutthreshold lockoutduration lockoutobservationwindow
	msds-maximumpasswordage msds-minimumpasswordage msds-minimumpasswordlength msds-passwordhistorylength
	msds-passwordcomplexityenabled msds-passwordreversibleencryptionenabled msds-lockoutobservationwindow msds-lockoutduration
	msds-lockoutthreshold msds-passwordsettingsprecedence msds-psoappliesto`

// domain is the name of the policy that the domain object makes.
const domain = "domain"

// unexported stands for it where the export lacks the domain object.
const unexported = "domain, not in the export"

// settings is what the reader itself needs of a policy.
type settings struct {
	duration    int64 // of a lock, in 100 ns; 0 until an administrator acts
	window      int64 // in 100 ns; math.MaxInt64 for ever
	reversible  bool
	unknown     bool // nothing of it is in the export
	unknownLock bool // what locks is not in the export
	precedence  int64
	guid        string // as stored, sixteen bytes
}

type export struct {
	intake.Base

	files    *ldif.Files
	groups   *ldif.Groups
	policies map[string]settings    // by name
	entries  map[string]*ldif.Entry // of the policies, by name
	applies  map[string][]string    // DN of a target: names of settings objects
	byRID    map[string]string      // last part of a group's SID: its DN
	bySID    map[string]string      // a group's SID: its DN
	resets   map[string]bool        // SIDs of those to whom an access list gives others' passwords
	given    map[string]bool        // DNs of groups among them
	builtin  map[string]bool        // DNs of groups whose members are administrators
	security map[string]bool        // DNs of groups that are not for mail only
	latest   ldif.Latest            // change

	brief        []string  // policies with such an age
	short        facts.Tri // passwords end that may grow a day old at most, and parts of a second count
	from         []string
	whole        bool          // the estate says that everything was visible
	ruled        bool          // the group of the domain's administrators is in the export
	ruledBuiltIn bool          // and that of the built-in ones
	people, any  atomic.Uint64 // what entries show, as ldif.Seen
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{
		Base: r.NewBase(), groups: ldif.NewGroups(), policies: map[string]settings{}, applies: map[string][]string{},
		byRID: map[string]string{}, bySID: map[string]string{}, resets: map[string]bool{}, given: map[string]bool{},
		builtin: map[string]bool{}, security: map[string]bool{},
	}
	e.whole, e.from = r.Whole, r.From
	e.files = ldif.NewFiles(r, &e.Noted, wanted)
	e.files.Watch = watch
	e.Read.Chooses = facts.ChooseAssigned
	if err := e.files.Gather(ofAccounts, "", e.tells, e.structure); err != nil {
		return nil, err
	}
	e.groups.Close()
	if latest, known := e.latest.Moment(); e.Read.AsOf.IsZero() && known {
		e.Read.AsOf, e.Read.AsOfFrom = latest, "the latest change in the export"
	}
	e.settleBrief()
	for sid := range e.resets {
		if group := e.bySID[sid]; group != "" {
			e.given[group] = true
		}
	}
	e.settleView(ldif.Seen(e.people.Load()), ldif.Seen(e.any.Load()))
	e.Read.Default = domain
	e.Read.WhyFirst = "a settings object of the user goes before those of its groups, then the lowest precedence, then the " +
		"smaller objectGUID"
	from := facts.Origin{File: strings.Join(r.From, ", ")}
	if e.Read.Policy(domain) == nil {
		e.Noted.Remark(from, "the domain object is not in the export: what holds for accounts without settings of their own "+
			"is unknown; export it with -s base")
		e.Read.LeaveDefaultOpen(unexported, from)
		e.policies[unexported] = settings{unknown: true}
	}
	if len(e.Read.Policies) == 1 && !e.whole {
		e.Noted.Remark(from, "no password settings objects are visible in the export; only administrators of a domain see them, so "+
			"that it is not known which accounts fall under one: export the Password Settings Container too, or write \"view: "+
			"whole\" under export in estate.yaml where the domain has none")
	}
	e.leaveSettingsOpen(from)
	return e, nil
}

func (e *export) Unread() []facts.Unread { return e.files.Unread() }

// ofAccounts are attributes that say nothing of policies and groups.
const ofAccounts = `userprincipalname mail displayname givenname sn description employeenumber employeeid whencreated pwdlastset badpwdcount
	badpasswordtime lockouttime accountexpires lastlogon lastlogontimestamp logonhours userworkstations`

// tells reports whether accounts are judged by an entry: a policy, a group, an
// access list. On the way it keeps what all entries show. It may be called from
// several sides at the same time.
func (e *export) tells(x *ldif.Entry) bool {
	e.latest.See(x, "whenchanged")
	user := x.Is("user")
	if e.any.Or(uint64(x.Seen)); user {
		e.people.Or(uint64(x.Seen))
	}
	return !user || x.Text("ntsecuritydescriptor") != ""
}

// structure gathers policies and groups.
func (e *export) structure(file string, x *ldif.Entry) error {
	binaryIDs(x)
	e.delegated(x)
	if version := x.Text("sambaversion"); version != "" {
		e.short = oneDayEnds(version)
	}
	dn := ldif.NormalDN(x.DN)
	switch {
	case x.Is("domainDNS") && x.Text("minpwdlength") != "":
		e.addPolicy(file, x, domain, domainAttributes)
	case x.Is("msDS-PasswordSettings"):
		name := cmp.Or(x.Text("cn"), ldif.FirstName(x.DN))
		e.addPolicy(file, x, name, objectAttributes)
		for _, a := range x.Attrs {
			if a.Name == "msds-psoappliesto" {
				target := ldif.NormalDN(a.Value)
				e.applies[target] = append(e.applies[target], name)
			}
		}
	case x.Is("group"):
		e.group(x, dn)
	case x.Text("grouptype") != "", x.Text("msds-passwordsettingsprecedence") != "",
		!x.Is("user") && (x.Text("useraccountcontrol") != "" || x.Text("primarygroupid") != ""):
		e.Noted.Refuse(facts.Origin{File: file, Line: x.Line},
			"the entry has attributes of an account, a group or a settings object and no objectClass that says so; it is left out")
	}
	if !x.Is("user") { // what accounts are members of is asked of themselves
		for _, group := range memberOf(x) {
			e.groups.Add(dn, group)
		}
	}
	return nil
}

// memberOf are the groups that an entry says it is in, by normal DN.
func memberOf(x *ldif.Entry) (groups []string) {
	for _, a := range x.Attrs {
		if a.Name == "memberof" {
			groups = append(groups, ldif.NormalDN(a.Value))
		}
	}
	return groups
}

// administrators are the last parts of the SIDs of groups that rule the
// domain: Domain Admins, Schema Admins, Enterprise Admins; and the built-in
// Administrators and Account Operators, who may set others' passwords.
var administrators = []string{"-512", "-518", "-519"}

const (
	builtInAdministrators = "S-1-5-32-544"
	accountOperators      = "S-1-5-32-548"
)

func (e *export) group(x *ldif.Entry, dn string) {
	name := x.Text("samaccountname")
	if name == "" {
		name = x.Text("cn")
	}
	e.groups.Name(dn, name)
	sid := x.Text("objectsid")
	if i := strings.LastIndexByte(sid, '-'); i >= 0 {
		rid := sid[i:]
		if sid == builtInAdministrators || sid == accountOperators || strings.HasPrefix(sid, "S-1-5-21-") &&
			slices.Contains(administrators, rid) {
			e.builtin[dn] = true
			e.ruled = e.ruled || rid == "-512"
			e.ruledBuiltIn = e.ruledBuiltIn || sid == builtInAdministrators
		}
		if strings.HasPrefix(sid, "S-1-5-21-") {
			e.byRID[rid[1:]] = dn
		}
		e.bySID[sid] = dn
	}
	kind, err := strconv.ParseInt(x.Text("grouptype"), 10, 64)
	e.security[dn] = err != nil || kind < 0 || kind&0x80000000 != 0
	for _, a := range x.Attrs {
		if a.Name == "member" {
			e.groups.Add(ldif.NormalDN(a.Value), dn)
		}
	}
}

// oneDayEnds tells of a version whether passwords end after a day or less where
// a policy says so: 4.17 takes that as never, 4.22 does not, and those between
// were not tried.
func oneDayEnds(version string) facts.Tri {
	first, rest, _ := strings.Cut(version, ".")
	second, _, _ := strings.Cut(rest, ".")
	major, err := strconv.Atoi(first)
	minor, err2 := strconv.Atoi(second)
	switch {
	case err != nil || err2 != nil || major != 4:
		return facts.Unknown
	case minor <= 17:
		return facts.No
	case minor >= 22:
		return facts.Yes
	}
	return facts.Unknown
}

// guidBytes turns the text form of a GUID into the order of its stored bytes:
// the first three groups are little-endian.
func guidBytes(text string) string {
	raw, err := hex.DecodeString(strings.ReplaceAll(text, "-", ""))
	if err != nil || len(raw) != 16 {
		return text
	}
	slices.Reverse(raw[0:4])
	slices.Reverse(raw[4:6])
	slices.Reverse(raw[6:8])
	return string(raw)
}

const (
	forEver      = math.MinInt64
	ticksPerDay  = 24 * 60 * 60 * 10_000_000
	ticksPerSec  = 10_000_000
	epochSeconds = 11_644_473_600 // from 1601 to 1970
	noEnd        = math.MaxInt64
)

// moment reads a count of 100 ns since 1601.
func moment(ticks int64) time.Time { return time.Unix(ticks/ticksPerSec-epochSeconds, 0).UTC() }

// secondAfter is the second in which a moment lies, or the next where it has a
// fraction: what ends then is over at the second that follows.
func secondAfter(ticks int64) int64 {
	return (ticks+ticksPerSec-1)/ticksPerSec - epochSeconds
}

// seconds counts a part of a second as a whole one: half a second is no zero.
func seconds(ticks int64) setting.Value {
	return setting.Seconds((ticks + ticksPerSec - 1) / ticksPerSec)
}
