// Package ldif reads the LDIF of an LDAP directory whose entries carry the
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
package ldif

import (
	"errors"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"yewcone/core/check"
	"yewcone/core/estate"
	"yewcone/intake"
	"yewcone/intake/text"
)

// Format is the LDIF of a directory with the password policy schema.
var Format = intake.Format{
	Name: "ldif",
	Doc:  "LDIF of an LDAP directory with the password policy schema, from slapcat or ldapsearch",
	Open: open,
	ToKnow: map[string]string{
		"idle":          "load the lastbind feature, which keeps pwdLastSuccess, and export the operational attributes with '+'",
		"storage":       "export with slapcat, or as a user who may read userPassword",
		"password_set":  "export the operational attributes: ldapsearch … '*' '+'",
		"locked":        "export the operational attributes: ldapsearch … '*' '+'",
		"must_change":   "export the operational attributes: ldapsearch … '*' '+'",
		"created":       "export the operational attributes: ldapsearch … '*' '+'",
		"second_factor": "the directory does not know it: write it under \"known\" in estate.yaml, or ask the systems in front of it",
		"common_barred": "what a check module refuses stands in its own configuration: write it under \"known\" in estate.yaml",
		"blank_allowed": "no policy demands a length: try an empty password, and write the answer under \"known\" in estate.yaml",
	},
}

// wanted are the attributes that are read, in small letters.
var wanted = func() map[string]bool {
	set := map[string]bool{}
	for _, name := range strings.Fields(`dn version search result ref changetype objectclass uid cn displayname givenname sn mail
		employeenumber description userpassword member uniquemember memberuid olcppolicydefault
		entryuuid entrycsn createtimestamp modifytimestamp
		pwdchangedtime pwdaccountlockedtime pwdfailuretime pwdgraceusetime pwdreset pwdpolicysubentry pwdlastsuccess
		authtimestamp pwdstarttime pwdendtime
		pwdminlength pwdmaxlength pwdcheckquality pwdinhistory pwdminage pwdmaxage pwdexpirewarning pwdgraceauthnlimit
		pwdlockout pwdmaxfailure pwdlockoutduration pwdfailurecountinterval pwdmustchange pwdallowuserchange
		pwdcheckmodule pwdusecheckmodule pwdmaxidle pwdmindelay pwdmaxdelay pwdattribute`) {
		set[name] = true
	}
	return set
}()

type export struct {
	request  *intake.Request
	system   *estate.System
	policies []policy            // beside system.Policies
	byDN     map[string]int      // policies
	fallback string              // DN of the default policy
	parents  map[string][]string // DN of a member (or "uid:" and a name): DNs of its groups
	names    map[string]string   // DN of a group: its name
	closure  map[string][]string // DN of a group: names of it and all groups above
	latest   time.Time
	notes    estate.Notes
	passes   int
}

func open(r *intake.Request) (check.Export, error) {
	e := &export{request: r, system: r.NewSystem(), byDN: map[string]int{}, parents: map[string][]string{}, names: map[string]string{}, closure: map[string][]string{}}
	if e.system.Chooses == "" {
		e.system.Chooses = estate.ChooseAssigned
	}
	if err := e.scan(e.structure); err != nil {
		return nil, err
	}
	if e.system.AsOf.IsZero() && !e.latest.IsZero() {
		e.system.AsOf, e.system.AsOfFrom = e.latest, "the latest change in the export"
	}
	e.settleDefault()
	return e, nil
}

func (e *export) System() *estate.System { return e.system }
func (e *export) Notes() *estate.Notes   { return &e.notes }

// scan reads all files once and hands over each entry.
func (e *export) scan(each func(file string, x *entry) error) error {
	e.passes++
	for _, from := range e.request.From {
		if err := e.scanFile(from, each); err != nil {
			return err
		}
	}
	return nil
}

func (e *export) scanFile(from string, each func(file string, x *entry) error) error {
	f, err := text.Open(e.request.Path(from), "")
	if err != nil {
		return intake.CannotOpen(from, err)
	}
	defer f.Close()
	r := newReader(f)
	entries := 0
	for {
		x, err := r.next()
		switch {
		case err == io.EOF:
			if e.passes == 1 {
				e.checkEnd(from, f, r, entries)
			}
			return nil
		case errors.Is(err, errBadLine):
			if e.passes == 1 {
				message := strings.TrimSuffix(err.Error(), ": "+errBadLine.Error())
				e.notes.Refuse(estate.Origin{File: from, Line: r.rawLine}, "the entry is left out: %s", message)
			}
			continue
		case err != nil:
			if e.passes == 1 {
				e.notes.Cut(estate.Origin{File: from, Line: r.line}, "the file cannot be read on: %s", err)
			}
			return nil
		}
		entries++
		if err := each(from, x); err != nil {
			return err
		}
	}
}

// checkEnd: exports end with the empty line that closes the last entry; one
// that does not was probably cut off.
func (e *export) checkEnd(from string, f *text.File, r *reader, entries int) {
	origin := estate.Origin{File: from, Line: r.line}
	switch {
	case entries == 0:
		e.notes.Cut(origin, "no LDIF entries were found here; take the export again with slapcat or ldapsearch")
	case !f.EndsInLine():
		e.notes.Cut(origin, "the file ends in the middle of a line: it was cut off; take the export again")
	case !r.closed:
		e.notes.Cut(origin, "the file ends without the empty line that closes an entry: it may have been cut off; take the export again, or add the line if the file is whole")
	}
}

