package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

// gapsJSON runs a command with JSON and returns the document.
func gapsJSON(t *testing.T, folder string, args ...string) map[string]any {
	t.Helper()
	stdout, stderr, code := runTool(t, folder, append(args, "--format", "json")...)
	if code > 1 {
		t.Fatalf("%v: exit %d\n%s", args, code, stderr)
	}
	document, err := jsonschema.UnmarshalJSON(strings.NewReader(stdout))
	if err != nil {
		t.Fatal(err)
	}
	return document.(map[string]any)
}

// across lists the findings between systems as "rule system: sentence".
func across(document map[string]any) (list, fingerprints []string) {
	for _, f := range document["findings"].([]any) {
		f := f.(map[string]any)
		rule := strings.TrimPrefix(f["rule"].(string), "check/")
		if slices.ContainsFunc([]string{"link-", "person-", "odd-one-out", "no-rules", "export-old", "rules-unused"},
			func(p string) bool { return strings.HasPrefix(rule, p) }) {
			list = append(list, fmt.Sprintf("%s %s: %s", rule, f["system"], f["sentence"]))
			fingerprints = append(fingerprints, f["fingerprint"].(string))
		}
	}
	return list, fingerprints
}

const peopleEstate = `estate: People
as_of: 2026-11-23 06:00
people: {match: [employee_no, email], from: staff}
systems:
  staff:
    export: {read: mapping, from: staff.csv, mapping: m.yaml}
    privileged: '"root" in groups'
    rules: r
  shop:
    export: {read: mapping, from: shop.csv, mapping: m.yaml}
    privileged: '"root" in groups'
    rules: r
  quiet:
    export: {read: mapping, from: quiet.csv, mapping: m.yaml}
    as_of: 2026-09-01
    kinds: {service: login startsWith "svc"}
links:
  - {between: [staff, shop], because: one password, same: [lockout_attempts, min_length], password: shared}
  - {between: [shop, quiet], because: the shop asks, password: shared}
`

// peopleFolder is an estate of three systems, each with its settings in its own
// policy, made for what is found between systems.
func peopleFolder(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	mapping := "mapping: m\ndates: yyyy-mm-dd\nyes: yes\nno: no\nsettings:\n  - {file: FILE-set.csv, layout: pairs, key: k, " +
		"value: v, policy: p, default: yes, take: {min_length: least, max_length: {from: most, words: {\"-\": none}}, " +
		"lockout_attempts: tries, history: old, max_age: {from: age, unit: days, zero: never}}}\naccounts:\n  - file: " +
		"FILE.csv\n    fixed: {password_usable: yes, blank: no}\n    take: {login: user, employee_no: no, email: mail, " +
		"groups: groups, kind: kind, enabled: on, second_factor: second, password_set: set}\n"
	for name, settings := range map[string]string{
		"staff": "least,15\nmost,-\ntries,5\nold,12\nage,90\n",
		"shop":  "least,4\nmost,8\ntries,9\nold,3\nage,0\n",
		"quiet": "least,4\nmost,-\ntries,5\nold,12\nage,90\n",
	} {
		writeIn(t, folder, name+"-m.yaml", strings.ReplaceAll(mapping, "FILE", name))
		writeIn(t, folder, name+"-set.csv", "k,v\n"+settings)
	}
	const head = "user,no,mail,groups,kind,on,second,set\n"
	writeIn(t, folder, "staff.csv", head+
		"ada,0017,ada@a.example,root,person,yes,yes,2026-10-01\n"+
		"bea,18,bea@a.example,,person,no,no,2026-10-01\n"+
		"cy,19,cy@a.example,,person,yes,no,2024-01-01\n"+
		"dot,20,,,person,yes,no,2026-10-01\n"+
		"eve,21,eve@a.example,,person,yes,no,2026-10-01\n"+
		"fay,22,eve@a.example,,person,yes,no,2026-10-01\n")
	writeIn(t, folder, "shop.csv", head+
		"ada.s,,ADA@a.example,root,person,yes,no,2026-10-01\n"+ // by mail, which staff has beside 17
		"bea,18,,,person,yes,no,2026-10-01\n"+
		"cy,19,,,person,yes,no,2023-05-05\n"+
		"dot,17,,,person,yes,no,2026-10-01\n"+ // the name of another person
		"gus,99,,,person,yes,no,2026-10-01\n"+ // whom staff does not know
		"hal,,,,person,yes,no,2026-10-01\n"+ // without any key
		"svc,17,,,service,yes,no,2020-01-01\n")
	writeIn(t, folder, "quiet.csv", head+"svc1,,,,service,yes,no,2026-08-01\n")
	writeIn(t, folder, "estate.yaml", strings.NewReplacer("staff.csv, mapping: m.yaml",
		"[staff.csv, staff-set.csv], mapping: staff-m.yaml", "shop.csv, mapping: m.yaml",
		"[shop.csv, shop-set.csv], mapping: shop-m.yaml", "quiet.csv, mapping: m.yaml",
		"[quiet.csv, quiet-set.csv], mapping: quiet-m.yaml").Replace(peopleEstate))
	writeIn(t, folder, "rules/r.yaml", "rules: r\nclauses:\n  - {id: a, expect: {min_length: at least 8}}\n")
	writeIn(t, folder, "rules/spare.yaml", "rules: spare\nclauses:\n  - {id: a, expect: {min_length: at least 8}}\n")
	return folder
}

