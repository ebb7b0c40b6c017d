package cli

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestConfigurationRefused: what cannot be meant in a file of configuration is an
// error with its place; what does no harm is none.
func TestConfigurationRefused(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := demoFolder(t)
	elsewhere := filepath.Join(t.TempDir(), "users.csv")
	if err := os.WriteFile(elsewhere, []byte("a\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(elsewhere, filepath.Join(folder, "exports/link.csv")); err != nil {
		t.Fatal(err)
	}
	mark := func(s string) string { return "\ufeff" + s }
	in := func(old, new string) func(string) string {
		return func(s string) string {
			if !strings.Contains(s, old) {
				t.Fatalf("no %q", old)
			}
			return strings.Replace(s, old, new, 1)
		}
	}
	for _, c := range []struct {
		file   string
		change func(string) string
		args   string
		wants  string // an error with its place; "" for none
	}{
		{"estate.yaml", mark, "check rota", ""},
		{"rules/house.yaml", mark, "check rota", ""},
		{"mappings/rota.yaml", mark, "check rota", ""},
		{"exceptions.yaml", mark, "check rota", ""},
		{"trials/rota.yaml", mark, "try --trials rota", ""},
		{"rules/house.yaml", in("  - id: length\n", "  - id: length\n    replaces: privileged/length\n"), "check rota",
			"house/length replaces privileged/length, which replaces it in turn"},
		{"estate.yaml", in("bear: 1 ", "bear: -1 "), "check cargo", "expected how many refused rows or values are borne, 0 or more, found \"-1\""},
		{"estate.yaml", in("bear: 1 ", "bear: some "), "check cargo", "found \"some\""},
		{"estate.yaml", in("exports/cargo/manifests.xlsx", "../manifests.xlsx"), "check cargo", "../manifests.xlsx lies outside of the estate's folder"},
		{"estate.yaml", in("exports/cargo/manifests.xlsx", "/etc/passwd"), "check cargo", "/etc/passwd lies outside"},
		{"estate.yaml", in("exports/cargo/manifests.xlsx", "exports/link.csv"), "check cargo", "exports/link.csv lies outside"},
		{"estate.yaml", in("mapping: mappings/cargo.yaml", "mapping: /etc/passwd"), "check cargo", "/etc/passwd lies outside"},
		{"estate.yaml", in("signins/quay1-auth.log.gz", "/var/log/auth.log"), "check quay1", "/var/log/auth.log lies outside"},
		{"mappings/rota.yaml", in("file: users.csv", "file: ../../../users.csv"), "check rota", "it lies outside of the estate's folder"},
		{"exceptions.yaml", func(s string) string {
			return s + "  - {system: rota, rule: house/length, because: \" \", owner: the harbour office, until: 2027-01-01}\n"
		}, "check rota", "\"because\" is empty; write a text"},
		{"exceptions.yaml", func(s string) string {
			return s + "  - {system: rota, rule: house/length, because: a reason, owner: \"\", until: 2027-01-01}\n"
		}, "check rota", "\"owner\" is empty; write a text"},
		{"estate.yaml", in("owner: Crewing", "owner: \"\""), "check rota", "\"owner\" is empty; write a text, or leave it out"},
		{"estate.yaml", in("read: mapping", "read: ''"), "check rota", "\"read\" is empty; write a text"},
		{"trials/rota.yaml", in("systems: [rota]", "systems: [rota]\nas: nobody.there"), "try --trials rota", "trials/rota.yaml:6:"},
		{"trials/rota.yaml", in("systems: [rota]", "systems: [rota]\npolicy: none.such"), "try --trials rota", "trials/rota.yaml:6:"},
		{"trials/rota.yaml", in("{password: qwertyuiop,", "{password: qwertyuiop, as: nobody.there,"), "try --trials rota", "trials/rota.yaml:10:"},
		{"trials/rota.yaml", func(string) string { return "" }, "try --trials rota", "trials/rota.yaml:1:1:"},
		{"trials/rota.yaml", func(string) string { return "trials: empty\n" }, "try --trials rota", "trials/rota.yaml:1:9: the file has no candidates"},
		{"trials/rota.yaml", func(string) string { return "Petrel over nine waves\n" }, "try --trials rota", "trials/rota.yaml:1:1:"},
	} {
		path := filepath.Join(folder, c.file)
		data, err := os.ReadFile(path)
		if err == nil {
			err = os.WriteFile(path, []byte(c.change(string(data))), 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
		stdout, stderr, code := runTool(t, folder, strings.Fields(c.args)...)
		plain := strings.Join(strings.Fields(stdout+stderr), " ")
		if c.wants == "" && (code == ExitUsage || strings.Contains(stdout, "PARTIAL")) ||
			c.wants != "" && (code == ExitClean || code == ExitFindings || !strings.Contains(plain, c.wants)) {
			t.Errorf("%s, %s: exit %d, no %q: %.600s", c.file, c.args, code, c.wants, plain)
		}
		if strings.Contains(plain, "Petrel over") {
			t.Errorf("%s: a candidate is shown: %s", c.file, plain)
		}
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
}

// TestOutsideAllowed: an estate may say that files lie outside of it, and intake
// names them.
func TestOutsideAllowed(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("nothing runs side by side here that other tests do not run")
	}
	folder := demoFolder(t)
	moved := filepath.Join(t.TempDir(), "manifests.xlsx")
	if err := os.Rename(filepath.Join(folder, "exports/cargo/manifests.xlsx"), moved); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(folder, "estate.yaml")
	data, err := os.ReadFile(path)
	if err == nil {
		text := strings.Replace(string(data), "exports/cargo/manifests.xlsx", moved, 1)
		err = os.WriteFile(path, []byte(strings.Replace(text, "\nestate:", "\noutside: yes\nestate:", 1)), 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	users := filepath.Join(folder, "exports/rota/users.csv")
	elsewhere := filepath.Join(filepath.Dir(moved), "users.csv")
	if err := errors.Join(os.Rename(users, elsewhere), os.Symlink(elsewhere, users)); err != nil {
		t.Fatal(err)
	}
	stdout, _, _ := runTool(t, folder, "intake", "rota")
	if plain := strings.Join(strings.Fields(stdout), " "); !strings.Contains(plain, "exports/rota/users.csv: this lies outside of") {
		t.Errorf("a link out of the folder is not named: %s", plain)
	}
	stdout, stderr, code := runTool(t, folder, "intake", "cargo")
	if plain := strings.Join(strings.Fields(stdout+stderr), " "); code != ExitClean ||
		!strings.Contains(plain, "this lies outside of the estate's folder, as estate.yaml allows") {
		t.Errorf("exit %d: %s", code, plain)
	}
}

// TestBearRefused: fewer than none are borne by nobody.
func TestBearRefused(t *testing.T) {
	t.Parallel()
	for value, wants := range map[string]int{"-1": ExitUsage, "0": ExitFindings} {
		if _, stderr, code := runTool(t, demoFolder(t), "check", "tills", "--bear", value); code != wants || (code == ExitUsage) != strings.Contains(stderr, "0 or more, not -1") {
			t.Errorf("--bear %s: exit %d %s", value, code, stderr)
		}
	}
}
