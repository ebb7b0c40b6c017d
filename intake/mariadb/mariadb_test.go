package mariadb

import (
	"testing"

	"yewcone/intake/intaketest"
)

func priv(list ...string) string {
	text := "Host\tUser\tPriv\n"
	for _, l := range list {
		text += l + "\n"
	}
	return text
}

// TestAccounts: locks, ages, ways in and power, role by role.
func TestAccounts(t *testing.T) {
	files := map[string]string{
		"global_priv.tsv": priv(
			`localhost	root	{"access":18446744073709551615,"plugin":"unix_socket","password_last_changed":1790000000}`,
			`%	ada	{"access":0,"plugin":"mysql_native_password","authentication_string":"*FAC5","password_last_changed":1790000000,"password_lifetime":0}`,
			`%	bo	{"access":0,"plugin":"mysql_native_password","authentication_string":"*FAC6","password_last_changed":0}`,
			`%	cy	{"access":0,"plugin":"mysql_native_password","authentication_string":"*FAC7","account_locked":true,"password_lifetime":30}`,
			`%	di	{"access":0,"plugin":"mysql_native_password","authentication_string":""}`,
			`%	ed	{"access":1024,"plugin":"mysql_native_password","authentication_string":"*FAC8"}`,
			`	power	{"access":32768,"is_role":true}`),
		"roles_mapping.tsv": "Host\tUser\tRole\tAdmin_option\n%\tbo\tpower\tN\n%\tada\tgone\tN\n",
		"plugins.tsv":       "PLUGIN_NAME\tPLUGIN_STATUS\nunix_socket\tACTIVE\nmysql_native_password\tACTIVE\n",
		"variables.tsv": "Variable_name\tValue\ndefault_password_lifetime\t90\nmax_password_errors\t4294967295\n" +
			"disconnect_on_expired_password\tOFF\nstrict_password_validation\tON\n",
		"version.txt": "11.4.3-MariaDB\t2026-11-23 06:00:00\tUTC\n",
	}
	said, _ := intaketest.Read(t, Format, []string{"."}, files)
	intaketest.Hold(t, "accounts", said, map[string]string{
		"account root@localhost: privileged": "true", "account root@localhost: kind": "built-in",
		"account ada@%: own max_age": "never", "account ada@%: privileged": "", // its role is not in the table
		"account bo@%: privileged": "true", "account bo@%: must_change": "true",
		"account cy@%: locked": "true", "account cy@%: locked_until": "never", "account cy@%: own max_age": "30 days",
		"account cy@%: password_usable": "false", "account di@%: blank": "true", "account ed@%: privileged": "true",
		"account power@: is there": "", "policy server: max_age": "90 days", "policy server: lockout_attempts": "never",
	})
}
