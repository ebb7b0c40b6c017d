// Package postgresql reads the roles and settings of a PostgreSQL server, as
// psql prints them (CSV, JSON or a JSON object a line) into one folder: roles
// or authid, auth_members, settings, hba_file_rules, version.txt.
//
// What was tried on PostgreSQL 15:
//   - VALID UNTIL ends the password, not the role: by trust, peer or a
//     certificate it still gets in; infinity and null are never;
//   - an empty password is stored as none, and a role without one cannot use
//     a password;
//   - a connection limit of 0 lets nobody in, -1 is no limit;
//   - a member of a superuser role can become it, whatever INHERIT says;
//   - the server itself has no history, no ages and no lockout, and
//     passwordcheck's limits are compiled in: these are known, not unknown.
package postgresql

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
	"yewcone/intake/stored"
	"yewcone/intake/text"
)

// how are the commands that take an export.
const how = `As a superuser, into one folder:
psql -X --csv -c "SELECT r.oid, r.rolname, r.rolsuper, r.rolinherit, r.rolcreaterole, r.rolcreatedb, r.rolcanlogin, ` +
	`r.rolreplication, r.rolbypassrls, r.rolconnlimit, r.rolvaliduntil, CASE WHEN a.rolpassword LIKE 'SCRAM%' THEN ` +
	`split_part(a.rolpassword, ':', 1) ELSE left(a.rolpassword, 3) END AS password_prefix FROM pg_roles r JOIN pg_authid a USING (oid) ` +
	`ORDER BY r.rolname" > roles.csv
psql -X --csv -c "SELECT r.rolname AS role, m.rolname AS member FROM pg_auth_members x JOIN pg_roles r ON r.oid = x.roleid JOIN ` +
	`pg_roles m ON m.oid = x.member ORDER BY 1, 2" > auth_members.csv
psql -X --csv -c "SELECT name, setting, unit FROM pg_settings ORDER BY name" > settings.csv
psql -X --csv -c "SELECT line_number, type, database, user_name, address, netmask, auth_method, options, error FROM ` +
	`pg_hba_file_rules ORDER BY line_number" > hba_file_rules.csv
psql -X -At -F "$(printf '\t')" -c "SELECT version(), now(), current_setting('TimeZone')" > version.txt

estate.yaml:
  export: {read: postgresql, from: folder}
`

// Format is the roles and settings of a PostgreSQL server.
var Format = intake.Format{
	Name: "postgresql", From: intake.OneFolder,
	Doc:  "a PostgreSQL server: roles, memberships, settings and host-based access lines as psql prints them",
	Open: open,
	How:  how,
	ToKnow: map[string]string{
		"password_set":    "the server does not keep when a password was set",
		"password_age":    "the server does not keep when a password was set",
		"created":         "the server does not keep when a role was made",
		"account_age":     "the server does not keep when a role was made",
		"last_sign_in":    "the server does not keep it: look into its log (log_connections)",
		"idle":            "the server does not keep it: look into its log (log_connections)",
		"storage":         "export as a superuser, from pg_authid: the password or its prefix",
		"min_length":      "export the settings: shared_preload_libraries tells whether a check is loaded",
		"blank_allowed":   "export pg_hba_file_rules",
		"failures_logged": "the server logs failures wherever its log is kept",
	},
}

// server is the name of the one policy.
const server = "server"

