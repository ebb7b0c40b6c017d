// Package directory reads the LDIF of an LDAP directory whose entries carry the
// password policy schema of draft-behera-ldap-password-policy.
//
// What the values mean was tried on OpenLDAP 2.5 and differs from what their
// names suggest:
//   - a maximum age of 0 or none: passwords never expire; a lock of 0 or none:
//     until an administrator unlocks; a failure count of 0: nothing locks;
//   - lengths count only where pwdCheckQuality is 1 or 2;
//   - without pwdLockout TRUE nothing locks, not even an administrator's lock;
//   - a lock stamp stays after a timed lock has run out;
//   - pwdReset counts only under a policy with pwdMustChange;
//   - a password without pwdChangedTime never expires;
//   - an attribute that a policy lacks is 0 or FALSE (pwdAllowUserChange:
//     TRUE); nothing comes from the default policy.
package directory

import (
	"cmp"
	"maps"
	"strings"
	"sync/atomic"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/ldif"
)

// how are the commands that take an export.
const how = `On the server, as root, each database with a file of its own:
slapcat -n 0 -a '(!(objectClass=olcSchemaConfig))' -l config.ldif
for n in $(sed -n 's/^dn: olcDatabase={\([1-9][0-9]*\)}[a-z]*db,.*/\1/p' config.ldif); do slapcat -n $n -l directory-$n.ldif; done

or instead of the last, as a user who may read all of it, beside config.ldif:
ldapsearch -x -LLL -H ldap://SERVER -D BINDDN -W -b SUFFIX '(objectClass=*)' '*' '+' > directory-1.ldif

config.ldif tells which policies hold where, who may set passwords, and how they are stored.
estate.yaml:
  export: {read: ldif, from: [directory-1.ldif, config.ldif]}
`

// Format is the LDIF of a directory with the password policy schema.
var Format = intake.Format{
	Name:   "ldif",
	Doc:    "LDIF of an LDAP directory with the password policy schema, from slapcat or ldapsearch",
	Open:   open,
	How:    how,
	ToKnow: toKnow,
}

var toKnow = map[string]string{
	"idle":          "load the lastbind feature, which keeps pwdLastSuccess, and export the operational attributes with '+'",
	"storage":       "export with slapcat, or as a user who may read userPassword",
	"password_set":  "export the operational attributes: ldapsearch … '*' '+'",
	"locked":        "export the operational attributes: ldapsearch … '*' '+'",
	"must_change":   "export the operational attributes: ldapsearch … '*' '+'",
	"created":       "export the operational attributes: ldapsearch … '*' '+'",
	"second_factor": "the directory does not know it: write it under \"known\" in estate.yaml, or ask the systems in front of it",
	"common_barred": "what a check module refuses stands in its own configuration: write it under \"known\" in estate.yaml",
	"blank_allowed": "no policy demands a length: try an empty password, and write the answer under \"known\" in estate.yaml",
}

// wanted are the attributes that are read, in small letters.
const wanted = `uid cn displayname givenname sn mail
	employeenumber description userpassword member uniquemember memberuid olcppolicydefault
	olcdatabase olcsuffix olcrootdn olcrootpw olcaccess olcpasswordhash olcmoduleload olcppolicyhashcleartext olcdisabled olclastbind
	entryuuid entrycsn createtimestamp modifytimestamp
	pwdchangedtime pwdaccountlockedtime pwdfailuretime pwdgraceusetime pwdreset pwdpolicysubentry pwdlastsuccess
	authtimestamp pwdstarttime pwdendtime
	pwdminlength pwdmaxlength pwdcheckquality pwdinhistory pwdminage pwdmaxage pwdexpirewarning pwdgraceauthnlimit
	pwdlockout pwdmaxfailure pwdlockoutduration pwdfailurecountinterval pwdmustchange pwdallowuserchange
	pwdgraceexpiry
	pwdcheckmodule pwdusecheckmodule pwdmaxidle pwdmindelay pwdmaxdelay pwdattribute`

