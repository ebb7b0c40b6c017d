// Package ds389 reads the LDIF of a 389 directory: entries as its manager sees
// them, and cn=config with the global policy.
//
// What the values mean was tried on 389 Directory Server 2.3 and 3.1 and
// differs from what their names suggest:
//   - a number counts only where its switch is on: passwordExp for the largest
//     age, passwordLockout for failures, passwordHistory for old passwords,
//     passwordCheckSyntax for all that is asked of a password;
//   - a policy of an entry or a subtree replaces the global one as a whole, and
//     what it does not say is the program's default, not the global value;
//   - the stored end of a password counts, not the largest age;
//   - a time of 1970-01-01 means "must be changed" as an end, and "until somebody
//     unlocks" as the end of a lock.
package ds389

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/ldif"
	"yewcone/intake/stamp"
)

// how are the commands that take an export.
const how = `As the directory's manager (cn=config without nsslapd-rootpw, its password):
search() { ldapsearch -LLL -o ldif-wrap=no -x -H ldap://SERVER -D 'BINDDN' -W "$@"; }
search -s base -b cn=config '(objectClass=*)' '*' passwordHistory | grep -vi '^nsslapd-rootpw:' > config.ldif
search -b 'cn=Account Policy Plugin,cn=plugins,cn=config' >> config.ldif
search -b SUFFIX '(&(objectClass=ldapsubentry)(objectClass=passwordPolicy))' '*' passwordHistory modifyTimestamp >> config.ldif
search -b SUFFIX '(|(objectClass=*)(objectClass=ldapsubentry))' '*' aci createTimestamp modifyTimestamp pwdpolicysubentry nsAccountLock nsRole \
  passwordExpirationTime passwordRetryCount retryCountResetTime accountUnlockTime passwordGraceUserTime passwordAllowChangeTime \
  pwdUpdateTime pwdReset lastLoginTime acctPolicySubentry pwdTPRReset pwdTPRUseCount > directory.ldif

estate.yaml:
  export: {read: 389-directory, from: [config.ldif, directory.ldif], view: whole}   whole: taken as its manager, with all of these names
`

// Format is the LDIF of a 389 directory.
var Format = intake.Format{
	Name: "389-directory",
	Doc:  "LDIF of a 389 directory: its entries, local policies and cn=config, as its manager sees them",
	Open: open,
	How:  how,
	ToKnow: map[string]string{
		"second_factor": "the directory does not know it: write it under \"known\" in estate.yaml",
		"privileged":    "export the access rules too (aci), as the directory's manager",
		"locked":        "export the account policy plug-in too, which shuts out whom nobody used (yewcone intake --how 389-directory)",
		"idle":          "switch on the account policy plug-in, which keeps lastLoginTime, and export it",
		"last_sign_in":  "switch on the account policy plug-in, which keeps lastLoginTime, and export it",
		"storage":       "export as the directory's manager, who may read userPassword",
		"common_barred": "depends on the dictionary of cracklib: write it under \"known\" in estate.yaml",
	},
}

const wanted = `uid cn displayname givenname sn mail employeenumber description userpassword member uniquemember memberuid
	aci createtimestamp modifytimestamp pwdpolicysubentry nsaccountlock nsrole passwordexpirationtime passwordretrycount retrycountresettime
	accountunlocktime passwordgraceusertime passwordallowchangetime pwdupdatetime pwdreset lastlogintime acctpolicysubentry pwdtprreset
	pwdtprusecount accountinactivitylimit nsslapd-pluginenabled stateattrname altstateattrname alwaysrecordlogin nsslapd-rootdn
	nsslapd-pwpolicy-local nsslapd-pwpolicy-inherit-global passwordadmindn
	passwordchange passwordmustchange passwordmaxage passwordexp passwordminage passwordwarning passwordgracelimit passwordhistory
	passwordinhistory passwordchecksyntax passwordminlength passwordmindigits passwordminalphas passwordminuppers passwordminlowers
	passwordminspecials passwordmincategories passwordmintokenlength passwordmaxrepeats passwordmaxsequence passwordmaxseqsets
	passwordmaxclasschars passwordpalindrome passworddictcheck passwordbadwords passworduserattributes passwordlockout passwordmaxfailure
	passwordunlock passwordlockoutduration passwordresetfailurecount passwordlegacypolicy passwordstoragescheme passwordtprmaxuse`

