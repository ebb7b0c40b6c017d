package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// only makes a folder with some of the files of testdata/truth/name.
func only(t *testing.T, name string, files ...string) string {
	t.Helper()
	folder := t.TempDir()
	for _, f := range files {
		copyFile(t, filepath.Join("testdata/truth", name, f), filepath.Join(folder, f))
	}
	return folder
}

// TestBerthBookings holds a PostgreSQL server's export against what was tried
// on it, in each of the forms that its client prints.
func TestBerthBookings(t *testing.T) {
	t.Parallel()
	for _, files := range [][]string{
		{"authid.csv", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"},
		{"authid.json", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"},
		{"roles.csv", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"},
		{"roles.jsonl", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"},
	} {
		t.Run(files[0], func(t *testing.T) {
			s := statesAlone(t, only(t, "postgresql", files...), "export: {read: postgresql, from: x}")
			s.is("account", "crew_app", "hyejin", "imogen", "lars", "nkechi", "old_tickets", "pavel", "postgres",
				"replicator", "reports", "siobhan", "tide_feed")
			s.is("overdue", "nkechi", "lars")
			s.is("lasts", "postgres", "imogen", "siobhan", "tide_feed", "crew_app", "old_tickets", "reports", "replicator")
			s.is("unusable", "postgres", "siobhan", "tide_feed")
			s.is("fast", "nkechi", "crew_app", "old_tickets")
			s.is("slow", "imogen", "pavel", "lars", "reports", "replicator", "hyejin")
			if files[0][:5] == "roles" { // only this query has the rights to make roles and the connection limits
				s.is("disabled", "lars", "reports")
				s.is("privileged", "postgres", "imogen", "pavel", "tide_feed")
			} else {
				s.is("disabled", "lars")
				s.is("privileged", "postgres", "imogen", "tide_feed")
			}
			for login, want := range map[string]string{"pavel": "2027-01-31 00:00", "hyejin": "2026-12-24 00:00",
				"nkechi": "2026-06-30 23:59", "crew_app": "never"} {
				if got := s.account[login]["expires"]; got != want {
					t.Errorf("%s: the password ends %v, want %s", login, got, want)
				}
			}
		})
	}
}

// TestCrewDatabase holds a MariaDB server's export against what was tried on
// it, in each of the forms that its client prints.
func TestCrewDatabase(t *testing.T) {
	t.Parallel()
	for _, files := range [][]string{
		{"global_priv.tsv", "variables.tsv", "plugins.tsv", "roles_mapping.tsv", "version.txt"},
		{"global_priv.json", "variables.json", "plugins.tsv", "roles_mapping.tsv", "version.txt"},
		{"global_priv.xml", "variables.xml", "plugins.xml", "roles_mapping.xml", "version.txt"},
		{"global_priv-nohash.tsv", "variables.tsv", "plugins.tsv", "roles_mapping.tsv", "version.txt"},
	} {
		t.Run(files[0], func(t *testing.T) {
			s := statesAlone(t, only(t, "mariadb", files...), "export: {read: mariadb, from: x}")
			s.count("account", 15)
			s.is("privileged", "root@%", "root@localhost", "imogen@localhost")
			s.is("locked", "lars@%", "mariadb.sys@localhost")
			s.is("unusable", "root@localhost", "backup@localhost", "lars@%", "mariadb.sys@localhost",
				"gangway@192.0.2.%", "partner_sync@%") // who must come by TLS, which the server has not got
			s.is("must-change", "nkechi@%", "mariadb.sys@localhost")
			s.is("lasts", "root@%", "crew_app@192.0.2.%", "root@localhost", "backup@localhost",
				"gangway@192.0.2.%", "partner_sync@%")
			s.is("overdue", "@localhost", "reports@%", "pavel@%", "nkechi@%", "mariadb.sys@localhost")
			if files[0] != "global_priv-nohash.tsv" {
				s.is("blank", "@localhost", "reports@%", "mariadb.sys@localhost")
			}
			for login, want := range map[string]string{"imogen@localhost": "2026-10-05", "pavel@%": "2026-07-14",
				"tide@localhost": "2026-11-02", "nkechi@%": "unknown"} {
				if got := s.account[login]["password_set"].(string); got[:min(10, len(got))] != want {
					t.Errorf("%s: set %v, want %s", login, got, want)
				}
			}
		})
	}
}

// TestRealm holds a Kerberos realm's export against what its server did with
// each principal, from both forms of the export.
func TestRealm(t *testing.T) {
	t.Parallel()
	for _, files := range [][]string{
		{"getprinc.txt", "getpol.txt", "kadm5.acl"},
		{"princ_meta.csv", "princ_lockout.csv", "princ_flags.csv", "princ_tktpolicy.csv", "keyinfo.csv", "getpol.txt", "kadm5.acl"},
	} {
		t.Run(files[0], func(t *testing.T) {
			s := statesAlone(t, withProfile(t, only(t, "kerberos", files...)), "export: {read: kerberos, from: x}\nas_of: 2026-11-16 09:00")
			var locked, forEver, mustChange, lasts, expired, disabled, privileged []string
			for _, f := range rowsOf(t, "kerberos.tsv") {
				login, policy, set, expires, lock, must, off, rights, remarks := f[0], f[1], f[2], f[3], f[4], f[5], f[6], f[7], f[8]
				got := s.account[login]
				if policy == "none" {
					policy = ""
				}
				if got["policy"] != policy || got["password_set"] != set || got["expires"] != expires {
					t.Errorf("%s: policy %v, set %v, expires %v; want %s, %s, %s", login, got["policy"],
						got["password_set"], got["expires"], policy, set, expires)
				}
				add := func(list *[]string, is bool) {
					if is {
						*list = append(*list, login)
					}
				}
				add(&locked, lock != "no")
				add(&forEver, lock == "until unlocked")
				add(&mustChange, must == "yes")
				add(&lasts, expires == "never")
				add(&expired, remarks == "password expired")
				add(&disabled, off == "yes" || len(remarks) > 7 && remarks[:7] == "ACCOUNT")
				add(&privileged, rights == `\*` || strings.Contains(rights, "c")) // who may set others' passwords
			}
			s.count("account", 32)
			s.is("locked", locked...)
			s.is("locked-for-ever", forEver...)
			s.is("must-change", mustChange...)
			s.is("lasts", lasts...)
			s.is("overdue", expired...)
			s.is("disabled", disabled...)
			s.is("privileged", privileged...)
		})
	}
}

// withProfile adds what the realm's server was set up with: nothing special.
func withProfile(t *testing.T, folder string) string {
	t.Helper()
	for name, text := range map[string]string{"kdc.conf": "[realms]\n\tMARROWBY.EXAMPLE = {\n\t}\n",
		"krb5.conf": "[libdefaults]\n\tdefault_realm = MARROWBY.EXAMPLE\n"} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return folder
}
