package ldif

import (
	"slices"
	"strings"

	"yewcone/core/facts"
)

// signInClasses are object classes that people and programs have.
var signInClasses = []string{"person", "organizationalPerson", "inetOrgPerson", "posixAccount", "shadowAccount", "account",
	"simpleSecurityObject", "uidObject", "organizationalRole", "applicationProcess"}

// MayBind: an entry of a class that people and programs have.
func (e *Entry) MayBind() bool { return slices.ContainsFunc(signInClasses, e.Is) }

// IsGroup: an entry of a class of groups.
func (e *Entry) IsGroup() bool {
	return slices.ContainsFunc([]string{"groupOfNames", "groupOfUniqueNames", "groupOfMembers", "posixGroup"}, e.Is)
}

// Name fills in who an account is; dn is the entry's, in normal form.
func Name(a *facts.Account, x *Entry, dn string) {
	a.Login = x.Text("uid")
	if a.Login == "" && strings.HasPrefix(dn, "uid=") {
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
	a.Unit = UnitOf(x.DN)
}

// Members adds the members of a group's entry, those that it knows by sign-in
// name only as "uid:" and the name.
func (g *Groups) Members(x *Entry, dn string) {
	for _, a := range x.Attrs {
		switch a.Name {
		case "member", "uniquemember":
			g.Add(NormalDN(a.Value), dn)
		case "memberuid":
			g.Add("uid:"+a.Value, dn)
		}
	}
}