var watch = ldif.NewWatch("userpassword", "pwdpolicysubentry", "nsaccountlock", "passwordexpirationtime",
	"accountunlocktime", "passwordretrycount",
	"passwordgraceusertime", "pwdreset", "lastlogintime", "aci", "member", "uniquemember", "memberuid", "pwdupdatetime", "createtimestamp")

// restsOn is what a view may leave out, by what rests on it.
var restsOn = map[string]string{
	"userpassword":           "how passwords are stored, and which entries have one",
	"pwdpolicysubentry":      "which policy an account falls under",
	"nsaccountlock":          "which accounts are switched off",
	"passwordexpirationtime": "when passwords end, and who must change them",
	"accountunlocktime":      "who is locked",
	"passwordretrycount":     "failed sign-ins",
	"passwordgraceusertime":  "grace sign-ins",
	"pwdreset":               "who must change the password",
	"aci":                    "who may set others' passwords",
	"member":                 "groups",
}

// policy is what the reader itself needs of one.
type policy struct {
	lockout, unlock, expires, mustChange bool
	grace                                int64
	unknown                              bool
}

type export struct {
	intake.Base

	request  *intake.Request
	files    *ldif.Files
	groups   *ldif.Groups
	policies []policy
	entries  map[string]*ldif.Entry // of the policies, by name
	byDN     map[string]int         // number of a local policy, from 1
	global   int                    // -1 where cn=config is not in the export
	limits   map[string]int64
	plugin   plugin
	config   *fileEntry
	root     string
	rules    []aci
	some     ldif.Sample // names of accounts
	accounts []string    // these in normal form, once all was read
	people   atomic.Uint64
	latest   ldif.Latest
}

type fileEntry struct {
	file string
	x    *ldif.Entry
}

// A plugin locks accounts that nobody uses.
type plugin struct {
	seen, on     bool   // its entry is in the export; it is enabled
	told         bool   // its configuration is in the export
	state, other string // attributes that it looks at, in this order
	limit        int64  // seconds; for accounts without a policy of their own
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{request: r, Base: r.NewBase(), groups: ldif.NewGroups(), byDN: map[string]int{}, global: -1, limits: map[string]int64{}}
	e.files = ldif.NewFiles(r, &e.Noted, wanted)
	e.files.Watch = watch
	e.Read.Chooses = facts.ChooseAssigned
	if err := e.files.Gather(ofAccounts, "", e.tells, e.structure); err != nil {
		return nil, err
	}
	if latest, known := e.latest.Moment(); e.Read.AsOf.IsZero() && known {
		e.Read.AsOf, e.Read.AsOfFrom = latest, "the latest change in the export"
	}
	e.accounts = e.some.Names()
	e.settleView()
	from := facts.Origin{File: strings.Join(r.From, ", ")}
	if e.config != nil {
		e.global = len(e.policies)
		e.addPolicy(e.config.file, e.config.x, globalName)
		e.Read.Default = globalName
	} else {
		e.Noted.Remark(from, "cn=config is not in the export: what holds for accounts without a policy of their own is unknown")
		e.Read.LeaveDefaultOpen(hidden, from)
		e.policies = append(e.policies, policy{unknown: true})
	}
	if e.Read.Policy(hidden) == nil {
		e.Read.Policies = append(e.Read.Policies, facts.Policy{Name: hidden, Origin: from, Open: true})
		e.policies = append(e.policies, policy{unknown: true})
	}
	e.groups.Close()
	return e, nil
}

const (
	globalName = "global"
	hidden     = "not visible in the export"
)

func (e *export) Unread() []facts.Unread { return e.files.Unread() }

// ofAccounts are attributes that say nothing of policies, groups and rules.
const ofAccounts = `sn givenname displayname mail employeenumber description userpassword
	nsaccountlock nsrole passwordexpirationtime passwordretrycount retrycountresettime accountunlocktime passwordgraceusertime
	passwordallowchangetime pwdupdatetime pwdreset lastlogintime acctpolicysubentry pwdtprreset pwdtprusecount`

