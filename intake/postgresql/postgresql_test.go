package postgresql

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/intaketest"
)

// aServer is a server with one role to sign in, and what it needs to be read.
func aServer(roles, members, hba string) map[string]string {
	return map[string]string{
		"roles.csv": "oid,rolname,rolsuper,rolinherit,rolcreaterole,rolcreatedb,rolcanlogin,rolreplication,rolbypassrls,rolconnlimit," +
			"rolvaliduntil,password_prefix\n10,postgres,t,t,t,t,t,t,t,-1,,SCRAM-SHA-256$4096\n" + roles,
		"auth_members.csv":   "role,member\n" + members,
		"settings.csv":       "name,setting,unit\npassword_encryption,scram-sha-256,\nshared_preload_libraries,,\n",
		"hba_file_rules.csv": "line_number,type,database,user_name,address,netmask,auth_method,options,error\n" + hba,
		"version.txt":        "PostgreSQL 15.18\t2026-11-23 06:00:00+00\tUTC\n",
	}
}

// TestRoles: who signs in, until when, and who is as good as a superuser.
func TestRoles(t *testing.T) {
	files := aServer("20,mate,f,t,f,f,t,f,f,-1,2026-11-23 06:00:00+00,md5\n21,bosun,f,t,f,f,t,f,f,0,,SCRAM-SHA-256$4096\n"+
		"22,crew,f,t,f,f,f,f,f,-1,,\n23,cook,f,t,f,f,t,f,f,-1,infinity,\n24,purser,f,t,t,f,t,f,f,-1,,SCRAM-SHA-256$4096\n"+
		"25,pilot,f,t,f,f,t,f,f,-1,,SCRAM-SHA-256$4096\n",
		"postgres,mate\npg_execute_server_program,cook\nlost,pilot\n", "1,host,{all},{all},all,,scram-sha-256,,\n")
	said, notes := intaketest.Read(t, Format, []string{"."}, files)
	intaketest.Hold(t, "roles", said, map[string]string{
		"account mate: privileged": "true", "account mate: storage": "salted fast",
		"account mate: password_expires": "2026-11-23T06:00:00Z",
		"account bosun: enabled":         "false", "account crew: is there": "", "account cook: password_usable": "false",
		"account cook: privileged": "true", "account cook: password_expires": "never", "account purser: privileged": "true",
		"account pilot: privileged": "", "account postgres: kind": "built-in", "account postgres: privileged": "true",
		"policy server: lockout_attempts": "never", "policy server: storage": "salted slow",
	})
	if len(notes.List()) == 0 {
		t.Error("a role that is not in the table is not noted")
	}
}

