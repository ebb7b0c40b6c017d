package ldif

import (
	"strings"

	"yewcone/core/facts"
)

// signInClasses are object classes that people and programs have.
var signInClasses = NewClasses("person", "organizationalPerson", "inetOrgPerson", "posixAccount", "shadowAccount", "account",
	"simpleSecurityObject", "uidObject", "organizationalRole", "applicationProcess")

var groupClasses = NewClasses("groupOfNames", "groupOfUniqueNames", "groupOfMembers", "posixGroup")

// MayBind: an entry of a class that people and programs have.
func (e *Entry) MayBind() bool { return e.IsOne(&signInClasses) }

// IsGroup: an entry of a class of groups.
func (e *Entry) IsGroup() bool { return e.IsOne(&groupClasses) }

// Name fills in who an account is.
func Name(a *facts.Account, x *Entry) {
	a.Login = x.Text("uid")
	if a.Login == "" && strings.HasPrefix(x.NormalDN(), "uid=") {
		a.Login = FirstName(x.DN)
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
	a.Unit = x.unit()
}

// Members adds the members of a group's entry.
func (g *Groups) Members(x *Entry, dn string) {
	for _, a := range x.Attrs {
		switch a.Name {
		case "member", "uniquemember":
			g.Add(NormalDN(a.Value), dn)
		case "memberuid":
			g.AddSignIn(a.Value, dn)
		}
	}
}

// Accounts divides the files into parts of an export. fill says what an account
// an entry is, in one that is empty; it returns false for one that is none, and may
// be called from several sides at the same time. What it notes joins noted. telling may
// be nil.
func (f *Files) Accounts(noted *facts.Notes, telling *Telling,
	fill func(a *facts.Account, file string, x *Entry, notes *facts.Notes) bool) func(func(facts.Part) error) error {
	return func(yield func(facts.Part) error) error {
		return f.Parts(func(p *Part) error { return yield(&accounts{p, noted, telling, fill, facts.Notes{}}) })
	}
}

// accounts are those of a part.
type accounts struct {
	entries *Part
	noted   *facts.Notes
	telling *Telling
	fill    func(a *facts.Account, file string, x *Entry, notes *facts.Notes) bool
	notes   facts.Notes
}

func (p *accounts) Accounts(yield func(*facts.Account) error) error {
	var a facts.Account
	return p.entries.Each(&p.notes, func(x *Entry) error {
		if !p.take(&a, x) {
			return nil
		}
		return yield(&a)
	})
}

// take makes an account of an entry; false where it is none.
func (p *accounts) take(a *facts.Account, x *Entry) bool {
	a.Reset()
	a.Origin = facts.Origin{File: p.entries.File, Line: x.Line}
	is := p.fill(a, p.entries.File, x, &p.notes)
	a.KeepOrigins()
	return is
}

func (p *accounts) Done() { p.noted.Join(&p.notes) }
