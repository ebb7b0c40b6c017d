// Package mariadb reads the accounts and settings of a MariaDB server, as its
// client prints them (batch, XML or JSON) into one folder: global_priv,
// variables, plugins, roles_mapping, version.txt.
//
// What was tried on MariaDB 10.11:
//   - expiry by age, locks and lifetimes stand in mysql.global_priv only;
//     password_expired in mysql.user is Y for expiry by hand alone;
//   - a lifetime of -1 or none is the server's, 0 is never; it holds for
//     accounts with an empty password too, not for those with unix_socket alone;
//   - an empty object inside auth_or is the method named at the top;
//   - rows from the installation carry neither method nor date: an empty
//     password with all privileges;
//   - a reuse interval of 0 bars old passwords for ever;
//   - max_password_errors counts tries in a row and blocks until a flush.
package mariadb

import (
	"encoding/json"
	"maps"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/rows"
	"yewcone/intake/stored"
	"yewcone/intake/text"
)

// how are the commands that take an export.
const how = `As root, into one folder:
mariadb --batch -e "SELECT Host,User,Priv FROM mysql.global_priv ORDER BY User,Host" > global_priv.tsv
mariadb --batch -e "SHOW GLOBAL VARIABLES" > variables.tsv
mariadb --batch -e "SELECT PLUGIN_NAME,PLUGIN_STATUS,PLUGIN_TYPE FROM information_schema.PLUGINS ORDER BY PLUGIN_NAME" > plugins.tsv
mariadb --batch -e "SELECT * FROM mysql.roles_mapping" > roles_mapping.tsv
mariadb --batch --skip-column-names -e "SELECT VERSION(), UTC_TIMESTAMP(), @@time_zone, 'UTC'" > version.txt

estate.yaml:
  export: {read: mariadb, from: folder}
`

// Format is the accounts and settings of a MariaDB server.
var Format = intake.Format{
	Name: "mariadb", From: intake.OneFolder,
	Doc:  "a MariaDB server: global_priv, variables, plugins and roles_mapping as its client prints them",
	Open: open,
	How:  how,
	ToKnow: map[string]string{
		"last_sign_in":          "the server does not keep it: look into its audit log",
		"idle":                  "the server does not keep it: look into its audit log",
		"created":               "the server does not keep when an account was made",
		"account_age":           "the server does not keep when an account was made",
		"locked":                "who is blocked after wrong passwords stands in the server's memory only",
		"history":               "the server bars old passwords by time (reuse_after), not by number",
		"lockout_covers_admins": "try it with an account that has CONNECTION ADMIN, and write the answer under \"known\" in estate.yaml",
		"min_length":            "export the plugins",
	},
}

// server is the name of the one policy.
const server = "server"

type export struct {
	intake.Base

	request  *intake.Request
	folder   string
	file     string // of the accounts
	policy   *facts.Policy
	values   map[string]found
	active   map[string]bool // plugins
	granted  map[string][]string
	isRole   map[string]bool
	hasRoles bool
	power    map[string]bool // roles with powers over the server
}