// TestFindingsBetweenSystems: each kind of gap, and no other, is found where it
// was made; check and gaps tell the same with the same fingerprints.
func TestFindingsBetweenSystems(t *testing.T) {
	t.Parallel()
	folder := peopleFolder(t)
	want := []string{
		"export-old quiet: its export is 83 days older than the newest of the estate",
		"link-ages shop: the longer history is useless: quiet bars the last 12, and shop, where the same password can be " +
			"set, the last 3 (the shop asks)",
		"link-ages shop: the shorter life wins: quiet ends the password after 90 days, and what shop allows (never) is " +
			"never reached (the shop asks)",
		"link-ages staff: the longer history is useless: staff bars the last 12, and shop, where the same password can be " +
			"set, the last 3 (one password)",
		"link-ages staff: the shorter life wins: staff ends the password after 90 days, and what shop allows (never) is " +
			"never reached (one password)",
		"link-no-common-password staff: no password satisfies it together with shop (one password): staff has min_length " +
			"15, shop has max_length 8",
		"link-unequal shop: lockout_attempts is 9 here and 5 on quiet, and must be equal (the shop asks): quiet locks after " +
			"5 failures and shop after 9: whoever fails 5 times is locked out by quiet while shop still answers",
		"link-unequal staff: lockout_attempts is 5 here and 9 on shop, and must be equal (one password): staff locks after " +
			"5 failures and shop after 9: whoever fails 5 times is locked out by staff while shop still answers",
		"link-unequal staff: min_length is 15 here and 4 on shop, and must be equal (one password)",
		"no-rules quiet: no rules hold for it, so that only the built-in checks look at it",
		"person-ambiguous staff: accounts whose keys lead to several people, so that they are not matched",
		"person-factor-elsewhere shop: privileged accounts without a second factor, of people who have one as privileged on staff",
		"person-login-shared shop: sign-in names that belong to different people on other systems",
		"person-login-shared staff: sign-in names that belong to different people on other systems",
		"person-never-expires shop: passwords that never end, of people whose passwords end on staff",
		"person-never-expires shop: passwords that never end, of people whose passwords end on staff",
		"person-off-elsewhere shop: enabled accounts of people who are switched off on staff",
		"person-stale staff: people whose passwords are more than 365 days old on every system they are on",
		"person-unknown shop: accounts of people whom staff does not know",
		"person-unknown shop: accounts of people without any of the keys that people are matched by",
		"rules-unused estate: the rule set spare holds for no system",
	}
	checked := gapsJSON(t, folder, "check")
	got, prints := across(checked)
	slices.Sort(got)
	if !slices.Equal(got, want) {
		t.Errorf("%s\nexpected\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	slices.Sort(prints)
	if unlike := slices.Compact(slices.Clone(prints)); len(unlike) != len(prints) {
		t.Errorf("fingerprints stand twice: %v", prints)
	}
	gaps := gapsJSON(t, folder, "gaps")
	_, same := across(gaps)
	slices.Sort(same)
	if !slices.Equal(prints, same) {
		t.Errorf("check and gaps differ: %v and %v", prints, same)
	}
	who := map[string]string{}
	for _, f := range checked["findings"].([]any) {
		f := f.(map[string]any)
		for _, e := range f["reach"].(map[string]any)["examples"].([]any) {
			who[f["rule"].(string)+" "+f["system"].(string)] += e.(map[string]any)["login"].(string) + " "
		}
	}
	for rule, want := range map[string]string{
		"check/person-ambiguous staff": "eve fay ", "check/person-factor-elsewhere shop": "ada.s ",
		"check/person-login-shared shop": "dot ", "check/person-login-shared staff": "dot ",
		"check/person-off-elsewhere shop": "bea ", "check/person-stale staff": "cy ", "check/person-never-expires shop": "ada.s dot cy ",
	} {
		if got := strings.Fields(who[rule]); !slices.Equal(sorted(got), sorted(strings.Fields(want))) {
			t.Errorf("%s: %v, expected %s", rule, got, want)
		}
	}
	people := gaps["people"].(map[string]any)
	if fmt.Sprintf("%v %v %v", people["people"], people["ambiguous"], people["on_several_systems"]) != "5 1 3" {
		t.Errorf("%v", people)
	}
}

func sorted(list []string) []string { return slices.Sorted(slices.Values(list)) }

// TestChecksBetweenSystemsCanBeSet: each can be switched off or weighed anew,
// and an exception covers one.
func TestChecksBetweenSystemsCanBeSet(t *testing.T) {
	t.Parallel()
	folder := peopleFolder(t)
	replaceIn(t, filepath.Join(folder, "estate.yaml"), "people: {",
		"checks: {person-unknown: off, export-old: 90 days, link-ages: high, rules-unused: off, person-stale: 2000 "+
			"days}\npeople: {")
	writeIn(t, folder, "exceptions.yaml", "exceptions:\n  - {system: staff, rule: check/link-unequal, because: agreed, "+
		"owner: Ada, until: 2027-01-01}\n")
	document := gapsJSON(t, folder, "check")
	list, _ := across(document)
	text := strings.Join(list, "\n")
	for _, gone := range []string{"person-unknown", "export-old", "rules-unused", "person-stale", "link-unequal staff"} {
		if strings.Contains(text, gone) {
			t.Errorf("%s is still found:\n%s", gone, text)
		}
	}
	if accepted := len(document["accepted"].([]any)); accepted != 2 {
		t.Errorf("%d are accepted, expected the two of staff", accepted)
	}
	for _, f := range document["findings"].([]any) {
		if f := f.(map[string]any); f["rule"] == "check/link-ages" && f["severity"] != "high" {
			t.Errorf("%v", f)
		}
	}
}

// TestGapsFollowTheirSchema, on the demo and on a part of it.
func TestGapsFollowTheirSchema(t *testing.T) {
	t.Parallel()
	schema, err := jsonschema.NewCompiler().Compile("../docs/schema/gaps-1.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	folder := demoFolder(t)
	for _, args := range [][]string{{"gaps"}, {"gaps", "tills"}, {"gaps", "--only", "differing", "--setting", "max_age"}} {
		document := gapsJSON(t, folder, args...)
		if err := schema.Validate(document); err != nil {
			t.Errorf("%v: %v", args, err)
		}
		document["extra"] = 1
		if schema.Validate(document) == nil {
			t.Errorf("%v: the schema takes anything", args)
		}
	}
	if document := gapsJSON(t, peopleFolder(t), "gaps"); schema.Validate(document) != nil {
		t.Error(schema.Validate(document))
	}
}
