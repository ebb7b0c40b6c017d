//go:build unix

package cli

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"

	"yewcone/cli/tooltest"
	"yewcone/demo"
)

// TestUnreadable: a file that the user may not read is told by its name within the
// estate, and nothing says that it is not there.
func TestUnreadable(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	estate, err := os.OpenFile(filepath.Join(folder, "estate.yaml"), os.O_APPEND|os.O_WRONLY, 0)
	if err == nil {
		_, err = estate.WriteString("\n  realm:\n    export: {read: kerberos, from: exports/realm}\n")
		err = errors.Join(err, estate.Close(), os.CopyFS(filepath.Join(folder, "exports/realm"), os.DirFS("testdata/truth/kerberos")))
	}
	if err != nil {
		t.Fatal(err)
	}
	tool := filepath.Join(folder, "tool")
	data, err := os.ReadFile(tooltest.Command(folder).Path)
	if err == nil {
		err = os.WriteFile(tool, data, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	for dir := folder; strings.Contains(dir, "TestUnreadable"); dir = filepath.Dir(dir) {
		if err := os.Chmod(dir, 0o755); err != nil {
			t.Fatal(err)
		}
	}
	if err := filepath.WalkDir(folder, func(path string, _ os.DirEntry, err error) error {
		if err == nil {
			err = os.Chmod(path, 0o755)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	run := func(args ...string) (string, int) {
		c := tooltest.Command(folder, args...)
		c.Path = tool
		if os.Geteuid() == 0 {
			c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
		}
		var out bytes.Buffer
		c.Stdout, c.Stderr = &out, &out
		err := c.Run()
		if c.ProcessState == nil {
			t.Fatal(err)
		}
		return strings.Join(strings.Fields(out.String()), " "), c.ProcessState.ExitCode()
	}
	untrue := regexp.MustCompile(`permission denied|no such file|nothing here reads [^.]*etc/(shadow|group|sudoers)|` + regexp.QuoteMeta(folder))
	for _, c := range []struct {
		file, system string
		code         int
	}{
		{"estate.yaml", "", 2}, {"exceptions.yaml", "", 2}, {"rules/house.yaml", "", 2}, {"mappings/rota.yaml", "", 2},
		{"exports/rota/users.csv", "rota", 3}, {"exports/rota/settings.csv", "rota", 3}, {"exports/mailboxes/boxes.tsv", "mailboxes", 3},
		{"exports/cargo/manifests.xlsx", "cargo", 3}, {"exports/partners/users-001.json", "partners", 3}, {"exports/depot/cuentas.xml", "depot", 3},
		{"exports/directory/slapcat.ldif", "directory", 3}, {"exports/directory/slapcat-config.ldif", "directory", 3},
		{"exports/bookings/version.txt", "bookings", 3}, {"exports/bookings/roles.csv", "bookings", 3}, {"exports/crewdb/version.txt", "crewdb", 3},
		{"exports/crewdb/plugins.tsv", "crewdb", 3}, {"signins/quay1-auth.log.gz", "quay1", 3}, {"exports/quay1/etc/shadow", "quay1", 3},
		{"exports/quay1/etc/group", "quay1", 3}, {"exports/quay1/etc/passwd", "quay1", 3}, {"exports/quay1/etc/sudoers", "quay1", 3},
		{"exports/quay1/etc/sudoers.d/10-marrowby", "quay1", 3}, {"exports/quay1/etc/pam.d/common-auth", "quay1", 3},
		{"exports/realm/getprinc.txt", "realm", 3}, {"exports/realm/getpol.txt", "realm", 3}, {"exports/realm/kadm5.acl", "realm", 3},
		{"exports/quay1/etc/security/faillock.conf", "quay1", 3}, {"exports/quay1/faillock.txt", "quay1", 3},
	} {
		path := filepath.Join(folder, filepath.FromSlash(c.file))
		if err := os.Chmod(path, 0); err != nil {
			t.Fatal(err)
		}
		args := []string{"check"}
		if c.system != "" {
			args = append(args, "--all", c.system)
		}
		said, code := run(args...)
		if code != c.code || !strings.Contains(said, c.file+": ") || !strings.Contains(said, "this user may not read the file") {
			t.Errorf("%s: exit %d: %.1500s", c.file, code, said)
		}
		if found := untrue.FindString(said); found != "" {
			t.Errorf("%s: %q in %.1500s", c.file, found, said)
		}
		if err := os.Chmod(path, 0o644); err != nil {
			t.Fatal(err)
		}
	}
}