// tells reports whether accounts are judged by an entry. On the way it keeps the latest
// stamp of the server, and what is seen of accounts. It may be called from several sides
// at the same time.
func (e *export) tells(x *ldif.Entry) bool {
	e.latest.See(x, "modifytimestamp", "createtimestamp")
	if x.Has("aci") || x.Is("passwordPolicy") || x.Is("accountPolicy") || x.IsGroup() || inConfig(x.NormalDN()) {
		return true
	}
	if isAccount(x) {
		e.people.Or(uint64(x.Seen))
		e.some.Add(x.DN)
	}
	return false
}

func inConfig(dn string) bool { return dn == "cn=config" || ldif.Below(dn, "cn=config") }

// structure gathers what accounts are judged by.
func (e *export) structure(file string, x *ldif.Entry) error {
	dn := ldif.NormalDN(x.DN)
	for _, a := range x.Attrs {
		if a.Name == "aci" {
			e.rules = append(e.rules, parseACI(dn, a.Value))
		}
	}
	switch {
	case dn == "cn=config":
		e.config, e.root = &fileEntry{file, x}, ldif.NormalDN(x.Text("nsslapd-rootdn"))
	case strings.HasPrefix(dn, "cn=account policy plugin,"):
		e.plugin.seen, e.plugin.on = true, strings.EqualFold(x.Text("nsslapd-pluginenabled"), "on")
	case strings.HasSuffix(dn, ",cn=account policy plugin,cn=plugins,cn=config"):
		e.plugin.told = true
		e.plugin.state, e.plugin.other = strings.ToLower(cmp.Or(x.Text("stateattrname"), "lastLoginTime")),
			strings.ToLower(cmp.Or(x.Text("altstateattrname"), "createTimestamp"))
		e.plugin.limit, _ = strconv.ParseInt(x.Text("accountinactivitylimit"), 10, 64)
	case x.Is("passwordPolicy") && e.byDN[dn] > 0:
	case x.Is("passwordPolicy"):
		e.addPolicy(file, x, localName(x))
		e.byDN[dn] = len(e.policies)
	case x.Is("accountPolicy"):
		e.limits[dn], _ = strconv.ParseInt(x.Text("accountinactivitylimit"), 10, 64)
	case x.IsGroup():
		e.groups.Name(dn, cmp.Or(x.Text("cn"), ldif.FirstName(x.DN)))
		e.groups.Members(x, dn)
	case isAccount(x):
		e.people.Or(uint64(x.Seen))
		e.some.Add(x.DN)
	}
	return nil
}

// localName names a policy by whom it is for: its cn is "cn=nsPwPolicyEntry,"
// and the DN of a user or a subtree.
func localName(x *ldif.Entry) string {
	name := cmp.Or(x.Text("cn"), ldif.FirstName(x.DN))
	for _, prefix := range []string{"cn=nsPwPolicyEntry_subtree,", "cn=nsPwPolicyEntry_user,", "cn=nsPwPolicyEntry,"} {
		if len(name) > len(prefix) && strings.EqualFold(name[:len(prefix)], prefix) {
			return name[len(prefix):]
		}
	}
	return name
}

func isAccount(x *ldif.Entry) bool {
	return !x.Is("ldapSubEntry") && (x.Seen&watch["userpassword"] != 0 || x.MayBind() && x.Text("uid") != "")
}

func (e *export) settleView() {
	v := &facts.View{Whole: e.request.Whole, Proof: "estate.yaml says that whoever took it could read everything",
		Advice: "a search as the directory's manager that names the attributes, as \"yewcone intake --how 389-directory\" shows, with " +
			"\"view: whole\" under export in estate.yaml"}
	e.Read.View = v
	for name, about := range restsOn {
		v.Ask(name, about)
		if ldif.Seen(e.people.Load())&watch[name] != 0 {
			v.Show(name)
		}
	}
	if len(e.rules) > 0 {
		v.Show("aci")
	}
	v.Tell(&e.Noted, facts.Origin{File: strings.Join(e.request.From, ", ")})
}

func (e *export) absent(attribute string) facts.Tri {
	if e.Read.View.Shows(attribute) {
		return facts.No
	}
	return facts.Unknown
}

// policyReader turns one entry into settings.
type policyReader struct {
	e      *export
	x      *ldif.Entry
	file   string
	policy *facts.Policy
	odd    []string // attributes that cannot be read
}

