package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// application makes a folder with the export of an application of the demo,
// and its mapping.
func application(t *testing.T, name string) string {
	t.Helper()
	folder := t.TempDir()
	if err := os.CopyFS(folder, os.DirFS(filepath.Join("../demo/estate/exports", name))); err != nil {
		t.Fatal(err)
	}
	copyFile(t, filepath.Join("../demo/estate/mappings", name+".yaml"), filepath.Join(folder, "mapping.yaml"))
	return folder
}

// live counts the accounts in a state that are not switched off.
func (s *states) live(rule string) int {
	n := 0
	for _, login := range s.byRule[rule] {
		if s.account[login]["enabled"] == "yes" {
			n++
		}
	}
	return n
}

func (s *states) liveIs(rule string, want int) {
	s.t.Helper()
	if got := s.live(rule); got != want {
		s.t.Errorf("%s and not switched off: %d, want %d", rule, got, want)
	}
}

// TestPortal: SCIM pages with an extension of the service's own.
func TestPortal(t *testing.T) {
	t.Parallel()
	s := statesAlone(t, application(t, "partners"), `export: {read: mapping, from: x, mapping: x/mapping.yaml}
chooses: own before role
kinds: {service: '"Machines" in groups'}
privileged: '"Partner administrators" in groups'`)
	s.count("account", 150)
	s.count("disabled", 15)
	s.count("never-flag", 9)
	s.liveIs("never-flag", 8)
	s.count("must-change", 7)
	s.liveIs("locked", 1)
	s.count("privileged", 5)
	s.count("never-signed-in", 10)
	s.count("overdue", 22)
	s.liveIs("overdue", 18)
	if got := s.account["oyster@oysterlane.example"]["password_set"]; got != "2026-11-23 04:30" {
		t.Errorf("oyster's password was set %v", got)
	}
	without := 0
	for _, login := range s.byRule["weak-second"] {
		if s.account[login]["privileged"] == "yes" {
			without++
		}
	}
	if without != 3 {
		t.Errorf("administrators without a second factor: %d, want 3", without)
	}
}

// TestPortalAsSCIM: the same through the format for SCIM, with a mapping for
// the service's extension only; and without any mapping.
func TestPortalAsSCIM(t *testing.T) {
	t.Parallel()
	folder := application(t, "partners")
	if err := os.Remove(filepath.Join(folder, "groups.json")); err != nil {
		t.Fatal(err)
	}
	data, err := os.ReadFile("../demo/estate/mappings/partners.yaml")
	if err != nil {
		t.Fatal(err)
	}
	var lines []string
	for line := range strings.Lines(string(data)) {
		known := false
		for _, part := range []string{"$.userName", "$.displayName", "$.emails", "$.groups[*]", "$.active", "$.meta", "rows: $.Resources"} {
			known = known || strings.Contains(line, part)
		}
		if !known {
			lines = append(lines, line)
		}
	}
	if err := os.WriteFile(filepath.Join(folder, "mapping.yaml"), []byte(strings.Join(lines, "")), 0o600); err != nil {
		t.Fatal(err)
	}
	s := statesAlone(t, folder, `export: {read: scim, from: x, mapping: x/mapping.yaml}
chooses: own before role
kinds: {service: '"Machines" in groups'}
privileged: '"Partner administrators" in groups'`)
	s.count("account", 150)
	s.count("disabled", 15)
	s.count("privileged", 5)
	s.liveIs("overdue", 18)

	plain := statesAlone(t, folder, "export: {read: scim, from: [x/users-001.json, x/users-101.json]}\nas_of: 2026-11-23 06:00")
	plain.count("account", 150)
	plain.count("disabled", 15)
	plain.count("overdue", 0)
}

// TestKeypads: one JSON document with rules and holders.
func TestKeypads(t *testing.T) {
	t.Parallel()
	s := statesAlone(t, application(t, "gangway"), `export: {read: mapping, from: x, mapping: x/mapping.yaml}
chooses: own before role
kinds: {shared: display_name contains "crew"}`)
	s.count("account", 60)
	s.count("privileged", 2)
	s.count("overdue", 23)
	s.liveIs("overdue", 22)
	s.count("locked", 1)
	unknown := 0
	for _, login := range s.byRule["account"] {
		if s.account[login]["password_set"] == "unknown" {
			unknown++
		}
	}
	if unknown != 1 {
		t.Errorf("PINs of unknown age: %d, want 1", unknown)
	}
}

// TestManifests: a workbook with three sheets.
func TestManifests(t *testing.T) {
	t.Parallel()
	s := statesAlone(t, application(t, "cargo"), `export: {read: mapping, from: x/manifests.xlsx, mapping: x/mapping.yaml}
as_of: 2026-11-23 05:45
chooses: own before strictest role
kinds: {service: '"API" in roles'}
privileged: '"ADM" in roles'`, "--bear", "1") // the sheet ends with a row of sums
	s.count("account", 180)
	s.count("never-flag", 5)
	s.count("lasts", 6)
	s.count("locked", 7)
	s.count("privileged", 2)
	s.count("overdue", 26)
	for login, want := range map[string]string{"customs": "no", "m-scan": "no"} {
		if got := s.account[login]["overdue"]; got != want {
			t.Errorf("%s: overdue is %v, want %s", login, got, want)
		}
	}
}
