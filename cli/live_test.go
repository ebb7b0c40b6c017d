package cli

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/cli/tooltest"
	"yewcone/intake/livetest"
)

// Tests against servers that they start themselves, in temporary folders, with
// sockets instead of ports. They run where YEWCONE_LIVE is set, as root, with
// Debian's packages slapd, ldap-utils, postgresql and mariadb-server.

var (
	live, shell, serve                    = livetest.Need, livetest.Shell, livetest.Serve
	openFolder, freePort, startPostgreSQL = livetest.OpenFolder, livetest.FreePort, livetest.PostgreSQL
)

// how returns the commands of a format that begin with one of the programs.
func how(t *testing.T, format string, programs ...string) string {
	t.Helper()
	text, _, code := runTool(t, t.TempDir(), "intake", "--how", format)
	if code != 0 {
		t.Fatalf("exit %d", code)
	}
	var commands []string
	for line := range strings.Lines(text) {
		for _, p := range programs {
			if strings.HasPrefix(line, p+" ") {
				commands = append(commands, strings.TrimSpace(line))
			}
		}
	}
	if len(commands) == 0 {
		t.Fatalf("no commands in\n%s", text)
	}
	return strings.Join(commands, "\n")
}

// holds checks an export: the settings that hold for an account, and facts of
// accounts as conditions that must be so.
func holds(t *testing.T, exports, entry, login string, settings, facts map[string]string) {
	t.Helper()
	folder := t.TempDir()
	if err := os.CopyFS(filepath.Join(folder, "x"), os.DirFS(exports)); err != nil {
		t.Fatal(err)
	}
	rule := "rules: live\nclauses:\n  - id: settings\n    for: login == \"" + login + "\"\n    expect:\n"
	for name, value := range settings {
		rule += "      " + name + ": " + value + "\n"
	}
	n := 0
	for who, fact := range facts {
		n++
		rule += fmt.Sprintf("  - {id: fact%d, for: 'login == %q', forbid: 'not (%s)'}\n", n, who, fact)
	}
	if err := os.MkdirAll(filepath.Join(folder, "rules"), 0o755); err != nil {
		t.Fatal(err)
	}
	estate := "estate: Live\nsystems:\n  live:\n    rules: live\n    " + strings.ReplaceAll(entry, "\n", "\n    ") + "\n"
	for name, text := range map[string]string{"rules/live.yaml": rule, "estate.yaml": estate} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	stdout, stderr, code := runTool(t, folder, "check", "--details")
	want := fmt.Sprintf("%d of %d", n+1, n+1)
	if code > 1 || !strings.Contains(stdout, want) {
		t.Errorf("exit %d, want %s clauses met\n%s%s\n%s", code, want, stdout, stderr, rule)
	}
}

func TestLivePostgreSQL(t *testing.T) {
	live(t, "psql", "setpriv")
	folder := openFolder(t)
	startPostgreSQL(t, folder, 5432, "-c", "listen_addresses=", "-c", "shared_preload_libraries=passwordcheck", "-c", "log_connections=on")
	psql := "psql() { command psql -h " + folder + " -U postgres -d postgres \"$@\"; }\n"
	shell(t, folder, psql+`psql -q -c "SET password_encryption='md5'; CREATE ROLE tide LOGIN PASSWORD 'ebb-and-flow-9' VALID UNTIL '2020-01-01';
			RESET password_encryption" \
		-c "CREATE ROLE chief SUPERUSER NOLOGIN" -c "CREATE ROLE mate LOGIN PASSWORD 'starboard-42-x'; GRANT chief TO mate" \
		-c "CREATE ROLE guest LOGIN PASSWORD 'starboard-44-x'" -c "CREATE ROLE gone NOLOGIN PASSWORD 'starboard-43-x'"`)
	exports := t.TempDir()
	shell(t, exports, psql+how(t, "postgresql", "psql"))
	holds(t, exports, "export: {read: postgresql, from: x}", "mate", map[string]string{
		"min_length": "8", "history": "none", "max_age": "never", "lockout_attempts": "never", "storage": "salted slow",
		"blank_allowed": "yes", "successes_logged": "yes",
	}, map[string]string{"tide": `overdue and storage == "salted fast" and not privileged`,
		"mate": `privileged and enabled and storage == "salted slow"`, "gone": "not enabled",
		"postgres": "privileged and not password_usable"})
	tooltest.MendLive(t, "export: {read: postgresql, from: x}", func(x string) { shell(t, x, psql+how(t, "postgresql", "psql")) }, func(_, lines string) {
		if err := os.WriteFile(filepath.Join(folder, "lines.sql"), []byte(lines), 0o644); err != nil {
			t.Fatal(err)
		}
		shell(t, folder, psql+"psql -q -v ON_ERROR_STOP=1 -f lines.sql; sleep 1") // until all have read the files again
	})
}