type export struct {
	intake.Base

	request    *intake.Request
	folder     string
	roles      string // file
	policy     *facts.Policy
	hasMembers bool
	rule       int                 // the last rule of access that was read
	member     map[string][]string // of a role: the roles that it is a member of
	tabled     map[string]bool     // roles that the table has
	super      map[string]bool
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{request: r, folder: r.From[0], Base: r.NewBase(), member: map[string][]string{},
		tabled: map[string]bool{}, super: map[string]bool{}}
	e.Read.Chooses = facts.ChooseSingle
	e.Read.Policies = []facts.Policy{{Name: server, Origin: facts.Origin{File: e.folder}}}
	e.Read.Default = server
	e.policy = &e.Read.Policies[0]
	var ok bool
	if e.roles, ok = rows.Find(r, e.folder, "authid", "roles", "shadow"); !ok {
		return nil, &intake.Unreadable{File: e.folder,
			Message: "neither authid nor roles nor shadow is here, as .csv, .json or .jsonl; \"from\" must name the folder " +
				"of the export"}
	}
	e.asOf()
	e.known()
	for _, part := range []struct {
		name string
		each func(string, *rows.Row) error
		need []string
	}{
		{"settings", e.setting, []string{"name", "setting"}},
		{"hba_file_rules", e.access, []string{"type", "user_name", "auth_method", "error"}},
		{"auth_members", e.membership, []string{"role", "member"}},
	} {
		file, ok := rows.Find(r, e.folder, part.name)
		if !ok {
			e.Noted.Remark(facts.Origin{File: e.folder}, "%s is not in the export; what it says stays unknown", part.name)
			continue
		}
		e.hasMembers = e.hasMembers || part.name == "auth_members"
		if err := rows.Read(r, file, &e.Noted, func(row *rows.Row) error { return part.each(file, row) }, part.need...); err != nil {
			return nil, err
		}
	}
	limits, passwords := false, false
	err := rows.Read(r, e.roles, &facts.Notes{}, func(row *rows.Row) error {
		limits = limits || row.Has("rolconnlimit")
		passwords = passwords || row.Has("rolpassword") || row.Has("password_prefix") || row.Has("passwd")
		e.tabled[name(row)] = true
		if row.True("rolsuper") || row.True("usesuper") {
			e.super[name(row)] = true
		}
		return nil
	}, e.roleColumns()...)
	if !limits {
		e.Noted.Remark(facts.Origin{File: e.roles},
			"the table has no column rolconnlimit: whether a role may have any connection at all is not known")
	}
	if !passwords && !strings.HasPrefix(path.Base(e.roles), "shadow") {
		e.Noted.Remark(facts.Origin{File: e.roles}, "the table has no column of passwords: roles that have one and may not sign in are "+
			"not counted as accounts, since it is not known which they are")
	}
	if !strings.HasPrefix(path.Base(e.roles), "shadow") { // which lists only roles that sign in
		e.missingRoles()
	}
	return e, err
}

// roleColumns are what the table of roles must have, by the view that it was
// taken from.
func (e *export) roleColumns() []string {
	switch name, _, _ := strings.Cut(path.Base(e.roles), "."); name {
	case "authid":
		return []string{"rolname", "rolsuper", "rolcanlogin", "rolvaliduntil", "rolpassword"}
	case "roles":
		return []string{"rolname", "rolsuper", "rolcanlogin", "rolconnlimit", "rolvaliduntil"}
	}
	return []string{"usename", "usesuper", "valuntil"}
}

// missingRoles notes roles that have members and are not in the table: what
// they give their members is unknown.
func (e *export) missingRoles() {
	missing := map[string]bool{}
	for _, roles := range e.member {
		for _, role := range roles {
			if !e.given(role) {
				missing[role] = true
			}
		}
	}
	for _, role := range slices.Sorted(maps.Keys(missing)) {
		e.Noted.Remark(facts.Origin{File: e.roles}, "the role %q has members and is not in the table; what it gives them is unknown", role)
	}
}

// given reports whether what a role gives its members is known.
func (e *export) given(role string) bool { return e.tabled[role] || strings.HasPrefix(role, "pg_") }

func name(row *rows.Row) string {
	if n, ok := row.Text("rolname"); ok {
		return n
	}
	return row.Plain("usename")
}

// asOf reads version.txt: version, now() and the time zone, with tabs.
func (e *export) asOf() {
	if !e.Read.AsOf.IsZero() {
		return
	}
	for line := range text.Lines(e.request.Path(e.folder + "/version.txt")) {
		for part := range strings.SplitSeq(line, "\t") {
			if at, ok := moment(part); ok {
				e.Read.AsOf, e.Read.AsOfFrom = at, "version.txt"
			}
		}
	}
}

