package mariadb

import (
	"crypto/sha1"
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/rows"
	"yewcone/intake/stored"
)

// privileges is what the server keeps of an account.
type privileges struct {
	Access   json.Number `json:"access"`
	Plugin   string      `json:"plugin"`
	Secret   *string     `json:"authentication_string"`
	Changed  *int64      `json:"password_last_changed"`
	Lifetime *int64      `json:"password_lifetime"`
	Locked   bool        `json:"account_locked"`
	IsRole   bool        `json:"is_role"`
	Or       []method    `json:"auth_or"`
	TLS      int         `json:"ssl_type"` // 1 any, 2 a client's certificate, 3 a certain one
}

type method struct {
	Plugin string  `json:"plugin"`
	Secret *string `json:"authentication_string"`
}

func (e *export) parse(row *rows.Row) (privileges, bool) {
	var p privileges
	err := json.Unmarshal([]byte(row.Plain("Priv")), &p)
	return p, err == nil
}

// The bits of access that give power over the server: GRANT and CREATE USER; and
// SUPER before 11.0, which has made it one privilege among others.
const (
	powers = 1<<10 | 1<<25
	super  = 1 << 15
)

func (p *privileges) powerful(superToo facts.Tri) facts.Tri {
	n, err := strconv.ParseUint(string(p.Access), 10, 64)
	if err != nil {
		signed, _ := strconv.ParseInt(string(p.Access), 10, 64)
		n = uint64(signed)
	}
	switch {
	case n&powers != 0:
		return facts.Yes
	case n&super != 0:
		return superToo
	}
	return facts.No
}

// superIsPower reports whether SUPER makes an administrator, by the server's
// version.
func (e *export) superIsPower() facts.Tri {
	major, err := strconv.Atoi(strings.SplitN(e.version, ".", 2)[0])
	if err != nil {
		return facts.Unknown
	}
	return facts.TriOf(major < 11)
}

// sayWhatSuperIs remarks, once, that an account has SUPER and nothing more, and
// what it is worth in the server's version.
func (e *export) sayWhatSuperIs(at facts.Origin) {
	switch e.superIsPower() {
	case facts.No:
		e.Noted.RemarkOnce("SUPER", at, "SUPER makes no administrator since 11.0, and the server is %s", e.version)
	case facts.Unknown:
		e.Noted.RemarkOnce("SUPER", at, "SUPER makes an administrator before 11.0 and none since: the export does not tell the version; take version.txt too")
	}
}

func (e *export) role(row *rows.Row) error {
	if text := row.Plain("Priv"); !strings.Contains(text, "is_role") && !strings.Contains(text, `\u`) {
		return nil // which saves reading it twice of most
	}
	if p, ok := e.parse(row); ok && p.IsRole {
		e.isRole[row.Plain("User")] = true
		if p.Access == "" {
			e.Noted.Refuse(facts.Origin{File: e.file, Line: row.Line},
				"Priv of the role %q has no access; what it gives is unknown", row.Plain("User"))
		}
		if e.power[row.Plain("User")] = p.powerful(e.superIsPower()); p.Access == "" {
			e.power[row.Plain("User")] = facts.Unknown
		}
	}
	return nil
}

// Accounts streams the rows that are no roles.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the rows.
func (e *export) Parts(yield func(facts.Part) error) error {
	still := *e // as it is before anything is noted of accounts
	still.Noted = facts.Notes{}
	return rows.Parts(e.request, e.file, &e.Noted, "no accounts are here; take the export again", func() (func(*rows.Row, *facts.Account) bool, *facts.Notes) {
		one := still
		return one.account, &one.Noted
	}, yield, accountColumns...)
}

// account fills in what a row says; false where it is none of an account.
func (e *export) account(row *rows.Row, a *facts.Account) bool {
	p, ok := e.parse(row)
	if a.Origin = (facts.Origin{File: e.file, Line: row.Line}); !ok {
		e.Noted.Refuse(a.Origin, "Priv is no JSON object")
		return false
	}
	if p.IsRole {
		return false
	}
	e.fill(a, row, &p)
	return true
}

