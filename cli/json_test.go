package cli

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"yewcone/cli/tooltest"
	"yewcone/demo"
)

// demoJSON checks the demo estate, changed by edit, and returns the result as
// JSON and decoded.
func demoJSON(t *testing.T, edit func(folder string), args ...string) (string, map[string]any) {
	t.Helper()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	if edit != nil {
		edit(folder)
	}
	stdout, stderr, code := runTool(t, folder, append([]string{"check", "--format", "json"}, args...)...)
	if code != 1 && code != 3 {
		t.Fatalf("exit %d\n%s", code, stderr)
	}
	decoded, err := jsonschema.UnmarshalJSON(strings.NewReader(stdout))
	if err != nil {
		t.Fatal(err)
	}
	return stdout, decoded.(map[string]any)
}

func TestJSONFollowsItsSchema(t *testing.T) {
	t.Parallel()
	schema, err := jsonschema.NewCompiler().Compile("../docs/schema/check-1.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	_, whole := demoJSON(t, nil)
	if err := schema.Validate(whole); err != nil {
		t.Errorf("demo: %v", err)
	}
	_, partial := demoJSON(t, func(folder string) {
		_ = os.Remove(filepath.Join(folder, "exports/quay1/etc/passwd"))
		_ = os.Truncate(filepath.Join(folder, "exports/rota/users.csv"), 99999)
	})
	if err := schema.Validate(partial); err != nil || partial["partial"] != true {
		t.Errorf("partial: %v, %v", partial["partial"], err)
	}
	delete(whole, "version")
	if schema.Validate(whole) == nil {
		t.Error("the schema accepts a result without a version")
	}
}

// TestSameInputSameBytes also stands for fingerprints: they are in the bytes.
func TestSameInputSameBytes(t *testing.T) {
	t.Parallel()
	first, _ := demoJSON(t, nil)
	second, _ := demoJSON(t, nil)
	if first != second {
		t.Error("two runs differ")
	}
}

// TestFingerprintsStay: a finding keeps its fingerprint when the value gets
// worse or better but stays wrong, and when other systems change.
func TestFingerprintsStay(t *testing.T) {
	t.Parallel()
	fingerprint := func(result map[string]any, setting string) string {
		for _, f := range result["findings"].([]any) {
			finding := f.(map[string]any)
			if finding["setting"] == setting && finding["policy"] == "kiosk" {
				return finding["fingerprint"].(string)
			}
		}
		t.Fatalf("no finding on %s of the policy kiosk", setting)
		return ""
	}
	_, before := demoJSON(t, nil)
	_, after := demoJSON(t, func(folder string) {
		replaceIn(t, filepath.Join(folder, "exports/directory/slapcat.ldif"), "pwdMaxFailure: 20", "pwdMaxFailure: 21")
		replaceIn(t, filepath.Join(folder, "exports/rota/settings.csv"), "10 characters", "9 characters")
	})
	if a, b := fingerprint(before, "lockout_attempts"), fingerprint(after, "lockout_attempts"); a != b {
		t.Errorf("the fingerprint changed from %s to %s", a, b)
	}
	if fingerprint(before, "lockout_attempts") == fingerprint(before, "lockout_window") {
		t.Error("two findings have one fingerprint")
	}
}

// TestNoSecrets: no stored password, nor any part of one, is in any output.
func TestNoSecrets(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	// A mapping that takes passwords for what they are not must not show them.
	replaceIn(t, filepath.Join(folder, "mappings/rota.yaml"), "      display_name: Full name\n", "      storage: Note\n")
	replaceIn(t, filepath.Join(folder, "exports/rota/users.csv"), "asked again 02/11/2026", "asked again 02/11/2026 $6$salt$hashhashhash")
	secrets := []string{"$6$salt"}
	shadow, err := os.ReadFile(filepath.Join(folder, "exports/quay1/etc/shadow"))
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(shadow)) {
		if field := strings.Trim(strings.Split(line, ":")[1], "!*"); len(field) > 8 {
			secrets = append(secrets, field[len(field)-8:])
		}
	}
	ldif, err := os.ReadFile(filepath.Join(folder, "exports/directory/slapcat.ldif"))
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(strings.ReplaceAll(string(ldif), "\n ", "")) {
		if value, ok := strings.CutPrefix(line, "userPassword:: "); ok {
			plain, err := base64.StdEncoding.DecodeString(strings.TrimSpace(value))
			if err != nil {
				t.Fatal(err)
			}
			secrets = append(secrets, strings.TrimSpace(value)[:12], string(plain[max(0, len(plain)-8):]))
		}
	}
	var all bytes.Buffer
	for _, args := range [][]string{{"check"}, {"check", "--format", "json", "--examples", "3000"}, {"check", "--each", "each.ndjson"}} {
		stdout, stderr, _ := runTool(t, folder, args...)
		all.WriteString(stdout + stderr)
	}
	each, err := os.ReadFile(filepath.Join(folder, "each.ndjson"))
	if err != nil || !json.Valid(bytes.SplitN(each, []byte("\n"), 2)[0]) {
		t.Fatal("no lines of JSON", err)
	}
	all.Write(each)
	if len(secrets) < 40 {
		t.Fatalf("only %d secrets to look for", len(secrets))
	}
	for _, secret := range secrets {
		if strings.Contains(all.String(), secret) {
			t.Errorf("an output holds a part of a stored password (%q…)", secret[:4])
		}
	}
}