// TestDoors: who is asked for a password by the lines of access, and by what the
// server then keeps of it.
func TestDoors(t *testing.T) {
	const roles = "20,mate,f,t,f,f,t,f,f,-1,,md5\n21,bosun,f,t,f,f,t,f,f,-1,,SCRAM-SHA-256$4096\n22,cook,f,t,f,f,t,f,f,-1,,\n"
	const scram = "9,host,{all},{all},all,,scram-sha-256,,\n"
	for _, c := range []struct {
		hba  string
		want map[string]string
	}{
		{scram, map[string]string{"account mate: password_usable": "false", "account bosun: password_usable": "true",
			"account bosun: enters_unasked": "false",
			"policy server: blank_allowed":  "no", "account cook: password_usable": "false"}},
		{"1,host,{all},{all},all,,md5,,\n", map[string]string{"account mate: password_usable": "true",
			"account bosun: password_usable": "true"}},
		{"1,host,{all},{mate},all,,peer,,\n" + scram, map[string]string{"account bosun: password_usable": "true"}},
		{"1,host,{all},{bosun},all,,reject,,\n" + scram, map[string]string{"account bosun: password_usable": "false"}},
		{"1,host,{all},{bosun},10.0.0.0,255.0.0.0,reject,,\n" + scram, map[string]string{"account bosun: password_usable": "true"}},
		{"1,local,{all},{bosun},,,reject,,\n" + scram, map[string]string{"account bosun: password_usable": "true"}},
		{"1,host,{other},{cook},all,,trust,,\n" + scram, map[string]string{"account cook: enters_unasked": "true",
			"account bosun: enters_unasked": "false",
			"policy server: blank_allowed":  "yes"}},
		{"1,host,{all},{all},all,,reject,,\n2,host,{all},{cook},all,,trust,,\n", map[string]string{"account cook: enters_unasked": "false",
			"policy server: blank_allowed": "no"}},
		{"1,host,{all},{+crew},all,,trust,,\n" + scram, map[string]string{"account bosun: enters_unasked": "true",
			"account cook: enters_unasked": "false"}},
		{"1,hostssl,{all},{all},all,,trust,,hostssl record cannot match because SSL is disabled\n" + scram,
			map[string]string{"policy server: blank_allowed": "no", "account bosun: password_usable": "true"}},
		{"1,host,{all},{all},all,,trust,,end-of-line before method\n" + scram, map[string]string{"policy server: blank_allowed": "",
			"account bosun: password_usable": "", "account bosun: enters_unasked": ""}},
		{"1,host,{all},{cook},all,,ldap,,\n" + scram, map[string]string{"account cook: password_usable": "true"}},
	} {
		said, _ := intaketest.Read(t, Format, []string{"."}, aServer(roles, "crew,bosun\n", c.hba))
		intaketest.Hold(t, c.hba, said, c.want)
	}
	for listens, want := range map[string]string{"": "true", "*": "true", "10.0.0.1": "true"} {
		files := aServer(roles, "", "1,host,{all},{all},all,,trust,,\n2,local,{all},{all},,,scram-sha-256,,\n")
		files["settings.csv"] += "listen_addresses," + listens + ",\n"
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, "listens on "+listens, said, map[string]string{"account cook: enters_unasked": want})
	}
	for listens, want := range map[string]string{"*": "true", "10.0.0.1": "false"} {
		files := aServer(roles, "", "1,host,{all},{all},0.0.0.0,0.0.0.0,reject,,\n2,host,{all},{all},all,,scram-sha-256,,\n")
		files["settings.csv"] += "listen_addresses," + listens + ",\n"
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, "listens on "+listens, said, map[string]string{"account bosun: password_usable": want})
	}
	files := aServer(roles, "", "3,host,{all},{mate},all,,trust,,\n7,local,{all},{all},,,trust,,\n")
	export, err := Format.Open(&intake.Request{System: "x", Folder: intaketest.Write(t, files), From: []string{"."}})
	if err != nil {
		t.Fatal(err)
	}
	if text := export.System().Policies[0].Value(setting.BlankAllowed).Origin.Text; !strings.Contains(text, "line 3") ||
		!strings.Contains(text, "7") {
		t.Errorf("not every line that trusts is named: %s", text)
	}
}

// TestEnds: every form of the end of a password.
func TestEnds(t *testing.T) {
	for until, want := range map[string][2]string{
		"": {"no", "no"}, "infinity": {"no", "no"}, "-infinity": {"yes", "yes"}, "2026-11-23 06:00:00+00": {"yes", "yes"},
		"2026-11-23 06:00:01+00": {"no", "no"},
		"2026-11-23 05:59:59+00": {"yes", "yes"}, "2026-11-23 06:59:59+01": {"yes", "yes"}, "2026-11-23 07:00:01+01": {"no", "no"},
		"23.11.2026 05:59:59 UTC": {"yes", "yes"}, "Mon Nov 23 05:59:59 2026 UTC": {"yes", "yes"},
		"11/23/2026 05:59:59 UTC": {"yes", "yes"},
		"23/11/2026 05:59:59 UTC": {"unknown", "unknown"}, "23.11.2026 05:59:59 CET": {"unknown", "unknown"},
		"soon":                      {"unknown", "unknown"},
		"0044-03-15 00:00:00+00 BC": {"yes", "yes"}, "20000-01-01 00:00:00+00": {"no", "no"}, "2026-11-23 05:59:59.5+00": {"yes", "yes"},
	} {
		said := intaketest.Derive(t, Format, []string{"."}, aServer("20,mate,f,t,f,f,t,f,f,-1,"+until+",md5\n", "",
			"1,host,{all},{all},all,,md5,,\n"))
		intaketest.Hold(t, until, said, map[string]string{"account mate: overdue": want[0], "account mate: shut": want[1]})
	}
}

