package samba

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/ldif"
	"yewcone/intake/stamp"
)

// The bits of userAccountControl.
const (
	controlDisabled   = 0x2
	controlBlank      = 0x20
	controlReversible = 0x80
	controlMachine    = 0x800 | 0x1000 | 0x2000
	controlNoExpiry   = 0x10000
	controlSmartCard  = 0x40000
	controlNoPreauth  = 0x400000
)

// Accounts streams people and machines.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the files at the ends of entries.
func (e *export) Parts(yield func(facts.Part) error) error {
	return e.files.Accounts(&e.Noted, nil, e.account)(yield)
}

func (e *export) account(a *facts.Account, _ string, x *ldif.Entry, notes *facts.Notes) bool {
	if !x.Is("user") {
		return false
	}
	e.fill(a, x, notes)
	if x.Text("samaccountname") == "" {
		notes.Refuse(a.Origin, "the entry is left out: it has no sAMAccountName")
		return false
	}
	return true
}

// integer reads an attribute; false when it is absent or no number.
func integer(x *ldif.Entry, name string) (int64, bool) {
	n, err := strconv.ParseInt(x.Text(name), 10, 64)
	return n, err == nil
}

func (e *export) fill(a *facts.Account, x *ldif.Entry, notes *facts.Notes) {
	a.Login = cmp.Or(x.Text("samaccountname"), x.Text("cn"))
	a.DisplayName, a.FirstName, a.LastName = cmp.Or(x.Text("displayname"), x.Text("cn")), x.Text("givenname"), x.Text("sn")
	a.Email, a.Description = cmp.Or(x.Text("mail"), x.Text("userprincipalname")), x.Text("description")
	a.EmployeeNo = cmp.Or(x.Text("employeenumber"), x.Text("employeeid"))
	a.DN, a.Unit = x.DN, ldif.UnitOf(x.DN)
	dn := ldif.NormalDN(x.DN)
	primary, known := e.byRID[x.Text("primarygroupid")]
	own := memberOf(x)
	if known { // which no attribute of the group or of the account lists
		own = append(own, primary)
	}
	a.Groups, a.GroupsKnown = e.groups.Of(a.Groups, dn), known && e.Read.View.Shows("memberOf, member")
	if !known {
		notes.Remark(a.Origin, "the primary group of %q is not in the export; its groups, and what follows from them, are "+
			"unknown", a.Login)
	}
	for _, g := range own {
		a.Groups = e.groups.With(a.Groups, g)
	}
	binaryIDs(x)
	all := e.groups.DNs(append(own, dn))
	a.Policy, a.Reaching = e.policyOf(a.Reaching, dn, all, a.GroupsKnown)
	if slices.ContainsFunc(all, func(g string) bool { return e.builtin[g] || e.given[g] }) || e.resets[x.Text("objectsid")] {
		a.Privileged = facts.Yes
	} else if a.GroupsKnown && e.Read.View.Shows("objectSid, groupType") {
		a.Privileged = facts.No
	}
	p := e.policies[cmp.Or(a.Policy, e.Read.Default)]
	control, ok := integer(x, "useraccountcontrol")
	switch {
	case ok:
		a.Kind = kind(x, control)
		e.marks(a, x, control, p)
		e.password(a, x, control)
	case x.Seen&watch["useraccountcontrol"] == 0:
		notes.Remark(a.Origin, "userAccountControl of %q is not visible in the export; whether it is switched off, and its marks, "+
			"are unknown", a.Login)
		a.Hide(setting.MaxAge, a.Origin)
		a.Hide(setting.BlankAllowed, a.Origin)
	default:
		notes.Refuse(a.Origin, "userAccountControl of %q is no number; its marks are unknown", a.Login)
		return
	}
	for _, limit := range []string{"logonHours", "userWorkstations"} {
		if x.Text(strings.ToLower(limit)) != "" {
			notes.Remark(a.Origin, "%q may sign in only at some hours or from some machines (%s): it may be refused "+
				"although nothing here says so",
				a.Login, limit)
		}
	}
	e.lock(a, x, p)
}

// policyOf: a settings object of the user itself goes before those of groups;
// among equals the lowest precedence, then the smaller objectGUID. Where settings
// objects or the user's groups are not visible, it is not known. The others
// that reach the user are appended to a list, in their order. all are its groups,
// by normal DN, also through others.
func (e *export) policyOf(others []string, dn string, all []string, groups bool) (string, []string) {
	if !e.Read.View.Shows("msDS-PSOAppliesTo") {
		return hiddenSettings, others
	}
	names := e.inOrder(e.applies[dn])
	if len(names) == 0 && len(e.applies) == 0 {
		return "", others
	}
	if !groups && len(names) == 0 {
		return hiddenSettings, others
	}
	var through []string
	for _, g := range all {
		if e.security[g] {
			through = append(through, e.applies[g]...)
		}
	}
	for _, name := range e.inOrder(through) {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		return "", others
	}
	return names[0], append(others, names[1:]...)
}

// inOrder sorts settings objects by what comes first.
func (e *export) inOrder(names []string) []string {
	names = slices.Clone(names)
	slices.SortFunc(names, func(a, b string) int {
		x, y := e.policies[a], e.policies[b]
		return cmp.Or(cmp.Compare(x.precedence, y.precedence), cmp.Compare(x.guid, y.guid))
	})
	return slices.Compact(names)
}

