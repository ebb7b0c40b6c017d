package formats

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/core/check"
	"yewcone/core/estate"
	"yewcone/core/setting"
	"yewcone/intake"
)

// The captured exports, by the folder they are in.
var captured = []struct {
	folder, format string
	from           []string
	mapping        string
}{
	{"../../demo/estate/exports/directory", "ldif", []string{"slapcat.ldif", "slapcat-config.ldif"}, ""},
	{"../../cli/testdata/truth/samba", "samba", []string{"domain.ldif", "pso.ldif", "accounts.ldif"}, ""},
	{"../../demo/estate/exports/quay1", "linux", []string{"."}, ""},
	{"../../cli/testdata/truth/postgresql", "postgresql", []string{"."}, ""},
	{"../../cli/testdata/truth/mariadb", "mariadb", []string{"."}, ""},
	{"../../cli/testdata/truth/kerberos", "kerberos", []string{"."}, ""},
	{"../../cli/testdata/truth/partners", "mapping", []string{"."}, "mapping.yaml"},
	{"../../cli/testdata/truth/gangway", "mapping", []string{"."}, "mapping.yaml"},
	{"../../cli/testdata/truth/cargo", "mapping", []string{"."}, "mapping.yaml"},
}

// TestCutOff cuts each file of each captured export in the middle of a line.
// Whatever is lost must be said: by an error, a note that the reading is
// partial, a refused row or value, or a remark on what is missing.
func TestCutOff(t *testing.T) {
	for _, c := range captured {
		whole := readExport(t, c.folder, c.format, c.from, c.mapping)
		if whole == nil || whole.notes.Partial() || whole.accounts == 0 {
			t.Fatalf("%s: the export as it is cannot be read: %+v", c.folder, whole)
		}
		err := fs.WalkDir(os.DirFS(c.folder), ".", func(name string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !readsFile(c.format, name) {
				return err
			}
			for _, share := range []int{5, 35, 50, 77, 96} {
				folder := t.TempDir()
				if err := os.CopyFS(folder, os.DirFS(c.folder)); err != nil {
					return err
				}
				if !cut(t, filepath.Join(folder, name), share) {
					continue
				}
				got := readExport(t, folder, c.format, c.from, c.mapping)
				if got != nil && len(got.notes.List()) == len(whole.notes.List()) && !got.notes.Partial() && got.notes.Refused() == whole.notes.Refused() {
					t.Errorf("%s: %s cut to %d%% is read in silence (%d accounts of %d)", c.format, name, share, got.accounts, whole.accounts)
				}
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}

// readsFile leaves out what the reader does not look at, or what another form
// of the same file comes before.
func readsFile(format, name string) bool {
	switch format {
	case "linux":
		for _, part := range []string{"passwd", "shadow", "group", "login.defs", "useradd", "common-password", "common-auth", "login", "pwquality", "faillock", "sudoers", "lastlog"} {
			if filepath.Base(name) == part || strings.HasPrefix(filepath.Base(name), part) && !strings.Contains(name, "status") {
				return true
			}
		}
		return strings.HasSuffix(name, "50-marrowby.conf")
	case "postgresql":
		return strings.HasSuffix(name, "authid.csv") || name == "settings.csv" || name == "auth_members.csv" || name == "hba_file_rules.csv"
	case "mariadb":
		return strings.HasSuffix(name, ".tsv") && !strings.Contains(name, "nohash")
	case "kerberos":
		return strings.HasSuffix(name, ".txt")
	case "mapping":
		return !strings.HasSuffix(name, ".yaml") && name != "groups.json"
	}
	return true
}

// cut keeps a share of a file, and reports whether that ends within a line.
func cut(t *testing.T, path string, percent int) bool {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	n := len(data) * percent / 100
	if n < 2 || data[n-1] == '\n' || data[n] == '\n' || data[n] == '\r' {
		return false
	}
	if err := os.WriteFile(path, data[:n], 0o600); err != nil {
		t.Fatal(err)
	}
	return true
}

type reading struct {
	accounts int
	notes    *estate.Notes
}

func readExport(t *testing.T, folder, format string, from []string, mapping string) *reading {
	t.Helper()
	f, ok := Find(format)
	if !ok {
		t.Fatal(format)
	}
	export, err := f.Open(&intake.Request{System: "x", Folder: folder, From: from, Mapping: mapping, Catalogue: setting.Standard()})
	if err != nil {
		return nil
	}
	r := &reading{notes: export.Notes()}
	if err := check.Export(export).Accounts(func(*estate.Account) error { r.accounts++; return nil }); err != nil {
		t.Fatal(errors.Join(err))
	}
	return r
}