// moment reads what the server prints: 2026-12-24 00:00:00+00 or ISO 8601.
func moment(text string) (time.Time, bool) {
	for _, layout := range []string{"2006-01-02 15:04:05.999999-07", "2006-01-02 15:04:05.999999-07:00", time.RFC3339Nano} {
		if at, err := time.Parse(layout, text); err == nil {
			return at.UTC(), true
		}
	}
	return time.Time{}, false
}

func (e *export) set(id setting.ID, v setting.Value, origin facts.Origin) {
	e.policy.Set(id, v, origin)
}

// known are the settings that the server has not got.
func (e *export) known() {
	origin := facts.Origin{File: e.folder, Text: "the server has no such setting"}
	for _, id := range []setting.ID{setting.History, setting.ReuseAfter, setting.MaxAge, setting.MinAge, setting.WarnBefore,
		setting.LockoutAttempts,
		setting.SourceAttempts, setting.DormantAfter, setting.MinDistinct, setting.MinChanged, setting.MaxRepeat,
		setting.MaxRun, setting.MaxLength,
		setting.GracePeriod} {
		e.set(id, setting.OffValue, origin)
	}
	for _, id := range []setting.ID{setting.CommonBarred, setting.DictionaryBarred, setting.BreachedBarred, setting.NamesBarred,
		setting.DescriptionBarred, setting.LoginReversedBarred, setting.ChangeAtFirstUse, setting.AppliesToExisting,
		setting.RecoveryQuestion,
		setting.HintAllowed} {
		e.set(id, setting.No, origin)
	}
	e.set(setting.SelfChange, setting.Yes, origin)
	intake.AnyCharacters(e.policy, origin)
}

// setting reads one row of pg_settings.
func (e *export) setting(file string, row *rows.Row) error {
	key, value := row.Plain("name"), row.Plain("setting")
	origin := facts.Origin{File: file, Line: row.Line, Text: key + " = " + value}
	switch key {
	case "password_encryption":
		e.set(setting.Storage, storage(value), origin)
	case "shared_preload_libraries":
		e.passwordCheck(value, origin)
	case "auth_delay.milliseconds":
		if n, err := strconv.ParseInt(value, 10, 64); err == nil && n >= 1000 {
			e.set(setting.FailureDelay, setting.Seconds(n/1000), origin)
		} else if err == nil {
			origin.Text += ": under a second"
			e.set(setting.FailureDelay, setting.OffValue, origin)
		}
	case "log_connections":
		e.set(setting.SuccessesLogged, setting.YesNo(row.True("setting")), origin)
	}
	return nil
}

// passwordCheck: the limits of the module are compiled in: 8 characters,
// letters and others mixed, not holding the role's name.
func (e *export) passwordCheck(libraries string, origin facts.Origin) {
	loaded := slices.ContainsFunc(strings.Split(libraries, ","), func(l string) bool {
		return strings.Trim(strings.TrimSpace(l), `"'`) == "passwordcheck"
	})
	if !loaded {
		origin.Text += ": passwordcheck is not loaded"
		for _, id := range []setting.ID{setting.MinLength, setting.MinClasses, setting.MinLetters} {
			e.set(id, setting.OffValue, origin)
		}
		e.set(setting.LoginBarred, setting.LoginAccepted, origin)
		return
	}
	e.set(setting.MinLength, setting.Count(8), origin)
	e.set(setting.MinClasses, setting.Count(2), origin)
	e.set(setting.MinLetters, setting.Count(1), origin)
	e.set(setting.LoginBarred, setting.LoginContained, origin)
}

