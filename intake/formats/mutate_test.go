package formats

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"yewcone/core/estate"
	"yewcone/core/setting"
	"yewcone/core/snapshot"
	"yewcone/intake"
)

// everything is what a reader says of an export: facts by "policy NAME: fact"
// or "account LOGIN: fact".
type everything struct {
	facts    map[string]string
	accounts map[string]bool
	noted    string
	cut      bool
	refused  int
}

func readEverything(t *testing.T, folder, format string, from []string, mapping string) *everything {
	t.Helper()
	f, _ := Find(format)
	c := setting.Standard()
	export, err := f.Open(&intake.Request{System: "x", Folder: folder, From: from, Mapping: mapping, Catalogue: c, AsOf: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)})
	if err != nil {
		return nil
	}
	e := &everything{facts: map[string]string{}, accounts: map[string]bool{}}
	system := export.System()
	for i := range system.Policies {
		p := snapshot.OfPolicy(&system.Policies[i], c)
		for _, v := range p.Settings {
			e.facts["policy "+p.Name+": "+v.Setting] = v.Value
		}
		e.facts["policy "+p.Name+": reach"] = fmt.Sprint(p.Roles, p.Unit, p.Parent, p.Priority)
	}
	e.facts["system: default"] = system.Default
	var a snapshot.Account
	err = export.Accounts(func(x *estate.Account) error {
		snapshot.OfAccount(&a, x, c)
		a.Origin = snapshot.Origin{}
		for i := range a.Overrides {
			e.facts["account "+a.Login+": own "+a.Overrides[i].Setting] = a.Overrides[i].Value
		}
		a.Overrides = nil
		data, err := json.Marshal(&a)
		if err != nil {
			return err
		}
		var fields map[string]any
		if err := json.Unmarshal(data, &fields); err != nil {
			return err
		}
		for name, value := range fields {
			e.facts["account "+a.Login+": "+name] = fmt.Sprint(value)
		}
		e.accounts[a.Login] = true
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, n := range export.Notes().List() {
		e.noted += string(n.Kind) + n.Message + "\n"
	}
	e.cut, e.refused = export.Notes().Partial(), export.Notes().Refused()
	return e
}

// silent returns what changed from one known thing to another, or is there
// and was not, though nothing was said; and how many accounts are gone.
func silent(before, after *everything) (changed []string, gone int) {
	if after == nil || after.noted != before.noted || after.cut != before.cut || after.refused != before.refused {
		return nil, 0
	}
	for name := range before.accounts {
		if !after.accounts[name] {
			gone++
		}
	}
	for name, value := range after.facts {
		if old, ok := before.facts[name]; ok && old != value {
			if _, known := after.facts["policy "+value+": reach"]; strings.HasSuffix(name, ": policy") && !known {
				continue // the check "policy-missing" reports it
			}
			changed = append(changed, name+" was "+old+" and is "+value)
		} else if !ok {
			changed = append(changed, name+" is "+value+" and was not known")
		}
	}
	return changed, gone
}

// meaning are the lines of which the lack means something on the running
// system itself, so that an export without them is one of another system. Of
// these no reader can know that they were ever there.
var meaning = map[string]*regexp.Regexp{
	// The server keeps these stamps only where there is something to keep, and
	// an attribute that a policy lacks is off by the schema. Where a folded line
	// loses its beginning, the rest goes on the line before.
	"ldif":  regexp.MustCompile(`^slapcat(-config)?\.ldif: line \d+ gone: (pwd\w+|member|uniqueMember|memberUid|olc\w+|userPassword)\b`),
	"samba": regexp.MustCompile(`^\w+\.ldif: line \d+ gone: (member|memberOf|msDS-PSOAppliesTo|lockoutTime|badP\w+)\b`),
	// A member, a rule or a plugin more or less is another server.
	"postgresql": regexp.MustCompile(`^(auth_members|hba_file_rules)\.csv: line ([2-9]|\d\d+) gone`),
	"mariadb":    regexp.MustCompile(`^(plugins|roles_mapping)\.tsv: line ([2-9]|\d\d+) gone`),
	// One failure fewer is one failure fewer. What the other files do not say, the programs have defaults for; the place
	// of each setting then says so.
	"linux": regexp.MustCompile(`^faillock\.txt: line \d+ gone: 20|^etc/(group|pam\.d/|security/|sudoers|login\.defs|default/useradd).*line \d+ gone`),
}

// mutation is one way to damage a file; nil data where there is none more.
type mutation struct {
	what string
	data []byte
}

// mutationsEach is how many lines and brackets of each file are damaged; with
// YEWCONE_LONG set all of them are.
var mutationsEach = func() int {
	if os.Getenv("YEWCONE_LONG") != "" {
		return 1 << 30
	}
	return 40
}()

// mutations damages a file in many ways: a line is gone, a bracket or quote is
// gone, a column is gone in one row or in all.
func mutations(name string, data []byte) []mutation {
	var list []mutation
	lines := bytes.SplitAfter(data, []byte("\n"))
	every := max(1, len(lines)/mutationsEach)
	for i := 0; i < len(lines); i += every {
		if len(bytes.TrimSpace(lines[i])) == 0 && !strings.HasSuffix(name, ".ldif") {
			continue
		}
		list = append(list, mutation{"line " + fmt.Sprint(i+1) + " gone: " + strings.TrimSpace(string(lines[i])), bytes.Join(append(append([][]byte{}, lines[:i]...), lines[i+1:]...), nil)})
	}
	var brackets []int
	for i, c := range data {
		if bytes.IndexByte([]byte(`{}[]<>"`), c) >= 0 {
			brackets = append(brackets, i)
		}
	}
	structured := strings.HasSuffix(name, ".json") || strings.HasSuffix(name, ".xml") || strings.HasSuffix(name, ".csv")
	every = max(1, len(brackets)/mutationsEach)
	for n := 0; structured && n < len(brackets); n += every {
		i := brackets[n]
		list = append(list, mutation{fmt.Sprintf("%q gone in line %d", data[i], 1+bytes.Count(data[:i], []byte("\n"))), append(append([]byte{}, data[:i]...), data[i+1:]...)})
	}
	comma := byte(0)
	switch {
	case strings.HasSuffix(name, ".csv"):
		comma = ','
	case strings.HasSuffix(name, ".tsv"):
		comma = '\t'
	case name == "etc/passwd" || name == "etc/shadow" || name == "etc/group":
		comma = ':'
	}
	if comma == 0 {
		return list
	}
	columns := bytes.Count(lines[0], []byte{comma}) + 1
	for c := range columns {
		var all [][]byte
		for _, l := range lines {
			all = append(all, withoutColumn(l, comma, c))
		}
		list = append(list, mutation{fmt.Sprintf("column %d gone", c+1), bytes.Join(all, nil)})
		for _, i := range []int{1, len(lines) / 2, len(lines) - 2} {
			if i > 0 && i < len(lines) {
				one := append([][]byte{}, lines...)
				one[i] = withoutColumn(lines[i], comma, c)
				list = append(list, mutation{fmt.Sprintf("column %d gone in line %d", c+1, i+1), bytes.Join(one, nil)})
			}
		}
	}
	return list
}

// withoutColumn drops a column of a row; quotes around delimiters are not
// looked at, which damages the row all the more.
func withoutColumn(line []byte, comma byte, column int) []byte {
	end := bytes.TrimRight(line, "\r\n")
	fields := bytes.Split(end, []byte{comma})
	if column >= len(fields) {
		return line
	}
	fields = append(append([][]byte{}, fields[:column]...), fields[column+1:]...)
	return append(bytes.Join(fields, []byte{comma}), line[len(end):]...)
}

// TestMutations damages every file of every captured export. What is lost must
// show: as an error, a note, or something that is not known any more. It must
// never read as another fact or setting, but where the lack of a line is
// itself a statement, and no damage may make the readers panic.
func TestMutations(t *testing.T) {
	for _, c := range captured {
		t.Run(c.format+" "+filepath.Base(c.folder), func(t *testing.T) {
			t.Parallel()
			folder := t.TempDir()
			if err := os.CopyFS(folder, os.DirFS(c.folder)); err != nil {
				t.Fatal(err)
			}
			whole := readEverything(t, folder, c.format, c.from, c.mapping)
			if whole == nil || len(whole.accounts) == 0 {
				t.Fatal("the export as it is cannot be read")
			}
			tried := 0
			err := fs.WalkDir(os.DirFS(c.folder), ".", func(name string, d fs.DirEntry, err error) error {
				if err != nil || d.IsDir() || !readsFile(c.format, name) || strings.HasSuffix(name, ".xlsx") {
					return err
				}
				path := filepath.Join(folder, name)
				data, err := os.ReadFile(path)
				if err != nil {
					return err
				}
				for _, m := range mutations(name, data) {
					if err := os.WriteFile(path, m.data, 0o600); err != nil {
						return err
					}
					tried++
					changed, gone := silent(whole, readEverything(t, folder, c.format, c.from, c.mapping))
					excused := meaning[c.format] != nil && meaning[c.format].MatchString(name+": "+m.what)
					if len(changed) > 0 && !excused {
						t.Errorf("%s, %s: in silence, %s (%d in all)", name, m.what, changed[0], len(changed))
					}
					if gone > 1 && !excused {
						t.Errorf("%s, %s: in silence, %d accounts are gone", name, m.what, gone)
					}
				}
				return os.WriteFile(path, data, 0o600)
			})
			if err != nil {
				t.Fatal(err)
			}
			if tried < 50 && c.folder != "../../cli/testdata/truth/cargo" {
				t.Errorf("only %d mutations were tried", tried)
			}
		})
	}
}
