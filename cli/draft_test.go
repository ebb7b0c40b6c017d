package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestDraft: the draft of each invented application's export reads as it is,
// with most of its settings and all of its accounts; what is left to correct
// is listed beside each.
func TestDraft(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		folder   string
		files    []string
		chooses  string
		accounts string
		right    []string    // settings as the service has them
		edits    [][2]string // what its reader then writes
	}{
		{"../../../demo/estate/exports/rota", []string{"settings.csv", "roles.csv", "users.csv"}, "own before role",
			"2400 accounts", []string{
				"min_length 10", "max_length 64", "max_age 3 months", "min_age 12 hours", "history 8", "lockout_attempts 6",
				"lockout_window 15 minutes", "lockout_duration until unlocked",
				"warn_before 10 days", "login_barred contained", "common_barred yes", "idle_timeout 30 minutes",
				"dormant_after never", "change_at_first_use yes",
			}, [][2]string{{"history: Earlier passwords refused", "history: {from: Earlier passwords refused, zero: none}"},
				{"lockout_attempts: Wrong passwords before lock", "lockout_attempts: {from: Wrong passwords before lock, zero: never}"},
				{"unit: hour}   # likely; 0", "unit: hour, zero: until unlocked} # 0"}}},
		{"cargo", []string{"manifests.xlsx"}, "own before strictest role", "180 accounts", []string{
			"min_length 9", "min_classes 3", "max_age 60 days", "min_age none", "history 5", "lockout_attempts 5",
			"lockout_window 30 minutes", "lockout_duration until unlocked", "idle_timeout never",
			"dormant_after 4 months",
		}, [][2]string{{"Smallest age, unit: hours}", "Smallest age, unit: hours, zero: none}"},
			{"Lock ends after, unit: hours}", "Lock ends after, unit: hours, zero: until unlocked}"},
			{"Idle limit, unit: minutes}", "Idle limit, unit: minutes, zero: never}"},
			{"(hours), unit: hours}", "(hours), unit: hours, zero: never}"},
			{"lockout_attempts: Own tries", "lockout_attempts: {from: Own tries, zero: never}"}}},
		{"gangway", []string{"gangway-1.json"}, "single", "60 accounts", []string{
			"min_length 4", "max_length 6", "min_distinct 2", "history none", "max_age 183 days", "lockout_attempts 3",
			"lockout_window never", "lockout_duration 10 minutes",
		}, [][2]string{{"history: $.pinRules.sameAsPrevious", "history: {from: $.pinRules.sameAsPrevious, zero: none}"},
			{"lockout_window: $.wrongTries.window", "lockout_window: {from: $.wrongTries.window, null: never}"}}},
		{"partners", []string{"settings.json", "users-001.json"}, "own before role", "100 accounts", []string{
			"min_length 12", "max_length none", "min_upper 1", "min_lower 1", "min_digits 1", "min_symbols none",
			"max_age 365 days", "min_age 1 hour", "history 10", "lockout_attempts 8", "lockout_window 10 minutes",
			"lockout_duration 30 minutes", "session_limit 8 hours",
		}, [][2]string{{"max_length: $.password.maxLength", "max_length: {from: $.password.maxLength, null: none}"},
			{"lockout_attempts: $.lockout.threshold   # likely", "lockout_attempts: {from: $.lockout.threshold, zero: never} #"},
			{"unit: days}   # likely; 0 stands", "unit: days, zero: never} # 0 stands"}}},
	} {
		folder := t.TempDir()
		var args []string
		for _, f := range c.files {
			copyFile(t, filepath.Join("../demo/estate/exports", c.folder, f), filepath.Join(folder, f))
			if f == "users-001.json" { // its first page alone, as if it were all
				data, err := os.ReadFile(filepath.Join(folder, f))
				if err == nil {
					err = os.WriteFile(filepath.Join(folder, f), bytes.Replace(data, []byte(`"totalResults": 150`), []byte(`"totalResults": 100`), 1), 0o600)
				}
				if err != nil {
					t.Fatal(err)
				}
			}
			args = append(args, f)
		}
		draft, stderr, code := runTool(t, folder, append([]string{"intake", "--draft"}, args...)...)
		if code != 0 {
			t.Fatalf("%s: exit %d\n%s", c.folder, code, stderr)
		}
		for _, e := range c.edits {
			if !strings.Contains(draft, e[0]) {
				t.Errorf("%s: the draft has no %q\n%s", c.folder, e[0], draft)
			}
			draft = strings.Replace(draft, e[0], e[1], 1)
		}
		estate := "estate: Draft\nas_of: 2026-11-23 06:00\nsystems:\n  app:\n    export: {read: mapping, from: [" +
			strings.Join(c.files, ", ") + "], mapping: draft.yaml}\n    chooses: " + c.chooses + "\n"
		for name, text := range map[string]string{"draft.yaml": draft, "estate.yaml": estate} {
			if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		read, stderr, code := runTool(t, folder, "intake", "--bear", "3")
		if code != 0 || !strings.Contains(read, c.accounts) {
			t.Errorf("%s: exit %d\n%s%s\n%s", c.folder, code, read, stderr, draft)
			continue
		}
		plain := strings.Join(strings.Fields(read), " ")
		for _, want := range c.right {
			if !strings.Contains(plain, want) {
				t.Errorf("%s: the draft does not bring %q\n%s", c.folder, want, read)
			}
		}
	}
}

