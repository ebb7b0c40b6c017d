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

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/rows"
	"yewcone/intake/stored"
	"yewcone/intake/text"
)

// how are the commands that take an export.
const how = `As a superuser, into one folder:
export PGOPTIONS='-c DateStyle=ISO -c TimeZone=UTC'
psql -X --csv -c "SELECT r.oid, r.rolname, r.rolsuper, r.rolinherit, r.rolcreaterole, r.rolcreatedb, r.rolcanlogin, ` +
	`r.rolreplication, r.rolbypassrls, r.rolconnlimit, r.rolvaliduntil, CASE WHEN a.rolpassword LIKE 'SCRAM%' THEN ` +
	`split_part(a.rolpassword, ':', 1) ELSE left(a.rolpassword, 3) END AS password_prefix FROM pg_roles r JOIN pg_authid a USING (oid) ` +
	`ORDER BY r.rolname" > roles.csv
psql -X --csv -c "SELECT r.rolname AS role, m.rolname AS member, to_jsonb(x)->>'set_option' AS set_option, x.admin_option FROM ` +
	`pg_auth_members x JOIN pg_roles r ON r.oid = x.roleid JOIN pg_roles m ON m.oid = x.member ORDER BY 1, 2" > auth_members.csv
psql -X --csv -c "SELECT name, setting, unit FROM pg_settings ORDER BY name" > settings.csv
psql -X --csv -c "SELECT d.datname AS database, r.rolname AS role, unnest(s.setconfig) AS setting FROM pg_db_role_setting s LEFT JOIN ` +
	`pg_database d ON d.oid = s.setdatabase LEFT JOIN pg_roles r ON r.oid = s.setrole ORDER BY 1, 2, 3" > db_role_settings.csv
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
	used       []string            // files
	ruleNumber int                 // of the last rule of access that was read
	rules      []rule              // of access
	hasRules   bool                // they are in the export
	listensOn4 bool                // the server listens on addresses of version 4 only
	faulty     bool                // one of them is, so that others are in force
	member     map[string][]string // of a role: the roles that it is a member of
	fixed      map[[2]string]bool  // memberships by which nobody becomes the role: member, role
	passwords  map[string]string   // of roles, where another table has them
	own        map[string][]kept   // settings of a role, in all databases
	some       map[string]bool     // settings that some database has of its own
	style      style
	version    int             // such as 15; 0 where it is not known
	checked    facts.Origin    // passwordcheck is loaded
	loaded     facts.Origin    // what is loaded
	strange    facts.Origin    // something that is not known here is
	tabled     map[string]bool // roles that the table has
	super      map[string]bool
	creates    map[string]bool // roles that may make others
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{request: r, folder: r.From[0], Base: r.NewBase(), member: map[string][]string{},
		tabled: map[string]bool{}, super: map[string]bool{}, creates: map[string]bool{}, fixed: map[[2]string]bool{},
		passwords: map[string]string{},
		own:       map[string][]kept{}, some: map[string]bool{}}
	e.Read.Chooses = facts.ChooseSingle
	e.Read.Policies = []facts.Policy{{Name: server, Origin: facts.Origin{File: e.folder}}}
	e.Read.Default = server
	e.policy = &e.Read.Policies[0]
	var ok bool
	if e.roles, ok = rows.Find(r, e.folder, "roles", "authid", "shadow"); !ok {
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
		{"db_role_settings", e.roleSetting, []string{"database", "role", "setting"}},
	} {
		file, ok := rows.Find(r, e.folder, part.name)
		if !ok && part.name == "db_role_settings" {
			continue // which few servers have
		}
		if !ok {
			e.Noted.Remark(facts.Origin{File: e.folder}, "%s is not in the export; what it says stays unknown", part.name)
			continue
		}
		e.used = append(e.used, file)
		e.hasMembers = e.hasMembers || part.name == "auth_members"
		if err := rows.Read(r, file, &e.Noted, func(row *rows.Row) error { return part.each(file, row) }, part.need...); err != nil {
			return nil, err
		}
	}
	e.trusts()
	e.forSomeDatabases()
	defer func() {
		rows.Left(r, e.folder, &e.Noted, "take it with psql --csv, as yewcone intake --how postgresql tells",
			[]string{"settings", "hba_file_rules", "auth_members", "roles", "db_role_settings"}, append(e.used, e.roles),
			[]string{"version.txt"})
	}()
	if err := e.morePasswords(); err != nil {
		return nil, err
	}
	limits, passwords := false, len(e.passwords) > 0
	err := rows.Read(r, e.roles, &facts.Notes{}, func(row *rows.Row) error {
		limits = limits || row.Has("rolconnlimit")
		passwords = passwords || row.Has("rolpassword") || row.Has("password_prefix") || row.Has("passwd")
		e.tabled[nameOf(row)] = true
		e.creates[nameOf(row)] = row.True("rolcreaterole")
		if row.True("rolsuper") || row.True("usesuper") {
			e.super[nameOf(row)] = true
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

func nameOf(row *rows.Row) string {
	if n, ok := row.Text("rolname"); ok {
		return n
	}
	return row.Plain("usename")
}

// asOf reads version.txt: version, now() and the time zone, with tabs.
func (e *export) asOf() {
	for line := range text.Lines(e.request.Path(e.folder + "/version.txt")) {
		if _, after, ok := strings.Cut(line, "PostgreSQL "); ok && e.version == 0 {
			major, _, _ := strings.Cut(after, ".")
			e.version, _ = strconv.Atoi(strings.TrimSpace(major))
		}
	}
	if !e.Read.AsOf.IsZero() {
		return
	}
	for line := range text.Lines(e.request.Path(e.folder + "/version.txt")) {
		for part := range strings.SplitSeq(line, "\t") {
			if at, ok := e.style.moment(part); ok {
				e.Read.AsOf, e.Read.AsOfFrom = at, "version.txt"
			}
		}
	}
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
		setting.MinLower, setting.MinUpper, setting.MinDigits, setting.MinSymbols} {
		e.set(id, setting.OffValue, origin)
	}
	ended := origin
	ended.Text = "a password that has ended is refused at once"
	e.set(setting.GracePeriod, setting.Days(0), ended)
	for _, id := range []setting.ID{setting.BreachedBarred, setting.NamesBarred,
		setting.DescriptionBarred, setting.LoginReversedBarred, setting.ChangeAtFirstUse, setting.AppliesToExisting,
		setting.RecoveryQuestion,
		setting.HintAllowed} {
		e.set(id, setting.No, origin)
	}
	e.set(setting.SelfChange, setting.Yes, origin)
	intake.AnyCharacters(e.policy, origin)
	e.policy.Set(setting.StrengthFloor, setting.Value{}, facts.Origin{}) // the libraries tell
}

// setting reads one row of pg_settings.
func (e *export) setting(file string, row *rows.Row) error {
	key, value := row.Plain("name"), row.Plain("setting")
	origin := facts.Origin{File: file, Line: row.Line, Text: key + " = " + value}
	switch key {
	case "password_encryption":
		e.set(setting.Storage, storage(value), origin)
	case "shared_preload_libraries", "session_preload_libraries", "local_preload_libraries":
		e.libraries(value, origin)
	case "auth_delay.milliseconds":
		e.delay(value, origin)
	case "idle_session_timeout":
		if v, ok := milliseconds(value); ok {
			e.set(setting.IdleTimeout, v, origin)
		}
	case "log_connections":
		e.set(setting.SuccessesLogged, setting.YesNo(row.True("setting") || value != "" && value != "off" && len(value) > 1), origin)
	case "listen_addresses":
		e.listens(value, origin)
	case "DateStyle":
		e.style.dayFirst = strings.Contains(value, "DMY")
	case "server_version_num":
		if n, err := strconv.Atoi(value); err == nil {
			e.version = n / 10000
		}
	}
	return nil
}

// milliseconds reads a length of time of which 0 means none.
func milliseconds(text string) (setting.Value, bool) {
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return setting.Value{}, false
	}
	if n <= 0 {
		return setting.OffValue, true
	}
	return setting.Seconds(n / 1000), true
}

// delay reads how long a wrong password holds up, in milliseconds; less than a
// second is no second, and not none.
func (e *export) delay(value string, origin facts.Origin) {
	if v, ok := milliseconds(value); ok {
		if span, timed := v.Span(); timed && span.Seconds == 0 {
			origin.Text += ": less than a second"
		}
		e.set(setting.FailureDelay, v, origin)
	}
}

// harmless are libraries that do not look at passwords.
var harmless = []string{"auth_delay", "auto_explain", "pg_stat_statements", "pg_prewarm", "pg_cron", "pgaudit", "basebackup_to_shell",
	"basic_archive", "sepgsql", "timescaledb", "pg_partman_bgw", "postgis", "plpgsql", "pg_squeeze", "pg_hint_plan",
	"citus", "pg_wait_sampling"}

// libraries reads what is loaded into every session. passwordcheck's limits are
// compiled in: eight characters, letters and others, not holding the role's
// name. A library that nobody here knows may look at passwords too.
func (e *export) libraries(list string, origin facts.Origin) {
	for l := range strings.SplitSeq(list, ",") {
		l = strings.TrimSuffix(strings.Trim(strings.TrimSpace(l), `"'`), ".so")
		switch name := path.Base(l); {
		case l == "":
		case name == "passwordcheck":
			e.checked = origin
		case !slices.Contains(harmless, name):
			e.strange = origin
			e.strange.Text += ": whether " + name + " looks at passwords is not known here"
		}
	}
	if strings.HasPrefix(origin.Text, "shared_preload_libraries") {
		e.loaded = origin
	}
}