type found struct {
	text   string
	origin facts.Origin
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{request: r, folder: r.From[0], Base: r.NewBase(), values: map[string]found{},
		active: map[string]bool{}, granted: map[string][]string{}, power: map[string]bool{}, isRole: map[string]bool{}}
	e.Read.Chooses = facts.ChooseSingle
	e.Read.Policies = []facts.Policy{{Name: server, Origin: facts.Origin{File: e.folder}}}
	e.Read.Default = server
	e.policy = &e.Read.Policies[0]
	var ok bool
	if e.file, ok = rows.Find(r, e.folder, "global_priv", "global_priv-nohash"); !ok {
		return nil, &intake.Unreadable{File: e.folder,
			Message: "no global_priv is here, as .tsv, .json or .xml; mysql.user does not say when passwords end or who is " +
				"locked"}
	}
	e.asOf()
	for _, part := range []struct {
		name string
		each func(string, *rows.Row) error
		need []string
	}{
		{"variables", e.variable, nil},
		{"plugins", e.plugin, []string{"PLUGIN_NAME", "PLUGIN_STATUS"}},
		{"roles_mapping", e.mapping, []string{"Host", "User", "Role"}},
	} {
		file, ok := rows.Find(r, e.folder, part.name)
		if !ok {
			e.Noted.Remark(facts.Origin{File: e.folder}, "%s is not in the export; what it says stays unknown", part.name)
			continue
		}
		e.hasRoles = e.hasRoles || part.name == "roles_mapping"
		// where it may be one object
		if part.name == "variables" && path.Ext(strings.TrimSuffix(strings.TrimSuffix(file, ".gz"), ".zst")) != ".json" {
			part.need = []string{"Variable_name", "Value"}
		}
		if err := rows.Read(r, file, &e.Noted, func(row *rows.Row) error { return part.each(file, row) }, part.need...); err != nil {
			return nil, err
		}
	}
	e.settings(len(e.active) > 0) // a server without any plugin does not run
	if err := rows.Read(r, e.file, &facts.Notes{}, e.role, accountColumns...); err != nil {
		return nil, err
	}
	e.missingRoles()
	return e, nil
}

// accountColumns are what the table of accounts must have.
var accountColumns = []string{"Host", "User", "Priv"}

// missingRoles notes roles that are granted and are not in the table: what
// they give is unknown.
func (e *export) missingRoles() {
	missing := map[string]bool{}
	for _, roles := range e.granted {
		for _, role := range roles {
			if !e.isRole[role] {
				missing[role] = true
			}
		}
	}
	for _, role := range slices.Sorted(maps.Keys(missing)) {
		e.Noted.Remark(facts.Origin{File: e.file}, "the role %q is granted and is not in the table; what it gives is unknown", role)
	}
}

// asOf reads version.txt: version, NOW(), time_zone, system_time_zone.
func (e *export) asOf() {
	if !e.Read.AsOf.IsZero() {
		return
	}
	for line := range text.Lines(e.request.Path(e.folder + "/version.txt")) {
		parts := strings.Split(line, "\t")
		if len(parts) < 2 || !slices.Contains(parts[2:], "UTC") {
			continue
		}
		if at, err := time.Parse(time.DateTime, parts[1]); err == nil {
			e.Read.AsOf, e.Read.AsOfFrom = at, "version.txt"
		}
	}
}

// variable reads a row of two columns, or one object with all names.
func (e *export) variable(file string, row *rows.Row) error {
	keep := func(name, text string) {
		name = strings.ToLower(name)
		e.values[name] = found{text, facts.Origin{File: file, Line: row.Line, Text: name + " = " + text}}
	}
	if row.Has("Variable_name") {
		keep(row.Plain("Variable_name"), row.Plain("Value"))
		return nil
	}
	row.Each(keep)
	return nil
}

func (e *export) plugin(_ string, row *rows.Row) error {
	if row.Plain("PLUGIN_STATUS") == "ACTIVE" {
		e.active[row.Plain("PLUGIN_NAME")] = true
	}
	return nil
}

// mapping reads who has which role; a role's host is empty.
func (e *export) mapping(_ string, row *rows.Row) error {
	who := row.Plain("User") + "@" + row.Plain("Host")
	e.granted[who] = append(e.granted[who], row.Plain("Role"))
	return nil
}

func (e *export) set(id setting.ID, v setting.Value, origin facts.Origin) {
	e.policy.Set(id, v, origin)
}

// number returns a variable; false when it is not there or no number.
func (e *export) number(name string) (int64, facts.Origin, bool) {
	f, ok := e.values[name]
	n, err := strconv.ParseInt(f.text, 10, 64)
	return n, f.origin, ok && err == nil
}

// count sets a variable of which 0 means off.
func (e *export) count(id setting.ID, variable string) {
	n, origin, ok := e.number(variable)
	switch {
	case !ok:
	case n > 0:
		e.set(id, setting.Count(n), origin)
	default:
		e.set(id, setting.OffValue, origin)
	}
}