// TestPowers: what makes an administrator, in releases before and since 16.
func TestPowers(t *testing.T) {
	for _, c := range []struct{ version, mate, members, want string }{
		{"15.18", "f,t,t", "", "true"}, {"16.2", "f,t,t", "", "false"}, {"15.18", "f,t,f", "maker,mate,,f\n", "true"},
		{"16.2", "f,t,f", "maker,mate,,f\n", "false"}, {"16.2", "f,f,f", "postgres,mate,true,f\n", "true"},
		{"16.2", "f,t,f", "postgres,mate,false,f\n", "false"},
		{"16.2", "f,t,f", "pg_execute_server_program,mate,false,f\n", "true"},
		{"15.18", "f,t,f", "middle,mate,,f\npostgres,middle,,f\n", "true"},
		{"16.2", "f,t,f", "middle,mate,true,f\npostgres,middle,false,f\n", "false"}, {"16.2", "t,t,f", "", "true"},
	} {
		f := strings.Split(c.mate, ",")
		files := aServer("20,mate,"+f[0]+","+f[1]+","+f[2]+",f,t,f,f,-1,,md5\n21,maker,f,t,t,f,f,f,f,-1,,\n22,middle,f,t,f,f,f,f,f,-1,,\n", "", "")
		files["auth_members.csv"] = "role,member,set_option,admin_option\n" + c.members
		files["version.txt"] = "PostgreSQL " + c.version + " on x\t2026-11-23 06:00:00+00\tUTC\n"
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, c.version+" "+c.mate+" "+c.members, said, map[string]string{"account mate: privileged": c.want})
	}
}

// TestLoaded: what looks at passwords, loaded in any way, and what roles and
// databases have of their own.
func TestLoaded(t *testing.T) {
	for settings, want := range map[string]map[string]string{
		"shared_preload_libraries,,\n": {"policy server: min_length": "none",
			"policy server: strength_floor": "none"},
		"shared_preload_libraries,$libdir/passwordcheck,\n": {"policy server: min_length": "8",
			"policy server: strength_floor": ""},
		"shared_preload_libraries,,\nsession_preload_libraries,passwordcheck,\n": {"policy server: min_length": "8"},
		"shared_preload_libraries,\"auth_delay, pg_stat_statements\",\n":         {"policy server: min_length": "none"},
		"shared_preload_libraries,from_tomorrow,\n":                              {"policy server: min_length": ""},
		"auth_delay.milliseconds,500,ms\n":                                       {"policy server: failure_delay": "0 days"},
		"auth_delay.milliseconds,0,ms\n":                                         {"policy server: failure_delay": "none"},
		"idle_session_timeout,600000,ms\n":                                       {"policy server: idle_timeout": "10 minutes"},
		"idle_session_timeout,0,ms\n":                                            {"policy server: idle_timeout": "never"},
	} {
		files := aServer("20,mate,f,t,f,f,t,f,f,-1,,md5\n", "", "")
		files["settings.csv"] = "name,setting,unit\n" + settings
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, settings, said, want)
	}
	files := aServer("20,mate,f,t,f,f,t,f,f,-1,,md5\n", "", "")
	files["db_role_settings.csv"] = "database,role,setting\n,mate,password_encryption=md5\n"
	said, _ := intaketest.Read(t, Format, []string{"."}, files)
	intaketest.Hold(t, "of its own", said, map[string]string{"account mate: own storage": "salted fast",
		"policy server: storage": "salted slow"})
	files["db_role_settings.csv"] = "database,role,setting\nother,,password_encryption=md5\n"
	said, _ = intaketest.Read(t, Format, []string{"."}, files)
	intaketest.Hold(t, "of a database", said, map[string]string{"policy server: storage": ""})
}