func TestLiveMariaDB(t *testing.T) {
	live(t, "mariadbd", "mariadb", "mariadb-install-db")
	folder := openFolder(t)
	shell(t, folder, "mariadb-install-db --no-defaults --user=mysql --datadir="+folder+"/data --skip-test-db >/dev/null 2>&1")
	socket := folder + "/socket"
	client := "mariadb() { command mariadb --no-defaults -S " + socket + " -u root \"$@\"; }\n"
	serve(t, func() bool {
		return exec.Command("mariadb", "--no-defaults", "-S", socket, "-u", "root", "-e", "SELECT 1").Run() == nil
	}, "mariadbd", "--no-defaults", "--user=mysql", "--datadir="+folder+"/data", "--socket="+socket, "--skip-networking",
		"--pid-file="+folder+"/pid", "--max-password-errors=7",
		"--plugin-load-add=simple_password_check", "--plugin-load-add=password_reuse_check", "--plugin-maturity=gamma")
	shell(t, folder, client+`mariadb -e "SET GLOBAL simple_password_check_minimal_length=11;
		SET GLOBAL default_password_lifetime=30; SET GLOBAL password_reuse_check_interval=100;
		CREATE USER guest@localhost IDENTIFIED BY 'Ebb-and-flow-6';
		CREATE USER tide@localhost IDENTIFIED BY 'Ebb-and-flow-9'; CREATE USER gone@localhost IDENTIFIED BY 'Ebb-and-flow-8' ACCOUNT LOCK;
		CREATE USER crew@localhost IDENTIFIED BY 'Ebb-and-flow-7' PASSWORD EXPIRE NEVER; GRANT ALL ON *.* TO crew@localhost WITH GRANT OPTION"`)
	exports := t.TempDir()
	shell(t, exports, client+how(t, "mariadb", "mariadb"))
	holds(t, exports, "export: {read: mariadb, from: x}", "tide@localhost", map[string]string{
		"min_length": "11", "min_digits": "1", "max_age": "30 days", "lockout_attempts": "7",
		"lockout_duration": "until unlocked", "reuse_after": "100 days", "dictionary_barred": "no",
	}, map[string]string{"tide@localhost": "not overdue and not privileged and password_usable",
		"gone@localhost": "locked_for_ever", "crew@localhost": "privileged and lasts_for_ever"})
	tooltest.MendLive(t, "export: {read: mariadb, from: x}", func(x string) { shell(t, x, client+how(t, "mariadb", "mariadb")) }, func(_, lines string) {
		if err := os.WriteFile(filepath.Join(folder, "lines.sql"), []byte(lines), 0o644); err != nil {
			t.Fatal(err)
		}
		shell(t, folder, client+"mariadb < lines.sql")
	})
}

const slapdConfig = `include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/inetorgperson.schema
moduleload back_mdb
moduleload ppolicy
pidfile %[1]s/pid
database mdb
suffix dc=marrowby,dc=example
rootdn cn=manager,dc=marrowby,dc=example
rootpw manager-of-tests
directory %[1]s/db
overlay ppolicy
ppolicy_default cn=default,dc=marrowby,dc=example
`
