package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"yewcone/demo"
)

// throughSnapshots checks an estate twice, from its exports and from snapshots
// of them, and demands the same findings, accounts, places and unknowns. It
// returns the lines of the snapshots.
func throughSnapshots(t *testing.T, folder string, systems ...string) []string {
	t.Helper()
	before := checkedDocument(t, folder)
	data, err := os.ReadFile(filepath.Join(folder, "estate.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	text := string(data)
	var lines []string
	for _, system := range systems {
		file := system + ".jsonl"
		if _, stderr, code := runTool(t, folder, "intake", system, "--format", "json", "--out", file); code != 0 && code != 3 {
			t.Fatalf("%s: exit %d\n%s", system, code, stderr)
		}
		written, err := os.ReadFile(filepath.Join(folder, file))
		if err != nil {
			t.Fatal(err)
		}
		again, _, _ := runTool(t, folder, "intake", system, "--format", "json")
		if again != string(written) {
			t.Errorf("%s: a second snapshot differs", system)
		}
		lines = append(lines, strings.Split(strings.TrimSuffix(string(written), "\n"), "\n")...)
		text = readFrom(text, system, "{read: snapshot, from: "+file+"}")
	}
	if err := os.WriteFile(filepath.Join(folder, "estate.yaml"), []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	after := checkedDocument(t, folder)
	for _, part := range []string{"findings", "accepted", "unknowns", "systems", "counts"} {
		if !reflect.DeepEqual(before[part], after[part]) {
			t.Errorf("%s differ:\nfrom the exports %s\nfrom snapshots   %s", part, shortened(before[part]), shortened(after[part]))
		}
	}
	return lines
}

// checkedDocument checks an estate and leaves out what snapshots may change:
// notes of the reading and hints on what to export.
func checkedDocument(t *testing.T, folder string) map[string]any {
	t.Helper()
	stdout, stderr, code := runTool(t, folder, "check", "--format", "json", "--examples", "1000")
	if code != 1 && code != 3 {
		t.Fatalf("exit %d\n%s", code, stderr)
	}
	var document map[string]any
	if err := json.Unmarshal([]byte(stdout), &document); err != nil {
		t.Fatal(err)
	}
	for _, s := range document["systems"].([]any) {
		if outcomes, ok := s.(map[string]any)["outcomes"].(map[string]any); ok {
			delete(outcomes, "check/same-stored") // no stored password is in a snapshot
		}
		for _, name := range []string{"notes", "refused", "partial"} {
			delete(s.(map[string]any), name)
		}
	}
	for _, u := range document["unknowns"].([]any) {
		delete(u.(map[string]any), "to_know")
	}
	return document
}

func shortened(v any) string {
	data, _ := json.Marshal(v)
	return string(data[:min(len(data), 1500)])
}

// readFrom replaces the export of a system in the text of an estate file.
func readFrom(text, system, export string) string {
	var out strings.Builder
	inside, dropping := false, false
	for line := range strings.Lines(text) {
		indent := len(line) - len(strings.TrimLeft(line, " "))
		if strings.TrimSpace(line) != "" && indent <= 2 {
			inside = strings.HasPrefix(line, "  "+system+":")
		}
		if dropping && indent > 4 {
			continue
		}
		dropping = false
		if inside && strings.HasPrefix(line, "    export:") {
			dropping = true
			line = "    export: " + export + "\n"
		}
		out.WriteString(line)
	}
	return out.String()
}

// TestSnapshotOfTheDemo: nothing is lost on the way through a snapshot, each
// line follows the schema, and no stored password is in it.
func TestSnapshotOfTheDemo(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	replaceIn(t, folder+"/estate.yaml", "    signins: {read: sshd, from: signins/quay1-auth.log.gz}", "") // no snapshot has a record
	replaceIn(t, folder+"/estate.yaml", "    signins: {read: mapping}", "")
	lines := throughSnapshots(t, folder, "directory", "quay1", "rota", "tills", "mailboxes")
	schema, err := jsonschema.NewCompiler().Compile("../docs/schema/snapshot-1.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	for i, line := range lines {
		decoded, err := jsonschema.UnmarshalJSON(strings.NewReader(line))
		if err != nil {
			t.Fatal(err)
		}
		if err := schema.Validate(decoded); err != nil {
			t.Fatalf("line %d: %v\n%s", i+1, err, line)
		}
		if strings.Contains(line, "{SSHA}") || strings.Contains(line, "$y$") || strings.Contains(line, "$6$") {
			t.Fatalf("line %d shows a stored password", i+1)
		}
	}
	for _, wrong := range []string{`{}`, `{"account":{}}`, `{"account":{"login":"a","enabled":"yes"}}`,
		`{"account":{"login":"a","password_set":"soon"}}`, `{"account":{"login":"a","colour":1}}`,
		`{"policy":{"name":"p"}}`, `{"end":{"accounts":1,"policies":0},"account":{"login":"a"}}`} {
		decoded, err := jsonschema.UnmarshalJSON(strings.NewReader(wrong))
		if err != nil {
			t.Fatal(err)
		}
		if schema.Validate(decoded) == nil {
			t.Errorf("the schema accepts %s", wrong)
		}
	}
}

// TestSnapshotsOfExports does the same for every kind of captured export.
func TestSnapshotsOfExports(t *testing.T) {
	t.Parallel()
	for name, export := range map[string]string{
		"samba":      "{read: samba, from: [x/domain.ldif, x/pso.ldif, x/accounts.ldif]}",
		"postgresql": "{read: postgresql, from: x}", "mariadb": "{read: mariadb, from: x}",
		"kerberos": "{read: kerberos, from: x}", "partners": "{read: mapping, from: x, mapping: x/mapping.yaml}",
		"gangway": "{read: mapping, from: x, mapping: x/mapping.yaml}",
		"cargo":   "{read: mapping, from: x, mapping: x/mapping.yaml}",
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			exports := "testdata/truth/" + name
			if strings.Contains(export, "mapping") {
				exports = application(t, name)
			}
			if err := os.CopyFS(filepath.Join(folder, "x"), os.DirFS(exports)); err != nil {
				t.Fatal(err)
			}
			if err := os.Mkdir(filepath.Join(folder, "rules"), 0o755); err != nil {
				t.Fatal(err)
			}
			copyFile(t, "testdata/truth/states.yaml", filepath.Join(folder, "rules/states.yaml"))
			text := "estate: Alone\nas_of: 2026-11-23 06:00\nsystems:\n  alone:\n    rules: states\n    export: " + export + "\n"
			if err := os.WriteFile(filepath.Join(folder, "estate.yaml"), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
			throughSnapshots(t, folder, "alone")
		})
	}
}

// TestBadSnapshots: what is wrong in a snapshot is refused with its line, and a
// snapshot that was cut off is not read as whole.
func TestBadSnapshots(t *testing.T) {
	t.Parallel()
	const (
		first  = `{"snapshot":{"version":1,"name":"s","as_of":"2026-11-20T06:00:00Z","chooses":"single"}}`
		policy = `{"policy":{"name":"p","settings":[{"setting":"min_length","value":"8"},{"setting":"max_age","value":"never"}]}}`
		ann    = `{"account":{"login":"ann","enabled":true,"password_set":"2026-11-01","groups":[]}}`
		bob    = ` { "account" : { "login" : "bob", "enabled" : true, "privileged" : null } } `
	)
	for _, c := range []struct {
		name  string
		lines []string
		exit  int
		says  string
	}{
		{"whole", []string{first, policy, ann, bob, `{"end":{"policies":1,"accounts":2}}`}, 0,
			"2 accounts (0 privileged, 0 disabled), 1 policy, nothing refused"},
		{"no end", []string{first, policy, ann, bob}, 3, "it was cut off; take it again"},
		{"an account gone", []string{first, policy, ann, `{"end":{"policies":1,"accounts":2}}`}, 3,
			"promises 1 policies and 2 accounts, and 1 and 1 stand in it"},
		{"a policy gone", []string{first, ann, bob, `{"end":{"policies":1,"accounts":2}}`}, 3,
			"promises 1 policies and 2 accounts, and 0 and 2 stand in it"},
		{"no first line", []string{policy, ann}, 3, `s.jsonl:1: the system is missing; the first line of a snapshot is`},
		{"another version", []string{strings.Replace(first, `"version":1`, `"version":2`, 1)}, 3,
			"this is version 2, and version 1 is read here"},
		{"half a line", []string{first, policy, ann[:40], bob, `{"end":{"policies":1,"accounts":2}}`}, 3,
			"s.jsonl:3: the line is left out: the line ends too early"},
		{"an unknown name", []string{first, policy, strings.Replace(ann, "enabled", "enabeld", 1),
			`{"end":{"policies":1,"accounts":1}}`}, 3, `unknown field "enabeld"`},
		{"a word for a date", []string{first, policy, strings.Replace(ann, "2026-11-01", "yesterday", 1),
			`{"end":{"policies":1,"accounts":1}}`}, 3, `"yesterday" is no date; write 2026-11-20`},
		{"a text for an answer", []string{first, policy, strings.Replace(ann, "true", `"ja"`, 1),
			`{"end":{"policies":1,"accounts":1}}`}, 3, "expected true, false or null, found \"ja\""},
		{"no such setting", []string{first, strings.Replace(policy, "min_length", "min_lenght", 1),
			`{"end":{"policies":1,"accounts":0}}`}, 3, `no setting is named "min_lenght"`},
		{"no such value", []string{first, strings.Replace(policy, `"8"`, `"many"`, 1),
			`{"end":{"policies":1,"accounts":0}}`}, 3, "s.jsonl:2: the policy is left out: min_length"},
		{"a policy twice", []string{first, policy, policy, `{"end":{"policies":2,"accounts":0}}`}, 3, "stands here a second time"},
		{"something behind", []string{first, policy, ann + "x", `{"end":{"policies":1,"accounts":1}}`}, 3, "something follows the object"},
		{"empty", nil, 3, "the file is empty; take the snapshot again"},
	} {
		t.Run(c.name, func(t *testing.T) {
			folder := t.TempDir()
			var text bytes.Buffer
			w := bufio.NewWriter(&text)
			for _, line := range c.lines {
				_, _ = w.WriteString(line + "\n")
			}
			w.Flush()
			for name, data := range map[string]string{"s.jsonl": text.String(),
				"estate.yaml": "estate: E\nsystems:\n  s:\n    export: {read: snapshot, from: s.jsonl}\n"} {
				if err := os.WriteFile(filepath.Join(folder, name), []byte(data), 0o644); err != nil {
					t.Fatal(err)
				}
			}
			stdout, stderr, code := runTool(t, folder, "intake")
			if plain := strings.Join(strings.Fields(stdout+stderr), " "); code != c.exit || !strings.Contains(plain, c.says) {
				t.Errorf("exit %d, expected %d and %q\n%s%s", code, c.exit, c.says, stdout, stderr)
			}
		})
	}
}