// TestTables: passwords of another table, limits that hold no superuser off, and
// tables printed for people.
func TestTables(t *testing.T) {
	files := aServer("20,mate,f,t,f,f,t,f,f,0,,\n21,chief,t,t,f,f,t,f,f,0,,\n", "", "1,host,{all},{all},all,,md5,,\n")
	files["authid.csv"] = "rolname,rolsuper,rolcanlogin,rolvaliduntil,rolpassword\nmate,f,t,,md5aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa\n"
	files["roles.csv"] = strings.Replace(files["roles.csv"], ",password_prefix", "", 1)
	files["roles.csv"] = strings.ReplaceAll(strings.Replace(files["roles.csv"], ",SCRAM-SHA-256$4096", "", 1), ",,\n", ",\n")
	said, _ := intaketest.Read(t, Format, []string{"."}, files)
	intaketest.Hold(t, "two tables", said, map[string]string{"account mate: storage": "salted fast", "account mate: enabled": "false",
		"account chief: enabled": "true", "account chief: privileged": "true", "account mate: privileged": "false"})
	files = aServer("", "", "")
	delete(files, "settings.csv")
	files["settings.txt"] = "        name        | setting\n--------------------+---------\n log_connections    | on\n"
	files["notes.txt"] = "about the weather\n"
	_, notes := intaketest.Read(t, Format, []string{"."}, files)
	if !notes.Partial() {
		t.Error("a table printed for people does not make the export partial")
	}
	told := fmt.Sprint(notes.List())
	if !strings.Contains(told, "psql --csv") || !strings.Contains(told, "notes.txt") {
		t.Errorf("what was left is not told: %s", told)
	}
}

// TestOwnNames: whose md5 is that of their own name, by the server's word or the
// whole hash; a slow hash gives nothing away.
func TestOwnNames(t *testing.T) {
	for password, want := range map[string]string{"md5323e053ea4dc4227ef8e056f8a8fee6b": "true", "md5aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa": "false",
		"SCRAM-SHA-256$4096:x$y:z": "", "": ""} {
		files := aServer("", "", "1,host,{all},{all},all,,md5,,\n")
		delete(files, "roles.csv")
		files["authid.csv"] = "rolname,rolsuper,rolcanlogin,rolvaliduntil,rolpassword\nmate,f,t,," + password + "\n"
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, password, said, map[string]string{"account mate: password_is_login": want})
	}
	for told, want := range map[string]string{"t": "true", "f": "false", "": ""} {
		files := aServer("", "", "1,host,{all},{all},all,,md5,,\n")
		files["roles.csv"] = "rolname,rolsuper,rolcreaterole,rolcanlogin,rolconnlimit,rolvaliduntil,password_prefix,password_is_name\n" +
			"mate,f,f,t,-1,,md5," + told + "\n"
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, told, said, map[string]string{"account mate: password_is_login": want})
	}
}

// TestConnectionLimit: a limit of 0 shuts a role out, a superuser not; what is no number
// says nothing.
func TestConnectionLimit(t *testing.T) {
	for limit, want := range map[string]string{"-1": "true", "0": "false", "00": "false", "40": "true", "9x": "", "none": "", "": ""} {
		files := aServer("", "", "1,host,{all},{all},all,,md5,,\n")
		files["roles.csv"] = "rolname,rolsuper,rolcreaterole,rolcanlogin,rolconnlimit,rolvaliduntil,password_prefix\n" +
			"mate,f,f,t," + limit + ",,md5\ncaptain,t,f,t," + limit + ",,md5\nidle,f,f,f," + limit + ",,md5\n"
		super := "true"
		if limit == "" {
			super = ""
		}
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, limit, said, map[string]string{"account mate: enabled": want, "account captain: enabled": super, "account idle: enabled": "false"})
	}
}