type export struct {
	intake.Base

	request  *intake.Request
	policies []policy       // beside system.Policies
	byDN     map[string]int // policies
	config   config
	groups   *ldif.Groups
	files    *ldif.Files
	latest   ldif.Latest

	look         look
	foreignClass atomic.Bool
	foreign      bool // of another family of servers
	ofPolicies   []fileEntry
	entries      []*ldif.Entry   // of the policies, in their order
	shown        map[string]bool // attributes that some policy has
	ofDatabases  bool            // databases have policies of their own
	overlaysTold bool            // a database that shows no policies has none
	forms        map[string]groupForm
	targets      []target
	passwords    ldif.Sample   // who has one
	telling      *ldif.Telling // nil where accounts cannot be told apart before they are made
}

// fileEntry is an entry that is kept.
type fileEntry struct {
	file  string
	entry *ldif.Entry
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{request: r, Base: r.NewBase(), byDN: map[string]int{}, groups: ldif.NewGroups(),
		forms: map[string]groupForm{}}
	e.look.every.Store(^uint64(0))
	e.files = ldif.NewFiles(r, &e.Noted, wanted)
	e.files.Watch = watch
	if e.Read.Chooses == "" {
		e.Read.Chooses = facts.ChooseAssigned
	}
	if err := e.files.Gather(ofAccounts, ofOthers, e.tells, e.structure); err != nil {
		return nil, err
	}
	if latest, known := e.latest.Moment(); e.Read.AsOf.IsZero() && known {
		e.Read.AsOf, e.Read.AsOfFrom = latest, "the latest change in the export"
	}
	e.config.parseRules()
	for _, dn := range e.passwords.Names() {
		e.targets = append(e.targets, target{dn, "userpassword"})
	}
	e.settleView()
	e.addPolicies()
	e.settleDefault()
	e.groups.Close()
	e.telling = e.tellingOf()
	return e, nil
}

func (e *export) Unread() []facts.Unread { return e.files.Unread() }

// ofAccounts are attributes that say nothing of policies and groups.
const ofAccounts = `entryuuid uid sn givenname displayname mail employeenumber description userpassword
	pwdchangedtime pwdaccountlockedtime pwdfailuretime pwdgraceusetime pwdreset authtimestamp pwdlastsuccess pwdstarttime pwdendtime`

// ofOthers are attributes that say nothing of accounts but that they are there.
const ofOthers = `entryuuid entrycsn modifytimestamp`

// tells reports whether accounts are judged by an entry: a policy, a group, or
// what names the default policy. On the way it keeps the latest stamp of the
// server. It may be called from several sides at the same time.
func (e *export) tells(x *ldif.Entry) bool {
	e.latest.See(x, "modifytimestamp", "createtimestamp")
	config, policy := isConfig(x), x.Is("pwdPolicy")
	if !config {
		e.look.at(x, !policy && mayBind(x))
		if x.Seen&seenPassword != 0 {
			e.passwords.Add(x.DN)
		}
	}
	if x.IsOne(&foreignClasses) {
		e.foreignClass.Store(true)
	}
	return config || policy || x.Seen&(seenMembers|seenMarked) != 0 || x.IsGroup()
}

// foreignClasses are of another family of servers.
var foreignClasses = ldif.NewClasses("passwordPolicy", "nsPwPolicyContainer", "nsContainer")

// structure gathers what accounts are judged by.
func (e *export) structure(file string, x *ldif.Entry) error {
	switch {
	case isConfig(x):
		e.config.add(x)
		if x.Seen&watch["olcrootpw"] != 0 && x.Text("olcrootdn") == "" {
			e.Noted.Refuse(facts.Origin{File: file, Line: x.Line, Place: x.DN},
				"olcRootPW stands without olcRootDN; the account is left out")
		}
	case x.Is("pwdPolicy"):
		e.targets = append(e.targets, target{ldif.NormalDN(x.DN), "pwdminlength"})
		e.ofPolicies = append(e.ofPolicies, fileEntry{file, x})
	case x.Seen&seenMarked != 0:
		e.Noted.Refuse(facts.Origin{File: file, Line: x.Line, Place: x.DN},
			"the entry has the attributes of a policy and not the object class pwdPolicy; the server does not take it for "+
				"one: export objectClass too, or mend the entry")
	case x.IsGroup() || x.Seen&seenMembers != 0:
		if !x.IsGroup() {
			e.Noted.Remark(facts.Origin{File: file, Line: x.Line, Place: x.DN},
				"the entry has members and no object class of groups that is known here; it is taken for a group")
		}
		dn := ldif.NormalDN(x.DN)
		e.forms[dn] = formOf(x)
		e.groups.Name(dn, cmp.Or(x.Text("cn"), ldif.FirstName(x.DN)))
		e.groups.Members(x, dn)
	}
	return nil
}

