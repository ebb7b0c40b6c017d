package estatefolder

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/core/trial"
	"yewcone/intake/intaketest"
)

const snapshotOf = `{"snapshot":{"version":1,"name":"x","chooses":"assigned","default":"p"}}
{"policy":{"name":"p","settings":[{"setting":"min_length","value":"12"}]}}
{"account":{"login":"ada"}}
{"end":{"policies":1,"accounts":1}}
`

func load(t *testing.T, estate string, more map[string]string) (*Estate, error) {
	t.Helper()
	files := map[string]string{"estate.yaml": estate, "x.jsonl": snapshotOf, "y.jsonl": snapshotOf,
		"rules/house.yaml": "rules: house\nclauses:\n  - {id: length, expect: {min_length: at least 14}}\n"}
	for name, text := range more {
		files[name] = text
	}
	return Load(intaketest.Write(t, files))
}

const top = "estate: x\nas_of: 2026-11-01\nsystems:\n  rota:\n    export: {read: snapshot, from: x.jsonl}\n    rules: [house]\n"

// TestSubjects: what the estate says of a system reaches its reader; --as-of
// comes before it, and what is known counts where the export is silent.
func TestSubjects(t *testing.T) {
	e, err := load(t, top+"    kinds: {service: login startsWith \"svc-\"}\n    known: {max_age: 90 days, min_length: 20}\n    bear: 3\n",
		map[string]string{"exceptions.yaml": "exceptions:\n  - {system: rota, rule: check/blank, because: b, owner: o, " +
			"until: 2027-01-31}\n"})
	if err != nil {
		t.Fatal(err)
	}
	subjects, err := e.Subjects(nil, time.Time{})
	if err != nil || len(subjects) != 1 {
		t.Fatal(err)
	}
	s := &subjects[0]
	system := s.Export.System()
	if len(s.Kinds) != 1 || len(s.Rules) != 1 || len(s.Exceptions) != 1 || s.MaxRefused != 3 || system.AsOf.Day() != 1 {
		t.Errorf("%+v", s)
	}
	p := system.Policy("p")
	if got := setting.At(setting.MaxAge).Text(p.Value(setting.MaxAge).Value); got != "90 days" {
		t.Errorf("max_age %s", got)
	}
	if got := setting.At(setting.MinLength).Text(p.Value(setting.MinLength).Value); got != "12" {
		t.Errorf("min_length %s: what is known counts before the export", got)
	}
	subjects, err = e.Subjects([]string{"rota"}, time.Date(2026, 12, 24, 0, 0, 0, 0, time.UTC))
	if err != nil || subjects[0].Export.System().AsOf.Day() != 24 {
		t.Errorf("%v", err)
	}
	if _, err = e.Subjects([]string{"rata"}, time.Time{}); err == nil || !strings.Contains(err.Error(), "rota") {
		t.Errorf("%v", err)
	}
	if v := e.ValueOf(time.Time{})("rota", setting.MinLength); setting.At(setting.MinLength).Text(v) != "12" {
		t.Errorf("%v", v)
	}
}

// TestBeyond: what no system means is unknown, and said with its place.
func TestBeyond(t *testing.T) {
	e, err := load(t, "estate: x\nsystems:\n  d:\n    export: {read: ldif, from: d.ldif}\n", map[string]string{
		"d.ldif": "dn: cn=p,dc=x\nobjectClass: pwdPolicy\ncn: p\npwdAttribute: userPassword\npwdInHistory: 20900001\npwdMaxFailure: 5\n\n"})
	if err != nil {
		t.Fatal(err)
	}
	subjects, err := e.Subjects(nil, time.Time{})
	if err != nil {
		t.Fatal(err)
	}
	export, told := subjects[0].Export, ""
	for _, n := range export.Notes().List() {
		told += n.Origin.String() + ": " + n.Message + "\n"
	}
	v := export.System().Policies[0].Value(setting.History)
	if v.Known() || !v.Hidden || !strings.Contains(told, "d.ldif:5: history of the policy \"p\" is more than any system means") {
		t.Errorf("%+v\n%s", v, told)
	}
}

