package ds389

import (
	"strconv"
	"strings"

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
	return e.files.Accounts(&e.Noted, nil, e.account)(yield)
}

func (e *export) account(a *facts.Account, _ string, x *ldif.Entry, _ *facts.Notes) bool {
	dn := x.NormalDN()
	if !isAccount(x) || strings.HasSuffix(dn, "cn=config") {
		return false
	}
	e.fill(a, x, dn)
	return true
}

func (e *export) fill(a *facts.Account, x *ldif.Entry, dn string) {
	ldif.Name(a, x)
	a.DN = x.DN
	a.Groups, a.GroupsKnown = e.groups.OfEither(a.Groups, dn, a.Login), e.Read.View.Shows("member")
	a.NeverExpires, a.CannotChange, a.BlankAllowed = facts.No, facts.No, facts.No
	a.Privileged = e.privileged(dn)
	p := e.policyOf(a, x)
	e.password(a, x)
	a.Created = ldif.Moment(x.Text("createtimestamp"))
	a.LastSignIn = ldif.Moment(x.Text("lastlogintime"))
	a.PasswordSet = ldif.Moment(x.Text("pwdupdatetime"))
	switch locked := x.Text("nsaccountlock"); {
	case locked != "":
		a.Enabled = facts.TriOf(!strings.EqualFold(locked, "true"))
	default:
		a.Enabled = e.absent("nsaccountlock").Not()
	}
	a.Ends = facts.Never // it has no such date
	e.expiry(a, x, p)
	e.lock(a, x, p)
	e.idle(a, x)
}

// policyOf finds the policy whose switches count for an entry: the one that the
// server computes from the entry itself or its subtree, else the global one.
func (e *export) policyOf(a *facts.Account, x *ldif.Entry) *policy {
	if sub := x.Text("pwdpolicysubentry"); sub != "" {
		if i, ok := e.byDN[ldif.NormalDN(sub)]; ok {
			a.Policy = e.Read.Policies[i-1].Name
			return &e.policies[i-1]
		}
		if e.Read.View.Whole && e.global >= 0 {
			return &e.policies[e.global] // it does not exist
		}
		a.Policy = hidden
		return &policy{unknown: true}
	}
	if e.absent("pwdpolicysubentry") == facts.Unknown || e.global < 0 {
		a.Policy = hidden
		return &policy{unknown: true}
	}
	return &e.policies[e.global]
}

// grade is how a value of userPassword is stored, by the names that this server
// has for schemes.
func grade(value string) setting.Value {
	scheme, rest, ok := strings.Cut(strings.TrimPrefix(value, "{"), "}")
	if strings.HasPrefix(value, "{") && ok {
		scheme = strings.ToUpper(strings.ReplaceAll(scheme, "_", "-"))
		switch scheme {
		case "CLEAR":
			return setting.StoredClear
		case "CRYPT-MD5":
			return setting.StoredSaltedFast
		case "CRYPT-SHA256", "CRYPT-SHA512", "GOST-YESCRYPT":
			return setting.StoredSaltedSlow
		case "PBKDF2-SHA256", "PBKDF2-SHA512", "PBKDF2-SHA1":
			return setting.StoredSaltedSlow
		case "AES":
			return setting.StoredReversible
		}
		value = "{" + scheme + "}" + rest
	}
	return stored.Directory(value)
}

// schemes are those that the server compares passwords with.
var schemes = []string{"CLEAR", "CRYPT", "CRYPT-MD5", "CRYPT-SHA256", "CRYPT-SHA512", "GOST-YESCRYPT", "MD5", "NS-MTA-MD5", "PBKDF2-SHA1",
	"PBKDF2-SHA256", "PBKDF2-SHA512", "SHA", "SHA256", "SHA384", "SHA512", "SMD5", "SSHA", "SSHA256", "SSHA384", "SSHA512", "AES", "PBKDF2"}

func letsIn(value string) facts.Tri {
	scheme, data, ok := strings.Cut(strings.TrimPrefix(value, "{"), "}")
	switch {
	case value == "":
		return facts.No
	case value[0] != '{' || !ok:
		return facts.Yes
	}
	scheme = strings.ToUpper(strings.ReplaceAll(scheme, "_", "-"))
	if scheme == "CRYPT" {
		return facts.TriOf(stored.CryptWorks(data))
	}
	for _, known := range schemes {
		if scheme == known {
			return facts.Yes
		}
	}
	return facts.Unknown
}

