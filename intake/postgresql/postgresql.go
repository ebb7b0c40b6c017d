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
)

// how are the commands that take an export.
const how = `As a superuser, into one folder:
export PGOPTIONS='-c DateStyle=ISO -c TimeZone=UTC'
psql -X --csv -c "SELECT r.oid, r.rolname, r.rolsuper, r.rolinherit, r.rolcreaterole, r.rolcreatedb, r.rolcanlogin, ` +
	`r.rolreplication, r.rolbypassrls, r.rolconnlimit, r.rolvaliduntil, CASE WHEN a.rolpassword LIKE 'SCRAM%' THEN ` +
	`split_part(a.rolpassword, ':', 1) ELSE left(a.rolpassword, 3) END AS password_prefix, ` +
	`CASE WHEN a.rolpassword LIKE 'md5%' THEN a.rolpassword = 'md5' || md5(a.rolname || a.rolname) END AS password_is_name ` +
	`FROM pg_roles r JOIN pg_authid a USING (oid) ` +
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
	raw map[string]string // settings, as the server writes them
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
		roles := rows.Table{Name: "roles", Needs: []string{"rolname", "rolsuper", "rolcanlogin"}}
		return nil, &intake.Unreadable{File: e.folder,
			Message: "neither authid nor roles nor shadow is here, as .csv, .json or .jsonl; \"from\" must name the folder " +
				"of the export" + roles.Seems(r, e.folder)}
	}
	e.asOf()
	e.known()
	var wanted []rows.Table
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
		wanted = append(wanted, rows.Table{Name: part.name, Needs: part.need})
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
	if err := e.morePasswords(); err != nil {
		return nil, err
	}
	rows.Left(r, e.folder, &e.Noted, "take it with psql --csv, as yewcone intake --how postgresql tells", wanted, append(e.used, e.roles),
		[]string{"version.txt"})
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
	lines := e.request.Lines(e.folder+"/version.txt", &e.Noted)
	for _, line := range lines {
		if _, after, ok := strings.Cut(line, "PostgreSQL "); ok && e.version == 0 {
			major, _, _ := strings.Cut(after, ".")
			e.version, _ = strconv.Atoi(strings.TrimSpace(major))
		}
	}
	if !e.Read.AsOf.IsZero() {
		return
	}
	for _, line := range lines {
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
