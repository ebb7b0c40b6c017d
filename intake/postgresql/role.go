package postgresql

import (
	"crypto/md5"
	"encoding/hex"
	"slices"
	"strconv"
	"strings"
	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/rows"
	"yewcone/intake/stored"
)

func (e *export) membership(_ string, row *rows.Row) error {
	member := row.Plain("member")
	e.member[member] = append(e.member[member], row.Plain("role"))
	if option, ok := row.Text("set_option"); ok && (option == "false" || option == "f") {
		e.fixed[[2]string{member, row.Plain("role")}] = true
	}
	return nil
}

// above appends all roles that a role is a member of, also through others.
func (e *export) above(role string, all []string) []string {
	return e.reach(role, all, func(string, string) bool { return true })
}

// becomes lists the roles that a role can become (SET ROLE), also through
// others.
func (e *export) becomes(role string) []string {
	return e.reach(role, nil, func(member, role string) bool { return !e.fixed[[2]string{member, role}] })
}

// reach appends the roles that memberships lead to, by those that are followed.
func (e *export) reach(role string, all []string, follow func(member, role string) bool) []string {
	seen := map[string]bool{role: true}
	for queue := []string{role}; len(queue) > 0; queue = queue[1:] {
		for _, r := range e.member[queue[0]] {
			if !seen[r] && follow(queue[0], r) {
				seen[r] = true
				all = append(all, r)
				queue = append(queue, r)
			}
		}
	}
	return all
}

// storage grades what the server stores: SCRAM is a salted hash with thousands
// of rounds; md5 is salted with the role's name only.
func storage(text string) setting.Value {
	switch {
	case strings.HasPrefix(strings.ToUpper(text), "SCRAM-SHA-256"):
		return setting.StoredSaltedSlow
	case strings.HasPrefix(text, "md5"), text == "on":
		return setting.StoredSaltedFast
	}
	return setting.Value{}
}

// outOfServer are the roles whose members can run programs or write files as
// the server, and so become superuser.
var outOfServer = []string{"pg_execute_server_program", "pg_write_server_files"}

// Accounts streams the roles that can sign in, or could once: groups and the
// server's own roles are left out.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the rows.
func (e *export) Parts(yield func(facts.Part) error) error {
	still := *e // as it is before anything is noted of accounts
	still.Noted = facts.Notes{}
	return rows.Parts(e.request, e.roles, &e.Noted, "", func() (func(*rows.Row, *facts.Account) bool, *facts.Notes) {
		one := still
		return one.account, &one.Noted
	}, yield, e.roleColumns()...)
}

// account fills in what a row says of a role; false where it is none that signs in.
func (e *export) account(row *rows.Row, a *facts.Account) bool {
	login := nameOf(row)
	password, hasPassword := row.Text("rolpassword")
	if !hasPassword {
		if password, hasPassword = row.Text("password_prefix"); !hasPassword {
			if password, hasPassword = row.Text("passwd"); !hasPassword {
				password, hasPassword = e.passwords[login], e.passwords[login] != ""
			}
		}
	}
	signsIn := row.True("rolcanlogin") || row.Has("usename")
	if strings.HasPrefix(login, "pg_") || !signsIn && !hasPassword {
		return false
	}
	a.Origin = facts.Origin{File: e.roles, Line: row.Line}
	if login == "" {
		e.Noted.Refuse(a.Origin, "the row names no role")
		return false
	}
	a.Login = login
	e.fill(a, row, password, hasPassword, signsIn)
	return true
}

func (e *export) fill(a *facts.Account, row *rows.Row, password string, hasPassword, signsIn bool) {
	a.Groups = e.above(a.Login, a.Groups)
	a.GroupsKnown = e.hasMembers
	a.Locked, a.MustChange, a.NeverExpires, a.CannotChange, a.BlankAllowed, a.Blank = facts.No, facts.No, facts.No,
		facts.No, facts.No, facts.No
	e.ownSettings(a)
	a.Enabled = facts.TriOf(signsIn)
	if limit, ok := row.Text("rolconnlimit"); signsIn && !ok {
		a.Enabled = facts.Unknown
	} else if !e.super[a.Login] && signsIn { // which no limit holds off
		switch n, err := strconv.Atoi(limit); {
		case err != nil:
			a.Enabled = facts.Unknown
		case n == 0:
			a.Enabled = facts.No
		}
	}
	e.power(a, row)
	if row.Plain("oid") == "10" || row.Plain("usesysid") == "10" || a.Login == "postgres" {
		a.Kind = facts.BuiltIn
	}
	hidden := strings.Trim(password, "*") == "" && password != ""
	if hasPassword && !hidden {
		a.PasswordUsable, a.Storage = facts.Yes, storage(password)
		a.PasswordIsLogin = ownName(a.Login, password, row)
		if n, ok := stored.Rounds(password); ok {
			a.Rounds = facts.CountOf(n)
		}
		if row.Has("rolpassword") || row.Has("passwd") || len(e.passwords) > 0 {
			a.StoredMark = stored.Mark(password)
		}
	} else if !hidden && (row.Has("rolpassword") || row.Has("password_prefix") || row.Has("passwd") || len(e.passwords) > 0) {
		a.PasswordUsable = facts.No
	}
	e.doors(a, password)
	e.until(a, row)
}