func (e *export) addPolicy(file string, x *ldif.Entry, name string) {
	if e.entries == nil {
		e.entries = map[string]*ldif.Entry{}
	}
	e.entries[name] = x
	e.Read.Policies = append(e.Read.Policies, facts.Policy{Name: name, Origin: facts.Origin{File: file, Line: x.Line}})
	p := &policyReader{e: e, x: x, file: file, policy: &e.Read.Policies[len(e.Read.Policies)-1]}
	if at, ok := stamp.Generalized(x.Text("modifytimestamp")); ok && name != globalName {
		p.policy.Changed = facts.At(at)
	}
	p.syntax()
	p.ages()
	p.lockout()
	mine := policy{lockout: p.on("passwordLockout", false), unlock: p.on("passwordUnlock", true),
		expires: p.on("passwordExp", false), mustChange: p.on("passwordMustChange", false), grace: p.number("passwordGraceLimit", 0)}
	for _, attr := range []string{"passwordLockout", "passwordUnlock", "passwordExp", "passwordMustChange", "passwordGraceLimit"} {
		mine.unknown = mine.unknown || slices.Contains(p.odd, attr)
	}
	e.policies = append(e.policies, mine)
}

// origin is where an attribute stands, or the entry that lacks it.
func (p *policyReader) origin(attr string) facts.Origin {
	if a, ok := p.x.First(strings.ToLower(attr)); ok {
		return facts.Origin{File: p.file, Line: a.Line, Place: p.x.DN, Text: attr + ": " + a.Value}
	}
	return facts.Origin{File: p.file, Line: p.x.Line, Place: p.x.DN, Text: attr + " absent, which is the program's default"}
}

func (p *policyReader) on(attr string, absent bool) bool {
	a, ok := p.x.First(strings.ToLower(attr))
	switch word := strings.ToLower(a.Value); {
	case !ok:
	case slices.Contains([]string{"on", "true", "yes", "1"}, word):
		return true
	case slices.Contains([]string{"off", "false", "no", "0"}, word):
		return false
	default:
		p.refuse(attr, a.Line, "neither on nor off")
	}
	return absent
}

// refuse leaves open what rests on an attribute of the policy.
func (p *policyReader) refuse(attr string, line int, what string) {
	if !slices.Contains(p.odd, attr) {
		p.odd = append(p.odd, attr)
		p.e.Noted.Refuse(facts.Origin{File: p.file, Line: line}, "%s of the policy %q is %s; what rests on it is unknown", attr, p.policy.Name, what)
	}
}

// set sets a value that rests on an attribute, or leaves it open where that cannot be
// read.
func (p *policyReader) set(id setting.ID, v setting.Value, attr string) {
	if slices.Contains(p.odd, attr) {
		p.policy.Hide(id, p.origin(attr))
		return
	}
	p.policy.Set(id, v, p.origin(attr))
}

func (p *policyReader) number(attr string, absent int64) int64 {
	a, ok := p.x.First(strings.ToLower(attr))
	if !ok {
		return absent
	}
	n, err := strconv.ParseInt(a.Value, 10, 64)
	if err != nil {
		p.refuse(attr, a.Line, "no whole number")
		return absent
	}
	return n
}

// under sets a value that counts only where a switch is on.
func (p *policyReader) under(id setting.ID, on bool, by, attr string, v, off setting.Value) {
	if !on || slices.Contains(p.odd, by) {
		p.set(id, off, by)
		return
	}
	p.set(id, v, attr)
}

func orOff(n int64, v setting.Value) setting.Value {
	if n <= 0 {
		return setting.OffValue
	}
	return v
}

