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
	return e.files.Accounts(&e.Noted, e.telling, e.account)(yield)
}

func (e *export) account(a *facts.Account, file string, x *ldif.Entry, notes *facts.Notes) bool {
	if !e.isAccount(x) {
		e.unsureOf(notes, file, x)
		return false
	}
	e.fill(a, file, x)
	if a.Login == "" {
		notes.Refuse(a.Origin, "the entry is left out: it has no name")
		return false
	}
	return true
}

// isAccount: an entry with a password, or one that is a person or a program
// by its object class where the export leaves passwords out.
func (e *export) isAccount(x *ldif.Entry) bool {
	switch {
	case x.Is("pwdPolicy") || x.Is("passwordPolicy") || x.Is("nsPwPolicyContainer"):
		return false
	case isConfig(x):
		return e.isRoot(x)
	case x.Seen&(seenPassword|seenChanged) != 0 || x.Is("simpleSecurityObject"):
		return true
	case x.Seen&seenPolicy != 0:
		return mayBind(x)
	}
	return x.Seen&seenUID != 0 && (x.Is("inetOrgPerson") || x.Is("posixAccount") || x.Is("account"))
}

// mayBind: an entry of a class that people and programs have, or one whose
// password is visible.
func mayBind(x *ldif.Entry) bool {
	if x.Seen&(seenPassword|seenChanged) != 0 {
		return true
	}
	return x.MayBind()
}

func (e *export) fill(a *facts.Account, file string, x *ldif.Entry) {
	dn := x.NormalDN()
	if isConfig(x) {
		e.root(a, file, x)
		return
	}
	ldif.Name(a, x)
	a.DN = x.DN
	// The schema has no such marks.
	if !e.foreign {
		a.NeverExpires, a.CannotChange, a.BlankAllowed = facts.No, facts.No, facts.No
	}
	a.Groups, a.GroupsKnown = e.groups.OfEither(a.Groups, dn, a.Login), e.Read.View.Shows("member")

	a.Privileged = e.privileged(dn)
	p := e.policyOf(a, x, dn)
	e.password(a, x)
	e.dates(a, x)
	e.state(a, x, p)
	switch {
	case p.bare:
		a.Enabled, a.Ends = facts.Yes, facts.Never
	case p.unknown && a.Enabled == facts.No: // under none, the end of the account ends nothing
		a.Enabled, a.Ends = facts.Unknown, facts.Moment{}
	case p.unknown && a.Ends != facts.Never:
		a.Ends = facts.Moment{}
	}
}

// noPolicy holds for accounts that fall under none: nothing locks them, not even
// the end of the account.
var noPolicy = policy{lockout: facts.No, mustChange: facts.No, window: facts.CountOf(0), forSeconds: facts.CountOf(0),
	idle: facts.CountOf(0), bare: true}

// hiddenPolicy is the policy of accounts whose own is not visible.
var hiddenPolicy = policy{unknown: true}

// policyOf finds the policy whose switches decide what the entry's stamps
// mean. Where the one that it names does not exist, the server goes by none.
func (e *export) policyOf(a *facts.Account, x *ldif.Entry, dn string) *policy {
	db := e.config.of(dn)
	if db != nil && !db.overlay {
		if !e.overlaysTold {
			a.Policy = unnamed
			return &hiddenPolicy
		}
		a.Policy = e.Read.NoPolicy.Name
		return &noPolicy
	}
	if sub := x.Text("pwdpolicysubentry"); sub != "" {
		if i, ok := e.byDN[ldif.NormalDN(sub)]; ok {
			a.Policy = e.Read.Policies[i].Name
			return &e.policies[i]
		}
		if a.Policy = strings.Clone(sub); !e.Read.View.Whole {
			a.Policy = unnamed
			return &hiddenPolicy
		}
		return &noPolicy
	}
	if e.absent("pwdpolicysubentry") == facts.Unknown && (e.foreign || len(e.ofPolicies) > 0) {
		a.Policy = unnamed // it may name one of its own
		return &hiddenPolicy
	}
	name := e.Read.Default
	if e.ofDatabases {
		name = e.defaultOf(db)
		a.Policy = name
	}
	for i := range e.Read.Policies {
		if e.Read.Policies[i].Name == name {
			return &e.policies[i]
		}
	}
	return &noPolicy
}

// defaultOf is the name of a database's default policy, where there are several
// with policies.
func (e *export) defaultOf(db *database) string {
	switch {
	case db == nil:
		return unnamed
	case db.fallback == "":
		return e.Read.NoPolicy.Name
	}
	if i, ok := e.byDN[db.fallback]; ok {
		return e.Read.Policies[i].Name
	}
	if e.Read.View.Whole {
		return e.Read.NoPolicy.Name
	}
	return unnamed
}

// passwordShown: some account's is in the export. Dumps are often handed on
// without them, so that a whole one proves nothing here.
func (e *export) passwordShown() bool {
	return ldif.Seen(e.look.people.Load())&seenPassword != 0 && e.absent("userpassword") == facts.No
}