func (e *export) fill(a *facts.Account, row *rows.Row, p *privileges) {
	user := row.Plain("User")
	a.Login = user + "@" + row.Plain("Host")
	a.Groups, a.GroupsKnown = e.roles(a.Login, a.Groups), e.hasRoles
	if a.Privileged = p.powerful(e.superIsPower()); a.Privileged != facts.Yes && p.powerful(facts.Yes) == facts.Yes {
		e.sayWhatSuperIs(a.Origin)
	}
	if a.Privileged == facts.No && !(e.hasRoles && p.Access != "") {
		a.Privileged = facts.Unknown
	}
	for _, g := range a.Groups {
		given := facts.Unknown
		if e.isRole[g] {
			given = e.power[g]
		}
		a.Privileged = a.Privileged.Or(given)
	}
	switch user {
	case "":
		a.Kind = facts.Guest
	case "root", "mariadb.sys", "mysql":
		a.Kind = facts.BuiltIn
	}
	a.Enabled, a.NeverExpires, a.CannotChange, a.BlankAllowed, a.SecondFactor = facts.Yes, facts.No, facts.No, facts.No, facts.No
	a.Locked = facts.TriOf(p.Locked)
	if p.Locked {
		a.LockedUntil = facts.Never
	} else if e.policy.Value(setting.LockoutAttempts).State() != setting.Off {
		a.Locked = facts.Unknown // blocked after wrong passwords, in memory only
	}
	e.password(a, row, p)
	e.age(a, p)
	if p.Locked {
		a.PasswordUsable = facts.No
	}
	if a.EntersUnasked = a.Blank; a.PasswordUsable == facts.No {
		a.EntersUnasked = facts.No
	}
}

// roles are those granted, also through other roles.
func (e *export) roles(who string, names []string) []string {
	seen := map[string]bool{}
	for queue := e.granted[who]; len(queue) > 0; queue = queue[1:] {
		if r := queue[0]; !seen[r] {
			seen[r] = true
			names = append(names, r)
			queue = append(slices.Clone(queue), e.granted[r+"@"]...)
		}
	}
	return names
}

// methods are the ways in; an empty object in auth_or is the one at the top.
func (p *privileges) methods() []method {
	top := method{p.Plugin, p.Secret}
	if len(p.Or) == 0 {
		return []method{top}
	}
	var all []method
	for _, m := range p.Or {
		if m.Plugin == "" {
			m = top
		}
		all = append(all, m)
	}
	return all
}

// withPassword are the methods that take a password kept by the server, and
// what they keep of one.
var withPassword = map[string]*regexp.Regexp{
	"": nativeHash, "mysql_native_password": nativeHash,
	"mysql_old_password": regexp.MustCompile(`^[0-9a-fA-F]{16}$`),
	"ed25519":            regexp.MustCompile(`^[A-Za-z0-9+/]{43}$`),
	"parsec":             regexp.MustCompile(`^P[0-9]:`),
}

var nativeHash = regexp.MustCompile(`^\*[0-9A-Fa-f]{40}$`)

// withoutPassword are the methods that take none.
var withoutPassword = []string{"unix_socket", "auth_socket", "gssapi", "auth_gssapi", "named_pipe"}

// password tells whether a password lets the account in: by any of its methods,
// over a connection that the server makes, from a host that it can tell.
func (e *export) password(a *facts.Account, row *rows.Row, p *privileges) {
	a.Blank, a.PasswordUsable, a.PasswordIsLogin = facts.No, facts.No, facts.No
	outside := false
	for _, m := range p.methods() {
		hash, ours := withPassword[m.Plugin]
		switch {
		case ours:
			e.secret(a, row, m, hash)
		case m.Plugin == "pam":
			a.PasswordUsable, outside = facts.Yes, true
			a.PasswordIsLogin = a.PasswordIsLogin.Or(facts.Unknown)
		case !slices.Contains(withoutPassword, m.Plugin) && a.PasswordUsable == facts.No:
			a.PasswordUsable, outside = facts.Unknown, true
			a.PasswordIsLogin, a.Blank = a.PasswordIsLogin.Or(facts.Unknown), a.Blank.Or(facts.Unknown)
			e.Noted.Remark(a.Origin, "%s signs in by a plugin of which nothing is known here: whether a password lets it in is unknown", a.Login)
		}
	}
	if outside && !a.Storage.Known() && a.Blank == facts.No {
		e.notAsked(a)
	}
	if p.TLS >= 2 {
		a.SecondFactor = facts.Yes // a certificate, beside the password
	}
	switch why, known := e.cannotCome(row.Plain("Host"), p); {
	case a.PasswordUsable == facts.No:
	case !known:
		a.PasswordUsable = facts.Unknown
	case why != "":
		a.PasswordUsable = facts.No
		e.Noted.Remark(a.Origin, "nobody gets in as %s: %s", a.Login, why)
	}
}

