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
)

// how are the commands that take an export.
const how = `As root, into one folder:
mariadb --batch -e "SELECT Host,User,Priv FROM mysql.global_priv ORDER BY User,Host" > global_priv.tsv
mariadb --batch -e "SHOW GLOBAL VARIABLES" > variables.tsv
mariadb --batch -e "SELECT PLUGIN_NAME,PLUGIN_STATUS,PLUGIN_TYPE FROM information_schema.PLUGINS ORDER BY PLUGIN_NAME" > plugins.tsv
mariadb --batch -e "SELECT * FROM mysql.roles_mapping" > roles_mapping.tsv
mariadb --batch --skip-column-names -e "SELECT VERSION(), CONCAT(UTC_TIMESTAMP(), 'Z')" > version.txt

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
	strange  facts.Origin    // of an active one that judges passwords in a way that is not known
	granted  map[string][]string
	isRole   map[string]bool
	mapped   string               // the file of who has which role; "" where there is none
	hasRoles bool                 // who has which is known
	power    map[string]facts.Tri // whether a role gives power over the server
	version  string
}

type found struct {
	text   string
	origin facts.Origin
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{request: r, folder: r.From[0], Base: r.NewBase(), values: map[string]found{},
		active: map[string]bool{}, granted: map[string][]string{}, power: map[string]facts.Tri{}, isRole: map[string]bool{}}
	e.Read.Chooses = facts.ChooseSingle
	e.Read.Policies = []facts.Policy{{Name: server, Origin: facts.Origin{File: e.folder}}}
	e.Read.Default = server
	e.policy = &e.Read.Policies[0]
	var ok bool
	if e.file, ok = rows.Find(r, e.folder, "global_priv", "global_priv-nohash"); !ok {
		return nil, &intake.Unreadable{File: e.folder,
			Message: "no global_priv is here, as .tsv, .json or .xml; mysql.user does not say when passwords end or who is " +
				"locked" + (&rows.Table{Name: "global_priv", Needs: accountColumns}).Seems(r, e.folder)}
	}
	e.asOf()
	used := []string{e.file}
	var wanted []rows.Table
	for _, part := range []struct {
		name string
		each func(string, *rows.Row) error
		need []string
	}{
		{"variables", e.variable, []string{"Variable_name", "Value"}},
		{"plugins", e.plugin, []string{"PLUGIN_NAME", "PLUGIN_STATUS"}},
		{"roles_mapping", e.mapping, []string{"Host", "User", "Role"}},
	} {
		wanted = append(wanted, rows.Table{Name: part.name, Needs: part.need})
		file, ok := rows.Find(r, e.folder, part.name)
		if !ok {
			e.Noted.Remark(facts.Origin{File: e.folder}, "%s is not in the export; what it says stays unknown", part.name)
			continue
		}
		used = append(used, file)
		if part.name == "variables" && path.Ext(strings.TrimSuffix(strings.TrimSuffix(file, ".gz"), ".zst")) == ".json" {
			part.need = nil // it may be one object
		}
		some := false
		err := rows.Read(r, file, &e.Noted, func(row *rows.Row) error {
			some = true
			return part.each(file, row)
		}, part.need...)
		switch {
		case err != nil:
			return nil, err
		case part.name == "roles_mapping":
			e.mapped = file
		case !some:
			e.Noted.Incomplete(facts.Origin{File: file}, "%s has no rows, which it has on every server; take it again", part.name)
		}
	}
	rows.Left(r, e.folder, &e.Noted, "take it with mariadb --batch, as yewcone intake --how mariadb tells",
		wanted, used, []string{"version.txt"})
	e.settings(len(e.active) > 0) // a server without any plugin does not run
	e.strangers()
	if err := rows.Read(r, e.file, &facts.Notes{}, e.role, accountColumns...); err != nil {
		return nil, err
	}
	if e.hasRoles = e.mapped != "" && (len(e.granted) > 0 || len(e.isRole) == 0); e.mapped != "" && !e.hasRoles {
		e.Noted.Remark(facts.Origin{File: e.mapped}, "there are roles, and nobody has one, though who makes one gets it: who has which is unknown; "+
			"take it again")
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

// asOf reads version.txt: the version, the moment, and the time zones of the
// session and the system. A moment with a Z behind it is in UTC; one without is
// where both zones are.
func (e *export) asOf() {
	for _, line := range e.request.Lines(e.folder+"/version.txt", &e.Noted) {
		parts := strings.Split(line, "\t")
		if len(parts) < 2 {
			continue
		}
		e.version = parts[0]
		if !e.Read.AsOf.IsZero() {
			return
		}
		moment, utc := strings.CutSuffix(parts[1], "Z")
		zones := parts[2:]
		inUTC := func(zone string) bool { return slices.Contains([]string{"UTC", "Etc/UTC", "+00:00", "SYSTEM"}, zone) }
		utc = utc || len(zones) > 1 && inUTC(zones[0]) && zones[1] == "UTC" || len(zones) == 1 && zones[0] == "UTC"
		at, err := time.Parse(time.DateTime, moment)
		switch {
		case err != nil:
		case !utc:
			e.Noted.Remark(facts.Origin{File: e.folder + "/version.txt"},
				"the moment is told in a time zone that may not be UTC, and is not used; take version.txt again, or write "+
					"as_of in estate.yaml")
		default:
			e.Read.AsOf, e.Read.AsOfFrom = at, "version.txt"
		}
		return
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

func (e *export) plugin(file string, row *rows.Row) error {
	if status := row.Plain("PLUGIN_STATUS"); !slices.Contains(states, status) {
		e.Noted.Refuse(facts.Origin{File: file, Line: row.Line}, "the state of the plugin is none that is known here")
	}
	if row.Plain("PLUGIN_STATUS") == "ACTIVE" {
		name := row.Plain("PLUGIN_NAME")
		e.active[name] = true
		if row.Plain("PLUGIN_TYPE") == "PASSWORD VALIDATION" && !slices.Contains(validators, name) {
			e.strange = facts.Origin{File: file, Line: row.Line, Text: name}
		}
	}
	return nil
}

// states are what a plugin may be in.
var states = []string{"ACTIVE", "INACTIVE", "DISABLED", "DELETED", "NOT INSTALLED"}

// validators are the plugins that judge passwords, of which it is known what they
// ask.
var validators = []string{"simple_password_check", "cracklib_password_check", "password_reuse_check"}

// judged are the settings that a plugin which judges passwords may hold.
var judged = []setting.ID{setting.MinLength, setting.MaxLength, setting.MinClasses, setting.MinLetters, setting.MinDigits, setting.MinUpper, setting.MinLower,
	setting.MinSymbols, setting.MaxRepeat, setting.MaxRun, setting.MinDistinct, setting.MinChanged, setting.BlankAllowed,
	setting.DictionaryBarred, setting.BreachedBarred,
	setting.CommonBarred, setting.LoginBarred, setting.History, setting.ReuseAfter, setting.MinAge}

// strangers leaves open what a plugin may ask that nobody here knows.
func (e *export) strangers() {
	if e.strange.Text == "" {
		return
	}
	for _, id := range judged {
		if v := e.policy.Value(id); v.State() == setting.Off || v.Value == setting.No || v.Value == setting.Yes {
			e.policy.Set(id, setting.Value{}, e.strange)
		}
	}
	e.Noted.Remark(e.strange, "an active plugin judges passwords, of which it is not known what it asks: what nothing else asks is unknown")
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
	if ok && err != nil && f.text != "" {
		e.Noted.Refuse(f.origin, "%s is no whole number", name)
	}
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
	} else if ok {
		f.origin.Text += ": let in, to set a new password and nothing else"
		e.set(setting.GracePeriod, setting.OffValue, f.origin)
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