// TestMissingExport: it is an empty subject whose notes say why, not an error.
func TestMissingExport(t *testing.T) {
	e, err := load(t, strings.Replace(top, "x.jsonl", "z.jsonl", 1), nil)
	if err != nil {
		t.Fatal(err)
	}
	subjects, err := e.Subjects(nil, time.Time{})
	if err != nil || !subjects[0].Export.Notes().Partial() {
		t.Fatalf("%v", err)
	}
	_ = subjects[0].Export.Accounts(func(*facts.Account) error { t.Error("an account"); return nil })
}

// TestWrongEstates: each slip is told with its line and column.
func TestWrongEstates(t *testing.T) {
	for text, want := range map[string]string{
		strings.Replace(top, "snapshot", "snapshoot", 1): "5:20",
		strings.Replace(top, "from: x.jsonl", "from: [x.jsonl, y.jsonl]",
			1): "5:46: an export read as snapshot is one file, and this names 2",
		strings.Replace(top, "[house]", "[mouse]", 1):                             "6:13",
		top + "    limits: {min_length: at leats 6}\n":                            "7:26",
		top + "    known: {min_lenth: 6}\n":                                       "min_length",
		top + "    match: [shoe]\n":                                               "7:13",
		top + "checks: {blank: sometimes}\n":                                      "7:17",
		top + "links:\n  - {between: [rota, tills], because: b}\n":                "tills",
		strings.Replace(top, "as_of: 2026-11-01", "as_of: soon", 1):               "2:8",
		top + "    kinds: {robot: login == \"x\"}\n":                              "robot",
		top + "    export: {read: snapshot, from: x.jsonl}\n":                     "7:5",
		strings.Replace(top, "at least", "same as", 1) + "    chooses: loudest\n": "7:14",
	} {
		if _, err := load(t, text, nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s\nexpected %s, got %v", text, want, err)
		}
	}
}

// TestEmptyValues: wherever the files of an estate have a value, an empty one in its
// stead is an error with its place, but among words that mean yes or no.
func TestEmptyValues(t *testing.T) {
	folder := t.TempDir()
	if err := os.CopyFS(folder, os.DirFS("../../demo/estate")); err != nil {
		t.Fatal(err)
	}
	value, tried := regexp.MustCompile(`([a-z_]+): +("[^"]*"|'[^']*'|[^\[{}>|&*"',#\s][^,}\[\]#]*(?:\[[^\]]*\][^,}\[\]#]*)*)`), 0
	of := map[string]string{"mappings/rota.yaml": "rota", "mappings/partners.yaml": "partners"}
	for _, name := range []string{FileName, ExceptionsFile, "rules/privileged.yaml", "trials/rota.yaml", "mappings/rota.yaml",
		"mappings/partners.yaml"} {
		data, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil {
			t.Fatal(err)
		}
		write := func(text string) {
			if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		lines := strings.Split(string(data), "\n")
		for i, line := range lines {
			code, _, _ := strings.Cut(line, "#")
			for _, at := range value.FindAllStringSubmatchIndex(code, -1) {
				if key := code[at[2]:at[3]]; key == "yes" || key == "no" || key == "password" {
					continue
				}
				if !strings.Contains(code[:at[0]], "{") { // commas and all
					at[5] = len(code)
				}
				lines[i] = line[:at[4]] + "''" + line[at[5]:]
				text := strings.Join(lines, "\n")
				write(text)
				hidden := strings.HasPrefix(name, "trials/")
				err := func() error {
					if hidden {
						_, err := trial.ReadFile(name, []byte(text))
						return err
					}
					e, err := Load(folder)
					if err == nil && of[name] != "" {
						_, err = e.Subjects([]string{of[name]}, time.Time{})
					}
					return err
				}()
				if want := fmt.Sprintf("%s:%d:%d: ", name, i+1, utf8.RuneCountInString(line[:at[4]])+1); err == nil ||
					!strings.Contains(err.Error(), want) || !hidden && !strings.Contains(err.Error(), " is empty; write a text") {
					t.Errorf("%s%s\n%v", want, lines[i], err)
				}
				tried++
			}
			lines[i] = line
		}
		write(string(data))
	}
	if tried < 200 {
		t.Errorf("only %d values", tried)
	}
}
