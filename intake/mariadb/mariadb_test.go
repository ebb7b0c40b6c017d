package mariadb

import (
	"fmt"
	"maps"
	"strings"
	"testing"

	"yewcone/core/setting"
	"yewcone/intake"
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
			`%	ada	{"access":0,"plugin":"mysql_native_password","authentication_string":"*FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5","password_last_changed":1790000000,"password_lifetime":0}`,
			`%	bo	{"access":0,"plugin":"mysql_native_password","authentication_string":"*FAC6FAC6FAC6FAC6FAC6FAC6FAC6FAC6FAC6FAC6","password_last_changed":0}`,
			`%	cy	{"access":0,"plugin":"mysql_native_password","authentication_string":"*FAC7FAC7FAC7FAC7FAC7FAC7FAC7FAC7FAC7FAC7","account_locked":true,"password_lifetime":30}`,
			`%	di	{"access":0,"plugin":"mysql_native_password","authentication_string":""}`,
			`%	ed	{"access":1024,"plugin":"mysql_native_password","authentication_string":"*FAC8FAC8FAC8FAC8FAC8FAC8FAC8FAC8FAC8FAC8"}`,
			`	power	{"access":33554432,"is_role":true}`,
		),
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

// TestNoRows: what every server has is missing where it has no rows; of roles that nobody
// has nothing is known, and where there are none nobody needs one.
func TestNoRows(t *testing.T) {
	const ada = `%	ada	{"access":0,"plugin":"mysql_native_password","authentication_string":"*FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5"}`
	const role = `	power	{"access":33554432,"is_role":true}`
	whole := map[string]string{"global_priv.tsv": priv(ada, role), "roles_mapping.tsv": "Host\tUser\tRole\tAdmin_option\n%\tbo\tpower\tY\n",
		"plugins.tsv": "PLUGIN_NAME\tPLUGIN_STATUS\nmysql_native_password\tACTIVE\n", "variables.tsv": "Variable_name\tValue\ndefault_password_lifetime\t90\n",
		"version.txt": "11.4.3-MariaDB\t2026-11-23 06:00:00\tUTC\n"}
	for _, c := range []struct {
		name, table, text, privileged string
		partial                       bool
	}{
		{"", "", "", "false", false}, {"variables.tsv", "", "", "false", true}, {"plugins.tsv", "", "", "false", true},
		{"variables.tsv", "", "Variable_name\tValue\n", "false", true},
		{"roles_mapping.tsv", "", "", "", false}, {"roles_mapping.tsv", priv(ada), "", "false", false},
	} {
		files := maps.Clone(whole)
		if c.name != "" {
			files[c.name] = c.text
		}
		if c.table != "" {
			files["global_priv.tsv"] = c.table
		}
		said, notes := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, c.name, said, map[string]string{"account ada@%: privileged": c.privileged})
		if notes.Partial() != c.partial {
			t.Errorf("%s empty: %v", c.name, notes.List())
		}
	}
}