// unnamed stands for the default policy where the export does not show which it
// is; it says nothing of any setting.
const unnamed = "not named in the export"

func (e *export) settleDefault() {
	from := facts.Origin{File: strings.Join(e.request.From, ", ")}
	fallback, overlays := e.config.fallback()
	i, there := e.byDN[fallback]
	lost := e.config.lost()
	e.overlaysTold = lost == "" && (overlays > 0 || e.Read.View.Whole)
	if lost != "" {
		e.Noted.Incomplete(from, "policies hold in the database %q, whose entry is not in the export: which accounts they reach is not known; "+
			"export all of cn=config", lost)
	}
	switch {
	case e.Read.Default != "":
		if e.Read.Policy(e.Read.Default) == nil {
			e.Noted.Remark(facts.Origin{File: "estate.yaml"},
				"the default policy %q is not in the export; its accounts fall under no policy", e.Read.Default)
		}
	case overlays > 1:
		e.ofDatabases = true // each with its own default, or none
	case there:
		e.Read.Default = e.Read.Policies[i].Name
	case fallback != "" && e.Read.View.Whole:
		e.Noted.Remark(from, "the default policy %q is not in the export; accounts that name no policy fall under none", fallback)
	case fallback != "":
		e.Noted.Remark(from, "the default policy %q is not visible in the export; what it says is not known", fallback)
		e.leaveOpen(from)
	case e.foreign:
		e.leaveOpen(from)
	case e.config.there && overlays == 0 && !e.overlaysTold:
		e.Noted.Remark(from, "the configuration shows no database with policies (olcPPolicyConfig), and not all of it may be in the export; "+
			"which policies hold is not known")
		e.leaveOpen(from)
	case e.config.there && overlays == 0:
		e.Noted.Remark(from, "the configuration has no database with policies (olcPPolicyConfig); no policy holds for anybody")
	case len(e.Read.Policies) == 0 && e.Read.View.Whole:
	case len(e.Read.Policies) == 0:
		e.Noted.Remark(from, "no policy is visible in the export; whether there are any, and which accounts fall under them, is not known")
		e.leaveOpen(from)
	case e.config.there && e.Read.View.Whole:
		e.Noted.Remark(from, "the configuration names no default policy (olcPPolicyDefault); accounts that name no policy fall under none")
	default:
		e.Noted.Remark(from, "the export does not show which policy is the default (olcPPolicyDefault stands in cn=config), "+
			"so that what holds for accounts that name none is not known: add the configuration's export, or \"default\" in "+
			"estate.yaml")
		e.leaveOpen(from)
		e.Read.ToKnow = maps.Clone(toKnow)
		both := "export the configuration too, which names the default policy (yewcone intake --how ldif), or write " +
			"\"default\" in estate.yaml"
		if !e.Read.View.Whole {
			both = "take it with slapcat, or as the directory's own administrator, and the configuration too, which names the default policy " +
				"(yewcone intake --how ldif)"
		}
		e.Read.ToKnow[""], e.Read.ToKnow["locked"], e.Read.ToKnow["must_change"] = both, both, both
	}
	if e.Read.View.Whole || e.config.there {
		e.withoutPolicy()
	}
	if (!e.Read.View.Whole || lost != "") && e.Read.Policy(unnamed) == nil {
		e.Read.Policies = append(e.Read.Policies, facts.Policy{Name: unnamed, Origin: from, Open: true})
		e.policies = append(e.policies, policy{unknown: true})
	}
}

// leaveOpen makes a policy the default of which nothing is known.
func (e *export) leaveOpen(from facts.Origin) {
	e.Read.LeaveDefaultOpen(unnamed, from)
	e.policies = append(e.policies, policy{unknown: true})
}
