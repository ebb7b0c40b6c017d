package cli

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"
)

// toldChange is a change as "remedy --format json" writes it.
type toldChange struct {
	System string   `json:"system"`
	Ends   []string `json:"ends"`
	Steps  []struct {
		Setting, From, To, Policy string
		Findings                  []string
	}
	Blocks []toldBlock
	Cannot []struct{ Setting, Policy string }
}

type toldBlock struct {
	Where, Language string
	Lines           []string
	Edits           []toldEdit
}

type toldEdit struct {
	File          string
	Line          int
	Place         string
	Before, After string
}

func (c *toldChange) cannot(policy, setting string) bool {
	return slices.ContainsFunc(c.Cannot, func(o struct{ Setting, Policy string }) bool { return o.Setting == setting && o.Policy == policy })
}

// told runs remedy for a system, and keeps the changes that set values.
func told(t *testing.T, folder, system string, options ...string) []toldChange {
	t.Helper()
	stdout, stderr, code := runTool(t, folder, append([]string{"remedy", system, "--format", "json"}, options...)...)
	var d struct{ Changes []toldChange }
	if err := json.Unmarshal([]byte(stdout), &d); code != 0 || err != nil {
		t.Fatalf("exit %d %v\n%s", code, err, stderr)
	}
	return slices.DeleteFunc(d.Changes, func(c toldChange) bool { return len(c.Steps) == 0 || c.Steps[0].Setting == "" })
}

// foundIn are the findings of a system by their fingerprints.
func foundIn(t *testing.T, folder, system string) map[string]string {
	t.Helper()
	stdout, stderr, code := runTool(t, folder, "check", system, "--format", "json")
	var d struct {
		Findings []struct{ Fingerprint, Sentence, Rule string }
	}
	if err := json.Unmarshal([]byte(stdout), &d); code > 1 || err != nil {
		t.Fatalf("exit %d %v\n%s", code, err, stderr)
	}
	found := map[string]string{}
	for _, f := range d.Findings {
		found[f.Fingerprint] = f.Rule + ": " + f.Sentence
	}
	return found
}

// mend carries a system's remedy out and back: what it ends is gone then,
// nothing else is gone or new, and after the way back all is as it was.
func mend(t *testing.T, folder, system string, apply func([]toldBlock)) {
	t.Helper()
	before, changes, back := foundIn(t, folder, system), told(t, folder, system), told(t, folder, system, "--undo")
	if len(changes) != 1 || len(changes[0].Blocks) == 0 {
		t.Fatalf("%d changes of values, or nothing to type: %+v", len(changes), changes)
	}
	c := &changes[0]
	said := map[string]bool{} // findings of which every step can be said
	for _, f := range c.Ends {
		said[f] = true
	}
	for _, s := range c.Steps {
		for _, f := range s.Findings {
			if c.cannot(s.Policy, s.Setting) {
				delete(said, f)
			}
		}
	}
	if len(said) == 0 {
		t.Error("nothing that is found can be ended")
	}
	apply(c.Blocks)
	after := foundIn(t, folder, system)
	for f, sentence := range before {
		_, still := after[f]
		if said[f] && still {
			t.Errorf("%s is not gone: %s", f, after[f])
		}
		touched := slices.ContainsFunc(c.Steps, func(s struct {
			Setting, From, To, Policy string
			Findings                  []string
		}) bool {
			return slices.Contains(s.Findings, f)
		})
		if !said[f] && !still && !touched && !followsFrom(c, sentence) {
			t.Errorf("%s is gone, and was not to go: %s", f, sentence)
		}
	}
	for f, sentence := range after {
		if before[f] == "" && !followsFrom(c, sentence) {
			t.Errorf("new: %s", sentence)
		}
	}
	t.Logf("%s: %d of %d findings ended, %d steps, %d of which there is no word for", system, len(before)-len(after), len(before), len(c.Steps), len(c.Cannot))
	apply(back[0].Blocks)
	again := foundIn(t, folder, system)
	for f, sentence := range before {
		if again[f] != sentence && !followsFrom(c, sentence) {
			t.Errorf("after the way back %s is %q, was %q", f, again[f], sentence)
		}
	}
	for f, sentence := range again {
		if before[f] == "" && !followsFrom(c, sentence) {
			t.Errorf("after the way back there is more: %s", sentence)
		}
	}
}

// followsFrom reports whether a finding about accounts comes or goes with what was
// set: an age makes passwords overdue and stands against marks, and where no
// empty password is taken none lets in.
func followsFrom(c *toldChange, finding string) bool {
	rule, _, _ := strings.Cut(finding, ":")
	if rule == "check/older-than-policy" { // the policy was changed, after all
		return true
	}
	for _, s := range c.Steps {
		switch {
		case s.Setting == "max_age" && slices.Contains([]string{"check/flag-and-policy", "check/overdue", "check/expiry-for-nobody"}, rule),
			s.Setting == "blank_allowed" && rule == "check/blank", s.Setting == "lockout_attempts" && rule == "check/account-only",
			s.Setting == "min_length" && rule == "check/storage-undeserved":
			return true
		}
	}
	return false
}

// TestRemedyOfApplications: what is printed for mapped applications and hosts is
// written into their files.
func TestRemedyOfApplications(t *testing.T) {
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
			mend(t, folder, c.system, func(blocks []toldBlock) {
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
func write(t *testing.T, folder string, e toldEdit, cp1252 bool) {
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
func replaced(lines []string, i int, e toldEdit, label string) (string, bool) {
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
