package directory

import (
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/ldif"
	"yewcone/intake/stamp"
	"yewcone/intake/stored"
)

// Accounts streams the entries that can sign in.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the files at the ends of entries.
func (e *export) Parts(yield func(facts.Part) error) error {
	return e.files.Parts(func(p *ldif.Part) error { return yield(&part{e: e, entries: p}) })
}

// part is a run of entries.
type part struct {
	e       *export
	entries *ldif.Part
	notes   facts.Notes
}

func (p *part) Accounts(yield func(*facts.Account) error) error {
	var a facts.Account
	return p.entries.Each(&p.notes, func(x *ldif.Entry) error {
		if !isAccount(x) {
			return nil
		}
		a.Reset()
		p.e.fill(&a, p.entries.File, x)
		if a.Login == "" {
			p.notes.Refuse(a.Origin, "the entry is left out: it has no name")
			return nil
		}
		return yield(&a)
	})
}

func (p *part) Done() { p.e.Noted.Join(&p.notes) }

// isAccount: an entry with a password, or one that is a person or a program
// by its object class where the export leaves passwords out.
func isAccount(x *ldif.Entry) bool {
	for i := range x.Attrs {
		switch x.Attrs[i].Name {
		case "userpassword", "pwdchangedtime", "pwdpolicysubentry":
			return !x.Is("pwdPolicy")
		}
	}
	return x.Text("uid") != "" && (x.Is("inetOrgPerson") || x.Is("posixAccount") || x.Is("account") || x.Is("simpleSecurityObject"))
}

func (e *export) fill(a *facts.Account, file string, x *ldif.Entry) {
	a.Origin = facts.Origin{File: file, Line: x.Line}
	dn := ldif.NormalDN(x.DN)
	a.Login = x.Text("uid")
	if a.Login == "" && strings.HasPrefix(dn, "uid=") {
		a.Login = ldif.FirstName(x.DN)
	}
	if a.Login == "" {
		a.Login = x.Text("cn")
	}
	if a.Login == "" {
		a.Login = x.DN
	}
	a.DisplayName, a.FirstName, a.LastName = x.Text("displayname"), x.Text("givenname"), x.Text("sn")
	if a.DisplayName == "" {
		a.DisplayName = x.Text("cn")
	}
	a.Email, a.EmployeeNo, a.Description = x.Text("mail"), x.Text("employeenumber"), x.Text("description")
	a.Unit = ldif.UnitOf(x.DN)
	// The schema has no such marks.
	a.NeverExpires, a.CannotChange, a.BlankAllowed = facts.No, facts.No, facts.No
	a.Groups, a.GroupsKnown = e.groups.Of(a.Groups, dn, "uid:"+a.Login), true

	p := e.policyOf(a, x)
	e.password(a, x)
	e.dates(a, x)
	e.state(a, x, p)
}

// noPolicy holds for accounts that fall under none: nothing locks them.
var noPolicy policy

// policyOf finds the policy whose switches decide what the entry's stamps
// mean.
func (e *export) policyOf(a *facts.Account, x *ldif.Entry) *policy {
	if sub := x.Text("pwdpolicysubentry"); sub != "" {
		if i, ok := e.byDN[ldif.NormalDN(sub)]; ok {
			a.Policy = e.Read.Policies[i].Name
			return &e.policies[i]
		}
		a.Policy = sub
		return &policy{unknown: true}
	}
	for i := range e.Read.Policies {
		if e.Read.Policies[i].Name == e.Read.Default {
			return &e.policies[i]
		}
	}
	return &noPolicy
}

func (e *export) password(a *facts.Account, x *ldif.Entry) {
	schema := setting.At(setting.Storage)
	for i := range x.Attrs {
		if x.Attrs[i].Name != "userpassword" {
			continue
		}
		a.PasswordUsable = facts.Yes
		value := x.Attrs[i].Value
		a.Blank = facts.TriOf(value == "" || a.Blank == facts.Yes)
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
func hasStamps(x *ldif.Entry) bool {
	return x.Text("entryuuid") != "" || x.Text("createtimestamp") != "" || x.Text("entrycsn") != ""
}

func (e *export) dates(a *facts.Account, x *ldif.Entry) {
	a.Created = moment(x.Text("createtimestamp"))
	a.PasswordSet = moment(x.Text("pwdchangedtime"))
	a.LastSignIn = moment(x.Text("pwdlastsuccess"))
	if !a.LastSignIn.Known() {
		a.LastSignIn = moment(x.Text("authtimestamp"))
	}
	if !a.PasswordSet.Known() && hasStamps(x) {
		a.PasswordExpires = facts.Never
	}
}

func moment(text string) facts.Moment {
	at, ok := stamp.Generalized(text)
	if !ok {
		return facts.Moment{}
	}
	return facts.At(at)
}

func (e *export) state(a *facts.Account, x *ldif.Entry, p *policy) {
	asOf, dated := e.Read.AsOf, !e.Read.AsOf.IsZero()
	a.Enabled = enabled(x, asOf, dated)
	if !hasStamps(x) {
		return // locks, resets and failures may exist and were not exported
	}
	reset, since := strings.EqualFold(x.Text("pwdreset"), "TRUE"), x.Text("pwdaccountlockedtime")
	a.MustChange, a.Locked = facts.No, facts.No
	if reset {
		a.MustChange = p.answer(p.mustChange)
	}
	if since != "" {
		e.lock(a, since, p)
	}
	failures, grace := 0, 0
	for i := range x.Attrs {
		switch x.Attrs[i].Name {
		case "pwdfailuretime":
			at, ok := stamp.Generalized(x.Attrs[i].Value)
			if ok && dated && (p.window == 0 || asOf.Sub(at) < time.Duration(p.window)*time.Second) {
				failures++
			}
		case "pwdgraceusetime":
			grace++
		}
	}
	a.GraceUsed = facts.CountOf(grace)
	a.Failures = facts.Counted{N: failures, Known: dated && !p.unknown}
}

func enabled(x *ldif.Entry, asOf time.Time, dated bool) facts.Tri {
	start, hasStart := stamp.Generalized(x.Text("pwdstarttime"))
	end, hasEnd := stamp.Generalized(x.Text("pwdendtime"))
	if !hasStart && !hasEnd {
		return facts.Yes
	}
	if !dated {
		return facts.Unknown
	}
	return facts.TriOf((!hasStart || !asOf.Before(start)) && (!hasEnd || asOf.Before(end)))
}

func (e *export) lock(a *facts.Account, since string, p *policy) {
	if a.Locked = p.answer(p.lockout); a.Locked != facts.Yes {
		return
	}
	at, ok := stamp.Generalized(since)
	switch {
	case strings.HasPrefix(since, "000001010000"):
		a.LockUntil(facts.Moment{}, facts.Never, e.Read.AsOf)
	case !ok:
		a.Locked = facts.Unknown
	default:
		a.LockFor(facts.At(at), p.forSeconds, e.Read.AsOf)
	}
}