func kind(x *ldif.Entry, control int64) string {
	sid := x.Text("objectsid")
	switch {
	case control&controlMachine != 0:
		return facts.Service
	case strings.HasSuffix(sid, "-501"):
		return facts.Guest
	case strings.HasSuffix(sid, "-500"), strings.HasSuffix(sid, "-502"):
		return facts.BuiltIn
	}
	return ""
}

func (e *export) marks(a *facts.Account, x *ldif.Entry, control int64, p settings) {
	a.NeverExpires = facts.TriOf(control&controlNoExpiry != 0)
	a.BlankAllowed = facts.TriOf(control&controlBlank != 0)
	a.CannotChange = facts.Unknown // stands in the access list
	a.Preauthenticates = facts.TriOf(control&controlNoPreauth == 0)
	a.PasswordUsable = facts.Yes
	a.Storage = setting.StoredUnsalted
	if control&controlReversible != 0 && (p.unknown || p.reversible) {
		a.Storage = setting.Value{} // readable where it was set since both were so
		origin := a.Origin
		origin.Text = "marked for reversible storage, which its policy allows"
		if p.unknown {
			a.Hide(setting.Storage, origin)
		} else {
			a.Override(setting.Storage, setting.StoredReversible, origin)
		}
	}
	if control&controlSmartCard != 0 {
		// A password that was set after the mark still lets in without a card.
		a.PasswordUsable, a.SecondFactor = facts.Unknown, facts.Unknown
	}
	a.Enabled = facts.TriOf(control&controlDisabled == 0)
	end, ok := integer(x, "accountexpires")
	switch {
	case ok && (end == 0 || end == noEnd):
		a.Ends = facts.Never
	case ok:
		a.Ends = facts.At(moment(end))
	}
	if a.Enabled == facts.Yes && !ok {
		a.Enabled = facts.Unknown // it may have ended
	}
	if a.Enabled == facts.Yes && ok && end != 0 && end != noEnd {
		a.Enabled = facts.Unknown
		if !e.Read.AsOf.IsZero() {
			a.Enabled = facts.TriOf(e.Read.AsOf.Before(moment(end)))
		}
	}
}

func (e *export) password(a *facts.Account, x *ldif.Entry, control int64) {
	a.Created = stampMoment(x.Text("whencreated"))
	a.LastSignIn = later(x)
	without := control&(controlNoExpiry|controlSmartCard|controlMachine) != 0
	if without {
		a.PasswordExpires = facts.Never
	}
	set, ok := integer(x, "pwdlastset")
	if !ok {
		return
	}
	a.MustChange = facts.TriOf(set == 0 && !without)
	if set > 0 {
		a.PasswordSet, a.DueAtEnd = facts.AtSecond(secondAfter(set)), true
		a.KeySet = a.PasswordSet
	}
}

// later is the later of the two stamps of the last sign-in; without either it
// is unknown, since each controller keeps its own.
func later(x *ldif.Entry) facts.Moment {
	latest := int64(0)
	for _, name := range []string{"lastlogon", "lastlogontimestamp"} {
		if n, ok := integer(x, name); ok && n != noEnd {
			latest = max(latest, n)
		}
	}
	if latest == 0 {
		return facts.Moment{}
	}
	return facts.At(moment(latest))
}

func stampMoment(text string) facts.Moment {
	at, ok := stamp.Generalized(text)
	if !ok {
		return facts.Moment{}
	}
	return facts.At(at)
}

// lock: the stamp of a lock stays after a timed lock has run out, and locks
// under a policy that would not make it.
func (e *export) lock(a *facts.Account, x *ldif.Entry, p settings) {
	asOf, dated := e.Read.AsOf, !e.Read.AsOf.IsZero()
	bad, counted := integer(x, "badpwdcount")
	last, _ := integer(x, "badpasswordtime")
	if dated {
		counts := p.window == math.MaxInt64 || last > 0 && asOf.Sub(moment(last)) < ticks(p.window)
		a.Failures = facts.CountOf(0)
		if counts {
			a.Failures = facts.Counted{N: int(bad), Known: counted}
		}
	}
	if p.unknown || p.unknownLock {
		a.Failures = facts.Counted{}
		return
	}
	a.Locked = facts.No
	since, ok := integer(x, "lockouttime")
	switch {
	case ok && since == 0:
		return
	case !ok:
		if !e.Read.View.Shows("lockoutTime") {
			a.Locked = facts.Unknown
		}
		return
	}
	begun := facts.At(moment(since))
	if p.duration == 0 {
		a.LockUntil(begun, facts.Never, asOf)
		return
	}
	end := secondAfter(since + p.duration)
	if e.short != facts.Yes && (since+p.duration)%ticksPerSec == 0 {
		// Up to 4.17 the clock that ends it has whole seconds, and a lock holds
		// to the end of the last.
		if end++; e.short == facts.Unknown && dated && asOf.Unix() == end-1 {
			a.Locked = facts.Unknown
			return
		}
	}
	a.LockUntil(begun, facts.AtSecond(end), asOf)
}

// ticks turns a count of 100 ns into a duration.
func ticks(n int64) time.Duration {
	if n > math.MaxInt64/100 {
		return math.MaxInt64
	}
	return time.Duration(n) * 100
}