// TestWaysIn: who comes in by a password, as asked of running servers.
func TestWaysIn(t *testing.T) {
	const hash = "*FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5FAC5"
	edHash := strings.Repeat("a", 43)
	for _, c := range []struct {
		host, priv, variables string
		want                  map[string]string
	}{
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `"`, "", map[string]string{"password_usable": "true"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"invalid"`, "",
			map[string]string{"password_usable": "false", "blank": "false"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"invalid","auth_or":[{},{"plugin":"unix_socket"}]`, "",
			map[string]string{"password_usable": "false"}},
		{"%", `"plugin":"unix_socket","authentication_string":"","auth_or":[{},{"plugin":"ed25519","authentication_string":"` + edHash + `"}]`, "",
			map[string]string{"password_usable": "true"}},
		{"%", `"plugin":"ed25519","authentication_string":"short"`, "", map[string]string{"password_usable": "false"}},
		{"%", `"plugin":"from_tomorrow","authentication_string":"x"`, "", map[string]string{"password_usable": ""}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"*D9F082CDAFAFD29CCF1B7735BC307D5AF8BD87E3"`, "",
			map[string]string{"password_is_login": "true"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `"`, "", map[string]string{"password_is_login": "false"}},
		{"%", `"plugin":"ed25519","authentication_string":"` + edHash + `"`, "", map[string]string{"password_is_login": ""}},
		{"%", `"plugin":"pam","authentication_string":""`, "", map[string]string{"password_usable": "true", "blank": "false"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `","ssl_type":1`, "have_ssl\tDISABLED\n",
			map[string]string{"password_usable": "false"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `","ssl_type":1`, "have_ssl\tYES\n",
			map[string]string{"password_usable": "true", "second_factor": "false"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `","ssl_type":2`, "have_ssl\tYES\n",
			map[string]string{"password_usable": "true", "second_factor": "true"}},
		{"quay1.marrowby.example", `"plugin":"mysql_native_password","authentication_string":"` + hash + `"`, "skip_name_resolve\tON\n",
			map[string]string{"password_usable": "false"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `","ssl_type":1`, "",
			map[string]string{"password_usable": ""}},
		{"quay1.marrowby.example", `"plugin":"mysql_native_password","authentication_string":"` + hash + `"`, "",
			map[string]string{"password_usable": ""}},
		{"10.1.%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `"`, "skip_name_resolve\tON\n",
			map[string]string{"password_usable": "true"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash +
			`","password_last_changed":1795413600,"password_lifetime":0`, "",
			map[string]string{"never_expires": "true", "overdue": "no"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `","password_last_changed":0,"password_lifetime":0`,
			"disconnect_on_expired_password\tON\n", map[string]string{"must_change": "true", "overdue": "yes", "shut": "yes"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash + `","password_last_changed":0`,
			"disconnect_on_expired_password\tOFF\n", map[string]string{"must_change": "true", "overdue": "yes", "shut": "no"}},
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash +
			`","password_last_changed":1795327200,"password_lifetime":1`, "",
			map[string]string{"overdue": "yes"}}, // in the very second of its end
		{"%", `"plugin":"mysql_native_password","authentication_string":"` + hash +
			`","password_last_changed":1795327201,"password_lifetime":1`, "",
			map[string]string{"overdue": "no"}},
	} {
		said := intaketest.Derive(t, Format, []string{"."}, map[string]string{
			"global_priv.tsv": priv(c.host + "\tada\t{\"access\":0," + c.priv + "}"),
			"variables.tsv":   "Variable_name\tValue\n" + c.variables,
			"plugins.tsv":     "PLUGIN_NAME\tPLUGIN_STATUS\nmysql_native_password\tACTIVE\n",
			"version.txt":     "10.11.19-MariaDB\t2026-11-23 06:00:00Z\n"})
		full := map[string]string{}
		for name, value := range c.want {
			full["account ada@"+c.host+": "+name] = value
		}
		intaketest.Hold(t, c.host+" "+c.priv+" "+c.variables, said, full)
	}
}

// TestSuper: SUPER makes an administrator before 11.0 and not since.
func TestSuper(t *testing.T) {
	for version, want := range map[string]string{"10.11.19-MariaDB": "true", "11.8.3-MariaDB": "false", "": ""} {
		said, _ := intaketest.Read(t, Format, []string{"."}, map[string]string{
			"global_priv.tsv":   priv(`%	ada	{"access":32768,"plugin":"mysql_native_password","authentication_string":""}`),
			"roles_mapping.tsv": "Host\tUser\tRole\tAdmin_option\n", "version.txt": version + "\t2026-11-23 06:00:00Z\n"})
		intaketest.Hold(t, version, said, map[string]string{"account ada@%: privileged": want})
	}
}

// TestMoment: a moment that may stand in another time zone is not used.
func TestMoment(t *testing.T) {
	for line, want := range map[string]string{"2026-11-23 06:00:00Z": "2026-11-23 06:00",
		"2026-11-23 06:00:00\tSYSTEM\tUTC": "2026-11-23 06:00",
		"2026-11-23 08:00:00\t+02:00\tUTC": "", "2026-11-23 08:00:00\tSYSTEM\tCET": "", "2026-11-23 06:00:00\tUTC": "2026-11-23 06:00"} {
		folder := intaketest.Write(t, map[string]string{"global_priv.tsv": priv(), "version.txt": "10.11.19-MariaDB\t" + line + "\n"})
		export, err := Format.Open(&intake.Request{System: "x", Folder: folder, From: []string{"."}})
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		if at := export.System().AsOf; !at.IsZero() {
			got = at.Format("2006-01-02 15:04")
		}
		if got != want {
			t.Errorf("%q speaks for %q, expected %q", line, got, want)
		}
	}
}

// TestPrintedForPeople: a table drawn with lines makes the export partial, and
// what nobody reads is named.
func TestPrintedForPeople(t *testing.T) {
	_, notes := intaketest.Read(t, Format, []string{"."}, map[string]string{
		"global_priv.tsv": priv(`%	ada	{"access":0,"plugin":"mysql_native_password","authentication_string":""}`),
		"variables.txt":   "+---------------+-------+\n| Variable_name | Value |\n+---------------+-------+\n| have_ssl      | YES   |\n",
		"my.cnf":          "[mariadb]\n"})
	told := fmt.Sprint(notes.List())
	if !notes.Partial() || !strings.Contains(told, "--batch") || !strings.Contains(told, "lines drawn round it") ||
		!strings.Contains(told, "my.cnf") {
		t.Errorf("partial %v: %s", notes.Partial(), told)
	}
}

// TestUnknownValidator: an active plugin that judges passwords in a way that
// nobody here knows leaves open what nothing else asks; one that is off does not.
func TestUnknownValidator(t *testing.T) {
	for status, want := range map[string]string{"ACTIVE": "unknown", "DISABLED": "none"} {
		plugins := "PLUGIN_NAME\tPLUGIN_STATUS\tPLUGIN_TYPE\nmysql_native_password\tACTIVE\tAUTHENTICATION\nhouse_check\t" + status + "\tPASSWORD VALIDATION\n"
		export, err := Format.Open(&intake.Request{System: "x", From: []string{"."},
			Folder: intaketest.Write(t, map[string]string{"global_priv.tsv": priv(), "plugins.tsv": plugins})})
		if err != nil {
			t.Fatal(err)
		}
		p := &export.System().Policies[0]
		for _, id := range []setting.ID{setting.MinLength, setting.History, setting.MinClasses} {
			if got := setting.At(id).Text(p.Value(id).Value); got != want {
				t.Errorf("%s: %s is %s, expected %s", status, id, got, want)
			}
		}
	}
}