// unlimited: from this many errors on nobody is ever blocked.
const unlimited = 1_000_000

func (e *export) settings(hasPlugins bool) {
	none := facts.Origin{File: e.folder, Text: "the server has no such setting"}
	for _, id := range []setting.ID{setting.MinAge, setting.WarnBefore, setting.MaxLength, setting.DormantAfter,
		setting.MaxRepeat, setting.MaxRun,
		setting.MinDistinct, setting.MinChanged} {
		e.set(id, setting.OffValue, none)
	}
	for _, id := range []setting.ID{setting.BreachedBarred, setting.ChangeAtFirstUse, setting.RecoveryQuestion,
		setting.HintAllowed, setting.AppliesToExisting} {
		e.set(id, setting.No, none)
	}
	e.set(setting.SecondFactor, setting.NoSecondFactor, none)
	intake.AnyCharacters(e.policy, none)
	stored := none
	stored.Text = "new passwords are stored by mysql_native_password unless another method is named"
	e.set(setting.Storage, setting.StoredUnsalted, stored)
	e.complexity(hasPlugins)
	e.reuse(hasPlugins)
	if n, origin, ok := e.number("default_password_lifetime"); ok && n > 0 {
		e.set(setting.MaxAge, setting.Days(int32(min(n, 1<<20))), origin)
	} else if ok {
		e.set(setting.MaxAge, setting.OffValue, origin)
	}
	if f, ok := e.values["disconnect_on_expired_password"]; ok && strings.EqualFold(f.text, "ON") {
		e.set(setting.GracePeriod, setting.Days(0), f.origin)
	}
	if n, origin, ok := e.number("max_password_errors"); ok {
		attempts := setting.Count(n)
		if n >= unlimited || n <= 0 {
			attempts = setting.OffValue
		}
		e.set(setting.LockoutAttempts, attempts, origin)
		origin.Text += ": in a row, until FLUSH PRIVILEGES"
		e.set(setting.LockoutWindow, setting.OffValue, origin)
		e.set(setting.LockoutDuration, setting.UntilUnlockedValue, origin)
	}
}

func (e *export) complexity(hasPlugins bool) {
	simple := e.active["simple_password_check"]
	switch {
	case simple:
		e.count(setting.MinLength, "simple_password_check_minimal_length")
		e.count(setting.MinDigits, "simple_password_check_digits")
		e.count(setting.MinUpper, "simple_password_check_letters_same_case")
		e.count(setting.MinLower, "simple_password_check_letters_same_case")
		e.count(setting.MinSymbols, "simple_password_check_other_characters")
		if v := e.policy.Value(setting.MinLength); v.State() == setting.Amount {
			e.set(setting.BlankAllowed, setting.No, v.Origin)
		}
	case hasPlugins:
		origin := facts.Origin{File: e.folder, Text: "simple_password_check is not installed"}
		for _, id := range []setting.ID{setting.MinLength, setting.MinDigits, setting.MinUpper, setting.MinLower,
			setting.MinSymbols, setting.MinClasses} {
			e.set(id, setting.OffValue, origin)
		}
		if !e.active["cracklib_password_check"] {
			e.set(setting.BlankAllowed, setting.Yes, origin)
		}
	}
	if hasPlugins {
		origin := facts.Origin{File: e.folder, Text: "cracklib_password_check"}
		e.set(setting.DictionaryBarred, setting.YesNo(e.active["cracklib_password_check"]), origin)
	}
}

// reuse: the plugin bars old passwords by time; 0 is for ever.
func (e *export) reuse(hasPlugins bool) {
	n, origin, ok := e.number("password_reuse_check_interval")
	switch {
	case e.active["password_reuse_check"] && !ok: // how long is not in the export
	case e.active["password_reuse_check"] && n == 0:
		origin.Text += ": for ever"
		e.set(setting.ReuseAfter, setting.For(setting.Span{Months: 12 * 1000}), origin)
	case e.active["password_reuse_check"]:
		e.set(setting.ReuseAfter, setting.Days(int32(min(n, 1<<20))), origin)
	case hasPlugins:
		origin = facts.Origin{File: e.folder, Text: "password_reuse_check is not installed"}
		e.set(setting.ReuseAfter, setting.OffValue, origin)
		e.set(setting.History, setting.OffValue, origin)
	}
}

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

