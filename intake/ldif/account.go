package ldif

import (
	"strings"
	"time"

	"yewcone/core/estate"
	"yewcone/core/setting"
	"yewcone/intake/stored"
)

// Accounts streams the entries that can sign in.
func (e *export) Accounts(yield func(*estate.Account) error) error {
	var a estate.Account
	return e.scan(func(file string, x *entry) error {
		if !isAccount(x) {
			return nil
		}
		a.Reset()
		e.fill(&a, file, x)
		if a.Login == "" {
			e.notes.Refuse(a.Origin, "the entry is left out: it has no name")
			return nil
		}
		return yield(&a)
	})
}

// isAccount: an entry with a password, or one that is a person or a program
// by its object class where the export leaves passwords out.
func isAccount(x *entry) bool {
	for i := range x.attrs {
		switch x.attrs[i].name {
		case "userpassword", "pwdchangedtime", "pwdpolicysubentry":
			return !x.is("pwdPolicy")
		}
	}
	return x.text("uid") != "" && (x.is("inetOrgPerson") || x.is("posixAccount") || x.is("account") || x.is("simpleSecurityObject"))
}

func (e *export) fill(a *estate.Account, file string, x *entry) {
	a.Origin = estate.Origin{File: file, Line: x.line}
	dn := normalDN(x.dn)
	a.Login = x.text("uid")
	if a.Login == "" {
		a.Login = x.text("cn")
	}
	if a.Login == "" {
		a.Login = x.dn
	}
	a.DisplayName, a.FirstName, a.LastName = x.text("displayname"), x.text("givenname"), x.text("sn")
	if a.DisplayName == "" {
		a.DisplayName = x.text("cn")
	}
	a.Email, a.EmployeeNo, a.Description = x.text("mail"), x.text("employeenumber"), x.text("description")
	a.Unit = unitOf(x.dn)
	// The schema has no such marks.
	a.NeverExpires, a.CannotChange, a.BlankAllowed = estate.No, estate.No, estate.No
	a.Groups, a.GroupsKnown = e.groupsOf(dn, a.Login, a.Groups), true

	p, named := e.policyOf(a, x)
	e.password(a, x)
	e.dates(a, x)
	e.state(a, x, p, named)
}

// policyOf finds the policy whose switches decide what the entry's stamps
// mean; named is false when the server has none for the account.
func (e *export) policyOf(a *estate.Account, x *entry) (policy, bool) {
	name := e.system.Default
	if sub := x.text("pwdpolicysubentry"); sub != "" {
		if i, ok := e.byDN[normalDN(sub)]; ok {
			a.Policy = e.system.Policies[i].Name
			return e.policies[i], true
		}
		a.Policy = sub
		return policy{}, false
	}
	for i := range e.system.Policies {
		if e.system.Policies[i].Name == name {
			return e.policies[i], true
		}
	}
	return policy{}, false
}

func (e *export) password(a *estate.Account, x *entry) {
	schema := setting.Standard().At(setting.Must("storage"))
	for i := range x.attrs {
		if x.attrs[i].name != "userpassword" {
			continue
		}
		a.PasswordUsable = estate.Yes
		value := x.attrs[i].value
		a.Blank = estate.TriOf(value == "" || a.Blank == estate.Yes)
		a.StoredMark = stored.Mark(value)
		grade := stored.Directory(value)
		if !a.Storage.Known() {
			a.Storage = grade
		} else if grade.Known() {
			a.Storage = schema.Loosest(a.Storage, grade)
		}
	}
}

// hasStamps reports whether the export carries what the server itself keeps;
// only then does a missing stamp mean that there is none.
func hasStamps(x *entry) bool {
	return x.text("entryuuid") != "" || x.text("createtimestamp") != "" || x.text("entrycsn") != ""
}

func (e *export) dates(a *estate.Account, x *entry) {
	a.Created = moment(x.text("createtimestamp"))
	a.PasswordSet = moment(x.text("pwdchangedtime"))
	a.LastSignIn = moment(x.text("pwdlastsuccess"))
	if !a.LastSignIn.Known() {
		a.LastSignIn = moment(x.text("authtimestamp"))
	}
	if !a.PasswordSet.Known() && hasStamps(x) {
		a.PasswordExpires = estate.Never
	}
}

func moment(text string) estate.Moment {
	at, ok := stamp(text)
	if !ok {
		return estate.Moment{}
	}
	return estate.At(at)
}

func (e *export) state(a *estate.Account, x *entry, p policy, hasPolicy bool) {
	asOf, dated := e.system.AsOf, !e.system.AsOf.IsZero()
	a.Enabled = enabled(x, asOf, dated)
	if !hasStamps(x) {
		return // locks, resets and failures may exist and were not exported
	}
	a.MustChange = estate.TriOf(strings.EqualFold(x.text("pwdreset"), "TRUE") && p.mustChange)
	e.lock(a, x.text("pwdaccountlockedtime"), p, hasPolicy)
	failures, grace := 0, 0
	for i := range x.attrs {
		switch x.attrs[i].name {
		case "pwdfailuretime":
			at, ok := stamp(x.attrs[i].value)
			if ok && dated && (p.window == 0 || asOf.Sub(at) < time.Duration(p.window)*time.Second) {
				failures++
			}
		case "pwdgraceusetime":
			grace++
		}
	}
	a.GraceUsed = estate.CountOf(grace)
	a.Failures = estate.Counted{N: failures, Known: dated}
}

func enabled(x *entry, asOf time.Time, dated bool) estate.Tri {
	start, hasStart := stamp(x.text("pwdstarttime"))
	end, hasEnd := stamp(x.text("pwdendtime"))
	if !hasStart && !hasEnd {
		return estate.Yes
	}
	if !dated {
		return estate.Unknown
	}
	return estate.TriOf((!hasStart || !asOf.Before(start)) && (!hasEnd || asOf.Before(end)))
}

func (e *export) lock(a *estate.Account, since string, p policy, hasPolicy bool) {
	a.Locked = estate.No
	if since == "" || !hasPolicy || !p.lockout {
		return
	}
	at, ok := stamp(since)
	switch {
	case strings.HasPrefix(since, "000001010000"):
		a.Locked, a.LockedUntil = estate.Yes, estate.Never
	case !ok:
		a.Locked = estate.Unknown
	case p.forSeconds == 0:
		a.Locked, a.LockedSince, a.LockedUntil = estate.Yes, estate.At(at), estate.Never
	case e.system.AsOf.IsZero():
		a.Locked = estate.Unknown
	default:
		end := at.Add(time.Duration(p.forSeconds) * time.Second)
		if e.system.AsOf.Before(end) {
			a.Locked, a.LockedSince, a.LockedUntil = estate.Yes, estate.At(at), estate.At(end)
		}
	}
}