// structure gathers what accounts are judged by: policies, groups, the name
// of the default policy and the latest stamp of the server.
func (e *export) structure(file string, x *entry) error {
	for _, name := range []string{"modifytimestamp", "createtimestamp"} {
		if at, ok := stamp(x.text(name)); ok && at.After(e.latest) {
			e.latest = at
		}
	}
	if a, ok := x.first("olcppolicydefault"); ok {
		e.fallback = normalDN(a.value)
	}
	switch {
	case x.is("pwdPolicy"):
		e.addPolicy(file, x)
	case x.is("groupOfNames"), x.is("groupOfUniqueNames"), x.is("groupOfMembers"), x.is("posixGroup"):
		dn := normalDN(x.dn)
		e.names[dn] = x.text("cn")
		for _, a := range x.attrs {
			switch a.name {
			case "member", "uniquemember":
				e.addMember(normalDN(a.value), dn)
			case "memberuid":
				e.addMember("uid:"+a.value, dn)
			}
		}
	}
	return nil
}

func (e *export) addMember(member, group string) {
	if !slices.Contains(e.parents[member], group) {
		e.parents[member] = append(e.parents[member], group)
	}
}

func (e *export) settleDefault() {
	if e.system.Default != "" {
		if e.system.Policy(e.system.Default) == nil {
			e.notes.Remark(estate.Origin{File: "estate.yaml"}, "the default policy %q is not in the export; its accounts fall under no policy", e.system.Default)
		}
		return
	}
	if i, ok := e.byDN[e.fallback]; ok {
		e.system.Default = e.system.Policies[i].Name
	} else if e.fallback == "" && len(e.system.Policies) > 0 {
		e.notes.Remark(estate.Origin{File: strings.Join(e.request.From, ", ")}, "the export does not say which policy is the default (olcPPolicyDefault stands in cn=config); accounts that name no policy are taken to fall under none: add the configuration's export, or \"default\" in estate.yaml")
	} else if e.fallback != "" {
		e.notes.Remark(estate.Origin{File: strings.Join(e.request.From, ", ")}, "the default policy %q is not in the export; accounts that name no policy fall under none", e.fallback)
	}
}

// groupsOf appends the names of all groups of a member, also through other
// groups; circles are walked once.
func (e *export) groupsOf(dn, uid string, names []string) []string {
	for _, key := range [2]string{dn, "uid:" + uid} {
		for _, group := range e.parents[key] {
			for _, name := range e.above(group) {
				if !slices.Contains(names, name) {
					names = append(names, name)
				}
			}
		}
	}
	return names
}

func (e *export) above(group string) []string {
	if names, ok := e.closure[group]; ok {
		return names
	}
	var names []string
	seen := map[string]bool{}
	for queue := []string{group}; len(queue) > 0; queue = queue[1:] {
		if g := queue[0]; !seen[g] {
			seen[g] = true
			names = append(names, e.names[g])
			queue = append(queue, e.parents[g]...)
		}
	}
	e.closure[group] = names
	return names
}

// normalDN writes a distinguished name so that equal names are equal texts.
func normalDN(dn string) string {
	if !strings.ContainsAny(dn, "\\\"+ ;#<>") {
		return strings.ToLower(dn)
	}
	parsed, err := ldap.ParseDN(dn)
	if err != nil {
		return strings.ToLower(dn)
	}
	return strings.ToLower(parsed.String())
}

// unitOf is the path of a DN's organizational units, widest first.
func unitOf(dn string) string {
	if !strings.Contains(strings.ToLower(dn), "ou=") {
		return ""
	}
	parsed, err := ldap.ParseDN(dn)
	if err != nil {
		return ""
	}
	var units []string
	for _, rdn := range parsed.RDNs[min(1, len(parsed.RDNs)):] {
		for _, a := range rdn.Attributes {
			if strings.EqualFold(a.Type, "ou") {
				units = append(units, a.Value)
			}
		}
	}
	slices.Reverse(units)
	return strings.Join(units, "/")
}

// stamp reads a generalized time in UTC such as 20260902064800Z, with or
// without a fraction of a second.
func stamp(text string) (time.Time, bool) {
	if len(text) < 15 || text[len(text)-1] != 'Z' {
		return time.Time{}, false
	}
	n := [6]int{}
	for i, width := range [...]int{4, 2, 2, 2, 2, 2} {
		start := []int{0, 4, 6, 8, 10, 12}[i]
		for _, c := range text[start : start+width] {
			if c < '0' || c > '9' {
				return time.Time{}, false
			}
			n[i] = n[i]*10 + int(c-'0')
		}
	}
	if n[1] < 1 || n[1] > 12 || n[2] < 1 || n[2] > 31 || n[3] > 23 || n[4] > 59 || n[5] > 60 {
		return time.Time{}, false
	}
	return time.Date(n[0], time.Month(n[1]), n[2], n[3], n[4], n[5], 0, time.UTC), true
}
