package cli

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"yewcone/cli/tooltest"

	"golang.org/x/text/encoding/charmap"
)

// TestRemedyOfApplications: what is printed for mapped applications and hosts is
// written into their files.
func TestRemedyOfApplications(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		system, root string // root is the host's in the exports
		cp1252       bool
	}{{system: "rota"}, {system: "yard", cp1252: true}, {system: "tills"}, {system: "partners"}, {system: "mailboxes"}, {system: "gangway"},
		{system: "depot"}, {system: "quay1", root: "exports/quay1"}} {
		t.Run(c.system, func(t *testing.T) {
			folder := t.TempDir()
			if err := os.CopyFS(folder, os.DirFS("../demo/estate")); err != nil {
				t.Fatal(err)
			}
			tooltest.Mend(t, folder, c.system, func(blocks []tooltest.Block) {
				for _, b := range blocks {
					for _, e := range b.Edits {
						e.File = c.root + e.File
						write(t, folder, e, c.cp1252)
					}
				}
			})
		})
	}
}

// write carries an edit out: it replaces what stood there, in the line that is
// named or in that of the label.
func write(t *testing.T, folder string, e tooltest.Edit, cp1252 bool) {
	t.Helper()
	name := filepath.Join(folder, e.File)
	raw, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	data := string(raw)
	if cp1252 {
		decoded, err := charmap.Windows1252.NewDecoder().String(data)
		if err != nil {
			t.Fatal(err)
		}
		data = decoded
	}
	lines := strings.Split(data, "\n")
	if strings.HasSuffix(e.File, ".json") {
		lines = []string{data}
	}
	label := e.Place[strings.LastIndexByte(e.Place, '.')+1:]
	done := false
	for i, l := range lines {
		switch {
		case done, e.Line > 0 && e.Line != i+1 && !strings.HasSuffix(e.File, ".json"), e.Place != "" && e.Line == 0 && !strings.Contains(l, label):
		case e.Before == "" && e.Place == "" && e.Line == 0:
			lines = append(lines, e.After)
			done = true
		case e.After == "" && e.Place == "":
			lines, done = slices.Delete(lines, i, i+1), true
		default:
			lines[i], done = replaced(lines, i, e, label)
		}
	}
	if !done && e.After == "" { // the way back of a line that was added
		at := slices.Index(lines, e.Before)
		if done = at >= 0; done {
			lines = slices.Delete(lines, at, at+1)
		}
	}
	if !done {
		t.Fatalf("%+v cannot be carried out", e)
	}
	data = strings.Join(lines, "\n")
	if cp1252 {
		encoded, err := charmap.Windows1252.NewEncoder().String(data)
		if err != nil {
			t.Fatal(err)
		}
		data = encoded
	}
	if err := os.WriteFile(name, []byte(data), 0o644); err != nil {
		t.Fatal(err)
	}
}

// replaced puts a word into one line: into its column, its element, or after its key.
func replaced(lines []string, i int, e tooltest.Edit, label string) (string, bool) {
	l := lines[i]
	switch {
	case e.Place == "":
		return e.After, l == e.Before
	case strings.HasSuffix(e.File, ".json"):
		at := 0 // the keys of the path, one below the other; the file may have many lines
		for _, k := range strings.Split(e.Place, ".")[1:] {
			next := strings.Index(l[at:], "\""+k+"\"")
			if next < 0 {
				return l, false
			}
			at += next + len(k) + 2
		}
		return l[:at] + strings.Replace(l[at:], e.Before, e.After, 1), true
	case strings.HasSuffix(e.File, ".xml"):
		return strings.Replace(l, "<"+label+">"+e.Before+"</", "<"+label+">"+e.After+"</", 1), true
	case e.Line == 0: // a key and its value
		at := strings.Index(l, label)
		return l[:at+len(label)] + strings.Replace(l[at+len(label):], e.Before, e.After, 1), true
	}
	for _, separator := range []string{"\t", ";", ","} {
		column := slices.Index(strings.Split(strings.TrimRight(strings.TrimPrefix(lines[0], "\ufeff"), "\r"), separator), label)
		cells := strings.Split(l, separator)
		if column >= 0 && column < len(cells) && strings.TrimRight(cells[column], "\r") == e.Before {
			cells[column] = strings.Replace(cells[column], e.Before, e.After, 1)
			if e.Before == "" {
				cells[column] = e.After + cells[column]
			}
			return strings.Join(cells, separator), true
		}
	}
	return l, false
}

// TestRemedyQuotesNames: a name that a shell or LDIF would take for something
// else is written so that it is only a name.
func TestRemedyQuotesNames(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := os.CopyFS(folder, os.DirFS("../demo/estate")); err != nil {
		t.Fatal(err)
	}
	for name, more := range map[string]string{
		"exports/quay1/etc/passwd": "$(reboot)'s:x:1900:1900::/home/a:/bin/bash\n", "exports/quay1/etc/shadow": "$(reboot)'s::20400:0:90:7:::\n",
		"exports/directory/slapcat.ldif": "\ndn: uid=guest,ou=Øst,dc=marrowby,dc=example\nobjectClass: inetOrgPerson\nuid: guest\n" +
			"userPassword: {SSHA}YWFhYWFhYWFhYWFhYWFhYWFhYWFhYWFh\nentryUUID: 9\ncreatorsName: cn=m\ncreateTimestamp: 20250101000000Z\n" +
			"entryCSN: 20260101000000.000000Z#000000#000#000000\nmodifiersName: cn=m\nmodifyTimestamp: 20260101000000Z\n\n",
	} {
		f, err := os.OpenFile(filepath.Join(folder, name), os.O_APPEND|os.O_WRONLY, 0)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := f.WriteString(more); err != nil {
			t.Fatal(err)
		}
		if err := f.Close(); err != nil {
			t.Fatal(err)
		}
	}
	stdout, stderr, _ := runTool(t, folder, "remedy", "quay1", "directory", "--accounts", "0")
	for _, line := range []string{`usermod --lock --expiredate 1 '$(reboot)'\''s'`, `passwd '$(reboot)'\''s'`,
		"dn:: dWlkPWd1ZXN0LG91PcOYc3QsZGM9bWFycm93YnksZGM9ZXhhbXBsZQ=="} {
		if !strings.Contains(stdout, "      "+line+"\n") {
			t.Errorf("no %s\n%s", line, stderr)
		}
	}
}

// TestRemedyOfMarks: the words that are printed for accounts of an application
// are set in its table, and what they end is gone.
func TestRemedyOfMarks(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := os.CopyFS(folder, os.DirFS("../demo/estate")); err != nil {
		t.Fatal(err)
	}
	users := filepath.Join(folder, "exports/rota/users.csv")
	tried := map[string]bool{}
	tooltest.MendAccounts(t, folder, "rota", func(_ string, lines []string) {
		f, err := os.Open(users)
		if err != nil {
			t.Fatal(err)
		}
		rows, err := csv.NewReader(f).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		f.Close()
		for _, line := range lines {
			login, set, _ := strings.Cut(line, ": ")
			label, word, _ := strings.Cut(set, " → ")
			tried[label] = true
			column := slices.Index(rows[0], label)
			for _, row := range rows[1:] {
				if slices.Contains(row, login) {
					row[column] = strings.Trim(word, `"`)
				}
			}
		}
		var out strings.Builder
		if err := csv.NewWriter(&out).WriteAll(rows); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(users, []byte(out.String()), 0o600); err != nil {
			t.Fatal(err)
		}
	})
	if len(tried) < 4 {
		t.Errorf("only these were set: %v", tried)
	}
}