// ownName tells whether an md5-stored password, which is salted with the role's
// name, is that name: as the server compared them, or from the whole hash.
func ownName(role, password string, row *rows.Row) facts.Tri {
	if _, told := row.Text("password_is_name"); told {
		return facts.TriOf(row.True("password_is_name"))
	}
	hash, isMD5 := strings.CutPrefix(password, "md5")
	if !isMD5 || len(hash) != 2*md5.Size {
		return facts.Unknown
	}
	own := md5.Sum([]byte(role + role))
	return facts.TriOf(hash == hex.EncodeToString(own[:]))
}

// doors applies the lines of access to a role.
func (e *export) doors(a *facts.Account, password string) {
	d := e.doorOf(a.Login, password)
	if e.hasRules {
		a.EntersUnasked = d.trusted
	}
	if d.trusted == facts.No && e.policy.Value(setting.BlankAllowed).Value == setting.Yes {
		origin := e.rules[0].origin
		origin.Line, origin.Text = 0, "no line that asks for nothing reaches this role"
		a.Override(setting.BlankAllowed, setting.No, origin)
	}
	switch {
	case d.elsewhere: // another system keeps a password that works
		if a.PasswordUsable != facts.Yes || d.password != facts.Yes {
			a.PasswordUsable = facts.Yes
		}
	case a.PasswordUsable == facts.Yes && d.trusted == facts.Yes: // where any password lets in, this one does
	case a.PasswordUsable == facts.Yes: // unknown without the lines, and where one is faulty
		a.PasswordUsable = d.password
	}
}

// power tells whether a role is a superuser or can become one: as a member that
// may change to it, by running programs as the server, and before version 16 by
// altering roles.
func (e *export) power(a *facts.Account, row *rows.Row) {
	super := e.super[a.Login] || row.True("rolcreaterole") && e.version > 0 && e.version < 16
	doubt := row.True("rolcreaterole") && e.version == 0
	if row.True("rolcreaterole") && e.version >= 16 {
		e.Noted.RemarkOnce("CREATEROLE", a.Origin, "CREATEROLE makes no administrator since 16, and the server is of release %d", e.version)
	}
	given := e.hasMembers
	for _, g := range e.becomes(a.Login) {
		super = super || e.super[g] || e.creates[g] && e.version > 0 && e.version < 16
		doubt = doubt || e.creates[g] && e.version == 0
		given = given && e.given(g)
	}
	for _, g := range a.Groups { // their privileges come without changing to them
		super = super || slices.Contains(outOfServer, g)
		given = given && e.given(g)
	}
	if super || given && !doubt && (row.Has("rolcreaterole") || row.Has("usesuper")) {
		a.Privileged = facts.TriOf(super)
	}
}

// until reads when the password ends.
func (e *export) until(a *facts.Account, row *rows.Row) {
	until, ok := row.Text("rolvaliduntil")
	if !ok {
		until = row.Plain("valuntil")
	}
	a.PasswordExpires, a.DueAtEnd = facts.Never, true // to the microsecond, which an export does not tell
	switch until {
	case "", "infinity":
	case "-infinity":
		a.PasswordExpires, a.RunOut = facts.Moment{}, true
	default:
		if at, ok := e.style.moment(until); ok {
			a.PasswordExpires = facts.At(at)
			return
		}
		a.PasswordExpires = facts.Moment{}
		a.Hide(setting.MaxAge, a.Origin)
		e.Noted.Refuse(a.Origin, "%q is no moment that a password ends", until)
	}
}
