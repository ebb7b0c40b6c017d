package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestWrongWordsInMappings: each wrong word gets an error with its line, and
// what to write instead.
func TestWrongWordsInMappings(t *testing.T) {
	t.Parallel()
	const sound = `mapping: Crew
dates: iso 8601
yes: "yes"
no: "no"
accounts:
  - file: a.csv
    take:
      login: user
      groups: {columns: [deck, watch]}
      created: {from: set, missing: unknown}
    members:
      - file: m.csv
        account: who
        group: team
        id: number
        match: user
        as: roles
`
	for _, c := range []struct{ before, after, says string }{
		{"columns: [deck, watch]", "columns: [dekc, watch]", `mapping.yaml:9:26: a.csv has no column "dekc"; did you mean "deck"?`},
		{"groups: {columns", "enabled: {columns", "enabled comes from one column: only groups and roles come from several"},
		{"missing: unknown", "missing: nver", `mapping.yaml:10:37: expected one of never, unknown, found "nver"; did you mean "never"?`},
		{"account: who", "account: whom", `mapping.yaml:13:18: m.csv has no column "whom"; did you mean "who"?`},
		{"group: team", "group: teem", `mapping.yaml:14:16: m.csv has no column "teem"; did you mean "team"?`},
		{"id: number", "id: numbers", `mapping.yaml:15:13: m.csv has no column "numbers"; did you mean "number"?`},
		{"match: user", "match: users", `mapping.yaml:16:16: a.csv has no column "users"; did you mean "user"?`},
		{"as: roles", "as: rolls", `mapping.yaml:17:13: expected one of groups, roles, found "rolls"; did you mean "roles"?`},
		{"        group: team\n", "", `the key "group" is missing here`},
		{"members:", "member:", `unknown key "member"`},
		{"dates: iso 8601", "dates: iso8601", `mapping.yaml:2:8: "iso8601" is no date pattern`},
		{"file: m.csv", "file: n.csv", "n.csv: no such file"},
		{"file: a.csv", "file: a.csv\n    form: jsn",
			`mapping.yaml:7:11: expected one of csv, json, ini, ldif, xml, xlsx, parquet, html, columns, blanks, found "jsn"; did you mean "json"?`},
		{"file: a.csv", "file: a.csv\n    form: xml", "a.csv is XML: say under \"rows\" which elements are the rows"},
		{"login: user", "display_name: user", `a table of accounts needs "login" under "take"`},
	} {
		t.Run(c.after, func(t *testing.T) {
			folder := t.TempDir()
			if !strings.Contains(sound, c.before) {
				t.Fatalf("the mapping does not hold %q", c.before)
			}
			for name, text := range map[string]string{
				"mapping.yaml": strings.Replace(sound, c.before, c.after, 1),
				"estate.yaml":  "estate: E\nsystems:\n  crew:\n    export: {read: mapping, from: [a.csv, m.csv], mapping: mapping.yaml}\n",
				"a.csv":        "user,deck,watch,set\nann,yes,no,2026-01-01\n",
				"m.csv":        "number,team,who\n1,bridge,ann\n",
			} {
				if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
					t.Fatal(err)
				}
			}
			stdout, stderr, code := runTool(t, folder, "intake")
			if plain := strings.Join(strings.Fields(stdout+stderr), " "); code < 2 || !strings.Contains(plain, c.says) {
				t.Errorf("exit %d, expected %q\n%s%s", code, c.says, stdout, stderr)
			}
		})
	}
}

// TestDamagedDatabases: what a database's export lacks is said, and nothing
// that is missing is taken for no.
func TestDamagedDatabases(t *testing.T) {
	t.Parallel()
	const postgres, maria, realm = "postgresql", "mariadb", "kerberos"
	for _, c := range []struct {
		name, folder  string
		file          string
		before, after string
		says          string
	}{
		{"a column is gone", postgres, "roles.csv", "rolname,rolsuper,", "rolname,",
			`roles.csv: the file cannot be read on: the heading has no column "rolsuper"`},
		{"the members have no heading", postgres, "auth_members.csv", "role,member,grantor,admin_option\n", "",
			`the heading has no column "role"`},
		{"a role is gone", postgres, "roles.csv", "harbour_admins,", "harbour_others,",
			`the role "harbour_admins" has members and is not in the table; what it gives them is unknown`},
		{"plugins have no heading", maria, "plugins.tsv", "PLUGIN_NAME\t", "NAME\t", `the heading has no column "PLUGIN_NAME"`},
		{"a role of the server is gone", maria, "global_priv.tsv", "\tharbour_admin\t", "\tharbour_other\t",
			`the role "harbour_admin" is granted and is not in the table; what it gives is unknown`},
		{"variables have no heading", maria, "variables.tsv", "Variable_name\tValue\n", "", `the heading has no column "Variable_name"`},
		{"a policy runs into another", realm, "getpol.txt", "Policy: staff\n", "",
			`the line belongs to no policy: a line "Policy: …" is missing before it`},
		{"a line of a policy is gone", realm, "getpol.txt", "Maximum password failures before lockout: 3\n", "",
			`the policy administrators has no line "Maximum password failures before lockout"; what it would say is unknown`},
		{"a principal runs into another", realm, "getprinc.txt", "Principal: neze/admin@MARROWBY.EXAMPLE\n", "",
			`a line "Principal: …" is missing between them; it is left out`},
		{"a line of a principal is gone", realm, "getprinc.txt", "Failed password attempts: 3\n", "",
			`has no line "Failed password attempts"; it is left out`},
	} {
		t.Run(c.name, func(t *testing.T) {
			folder := t.TempDir()
			if err := os.CopyFS(filepath.Join(folder, "x"), os.DirFS("testdata/truth/"+c.folder)); err != nil {
				t.Fatal(err)
			}
			path := filepath.Join(folder, "x", c.file)
			data, err := os.ReadFile(path)
			if err != nil || !strings.Contains(string(data), c.before) {
				t.Fatalf("%s does not hold %q", c.file, c.before)
			}
			if err := os.WriteFile(path, []byte(strings.Replace(string(data), c.before, c.after, 1)), 0o644); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(filepath.Join(folder, "estate.yaml"),
				[]byte("estate: E\nas_of: 2026-11-23 06:00\nsystems:\n  s:\n    export: {read: "+c.folder+", from: x}\n"),
				0o644); err != nil {
				t.Fatal(err)
			}
			stdout, stderr, code := runTool(t, folder, "intake")
			if plain := strings.Join(strings.Fields(stdout+stderr), " "); !strings.Contains(plain, c.says) ||
				strings.Contains(c.says, "left out") && code != 3 {
				t.Errorf("exit %d, expected %q\n%s%s", code, c.says, stdout, stderr)
			}
		})
	}
}