// complexity records what the libraries ask of passwords that are set in clear.
func (e *export) complexity() {
	asked := []setting.ID{setting.MinLength, setting.MinClasses, setting.MinLetters}
	switch {
	case e.checked.Known():
		e.set(setting.MinLength, setting.Count(8), e.checked)
		e.set(setting.MinClasses, setting.Count(2), e.checked)
		e.set(setting.MinLetters, setting.Count(1), e.checked)
		e.set(setting.LoginBarred, setting.LoginContained, e.checked)
		mixed := e.checked
		mixed.Text += ": letters of both cases are no mix for passwordcheck; that is not judged here"
		e.policy.Hide(setting.StrengthFloor, mixed)
	case e.loaded.Known():
		e.policy.Set(setting.StrengthFloor, setting.NoStrengthFloor, e.loaded)
		e.loaded.Text += ": passwordcheck is not loaded"
		for _, id := range asked {
			e.set(id, setting.OffValue, e.loaded)
		}
		e.set(setting.LoginBarred, setting.LoginAccepted, e.loaded)
	}
	if e.loaded.Known() {
		e.set(setting.CommonBarred, setting.No, e.loaded)
		e.set(setting.DictionaryBarred, setting.No, e.loaded)
	}
	if e.strange.Known() {
		for _, id := range []setting.ID{setting.StrengthFloor, setting.CommonBarred, setting.DictionaryBarred} {
			e.policy.Hide(id, e.strange)
		}
		if !e.checked.Known() {
			for _, id := range append(asked, setting.LoginBarred, setting.MinLower, setting.MinUpper, setting.MinDigits,
				setting.MinSymbols, setting.History,
				setting.ReuseAfter) {
				e.policy.Hide(id, e.strange)
			}
		}
	}
}