func (e *export) password(a *facts.Account, x *ldif.Entry) {
	schema := setting.At(setting.Storage)
	if x.Seen&seenPassword != 0 || e.passwordShown() && x.Seen&seenChanged == 0 {
		a.PasswordUsable = facts.No
	}
	for i := range x.Attrs {
		if x.Attrs[i].Name != "userpassword" {
			continue
		}
		value := x.Attrs[i].Value
		a.PasswordUsable = a.PasswordUsable.Or(e.config.letsIn(value))
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

func (e *export) dates(a *facts.Account, x *ldif.Entry) {
	a.Created = ldif.Moment(x.Text("createtimestamp"))
	changed, last := x.Text("pwdchangedtime"), x.Text("pwdlastsuccess")
	if a.PasswordSet = ldif.Moment(changed); last == "" {
		last = x.Text("authtimestamp")
	}
	a.LastSignIn = ldif.Moment(last)
	if changed == "" && e.absent("pwdchangedtime") == facts.No && x.Seen&seenPassword != 0 {
		a.PasswordExpires = facts.Never
	}
}

func (e *export) state(a *facts.Account, x *ldif.Entry, p *policy) {
	asOf, dated := e.Read.AsOf, !e.Read.AsOf.IsZero()
	a.Enabled = e.enabled(x, asOf, dated)
	end := x.Text("pwdendtime")
	if a.Ends = ldif.Moment(end); end == "" && e.absent("pwdendtime") == facts.No {
		a.Ends = facts.Never
	}
	if a.MustChange = p.mustChange; a.MustChange != facts.No {
		if reset := x.Text("pwdreset"); reset == "" {
			a.MustChange = e.absent("pwdreset")
		} else if !strings.EqualFold(reset, "TRUE") {
			a.MustChange = facts.Unknown
			if strings.EqualFold(reset, "FALSE") {
				a.MustChange = facts.No
			}
		}
	}
	if a.Locked = p.lockout; a.Locked != facts.No {
		if since := x.Text("pwdaccountlockedtime"); since == "" {
			a.Locked = e.absent("pwdaccountlockedtime")
		} else {
			e.lock(a, since, p)
		}
	}
	e.idle(a, x, p)
	failures, grace, read := 0, 0, true
	for i := range x.Attrs {
		switch x.Attrs[i].Name {
		case "pwdfailuretime":
			at, ok := stamp.Generalized(x.Attrs[i].Value)
			if read = read && ok; ok && dated && (p.window.N == 0 || asOf.Sub(at) < time.Duration(p.window.N)*time.Second) {
				failures++
			}
		case "pwdgraceusetime":
			grace++
		}
	}
	a.ChangeFirst, a.ShutAtEnd = true, p.noGrace
	a.GraceUsed = facts.Counted{N: grace, Known: grace > 0 || e.absent("pwdgraceusetime") == facts.No}
	a.Failures = facts.Counted{N: failures, Known: read && dated && p.window.Known && e.absent("pwdfailuretime") == facts.No}
}

// idle locks an account that nobody has used for too long; one that nobody ever
// used counts from its password's last change, where the database keeps the
// last sign-in at all (olcLastBind).
func (e *export) idle(a *facts.Account, x *ldif.Entry, p *policy) {
	if p.idle.N == 0 || p.lockout != facts.Yes || a.Locked != facts.No {
		return
	}
	last := ldif.Moment(x.Text("pwdlastsuccess"))
	if x.Text("pwdlastsuccess") == "" {
		db := e.config.of(x.NormalDN())
		if e.absent("pwdlastsuccess") == facts.No && db != nil && !db.lastBind {
			return
		}
		last = a.PasswordSet
	}
	since, ok := last.Unix()
	switch idle := e.Read.AsOf.Unix() > since+int64(p.idle.N); {
	case !ok && x.Text("pwdlastsuccess") == "" && x.Text("pwdchangedtime") == "":
	case !ok, e.Read.AsOf.IsZero():
		a.Locked = facts.Unknown
	case idle && !ldif.Moment(x.Text("pwdlastsuccess")).Known() && (!e.config.there || e.absent("pwdlastsuccess") != facts.No):
		a.Locked = facts.Unknown
	case idle:
		a.LockUntil(facts.AtSecond(since+int64(p.idle.N)), facts.Never, e.Read.AsOf)
	}
}

// enabled: the schema has no switch, only the begin and the end of an account.
func (e *export) enabled(x *ldif.Entry, asOf time.Time, dated bool) facts.Tri {
	within := func(attribute string, is func(at time.Time) bool) facts.Tri {
		text := x.Text(attribute)
		if text == "" {
			return e.absent(attribute).Not()
		}
		at, read := stamp.Generalized(text)
		switch {
		case !read || !dated:
			return facts.Unknown
		}
		return facts.TriOf(is(at))
	}
	begun := within("pwdstarttime", func(at time.Time) bool { return !asOf.Before(at) })
	going := within("pwdendtime", func(at time.Time) bool { return asOf.Before(at) })
	switch {
	case begun == facts.No || going == facts.No:
		return facts.No
	case begun == facts.Unknown || going == facts.Unknown:
		return facts.Unknown
	}
	return facts.Yes
}

func (e *export) lock(a *facts.Account, since string, p *policy) {
	if a.Locked == facts.Unknown {
		return // whether the policy locks is not known
	}
	at, ok := stamp.Generalized(since)
	switch {
	case lockedForGood(since):
		a.LockUntil(facts.Moment{}, facts.Never, e.Read.AsOf)
	case !ok || !p.forSeconds.Known:
		a.Locked = facts.Unknown
	case !e.Read.AsOf.IsZero() && e.Read.AsOf.Before(at):
		a.Locked = facts.No // not yet, though another stamp may do so
	default:
		a.LockFor(facts.At(at), int64(p.forSeconds.N), e.Read.AsOf)
	}
}

// unsureOf notes an entry that may be an account: of a class that programs and
// people have, while passwords are not visible.
func (e *export) unsureOf(notes *facts.Notes, file string, x *ldif.Entry) {
	if x.Is("pwdPolicy") || !mayBind(x) || e.absent("userpassword") == facts.No {
		return
	}
	notes.Remark(facts.Origin{File: file, Line: x.Line, Place: x.DN},
		"%s may be an account and is not counted: passwords are not visible in the export, and it has no uid", x.DN)
}