// access reads one line of pg_hba.conf as the server sees it: trust asks for
// no password at all. A line with an error matches nobody.
func (e *export) access(file string, row *rows.Row) error {
	if n, err := strconv.Atoi(row.Plain("rule_number")); err == nil {
		if e.rule++; n != e.rule {
			e.Noted.Refuse(facts.Origin{File: file, Line: row.Line},
				"the rule %d comes where %d was expected; whether a line that is missing lets anybody in is unknown", n,
				e.rule)
			e.rule = n
		}
	}
	method := row.Plain("auth_method")
	_, broken := row.Text("error")
	id := setting.BlankAllowed
	origin := facts.Origin{File: file, Line: row.Line, Text: "line " + row.Plain("line_number") + ": " +
		strings.Join([]string{row.Plain("type"), row.Plain("database"), row.Plain("user_name"), row.Plain("address"),
			method}, " ")}
	if method == "trust" && !broken {
		origin.Text += ": no password is asked for"
		e.policy.Set(id, setting.Yes, origin)
	} else if !e.policy.Value(id).Known() {
		e.policy.Set(id, setting.No, facts.Origin{File: file, Text: "no line asks for nothing (trust)"})
	}
	return nil
}

func (e *export) membership(_ string, row *rows.Row) error {
	member := row.Plain("member")
	e.member[member] = append(e.member[member], row.Plain("role"))
	return nil
}

// above appends all roles that a role is a member of, also through others.
func (e *export) above(role string, all []string) []string {
	seen := map[string]bool{role: true}
	for queue := e.member[role]; len(queue) > 0; queue = queue[1:] {
		if r := queue[0]; !seen[r] {
			seen[r] = true
			all = append(all, r)
			queue = append(slices.Clone(queue), e.member[r]...)
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
	var a facts.Account
	return rows.Read(e.request, e.roles, &e.Noted, func(row *rows.Row) error {
		login := name(row)
		password, hasPassword := row.Text("rolpassword")
		if !hasPassword {
			if password, hasPassword = row.Text("password_prefix"); !hasPassword {
				password, hasPassword = row.Text("passwd")
			}
		}
		signsIn := row.True("rolcanlogin") || row.Has("usename")
		if strings.HasPrefix(login, "pg_") || !signsIn && !hasPassword {
			return nil
		}
		a.Reset()
		a.Origin = facts.Origin{File: e.roles, Line: row.Line}
		if login == "" {
			e.Noted.Refuse(a.Origin, "the row names no role")
			return nil
		}
		a.Login = login
		e.fill(&a, row, password, hasPassword, signsIn)
		return yield(&a)
	}, e.roleColumns()...)
}

func (e *export) fill(a *facts.Account, row *rows.Row, password string, hasPassword, signsIn bool) {
	a.Groups = e.above(a.Login, a.Groups)
	a.GroupsKnown = e.hasMembers
	limited := row.Plain("rolconnlimit") == "0"
	a.Enabled = facts.TriOf(signsIn && !limited)
	a.Locked, a.MustChange, a.NeverExpires, a.CannotChange, a.BlankAllowed, a.Blank = facts.No, facts.No, facts.No,
		facts.No, facts.No, facts.No
	super, given := e.super[a.Login] || row.True("rolcreaterole"), e.hasMembers
	for _, g := range a.Groups {
		super = super || e.super[g] || slices.Contains(outOfServer, g)
		given = given && e.given(g)
	}
	if super || given && (row.Has("rolcreaterole") || row.Has("usesuper")) {
		a.Privileged = facts.TriOf(super)
	}
	if row.Plain("oid") == "10" || row.Plain("usesysid") == "10" || a.Login == "postgres" {
		a.Kind = facts.BuiltIn
	}
	hidden := strings.Trim(password, "*") == "" && password != ""
	if hasPassword && !hidden {
		a.PasswordUsable, a.Storage = facts.Yes, storage(password)
		if row.Has("rolpassword") || row.Has("passwd") {
			a.StoredMark = stored.Mark(password)
		}
	} else if !hidden && (row.Has("rolpassword") || row.Has("password_prefix") || row.Has("passwd")) {
		a.PasswordUsable = facts.No
	}
	until, ok := row.Text("rolvaliduntil")
	if !ok {
		until = row.Plain("valuntil")
	}
	a.PasswordExpires = facts.Never
	if until != "" && until != "infinity" {
		if at, ok := moment(until); ok {
			a.PasswordExpires = facts.At(at)
		} else {
			a.PasswordExpires = facts.Moment{}
			e.Noted.Refuse(a.Origin, "%q is no moment that a password ends", until)
		}
	}
}
