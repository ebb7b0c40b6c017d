package estatefolder

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yewcone/core/condition"
	"yewcone/core/rules"
	"yewcone/core/strictyaml"
	"yewcone/core/trial"
)

// secret is a line that no error shows.
const secret = "Quark-7-Geheim!"

// placed fails where an error of a file has no place in it, or shows what the
// file holds before its first key.
func placed(t *testing.T, name string, data []byte, err error) {
	t.Helper()
	var problems strictyaml.Problems
	if err == nil {
		return
	}
	if !errors.As(err, &problems) {
		t.Fatalf("%s: %T %v", name, err, err)
	}
	// A carriage return on its own ends a line of YAML (YAML 1.2.2, section 5.4).
	lines := strings.Count(strings.ReplaceAll(strings.ReplaceAll(string(data), "\r\n", "\n"), "\r", "\n"), "\n") + 1
	for _, p := range problems {
		if p.Line < 0 || p.Line > lines || p.Message == "" || p.File == "" {
			t.Errorf("%s: line %d of %d: %q", name, p.Line, lines, p.Message)
		}
	}
	if first, _, _ := strings.Cut(string(data), "\n"); strings.HasPrefix(first, secret) && strings.Contains(err.Error(), secret) {
		t.Errorf("%s: the first line is shown: %s", name, err)
	}
}

// FuzzConfiguration: whatever stands in a file of configuration, each error names
// a place in it, the same one every time.
func FuzzConfiguration(f *testing.F) {
	for _, name := range []string{"estate.yaml", "rules/house.yaml", "exceptions.yaml", "trials/rota.yaml", "mappings/rota.yaml"} {
		data, err := os.ReadFile(filepath.Join("../../demo/estate", name))
		if err != nil {
			f.Fatal(err)
		}
		f.Add(string(data))
	}
	for _, text := range []string{"", "estate: x\nsystems: {a: {export: {read: '', from: x}}}\n", "#0000\r00", secret, secret + "\nestate: x\n", "\ufeffestate: x\nsystems: {a: {export: {read: ldif, from: /etc/passwd}, bear: -1}}\n",
		"rules: a\nclauses:\n  - {id: x, replaces: y, expect: {min_length: at least 8}}\n  - {id: y, replaces: x, expect: {min_length: at least 9}}\n",
		"exceptions:\n  - {system: a, rule: b/c, because: '', owner: '', until: 2026-01-01}\n", "trials: x\nrefused: [{password: a, because: nothing}]\n",
		"estate: &a x\nsystems: *a\n", "estate: !!binary aGk=\nsystems: {}\n", "estate: x\nsystems: {a: {export: {read: linux, from: [a, [b]]}, limits: {min_length: 4294967296}}}\n"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		data, began := []byte(text), time.Now()
		defer func() {
			if took := time.Since(began); took > 5*time.Second {
				t.Errorf("%d bytes took %s", len(text), took)
			}
		}()
		_, err := rules.Read("rules/x.yaml", data)
		placed(t, "rules", data, err)
		_, err = rules.ReadExceptions("exceptions.yaml", data, func(_, _ strictyaml.Text) (condition.Named, error) { return nil, nil })
		placed(t, "exceptions", data, err)
		_, err = trial.ReadFile("trials/x.yaml", data)
		placed(t, "trials", data, err)
		_, _, err = trial.ReadProposal("x.yaml", data)
		placed(t, "proposal", data, err)
		folder := t.TempDir()
		if err := os.WriteFile(filepath.Join(folder, FileName), data, 0o600); err != nil {
			t.Fatal(err)
		}
		e, err := Load(folder)
		placed(t, "estate", data, err)
		if err == nil { // then it can be read, whatever comes of it
			if _, err = e.Subjects(nil, time.Time{}); err == nil {
				_ = e.Relations(nil)
			}
		}
		if _, again := Load(folder); (err == nil) != (again == nil) || err != nil && err.Error() != again.Error() {
			t.Errorf("%v, and then %v", err, again)
		}
	})
}