func (p *policyReader) syntax() {
	const by = "passwordCheckSyntax"
	checks := p.on(by, false)
	for _, c := range []struct {
		id     setting.ID
		attr   string
		absent int64
	}{{setting.MinLength, "passwordMinLength", 8}, {setting.MinDigits, "passwordMinDigits", 0},
		{setting.MinLetters, "passwordMinAlphas", 0},
		{setting.MinUpper, "passwordMinUppers", 0}, {setting.MinLower, "passwordMinLowers", 0},
		{setting.MinSymbols, "passwordMinSpecials", 0},
		{setting.MinClasses, "passwordMinCategories", 3}, {setting.MaxRepeat, "passwordMaxRepeats", 0}} {
		n := p.number(c.attr, c.absent)
		if c.id == setting.MinClasses && n <= 1 {
			n = 0
		}
		p.under(c.id, checks, by, c.attr, orOff(n, setting.Count(max(n, 0))), setting.OffValue)
	}
	p.policy.Set(setting.BlankAllowed, setting.No, p.origin(by)) // an empty one is none
	if !checks {
		for _, id := range []setting.ID{setting.MaxRun, setting.MinDistinct, setting.MinChanged, setting.MaxLength} {
			p.set(id, setting.OffValue, by)
		}
		for _, id := range []setting.ID{setting.LoginReversedBarred, setting.NamesBarred, setting.DescriptionBarred, setting.CommonBarred,
			setting.DictionaryBarred, setting.BreachedBarred} {
			p.set(id, setting.No, by)
		}
		p.set(setting.LoginBarred, setting.LoginAccepted, by)
		if !slices.Contains(p.odd, by) {
			intake.AnyCharacters(p.policy, p.origin(by))
		}
	} else {
		p.set(setting.MaxLength, setting.OffValue, by)
		p.set(setting.LoginBarred, setting.LoginContained, "passwordMinTokenLength")
		p.set(setting.NamesBarred, setting.Yes, "passwordMinTokenLength")
		p.set(setting.DictionaryBarred, setting.YesNo(p.on("passwordDictCheck", false)), "passwordDictCheck")
	}
	history := p.on("passwordHistory", false)
	if p.x.Text("passwordhistory") == "" && (p.policy.Name == globalName || !p.e.request.Whole) {
		p.policy.Hide(setting.History, p.origin("passwordHistory")) // a search must name it, and cn=config always has it
	} else {
		p.history(history)
	}
	if schemes := p.x.Text("passwordstoragescheme"); schemes != "" {
		if v := grade("{" + schemes + "}"); v.Known() {
			p.set(setting.Storage, v, "passwordStorageScheme")
		}
	}
}

func (p *policyReader) history(on bool) {
	n := p.number("passwordInHistory", 6)
	p.under(setting.History, on, "passwordHistory", "passwordInHistory", orOff(n, setting.Count(max(n, 0))), setting.OffValue)
}

func (p *policyReader) seconds(id setting.ID, attr string, absent int64) {
	n := p.number(attr, absent)
	p.set(id, orOff(n, setting.Seconds(max(n, 0))), attr)
}

func (p *policyReader) ages() {
	n := p.number("passwordMaxAge", 8640000)
	p.under(setting.MaxAge, p.on("passwordExp", false), "passwordExp", "passwordMaxAge",
		orOff(n, setting.Seconds(max(n, 0))), setting.OffValue)
	p.seconds(setting.MinAge, "passwordMinAge", 0)
	p.seconds(setting.WarnBefore, "passwordWarning", 86400)
	p.set(setting.GraceSignIns, setting.Count(max(p.number("passwordGraceLimit", 0), 0)), "passwordGraceLimit")
	p.set(setting.ChangeAtFirstUse, setting.YesNo(p.on("passwordMustChange", false)), "passwordMustChange")
	p.set(setting.SelfChange, setting.YesNo(p.on("passwordChange", true)), "passwordChange")
}

func (p *policyReader) lockout() {
	n := p.number("passwordMaxFailure", 3)
	p.under(setting.LockoutAttempts, p.on("passwordLockout", false), "passwordLockout", "passwordMaxFailure",
		orOff(n, setting.Count(max(n, 0))), setting.OffValue)
	p.seconds(setting.LockoutWindow, "passwordResetFailureCount", 600)
	duration := p.number("passwordLockoutDuration", 3600)
	v := setting.UntilUnlockedValue
	if duration > 0 {
		v = setting.Seconds(duration)
	}
	p.under(setting.LockoutDuration, p.on("passwordUnlock", true), "passwordUnlock", "passwordLockoutDuration", v,
		setting.UntilUnlockedValue)
	p.set(setting.LockoutCoversAdmins, setting.Yes, "passwordLockout")
	p.set(setting.SourceAttempts, setting.OffValue, "passwordLockout")
}