// A kept is a setting that a role has of its own.
type kept struct {
	key, value string
	origin     facts.Origin
}

// roleSetting reads what a role or a database has of its own.
func (e *export) roleSetting(file string, row *rows.Row) error {
	key, value, _ := strings.Cut(row.Plain("setting"), "=")
	role, database := row.Plain("role"), row.Plain("database")
	origin := facts.Origin{File: file, Line: row.Line, Text: row.Plain("setting")}
	switch {
	case database != "":
		e.some[key] = true
	case role != "":
		e.own[role] = append(e.own[role], kept{key, value, origin})
	}
	return nil
}

// forSomeDatabases: where some database has a setting of its own, what holds
// depends on where somebody signs in.
func (e *export) forSomeDatabases() {
	for key, id := range map[string]setting.ID{"password_encryption": setting.Storage, "idle_session_timeout": setting.IdleTimeout} {
		if e.some[key] {
			e.policy.Hide(id, facts.Origin{File: e.folder, Text: "some database has a " + key + " of its own"})
		}
	}
	e.complexity()
}

// ownSettings puts what a role has of its own on its account.
func (e *export) ownSettings(a *facts.Account) {
	for _, k := range e.own[a.Login] {
		switch k.key {
		case "password_encryption":
			a.Override(setting.Storage, storage(k.value), k.origin)
		case "idle_session_timeout":
			if v, ok := milliseconds(k.value); ok {
				a.Override(setting.IdleTimeout, v, k.origin)
			} else {
				a.Hide(setting.IdleTimeout, k.origin)
			}
		}
	}
}

// morePasswords reads the passwords of a table that has them, where the table
// of roles has none.
func (e *export) morePasswords() error {
	for _, name := range []string{"authid", "shadow"} {
		file, ok := rows.Find(e.request, e.folder, name)
		if !ok || file == e.roles {
			continue
		}
		e.used = append(e.used, file)
		need := map[string][]string{"authid": {"rolname", "rolpassword"}, "shadow": {"usename", "passwd"}}[name]
		return rows.Read(e.request, file, &e.Noted, func(row *rows.Row) error {
			for _, column := range []string{"rolpassword", "passwd"} {
				if p, ok := row.Text(column); ok {
					e.passwords[nameOf(row)] = p
				}
			}
			return nil
		}, need...)
	}
	return nil
}

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

// becomes lists the roles that a role can become (SET ROLE), also through
// others.
func (e *export) becomes(role string) []string {
	var all []string
	seen := map[string]bool{role: true}
	for queue := []string{role}; len(queue) > 0; queue = queue[1:] {
		for _, r := range e.member[queue[0]] {
			if !seen[r] && !e.fixed[[2]string{queue[0], r}] {
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
	var a facts.Account
	return rows.Read(e.request, e.roles, &e.Noted, func(row *rows.Row) error {
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
	a.Locked, a.MustChange, a.NeverExpires, a.CannotChange, a.BlankAllowed, a.Blank = facts.No, facts.No, facts.No,
		facts.No, facts.No, facts.No
	e.ownSettings(a)
	a.Enabled = facts.TriOf(signsIn)
	if limit, ok := row.Text("rolconnlimit"); signsIn && !ok {
		a.Enabled = facts.Unknown
	} else if limit == "0" && !e.super[a.Login] { // which no limit holds off
		a.Enabled = facts.No
	}
	e.power(a, row)
	if row.Plain("oid") == "10" || row.Plain("usesysid") == "10" || a.Login == "postgres" {
		a.Kind = facts.BuiltIn
	}
	hidden := strings.Trim(password, "*") == "" && password != ""
	if hasPassword && !hidden {
		a.PasswordUsable, a.Storage = facts.Yes, storage(password)
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