func (e *export) password(a *facts.Account, x *ldif.Entry) {
	schema := setting.At(setting.Storage)
	if x.Seen&watch["userpassword"] != 0 || ldif.Seen(e.people.Load())&watch["userpassword"] != 0 && e.absent("userpassword") == facts.No {
		a.PasswordUsable = facts.No
	}
	for i := range x.Attrs {
		if x.Attrs[i].Name != "userpassword" {
			continue
		}
		value := x.Attrs[i].Value
		a.PasswordUsable = a.PasswordUsable.Or(letsIn(value))
		a.Blank = facts.TriOf(value == "" || a.Blank == facts.Yes)
		a.StoredMark = stored.Mark(value)
		if g := grade(value); !a.Storage.Known() {
			a.Storage = g
		} else if g.Known() {
			a.Storage = schema.Loosest(a.Storage, g)
		}
	}
}

// reset is the end of a password that must be changed.
const reset = "19700101000000Z"

// expiry: the stored end counts where the policy lets passwords end; without
// one, a password does not end.
func (e *export) expiry(a *facts.Account, x *ldif.Entry, p *policy) {
	end := x.Text("passwordexpirationtime")
	grace, used := strconv.Atoi(x.Text("passwordgraceusertime"))
	a.GraceUsed = facts.Counted{N: grace, Known: used == nil || x.Text("passwordgraceusertime") == "" && e.absent("passwordgraceusertime") == facts.No}
	if p.unknown {
		return
	}
	a.ChangeFirst = true
	switch {
	case !p.mustChange:
		a.MustChange = facts.No
	case end == reset || strings.EqualFold(x.Text("pwdreset"), "true"):
		a.MustChange = facts.Yes
	case ldif.Moment(end).Known():
		a.MustChange = facts.No
	case end != "":
	default:
		a.MustChange = e.absent("pwdreset")
	}
	switch {
	case !p.expires:
		a.PasswordExpires = facts.Never
	case end == reset:
	case end != "":
		a.PasswordExpires, a.DueAtEnd = ldif.Moment(end), true
	case e.absent("passwordexpirationtime") == facts.No:
		a.PasswordExpires = facts.Never
	}
}

// lock: a lock ends with its time; one of 1970 until somebody unlocks.
func (e *export) lock(a *facts.Account, x *ldif.Entry, p *policy) {
	asOf := e.Read.AsOf
	if n, err := strconv.Atoi(x.Text("passwordretrycount")); err == nil && !asOf.IsZero() {
		a.Failures = facts.CountOf(n)
		if until, ok := stamp.Generalized(x.Text("retrycountresettime")); ok && !asOf.Before(until) {
			a.Failures = facts.CountOf(0)
		} else if !ok && x.Text("retrycountresettime") != "" {
			a.Failures = facts.Counted{}
		}
	} else if x.Text("passwordretrycount") == "" && e.absent("passwordretrycount") == facts.No {
		a.Failures = facts.CountOf(0)
	}
	if p.unknown {
		return
	}
	a.Locked = facts.No
	until := x.Text("accountunlocktime")
	switch {
	case !p.lockout:
	case until == "":
		a.Locked = e.absent("accountunlocktime")
	case until == reset:
		if a.Locked = facts.TriOf(!p.unlock); a.Locked == facts.Yes {
			a.LockedUntil = facts.Never
		}
	default:
		end := ldif.Moment(until)
		if a.Locked = end.Come(asOf.Unix()).Not(); asOf.IsZero() {
			a.Locked = facts.Unknown
		}
		if a.Locked == facts.Yes {
			a.LockedUntil = end
		}
	}
}

// idle: the account policy plug-in shuts out whom nobody used for too long.
func (e *export) idle(a *facts.Account, x *ldif.Entry) {
	if (!e.plugin.seen || e.plugin.on && !e.plugin.told) && a.Locked == facts.No {
		a.Locked = facts.Unknown // it may shut out whom nobody used for some time
		return
	}
	limit := e.plugin.limit
	if own, ok := e.limits[ldif.NormalDN(x.Text("acctpolicysubentry"))]; ok {
		limit = own
	}
	if !e.plugin.on || limit <= 0 || a.Locked != facts.No {
		return
	}
	text := x.Text(e.plugin.state)
	if text == "" {
		text = x.Text(e.plugin.other)
	}
	since, ok := ldif.Moment(text).Unix()
	switch {
	case !ok && text == "":
	case !ok, e.Read.AsOf.IsZero():
		a.Locked = facts.Unknown
	case e.Read.AsOf.Unix() > since+limit:
		a.Locked, a.LockedSince, a.LockedUntil = facts.Yes, facts.AtSecond(since+limit), facts.Never
	}
	origin := a.Origin
	origin.Text = "accountInactivityLimit " + strconv.FormatInt(limit, 10)
	a.Override(setting.DormantAfter, setting.Seconds(limit), origin)
}
