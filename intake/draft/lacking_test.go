package draft

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/intaketest"
	"yewcone/intake/mapping"
)

// TestLacking: a mapping with a few lines comes back as it is written, with a
// line for each column of its files that none took, and with the files that it
// did not read; what comes back reads.
func TestLacking(t *testing.T) {
	for _, c := range []struct {
		what, mapping string
		files         map[string]string
		added         []string // lines, in their order
	}{
		{"a table in blocks", "mapping: Quay\ndates: iso 8601\nyes: \"Y\"\nno: \"N\"\naccounts:\n  - file: a.csv\n    take:\n      login: User name # the name\n\n" +
			"      # who they are\n      email: Mail\n",
			map[string]string{"a.csv": "User name,Mail,Locked,Last sign-in,Colour\nann,a@x,Y,2026-11-20,blue\nben,b@x,N,2026-11-21,red\n"},
			[]string{"      email: Mail\n      locked: Locked", "      last_sign_in: Last sign-in", "      # ?: Colour"}},
		{"words of its own", "mapping: Quay\nyes: \"Y\"\nno: \"N\"\naccounts:\n- file: a.csv\n  take:\n    login: User name\n",
			map[string]string{"a.csv": "User name,Locked\nann,ja\nben,nein\n"},
			[]string{"    login: User name\n    locked: {from: Locked, yes: \"ja\", no: \"nein\"}"}},
		{"a table on one line", "mapping: Quay\naccounts:\n  - {file: a.csv, take: {login: User name}}\n",
			map[string]string{"a.csv": "User name,Mail,Note\nann,a@x,x\nben,b@x,y\n"},
			[]string{"# a.csv also has:\n# email: Mail", "# description: Note"}},
		{"a file that it does not read", "mapping: Quay\naccounts:\n  - file: a.csv\n    take:\n      login: User name\n# the end\n",
			map[string]string{"a.csv": "User name\nann\nben\n", "s.csv": "Setting,Value\nMinimum length,8\nHistory,4\nMaximum age days,90\n"},
			[]string{"\nsettings:\n  - file: s.csv\n    layout: pairs", "      min_length: Minimum length"}},
		{"settings that it does not take", "mapping: Quay\nsettings:\n  - file: s.json\n    layout: document\n    policy: all\n    take:\n" +
			"      min_length: $.length.minimum\n",
			map[string]string{"s.json": `{"length": {"minimum": 8, "maximum": 20}, "history": 4, "list": ["x"], "hash": "$2b$12$abcdefgh"}`},
			[]string{"      history: $.history", "      max_length: $.length.maximum", "      # ?: $.hash   # "}},
	} {
		t.Run(c.what, func(t *testing.T) {
			c.files["m.yaml"] = c.mapping
			var from []string
			for name := range c.files {
				if name != "m.yaml" {
					from = append(from, name)
				}
			}
			r := intake.Request{System: "quay", Folder: intaketest.Write(t, c.files), From: from, Mapping: "m.yaml"}
			text, err := Lacking(&r)
			if err != nil {
				t.Fatal(err)
			}
			rest := text
			for line := range strings.Lines(c.mapping) {
				_, after, found := strings.Cut(rest, line)
				if !found {
					t.Errorf("%q is gone, or stands elsewhere", line)
				}
				rest = after
			}
			rest = text
			for _, line := range c.added {
				_, after, found := strings.Cut(rest, line)
				if !found {
					t.Errorf("%q is not added, or stands elsewhere", line)
				}
				rest = after
			}
			if strings.Contains(text, "$2b$") {
				t.Error("a value is shown that may be secret")
			}
			if err := os.WriteFile(filepath.Join(r.Folder, "m.yaml"), []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
			export, err := mapping.Format.Open(&r)
			if err == nil {
				err = export.Accounts(func(*facts.Account) error { return nil })
			}
			if err != nil {
				t.Error(err)
			}
			if again, err := Lacking(&r); err != nil || !strings.Contains(c.what, "one line") && columns(again) != columns(text) {
				t.Errorf("a second time it adds more: %v\n%s", err, again)
			}
			if t.Failed() {
				t.Log(text)
			}
		})
	}
}

// columns is a mapping without the lines of what nothing takes.
func columns(text string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		if !strings.Contains(line, "# ?:") {
			b.WriteString(line)
		}
	}
	return b.String()
}
