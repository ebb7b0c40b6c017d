package cli

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/demo"
)

// TestDamaged: exports that something happened to on their way say so, and
// nothing is counted twice.
func TestDamaged(t *testing.T) {
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(3, 0))
	double := func(data string) string { return data + data }
	for _, c := range []struct {
		system, file string
		change       func(string) string
		code         int
		wants        []string
	}{
		{"rota", "users.csv", func(s string) string { _, rows, _ := strings.Cut(s, "\n"); return s + rows }, 3, []string{
			"Read 1 system with 2400 accounts", "the account stands in the export before this, and is counted once"}},
		{"directory", "slapcat.ldif", double, 3, []string{"Read 1 system with 30 accounts", "is counted once"}},
		{"quay1", "etc/passwd", double, 3, []string{"Read 1 system with 42 accounts", "exports/quay1/etc/passwd:43"}},
		{"quay1", "etc/pam.d/common-auth", func(string) string { return "" }, 3, []string{"the file is empty, as no system has it"}},
		{"quay1", "etc/group", func(s string) string { return s[:200] + "\x01\x02" + s[200:] }, 3, []string{"the line has control characters"}},
		{"quay1", "etc/sudoers.d/10-marrowby", func(string) string { return "" }, 1, []string{"the file is empty: where the host's is not, copy it again"}},
		{"mailboxes", "boxes.tsv", func(s string) string { head, _, _ := strings.Cut(s, "\n"); return head }, 3, []string{"the file ends in its headings"}},
		{"mailboxes", "boxes.tsv", func(s string) string { head, _, _ := strings.Cut(s, "\n"); return head + "\n" }, 3, []string{
			"the table of accounts has no row"}},
		{"directory", "slapcat.ldif", func(s string) string {
			return s + "# search result\nsearch: 2\nresult: 4 Size limit exceeded\n\n# numEntries: 9\n"
		}, 3,
			[]string{"the search ended with the result 4 Size limit exceeded"}},
		{"directory", "slapcat.ldif", func(s string) string {
			return s + "# search result\nsearch: 2\nresult: 0 Success\n\n# numEntries: 9999\n"
		}, 3,
			[]string{"the search tool says that it wrote 9999 entries"}},
		{"cargo", "manifests.xlsx", func(s string) string {
			at := r.IntN(len(s)/2) + 100
			return s[:at] + string([]byte{s[at] ^ 4}) + s[at+1:]
		}, 3, []string{"no whole workbook"}},
	} {
		path := filepath.Join(folder, "exports", c.system, filepath.FromSlash(c.file))
		data, err := os.ReadFile(path)
		if err == nil {
			err = os.WriteFile(path, []byte(c.change(string(data))), 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
		stdout, stderr, code := runTool(t, folder, "check", "--all", c.system)
		plain := strings.Join(strings.Fields(stdout+stderr), " ")
		for _, want := range c.wants {
			if code != c.code || !strings.Contains(plain, want) {
				t.Errorf("%s/%s: exit %d, no %q in %.1500s", c.system, c.file, code, want, plain)
			}
		}
		if strings.Contains(plain, "same stored password as another 2400") || strings.Contains(plain, "same stored password as another 42") {
			t.Errorf("%s/%s: accounts are compared with themselves", c.system, c.file)
		}
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
}