// TestJSONIsSafeToLookAt: marks of writing direction and control characters
// are escaped, and mean the same to a reader.
func TestJSONIsSafeToLookAt(t *testing.T) {
	t.Parallel()
	stdout, _ := demoJSON(t, func(folder string) {
		replaceIn(t, filepath.Join(folder, "exports/rota/users.csv"), "siobhan.keane,", "siobhan\u202ekeane\x1b[2J,")
	}, "rota", "--examples", "2400")
	if strings.ContainsAny(stdout, "\u202e\x1b") {
		t.Error("a character that cannot be seen is in the output")
	}
	if !strings.Contains(stdout, `"siobhan\u202ekeane\u001b[2J"`) {
		t.Error("the name is not there in its escaped form")
	}
}

// TestOtherJSONFollowsItsSchema: what to do, what it would do, and what is due.
func TestOtherJSONFollowsItsSchema(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	if _, stderr, code := runTool(t, folder, "keep"); code != 0 {
		t.Fatalf("exit %d %s", code, stderr)
	}
	for _, c := range [][]string{{"changes", "changes"}, {"changes", "remedy"}, {"changes", "remedy", "--undo"}, {"impact", "impact"},
		{"impact", "impact", "--set", "rota/*.second_factor=everyone"}, {"due", "due"}, {"drift", "drift"}, {"asked", "rules", "asked"},
		{"replay", "replay", "quay1", "--set", "lockout_attempts=3,5"}} {
		schema, err := jsonschema.NewCompiler().Compile("../docs/schema/" + c[0] + "-1.schema.json")
		if err != nil {
			t.Fatal(err)
		}
		stdout, stderr, code := runTool(t, folder, append(c[1:], "--format", "json")...)
		decoded, err := jsonschema.UnmarshalJSON(strings.NewReader(stdout))
		if err == nil {
			err = schema.Validate(decoded)
		}
		if code != 0 || err != nil {
			t.Errorf("%v: exit %d %v %s", c, code, err, stderr)
		}
		again, _, _ := runTool(t, folder, append(c[1:], "--format", "json")...)
		if again != stdout {
			t.Errorf("%v: two runs differ", c)
		}
		if d, ok := decoded.(map[string]any); ok {
			if delete(d, "version"); schema.Validate(d) == nil {
				t.Errorf("%v: the schema accepts a result without a version", c)
			}
		}
	}
}

// TestFirstTen: on the demo, the first ten changes end at least half of what is
// critical or high.
func TestFirstTen(t *testing.T) {
	t.Parallel()
	_, result := demoJSON(t, nil)
	bad := map[string]bool{}
	for _, f := range result["findings"].([]any) {
		if x := f.(map[string]any); x["severity"] == "critical" || x["severity"] == "high" {
			bad[x["fingerprint"].(string)] = true
		}
	}
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	stdout, _, _ := runTool(t, folder, "changes", "--top", "10", "--format", "json")
	var d struct{ Changes []tooltest.Change }
	if err := json.Unmarshal([]byte(stdout), &d); err != nil {
		t.Fatal(err)
	}
	all, ended := len(bad), 0
	for _, c := range d.Changes {
		for _, f := range c.Ends {
			if bad[f] {
				ended++
				delete(bad, f)
			}
		}
	}
	if 2*ended < all {
		t.Errorf("the first ten end %d of %d", ended, all)
	}
	t.Logf("the first ten end %d of %d", ended, all)
	stdout, _, _ = runTool(t, folder, "check")
	lines := strings.Split(strings.TrimRight(stdout, "\n"), "\n")
	if screen := strings.Join(lines[:min(40, len(lines))], "\n"); !strings.Contains(screen, "an empty password") || !strings.Contains(screen, "\n 3  ") ||
		!strings.Contains(screen, "Next: yewcone changes") || len(lines) > 44 {
		t.Errorf("%d lines:\n%s", len(lines), screen)
	}
}
