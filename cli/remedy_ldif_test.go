package cli

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"yewcone/cli/tooltest"
)

const ds389Config = `dn: cn=config
cn: config
objectClass: nsslapdConfig
nsslapd-rootdn: cn=Directory Manager
passwordCheckSyntax: off
passwordMinLength: 8
passwordHistory: off
passwordInHistory: 3
passwordExp: off
passwordMaxAge: 8640000
passwordMinAge: 0
passwordLockout: off
passwordMaxFailure: 3
passwordResetFailureCount: 600
passwordLockoutDuration: 300
passwordUnlock: on
nsslapd-pwpolicy-local: on

`

const ds389People = `dn: dc=marrowby,dc=example
objectClass: domain
dc: marrowby

dn: uid=tide,dc=marrowby,dc=example
objectClass: inetOrgPerson
uid: tide
cn: Tide
sn: Tide
userPassword: {PBKDF2-SHA512}10000$abc$def

`

// TestRemedyOfDirectories: LDIF as it is printed for a Samba domain with
// settings objects and for a 389 directory is carried out on their exports.
func TestRemedyOfDirectories(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		what, entry string
		files       map[string]string
		copied      string
	}{
		{"samba", "export: {read: samba, from: [x/domain.ldif, x/pso.ldif, x/accounts.ldif]}", nil, "testdata/truth/samba"},
		{"389", "export: {read: 389-directory, from: [x/config.ldif, x/people.ldif], view: whole}",
			map[string]string{"x/config.ldif": ds389Config, "x/people.ldif": ds389People}, ""},
	} {
		t.Run(c.what, func(t *testing.T) {
			folder := t.TempDir()
			if c.copied != "" {
				if err := os.CopyFS(filepath.Join(folder, "x"), os.DirFS(c.copied)); err != nil {
					t.Fatal(err)
				}
			}
			files := map[string]string{"rules/live.yaml": tooltest.LiveRules,
				"estate.yaml": "estate: Live\nas_of: 2026-11-20 06:00\nsystems:\n  live:\n    rules: live\n    " + c.entry + "\n"}
			for name, text := range c.files {
				files[name] = text
			}
			for name, text := range files {
				if err := os.MkdirAll(filepath.Join(folder, filepath.Dir(name)), 0o755); err != nil {
					t.Fatal(err)
				}
				if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
					t.Fatal(err)
				}
			}
			tooltest.Mend(t, folder, "live", func(blocks []tooltest.Block) {
				for _, b := range blocks {
					modifyLDIF(t, filepath.Join(folder, "x"), b.Lines)
				}
			})
		})
	}
}

// modifyLDIF does to the entries of LDIF files what ldapmodify does.
func modifyLDIF(t *testing.T, folder string, lines []string) {
	t.Helper()
	for record := range strings.SplitSeq(strings.Join(lines, "\n"), "\n\n") {
		changes := strings.Split(record, "\n-")
		dn, first, _ := strings.Cut(changes[0], "\nchangetype: modify\n")
		changes[0] = first
		done := false
		paths, _ := filepath.Glob(filepath.Join(folder, "*.ldif"))
		for _, path := range paths {
			data, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			entries := strings.Split(string(data), "\n\n")
			for i, e := range entries {
				if !slices.Contains(strings.Split(e, "\n"), dn) || done {
					continue
				}
				done = true
				for _, change := range changes {
					if parts := strings.Split(strings.TrimSpace(change), "\n"); len(parts) > 0 && parts[0] != "" {
						_, name, _ := strings.Cut(parts[0], ": ")
						kept := slices.DeleteFunc(strings.Split(strings.TrimRight(entries[i], "\n"), "\n"), func(l string) bool {
							return strings.HasPrefix(strings.ToLower(l), strings.ToLower(name)+":")
						})
						entries[i] = strings.Join(append(kept, parts[1:]...), "\n")
					}
				}
			}
			if err := os.WriteFile(path, []byte(strings.TrimRight(strings.Join(entries, "\n\n"), "\n")+"\n\n"), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		if !done {
			t.Fatalf("no entry %s", dn)
		}
	}
}
