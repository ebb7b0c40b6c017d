package formats

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
)

// A capturedExport is an export as a system wrote it.
type capturedExport struct {
	folder, format string
	from           []string
	mapping        string   // a file of the folder, or a path to it from here
	files          []string // the files of one form of the export; none for all
}

var captured = []capturedExport{
	{folder: "../../demo/estate/exports/directory", format: "ldif", from: []string{"slapcat.ldif", "slapcat-config.ldif"}},
	{folder: "../../cli/testdata/truth", format: "ldif", from: []string{"ldapsearch.ldif"}, files: []string{"ldapsearch.ldif"}},
	{folder: "../../cli/testdata/truth/samba", format: "samba", from: []string{"domain.ldif", "pso.ldif", "accounts.ldif"}},
	{folder: "../../demo/estate/exports/quay1", format: "linux", from: []string{"."}},
	{folder: "../../cli/testdata/truth/postgresql", format: "postgresql", from: []string{"."}},
	{folder: "../../cli/testdata/truth/postgresql", format: "postgresql", from: []string{"."},
		files: []string{"authid.json", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"}},
	{folder: "../../cli/testdata/truth/postgresql", format: "postgresql", from: []string{"."},
		files: []string{"roles.csv", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"}},
	{folder: "../../cli/testdata/truth/postgresql", format: "postgresql", from: []string{"."},
		files: []string{"roles.jsonl", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"}},
	{folder: "../../cli/testdata/truth/mariadb", format: "mariadb", from: []string{"."}},
	{folder: "../../cli/testdata/truth/mariadb", format: "mariadb", from: []string{"."},
		files: []string{"global_priv.json", "variables.json", "plugins.tsv", "roles_mapping.tsv", "version.txt"}},
	{folder: "../../cli/testdata/truth/mariadb", format: "mariadb", from: []string{"."},
		files: []string{"global_priv.xml", "variables.xml", "plugins.xml", "roles_mapping.xml", "version.txt"}},
	{folder: "../../cli/testdata/truth/kerberos", format: "kerberos", from: []string{"."}},
	{folder: "../../cli/testdata/truth/kerberos", format: "kerberos", from: []string{"."},
		files: []string{"princ_meta.csv", "princ_lockout.csv", "princ_flags.csv", "princ_tktpolicy.csv", "keyinfo.csv",
			"getpol.txt", "kadm5.acl"}},
	{folder: "../../demo/estate/exports/partners", format: "mapping", from: []string{"."},
		mapping: "../../demo/estate/mappings/partners.yaml"},
	{folder: "../../demo/estate/exports/gangway", format: "mapping", from: []string{"."},
		mapping: "../../demo/estate/mappings/gangway.yaml"},
	{folder: "../../demo/estate/exports/cargo", format: "mapping", from: []string{"."}, mapping: "../../demo/estate/mappings/cargo.yaml"},
	{folder: "../../demo/estate/exports/rota", format: "mapping", from: []string{"."}, mapping: "../../demo/estate/mappings/rota.yaml"},
	{folder: "../../demo/estate/exports/tills", format: "mapping", from: []string{"."}, mapping: "../../demo/estate/mappings/tills.yaml"},
	{folder: "../../demo/estate/exports/mailboxes", format: "mapping", from: []string{"."},
		mapping: "../../demo/estate/mappings/mailboxes.yaml"},
	{folder: "../../demo/estate/exports/yard", format: "mapping", from: []string{"."}, mapping: "../../demo/estate/mappings/yard.yaml"},
	{folder: "../../demo/estate/exports/depot", format: "mapping", from: []string{"."}, mapping: "../../demo/estate/mappings/depot.yaml"},
}

func (c *capturedExport) name() string {
	return strings.Join(append([]string{c.format, filepath.Base(c.folder)}, c.files[:min(1, len(c.files))]...), " ")
}

func (c *capturedExport) mappingFile() string {
	if c.mapping == "" {
		return ""
	}
	return filepath.Base(c.mapping)
}

// copyTo writes the export's files and its mapping to a new folder.
func (c *capturedExport) copyTo(t *testing.T) (folder string) {
	t.Helper()
	folder = t.TempDir()
	if len(c.files) == 0 {
		if err := os.CopyFS(folder, os.DirFS(c.folder)); err != nil {
			t.Fatal(err)
		}
	}
	copies := map[string]string{}
	for _, f := range c.files {
		copies[f] = filepath.Join(c.folder, f)
	}
	if strings.Contains(c.mapping, "/") {
		copies[filepath.Base(c.mapping)] = c.mapping
	}
	for to, from := range copies {
		data, err := os.ReadFile(from)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(folder, to), data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return folder
}

// eachFile calls back with every file of a copy that the reader looks at.
func (c *capturedExport) eachFile(t *testing.T, folder string, then func(name, path string)) {
	t.Helper()
	var names []string
	err := fs.WalkDir(os.DirFS(folder), ".", func(name string, d fs.DirEntry, err error) error {
		// A record of sign-ins is no part of what is read of accounts.
		if err == nil && !d.IsDir() && c.reads(name) && name != "signins.csv" {
			names = append(names, name)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range names {
		then(name, filepath.Join(folder, name))
	}
}

// TestCutOff cuts each file of each captured export in the middle of a line.
// Whatever is lost must be said: by an error, a note that the reading is
// partial, a refused row or value, or a remark on what is missing.
func TestCutOff(t *testing.T) {
	for _, c := range captured {
		folder := c.copyTo(t)
		whole := readExport(t, folder, &c)
		if whole == nil || whole.notes.Partial() || whole.accounts == 0 {
			t.Fatalf("%s: the export as it is cannot be read: %+v", c.name(), whole)
		}
		c.eachFile(t, folder, func(name, path string) {
			data, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			for _, share := range []int{5, 35, 50, 77, 96} {
				if !cut(t, path, data, share) {
					continue
				}
				got := readExport(t, folder, &c)
				if got != nil && len(got.notes.List()) == len(whole.notes.List()) && !got.notes.Partial() &&
					got.notes.Refused() == whole.notes.Refused() {
					t.Errorf("%s: %s cut to %d%% is read in silence (%d accounts of %d)", c.name(), name, share,
						got.accounts, whole.accounts)
				}
			}
			if err := os.WriteFile(path, data, 0o600); err != nil {
				t.Fatal(err)
			}
		})
	}
}

// reads leaves out what the reader does not look at, or what another form of
// the same file comes before.
func (c *capturedExport) reads(name string) bool {
	if len(c.files) > 0 {
		return name != "version.txt"
	}
	switch c.format {
	case "linux":
		for _, part := range []string{"passwd", "shadow", "group", "login.defs", "useradd", "common-password",
			"common-auth", "login", "pwquality", "faillock", "sudoers", "lastlog"} {
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
func cut(t *testing.T, path string, data []byte, percent int) bool {
	t.Helper()
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
	notes    *facts.Notes
}

func readExport(t *testing.T, folder string, c *capturedExport) *reading {
	t.Helper()
	f, ok := Find(c.format)
	if !ok {
		t.Fatal(c.format)
	}
	export, err := f.Open(&intake.Request{System: "x", Folder: folder, From: c.from, Mapping: c.mappingFile()})
	if err != nil {
		return nil
	}
	r := &reading{notes: export.Notes()}
	if err := facts.Export(export).Accounts(func(*facts.Account) error { r.accounts++; return nil }); err != nil {
		t.Fatal(errors.Join(err))
	}
	return r
}
