package postgresql

import (
	"testing"

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