// TestDraftOfLittle: files without settings or accounts are said not to be
// understood, and a file that is not there is an error.
func TestDraftOfLittle(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	for name, content := range map[string]string{
		"empty.json": "{}", "list.json": "[]", "null.json": "null", "numbers.json": "[1,2,[3]]",
		"odd.json": `{"colour": "red", "x": {"y": [1, 2]}}`, "heading.csv": "a,b\n",
		"ragged.csv": "Setting,Value\nMinimum length,8\nMaximum age\n", "word.txt": "hello\n", "other.ini": "[x]\ny=8\n",
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
		stdout, stderr, code := runTool(t, folder, "intake", "--draft", name)
		if code != 2 || !strings.Contains(stdout, "# not understood: "+name) || strings.Contains(stdout, "take:") {
			t.Errorf("%s: exit %d\n%s%s", name, code, stdout, stderr)
		}
	}
	_, stderr, code := runTool(t, folder, "intake", "--draft", "nowhere.csv")
	if code == 0 || !strings.Contains(stderr, "nowhere.csv: no such file") {
		t.Errorf("exit %d: %s", code, stderr)
	}
}

// TestDraftOfTrees: drafts of JSON lines, LDIF and XML find the rows, and read
// as they are.
func TestDraftOfTrees(t *testing.T) {
	t.Parallel()
	for name, data := range map[string]string{
		"a.ndjson": `{"user":"amund","name":{"full":"Amund K"},"active":true,"lastLogin":"2026-03-01T08:00:00Z","password_set":"2026-01-01T08:00:00Z"}` + "\n" +
			`{"user":"bea","name":{"full":"Bea Q"},"active":false,"lastLogin":"2026-03-02T08:00:00Z","password_set":"2026-01-02T08:00:00Z"}` + "\n",
		"a.ldif": "dn: ou=x\nobjectClass: top\nobjectClass: organizationalUnit\n\ndn: user=amund,ou=x\nobjectClass: " +
			"top\nobjectClass: crew\nuser: amund\nactive: TRUE\nlastLogin: 20260301080000Z\npasswordSet: " +
			"20260101080000Z\n\n" +
			"dn: user=bea,ou=x\nobjectClass: top\nobjectClass: crew\nuser: bea\nactive: FALSE\nlastLogin: " +
			"20260302080000Z\npasswordSet: 20260102080000Z\n\n",
		"a.xml": `<ship><made>2026</made><crew><person user="amund"><state active="yes"/>` +
			`<lastLogin>2026-03-01T08:00:00Z</lastLogin><passwordSet>2026-01-01T08:00:00Z</passwordSet></person>` + "\n" +
			`<person user="bea"><state active="no"/><lastLogin>2026-03-02T08:00:00Z</lastLogin><passwordSet>2026-01-02T08:00:00Z</passwordSet></person></crew></ship>`,
	} {
		folder := t.TempDir()
		write := func(name, text string) {
			if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		write(name, data)
		draft, stderr, code := runTool(t, folder, "intake", "--draft", name)
		if code != 0 {
			t.Fatalf("%s: exit %d\n%s", name, code, stderr)
		}
		write("draft.yaml", draft)
		write("estate.yaml", "estate: E\nas_of: 2026-11-23\nsystems:\n  crew:\n    export: {read: mapping, from: "+
			"["+name+"], mapping: draft.yaml}\n")
		stdout, stderr, code := runTool(t, folder, "intake")
		if code != 0 || !strings.Contains(stdout, "2 accounts (0 privileged, 1 disabled)") {
			t.Errorf("%s: exit %d\n%s%s\n%s", name, code, stdout, stderr, draft)
		}
		snapshot, _, _ := runTool(t, folder, "intake", "crew", "--format", "json")
		if !strings.Contains(snapshot, `"login":"bea"`) ||
			!strings.Contains(snapshot, `"last_sign_in":"2026-03-02T08:00:00Z"`) ||
			!strings.Contains(snapshot, `"password_set":"2026-01-02T08:00:00Z"`) {
			t.Errorf("%s: the facts are not those of the file:\n%s\n%s", name, snapshot, draft)
		}
	}
}
