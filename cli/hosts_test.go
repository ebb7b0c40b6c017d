package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestSeveralHosts: two hosts make one system; each account falls under its
// own host's settings, and names that stand on both are told apart.
func TestSeveralHosts(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	for _, host := range []string{"quay1", "quay2"} {
		if err := os.CopyFS(filepath.Join(folder, "x", host), os.DirFS("../demo/estate/exports/quay1")); err != nil {
			t.Fatal(err)
		}
	}
	replaceIn(t, filepath.Join(folder, "x/quay2/etc/security/pwquality.conf"), "minlen = 12", "minlen = 16")
	if err := os.MkdirAll(filepath.Join(folder, "rules"), 0o755); err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{
		"estate.yaml": "estate: E\nas_of: 2026-11-23 06:00\nsystems:\n  quays:\n    rules: length\n    export: {read: " +
			"linux, from: [x/quay1, x/quay2]}\n",
		"rules/length.yaml": "rules: length\nclauses:\n  - {id: long, expect: {min_length: at least 14}, severity: high}\n  " +
			"- {id: second, forbid: policy == \"quay2\" and login == \"root\", severity: low}\n",
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	stdout, stderr, code := runTool(t, folder, "check", "--details", "--examples", "100")
	plain := strings.Join(strings.Fields(stdout), " ")
	if code != 1 || !strings.Contains(plain, "84 accounts") {
		t.Fatalf("exit %d\n%s%s", code, stdout, stderr)
	}
	if !strings.Contains(plain, "x/quay1/etc/security/pwquality.conf:11 minlen = 12 (policy quay1)") ||
		strings.Contains(plain, "minlen = 16") {
		t.Errorf("only the first host falls short of 14 characters:\n%s", stdout)
	}
	if !strings.Contains(plain, "1 account, privileged: root x/quay2/etc/shadow:1") {
		t.Errorf("the second host's root is not found by its policy:\n%s", stdout)
	}
	stdout, _, _ = runTool(t, folder, "why", "quays", "root", "min_length")
	if !strings.Contains(stdout, "x/quay1/etc/shadow:1") || !strings.Contains(strings.Join(strings.Fields(stdout), " "),
		"Others of this name stand at x/quay2/etc/shadow:1") || !strings.Contains(stdout, "minlen = 12") {
		t.Errorf("why does not tell the two apart:\n%s", stdout)
	}
	stdout, _, _ = runTool(t, folder, "why", "quays", "quay2/root", "min_length")
	if !strings.Contains(stdout, "minlen = 16") {
		t.Errorf("why does not find the second:\n%s", stdout)
	}
	if err := os.Remove(filepath.Join(folder, "x/quay2/etc/passwd")); err != nil {
		t.Fatal(err)
	}
	stdout, _, code = runTool(t, folder, "check")
	if plain := strings.Join(strings.Fields(stdout), " "); code != 3 || !strings.Contains(plain,
		"x/quay2/etc/passwd: no such file") || !strings.Contains(plain, "42 accounts") {
		t.Errorf("exit %d where one host of two is missing:\n%s", code, stdout)
	}
}

// TestGroupLists: who is in which group comes from SCIM's lists of groups, also
// where the users do not say it and where groups are in groups.
func TestGroupLists(t *testing.T) {
	t.Parallel()
	folder := application(t, "partners")
	for _, name := range []string{"users-001.json", "users-101.json"} {
		replaceIn(t, filepath.Join(folder, name), `"groups": [`, `"others": [`)
	}
	const entry = "export: {read: scim, from: [x/users-001.json, x/users-101.json, x/groups.json]}\nas_of: 2026-11-23 " +
		"06:00\nprivileged: '\"Partner administrators\" in groups'"
	s := statesAlone(t, folder, entry)
	s.count("account", 150)
	s.count("privileged", 5)

	const first = `"value": "1a40eaf8-eaee-5e23-8bb2-91cedd557fb9"` // imogen.tarrant among the members
	replaceIn(t, filepath.Join(folder, "groups.json"), first, `"value": "inner"`)
	replaceIn(t, filepath.Join(folder, "groups.json"), `"Resources": [`,
		`"Resources": [{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"id":"inner","displayName":"Inner",`+
			`"members":[{`+first+`},{"value":"a30d64e2-4c0a-5e62-b610-07d9fbc62fa5"}]},`)
	statesAlone(t, folder, entry).count("privileged", 5)
}

// TestBadEntries: an entry of a directory that cannot be read is counted and
// named once, whether what is wrong concerns its account or its place.
func TestBadEntries(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	for name, text := range map[string]string{
		"estate.yaml": "estate: E\nas_of: 2026-11-23\nsystems:\n  d:\n    export: {read: ldif, from: x.ldif}\n",
		"x.ldif": "dn: uid=a,ou=x\nobjectClass: inetOrgPerson\nuid: a\nuserPassword:: e1N!!\n\ndn: uid=b,ou=x\nobjectClass: " +
			"inetOrgPerson\nuid: b\n\n" +
			"dn: uid=c\nno colon here\n\ndn: uid=d,ou=x\nobjectClass: inetOrgPerson\nuid: d\ndn: uid=e,ou=x\nobjectClass: " +
			"inetOrgPerson\nuid: e\n\n",
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	stdout, _, code := runTool(t, folder, "intake")
	plain := strings.Join(strings.Fields(stdout), " ")
	for _, says := range []string{
		"read 1 account (0 privileged, 0 disabled), 1 policy, 3 rows or values refused",
		`x.ldif:4: the entry is left out: the value of userpassword is not base64 as "::" says`,
		`x.ldif:11: the entry is left out: expected "attribute: value", found no colon`,
		`x.ldif:16: the entry is left out: a second "dn:" stands in the entry that begins on line 13: the empty line between the two is missing`,
	} {
		if code != 3 || !strings.Contains(plain, says) {
			t.Errorf("exit %d, expected %q\n%s", code, says, stdout)
		}
	}
}