// The bits of access that give power over the server: GRANT, SUPER, CREATE
// USER.
const powers = 1<<10 | 1<<15 | 1<<25

func (p *privileges) powerful() bool {
	n, err := strconv.ParseUint(string(p.Access), 10, 64)
	if err != nil {
		signed, _ := strconv.ParseInt(string(p.Access), 10, 64)
		n = uint64(signed)
	}
	return n&powers != 0
}

func (e *export) role(row *rows.Row) error {
	if p, ok := e.parse(row); ok && p.IsRole {
		e.isRole[row.Plain("User")] = true
		if p.Access == "" {
			e.Noted.Refuse(facts.Origin{File: e.file, Line: row.Line},
				"Priv of the role %q has no access; what it gives is unknown", row.Plain("User"))
		}
		if p.powerful() {
			e.power[row.Plain("User")] = true
		}
	}
	return nil
}

// Accounts streams the rows that are no roles.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	var a facts.Account
	count := 0
	defer func() {
		if count == 0 {
			e.Noted.Incomplete(facts.Origin{File: e.file}, "no accounts are here; take the export again")
		}
	}()
	return rows.Read(e.request, e.file, &e.Noted, func(row *rows.Row) error {
		count++
		p, ok := e.parse(row)
		origin := facts.Origin{File: e.file, Line: row.Line}
		if !ok {
			e.Noted.Refuse(origin, "Priv is no JSON object")
			return nil
		}
		if p.IsRole {
			return nil
		}
		a.Reset()
		a.Origin = origin
		e.fill(&a, row, &p)
		return yield(&a)
	}, accountColumns...)
}

func (e *export) fill(a *facts.Account, row *rows.Row, p *privileges) {
	user := row.Plain("User")
	a.Login = user + "@" + row.Plain("Host")
	a.Groups, a.GroupsKnown = e.roles(a.Login, a.Groups), e.hasRoles
	privileged, given := p.powerful(), e.hasRoles && p.Access != ""
	for _, g := range a.Groups {
		privileged = privileged || e.power[g]
		given = given && e.isRole[g]
	}
	if a.Privileged = facts.TriOf(privileged); !privileged && !given {
		a.Privileged = facts.Unknown
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

// withPassword are the methods that take a password kept by the server.
var withPassword = []string{"", "mysql_native_password", "mysql_old_password", "ed25519"}

func (e *export) password(a *facts.Account, row *rows.Row, p *privileges) {
	a.Blank, a.PasswordUsable = facts.No, facts.No
	for _, m := range p.methods() {
		if !slices.Contains(withPassword, m.Plugin) {
			if m.Plugin == "pam" {
				a.PasswordUsable = facts.Yes
			}
			continue
		}
		a.PasswordUsable = facts.Yes
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
			a.Blank = facts.Unknown
		case secret == "":
			a.Blank = facts.Yes
		default:
			a.Storage = setting.StoredUnsalted
			if m.Secret != nil {
				a.StoredMark = stored.Mark(secret)
			}
		}
	}
}

func (e *export) age(a *facts.Account, p *privileges) {
	a.MustChange = facts.No
	switch {
	case p.Changed == nil:
	case *p.Changed == 0:
		a.MustChange = facts.Yes // run out by hand
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
	if *p.Lifetime > 0 {
		v = setting.Days(int32(min(*p.Lifetime, 1<<20)))
	}
	origin := a.Origin
	origin.Text = "password_lifetime " + strconv.FormatInt(*p.Lifetime, 10)
	a.Override(setting.MaxAge, v, origin)
}
