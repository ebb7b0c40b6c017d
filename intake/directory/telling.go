package directory

import (
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/alike"
	"yewcone/intake/ldif"
	"yewcone/intake/stored"
)

// tellingOf is how accounts are told apart before they are made, by all that account
// makes of them; nil where more than that depends on their dates.
func (e *export) tellingOf() *ldif.Telling {
	if slices.ContainsFunc(e.policies, func(p policy) bool { return p.idle.N > 0 }) {
		return nil
	}
	text := func(attribute, fact string, field func(*facts.Account) *string) ldif.Column {
		return ldif.Column{Attribute: attribute, As: ldif.AsText, Fact: fact, Text: field}
	}
	date := func(attribute, fact string, field func(*facts.Account) *facts.Moment) ldif.Column {
		return ldif.Column{Attribute: attribute, As: ldif.AsDate, Fact: fact, Date: field}
	}
	name := func(a *facts.Account) *string { return &a.DisplayName }
	signIn := func(a *facts.Account) *facts.Moment { return &a.LastSignIn }
	return &ldif.Telling{
		Groups: e.groups,
		Name:   e.nameClass,
		Columns: []ldif.Column{
			{Attribute: "uid", As: ldif.AsLogin, Fact: "login", Text: func(a *facts.Account) *string { return &a.Login }},
			text("displayname", "display_name", name),
			text("cn", "display_name", name),
			text("givenname", "first_name", func(a *facts.Account) *string { return &a.FirstName }),
			text("sn", "last_name", func(a *facts.Account) *string { return &a.LastName }),
			text("mail", "email", func(a *facts.Account) *string { return &a.Email }),
			text("employeenumber", "employee_no", func(a *facts.Account) *string { return &a.EmployeeNo }),
			text("description", "description", func(a *facts.Account) *string { return &a.Description }),
			date("createtimestamp", "created", func(a *facts.Account) *facts.Moment { return &a.Created }),
			date("pwdchangedtime", "password_set", func(a *facts.Account) *facts.Moment { return &a.PasswordSet }),
			date("pwdlastsuccess", "last_sign_in", signIn),
			date("authtimestamp", "last_sign_in", signIn),
			{Attribute: "userpassword", As: ldif.AsStored, Key: e.passwordKey},
			{Attribute: "pwdpolicysubentry", As: ldif.AsItself},
			{Attribute: "pwdreset", As: ldif.AsItself},
			{Attribute: "pwdaccountlockedtime", As: ldif.AsItself, Plain: lockedForGood},
			{Attribute: "pwdfailuretime"},
			{Attribute: "pwdgraceusetime"},
			{Attribute: "pwdstarttime"},
			{Attribute: "pwdendtime"},
		},
	}
}

// nameClass tells apart by which database an account is in and whether it is privileged.
func (e *export) nameClass(dn string) uint32 {
	of := slices.Index(e.config.databases, e.config.of(dn)) + 1
	if of >= 1<<10 {
		return alike.None
	}
	return uint32(of)<<2 | uint32(e.privileged(dn))
}

// passwordKey tells stored passwords apart by whether they let in and how they are stored.
func (e *export) passwordKey(key []byte, value string) []byte {
	key = append(key, byte(e.config.letsIn(value)))
	return stored.Directory(value).AppendKey(key)
}

// lockedForGood: what an administrator's lock has in the place of a stamp.
func lockedForGood(since string) bool { return strings.HasPrefix(since, "000001010000") }