// secret reads what a method of the server's own keeps.
func (e *export) secret(a *facts.Account, row *rows.Row, m method, hash *regexp.Regexp) {
	secret, known := "", m.Secret != nil || m.Plugin == "" // rows of the installation keep none
	if m.Secret != nil {
		secret = *m.Secret
	} else if flag, ok := row.Text("has_auth_string"); ok {
		known = true
		if flag == "1" {
			secret = "kept back"
		}
	}
	switch {
	case !known:
		a.Blank, a.PasswordUsable = facts.Unknown, facts.Yes
		a.PasswordIsLogin = a.PasswordIsLogin.Or(facts.Unknown)
	case secret == "":
		a.Blank, a.PasswordUsable = facts.Yes, facts.Yes
	case m.Secret != nil && !hash.MatchString(secret): // such as "invalid", which no password matches
	default:
		a.PasswordUsable = facts.Yes
		if a.Storage = setting.StoredUnsalted; m.Plugin == "parsec" {
			a.Storage = setting.StoredSaltedSlow
		}
		if m.Secret != nil {
			a.StoredMark = stored.Mark(secret)
		}
		own := facts.Unknown
		if m.Secret != nil && hash == nativeHash {
			own = ownName(row.Plain("User"), secret)
		}
		a.PasswordIsLogin = a.PasswordIsLogin.Or(own)
	}
}

// ownName tells whether a password that is kept as its SHA-1 twice over is the
// account's name.
func ownName(user, secret string) facts.Tri {
	once := sha1.Sum([]byte(user))
	return facts.TriOf(strings.EqualFold(secret, fmt.Sprintf("*%x", sha1.Sum(once[:]))))
}

// serverAsks are the settings that the server demands of passwords that it
// keeps itself.
var serverAsks = []setting.ID{setting.MinLength, setting.MinClasses, setting.MinDigits, setting.MinUpper, setting.MinLower,
	setting.MinSymbols,
	setting.MaxLength, setting.MaxRepeat, setting.MaxRun, setting.MinDistinct, setting.MinChanged, setting.DictionaryBarred,
	setting.BreachedBarred,
	setting.ReuseAfter, setting.History, setting.BlankAllowed, setting.MinAge}

// notAsked notes that the checks of the server never see this account's
// password: another system keeps it.
func (e *export) notAsked(a *facts.Account) {
	origin := a.Origin
	origin.Text = "the password is kept outside the server, whose checks never see it"
	for _, id := range serverAsks {
		a.Hide(id, origin)
	}
}

// cannotCome tells why nobody can sign in to an account, whatever the password:
// "" where somebody can. False where the variable that decides is not in the
// export.
func (e *export) cannotCome(host string, p *privileges) (why string, known bool) {
	is := func(variable string, words ...string) bool {
		f, ok := e.values[variable]
		known = known && ok
		return ok && slices.Contains(words, strings.ToUpper(f.text))
	}
	known = true
	named := strings.Trim(host, "0123456789./%_:abcdefABCDEF") != "" && host != "localhost"
	switch {
	case p.TLS > 0 && is("have_ssl", "DISABLED", "NO"):
		return "it demands TLS, which the server has not got (have_ssl)", true
	case named && is("skip_name_resolve", "ON", "1"):
		return "it demands a host by name, and the server looks up no names (skip_name_resolve)", true
	}
	return "", known
}

func (e *export) age(a *facts.Account, p *privileges) {
	a.MustChange, a.DueAtEnd = facts.No, true
	switch {
	case p.Changed == nil:
	case *p.Changed == 0:
		a.MustChange, a.RunOut = facts.Yes, true
	default:
		a.PasswordSet = facts.At(time.Unix(*p.Changed, 0))
	}
	if a.PasswordUsable == facts.No {
		a.PasswordExpires = facts.Never
	}
	if p.Lifetime == nil || *p.Lifetime < 0 {
		return
	}
	v := setting.OffValue
	a.NeverExpires = facts.TriOf(*p.Lifetime == 0)
	if *p.Lifetime > 0 {
		v = setting.Days(int32(min(*p.Lifetime, 1<<20)))
	}
	origin := a.Origin
	origin.Text = "password_lifetime " + strconv.FormatInt(*p.Lifetime, 10)
	a.Override(setting.MaxAge, v, origin)
}
