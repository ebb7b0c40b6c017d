package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/xuri/excelize/v2"
)

// hostile are names that would do harm where they are not made safe.
var hostile = []string{
	`<script>alert(1)</script>`, `"><img src=x onerror=alert(1)>`, `=HYPERLINK("http://x.example")`, `+1+1`, `-2+3`, `@SUM(A1)`,
	"red\x1b[31m", "bell\x07", "left\u202etxt.exe", "nul\u0000less", "tab\there", `quote'"back\slash`, `]]>`, `{{.Estate}}`,
	`| pipe | **bold** |`, "<b>bold</b>&amp;",
}

// hostileFolder is an estate whose accounts, policies and values have such
// names.
func hostileFolder(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	var users []map[string]any
	for i, name := range hostile {
		users = append(users, map[string]any{"login": name, "name": name, "role": name, "set": "2020-01-01", "admin": fmt.Sprint(i%2 == 0)})
	}
	data, err := json.Marshal(users)
	if err != nil {
		t.Fatal(err)
	}
	writeIn(t, folder, "users.json", string(data))
	var roles []map[string]any
	for _, name := range hostile {
		roles = append(roles, map[string]any{"role": name, "least": "4"})
	}
	if data, err = json.Marshal(roles); err != nil {
		t.Fatal(err)
	}
	writeIn(t, folder, "roles.json", string(data))
	writeIn(t, folder, "m.yaml", "mapping: m\ndates: yyyy-mm-dd\nyes: \"true\"\nno: \"false\"\nsettings:\n  - {file: "+
		"roles.json, layout: rows, policy: $.role, roles: $.role, take: {min_length: $.least}}\naccounts:\n  - file: "+
		"users.json\n    fixed: {password_usable: yes}\n    take: {login: $.login, display_name: $.name, roles: $.role, "+
		"password_set: $.set, privileged: $.admin}\n")
	writeIn(t, folder, "rules/r.yaml", "rules: r\nclauses:\n  - {id: length, expect: {min_length: at least 14}, because: "+
		"\"<script>alert(2)</script>\"}\n  - {id: age, forbid: password_age > days(90), says: \"=1+1 passwords that are "+
		"old\"}\n  - {id: unknown, expect: {history: at least 5}}\n")
	writeIn(t, folder, "estate.yaml", "estate: \"<script>alert(3)</script> =1+1\"\nas_of: 2026-11-23\nsystems:\n  a:\n    "+
		"title: \"<b>title</b>\"\n    export: {read: mapping, from: [users.json, roles.json], mapping: m.yaml}\n    rules: "+
		"r\n")
	writeIn(t, folder, "exceptions.yaml", "exceptions:\n  - {system: a, rule: r/age, because: \"<i>=cmd|' /C "+
		"calc'!A0</i>\", owner: \"@owner\", until: 2027-01-01}\n")
	return folder
}

// written runs report in a form and returns the file.
func written(t *testing.T, folder, format string, args ...string) []byte {
	t.Helper()
	path := filepath.Join(t.TempDir(), "out")
	_, stderr, code := runTool(t, folder, append([]string{"report", "--format", format, "--out", path}, args...)...)
	if code != 0 && code != 3 {
		t.Fatalf("%s: exit %d\n%s", format, code, stderr)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

var fingerprints = regexp.MustCompile(`\b[0-9a-f]{12}\b`)

// prints returns the fingerprints of a result, as one of its forms holds them.
func prints(t *testing.T, format string, data []byte) []string {
	t.Helper()
	var list []string
	switch format {
	case "json":
		var d struct {
			Findings, Accepted []struct{ Fingerprint string }
		}
		if err := json.Unmarshal(data, &d); err != nil {
			t.Fatal(err)
		}
		for _, f := range append(d.Findings, d.Accepted...) {
			list = append(list, f.Fingerprint)
		}
	case "csv":
		rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		for _, row := range rows[1:] {
			list = append(list, row[0])
		}
	case "xlsx":
		book, err := excelize.OpenReader(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		for sheet, column := range map[string]int{"Findings": 14, "Exceptions": 7} {
			rows, err := book.GetRows(sheet)
			if err != nil {
				t.Fatal(err)
			}
			for _, row := range rows[1:] {
				list = append(list, row[column])
			}
		}
	case "sarif":
		for _, m := range regexp.MustCompile(`"yewcone/v1": "([0-9a-f]{12})"`).FindAllStringSubmatch(string(data), -1) {
			list = append(list, m[1])
		}
	case "oscal":
		var d struct {
			Results struct {
				Results []struct {
					Findings []struct {
						Props []struct{ Name, Value string }
					}
				}
			} `json:"assessment-results"`
		}
		if err := json.Unmarshal(data, &d); err != nil {
			t.Fatal(err)
		}
		for _, r := range d.Results.Results {
			for _, f := range r.Findings {
				list = append(list, f.Props[1].Value)
			}
		}
	default:
		list = fingerprints.FindAllString(string(data), -1)
	}
	slices.Sort(list)
	if format == "json" || format == "csv" || format == "xlsx" || format == "sarif" || format == "oscal" || format == "ndjson" {
		return list // each stands once
	}
	return slices.Compact(list)
}

// TestFormsCarryTheSame: every form has the same findings, with the same
// fingerprints, of the demo and of an estate with exceptions.
func TestFormsCarryTheSame(t *testing.T) {
	t.Parallel()
	people := peopleFolder(t)
	writeIn(t, people, "exceptions.yaml", "exceptions:\n  - {system: staff, rule: check/link-unequal, because: agreed, "+
		"owner: Ada, until: 2027-01-01}\n")
	for _, folder := range []string{demoFolder(t), people, hostileFolder(t)} {
		want := prints(t, "json", written(t, folder, "json"))
		if len(want) < 3 {
			t.Fatalf("only %d findings", len(want))
		}
		for _, format := range []string{"text", "html", "xlsx", "markdown", "csv", "ndjson", "sarif", "junit", "oscal"} {
			got := prints(t, format, written(t, folder, format))
			for _, print := range want {
				if !slices.Contains(got, print) {
					t.Errorf("%s lacks %s", format, print)
				}
			}
			expected := want
			if format == "markdown" || format == "junit" { // which are read as texts
				expected = slices.Compact(slices.Clone(want))
			}
			if format != "html" && format != "text" && len(got) != len(expected) {
				t.Errorf("%s has %d findings, expected %d", format, len(got), len(expected))
			}
		}
	}
}

// TestFormsAreSafe: names that would do harm come through as plain text.
func TestFormsAreSafe(t *testing.T) {
	t.Parallel()
	folder := hostileFolder(t)
	page := string(written(t, folder, "html"))
	if strings.Count(page, "<script>") != 1 || strings.Count(page, "<img") != 0 || strings.Count(page, "<b>title") != 0 ||
		strings.Count(page, "<i>") != 0 {
		t.Error("the page holds elements out of names")
	}
	for _, pattern := range []string{`(?i)\bhttps?://`, `(?i)<(link|iframe|object|embed|base)\b`, `(?i)<[^>]*\son\w+=`,
		`(?i)@import`, `(?i)url\(`} {
		if found := regexp.MustCompile(pattern).FindString(strings.ReplaceAll(page, "&#34;http://x.example&#34;", "")); found != "" {
			t.Errorf("the page has %q", found)
		}
	}
	for _, format := range []string{"text", "html", "markdown", "csv", "ndjson", "sarif", "junit", "oscal", "json"} {
		data := string(written(t, folder, format))
		for _, bad := range []string{"\x1b", "\x07", "\u202e", "\x00"} {
			if strings.Contains(data, bad) {
				t.Errorf("%s holds %q", format, bad)
			}
		}
		if format == "csv" {
			rows, err := csv.NewReader(strings.NewReader(data)).ReadAll()
			if err != nil {
				t.Fatal(err)
			}
			for _, row := range rows {
				for _, c := range row {
					if c != "" && strings.ContainsRune("=+-@\t\r", rune(c[0])) {
						t.Errorf("a cell begins like a formula: %q", c)
					}
				}
			}
		}
		if format == "markdown" {
			for line := range strings.Lines(data) {
				if strings.Contains(line, "<script>") || strings.Contains(line, "**bold**") {
					t.Errorf("markup comes through: %s", line)
				}
			}
		}
	}
	book, err := excelize.OpenReader(bytes.NewReader(written(t, folder, "xlsx")))
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for _, sheet := range book.GetSheetList() {
		rows, err := book.GetRows(sheet)
		if err != nil {
			t.Fatal(err)
		}
		for r := range rows {
			for c, text := range rows[r] {
				at, err := excelize.CoordinatesToCellName(c+1, r+1)
				if err != nil {
					t.Fatal(err)
				}
				if formula, err := book.GetCellFormula(sheet, at); err != nil || formula != "" {
					t.Errorf("%s!%s is a formula: %q, %v", sheet, at, formula, err)
				}
				if strings.HasPrefix(text, "=") || strings.HasPrefix(text, "@") || strings.HasPrefix(text, "+") {
					seen++
				}
			}
		}
	}
	if seen < 3 {
		t.Errorf("only %d names that look like formulas were seen as texts", seen)
	}
}

// TestWorkbook: sheets, kinds of cells, frozen headings and filters.
func TestWorkbook(t *testing.T) {
	t.Parallel()
	book, err := excelize.OpenReader(bytes.NewReader(written(t, demoFolder(t), "xlsx")))
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(book.GetSheetList(), "|"); got != "Summary|To do|To do, Staff office|To do, Harbour office|To do, Crewing|"+
		"To do, Catering|To do, Trade desk|Findings|Settings|Gaps|Accounts|Unknowns|Exceptions" {
		t.Errorf("%s", got)
	}
	for _, sheet := range book.GetSheetList() {
		panes, err := book.GetPanes(sheet)
		if err != nil || !panes.Freeze || panes.YSplit != 1 {
			t.Errorf("%s: the heading is not frozen: %+v, %v", sheet, panes, err)
		}
		if tables, err := book.GetTables(sheet); err != nil || len(tables) != 1 || !strings.HasPrefix(tables[0].Range, "A1:") {
			t.Errorf("%s has no filters: %+v, %v", sheet, tables, err)
		}
		if width, err := book.GetColWidth(sheet, "A"); err != nil || width < 9 {
			t.Errorf("%s: %v, %v", sheet, width, err)
		}
	}
	for at, want := range map[string]excelize.CellType{"A2": excelize.CellTypeInlineString, "D2": excelize.CellTypeNumber,
		"C2": excelize.CellTypeNumber} {
		got, err := book.GetCellType("Summary", at)
		if err != nil || got != want && !(want == excelize.CellTypeNumber && got == excelize.CellTypeUnset) {
			t.Errorf("Summary!%s is of type %v, expected %v (%v)", at, got, want, err)
		}
	}
	if text, err := book.GetCellValue("Summary", "C2"); err != nil || text != "2026-11-16 09:00" {
		t.Errorf("%q, %v", text, err)
	}
	first, second := written(t, demoFolder(t), "xlsx"), written(t, demoFolder(t), "xlsx")
	if !bytes.Equal(first, second) {
		t.Error("two workbooks of the same differ")
	}
}

// TestSARIFFollowsItsSchema, the one that OASIS publishes for version 2.1.0.
func TestSARIFFollowsItsSchema(t *testing.T) {
	t.Parallel()
	schema, err := jsonschema.NewCompiler().Compile("testdata/schemas/sarif-2.1.0.json")
	if err != nil {
		t.Fatal(err)
	}
	for _, folder := range []string{demoFolder(t), hostileFolder(t)} {
		document, err := jsonschema.UnmarshalJSON(bytes.NewReader(written(t, folder, "sarif")))
		if err != nil {
			t.Fatal(err)
		}
		if err := schema.Validate(document); err != nil {
			t.Error(err)
		}
		run := document.(map[string]any)["runs"].([]any)[0].(map[string]any)
		rules := run["tool"].(map[string]any)["driver"].(map[string]any)["rules"].([]any)
		for _, r := range run["results"].([]any) {
			r := r.(map[string]any)
			n, err := r["ruleIndex"].(json.Number).Int64()
			if err != nil || rules[n].(map[string]any)["id"] != r["ruleId"] {
				t.Errorf("result of %v points to another rule", r["ruleId"])
			}
			if locations, ok := r["locations"].([]any); ok {
				uri := locations[0].(map[string]any)["physicalLocation"].(map[string]any)["artifactLocation"].(map[string]any)["uri"].(string)
				if _, err := os.Stat(filepath.Join(folder, uri)); err != nil && !strings.Contains(uri, "estate.yaml") {
					t.Errorf("a location is no file of the estate: %s", uri)
				}
			}
		}
		document.(map[string]any)["version"] = "2.2"
		if schema.Validate(document) == nil {
			t.Error("the schema takes any version")
		}
	}
}

// TestJUnit: counts agree with what is there, and a partial reading is an
// error.
func TestJUnit(t *testing.T) {
	t.Parallel()
	folder := demoFolder(t)
	if err := os.Truncate(filepath.Join(folder, "exports/rota/users.csv"), 90000); err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
		Errors   int `xml:"errors,attr"`
		Skipped  int `xml:"skipped,attr"`
		Suites   []struct {
			Name  string `xml:"name,attr"`
			Tests int    `xml:"tests,attr"`
			Cases []struct {
				Name    string `xml:"name,attr"`
				Class   string `xml:"classname,attr"`
				Failure *struct {
					Message string `xml:"message,attr"`
				} `xml:"failure"`
				Error   *struct{} `xml:"error"`
				Skipped *struct{} `xml:"skipped"`
			} `xml:"testcase"`
		} `xml:"testsuite"`
	}
	if err := xml.Unmarshal(written(t, folder, "junit"), &doc); err != nil {
		t.Fatal(err)
	}
	tests, failures, errors, skipped := 0, 0, 0, 0
	for _, s := range doc.Suites {
		if s.Tests != len(s.Cases) {
			t.Errorf("%s: %d of %d", s.Name, s.Tests, len(s.Cases))
		}
		tests += s.Tests
		for _, c := range s.Cases {
			if c.Failure != nil {
				failures++
				if c.Failure.Message == "" {
					t.Errorf("%s fails without a message", c.Name)
				}
			}
			if c.Error != nil {
				errors++
			}
			if c.Skipped != nil {
				skipped++
			}
			if c.Class != s.Name || c.Name == "" {
				t.Errorf("%+v", c)
			}
		}
	}
	if tests != doc.Tests || failures != doc.Failures || errors != doc.Errors || skipped != doc.Skipped || errors != 1 ||
		failures < 50 || skipped < 20 {
		t.Errorf("%d tests, %d failures, %d errors, %d skipped; the file says %d, %d, %d, %d", tests, failures, errors,
			skipped, doc.Tests, doc.Failures, doc.Errors, doc.Skipped)
	}
}

// TestOSCAL holds the assessment results against NIST's model reference for
// assessment results, version 1.1.2: the required parts of each assembly, the
// pattern of UUIDs and tokens, allowed values, and that references lead
// somewhere.
func TestOSCAL(t *testing.T) {
	t.Parallel()
	folder := peopleFolder(t)
	writeIn(t, folder, "exceptions.yaml", "exceptions:\n  - {system: staff, rule: check/link-unequal, because: agreed, "+
		"owner: Ada, until: 2027-01-01}\n")
	for _, folder := range []string{demoFolder(t), folder, hostileFolder(t)} {
		var doc map[string]any
		if err := json.Unmarshal(written(t, folder, "oscal"), &doc); err != nil {
			t.Fatal(err)
		}
		if len(doc) != 1 {
			t.Errorf("%d members at the top, expected assessment-results alone", len(doc))
		}
		uuid := regexp.MustCompile(`^[0-9A-Fa-f]{8}-[0-9A-Fa-f]{4}-[45][0-9A-Fa-f]{3}-[89ABab][0-9A-Fa-f]{3}-[0-9A-Fa-f]{12}$`)
		token := regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9._-]*$`)
		stamp := regexp.MustCompile(`^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ$`)
		need := func(what string, m map[string]any, names ...string) {
			t.Helper()
			for _, name := range names {
				if text, isText := m[name].(string); m[name] == nil || isText && strings.TrimSpace(text) == "" {
					t.Errorf("%s has no %s", what, name)
				}
			}
			if id, ok := m["uuid"].(string); ok && !uuid.MatchString(id) {
				t.Errorf("%s: the UUID %s", what, id)
			}
		}
		ar := doc["assessment-results"].(map[string]any)
		need("assessment-results", ar, "uuid", "metadata", "import-ap", "results")
		metadata := ar["metadata"].(map[string]any)
		need("metadata", metadata, "title", "last-modified", "version", "oscal-version")
		if !stamp.MatchString(metadata["last-modified"].(string)) {
			t.Errorf("%v", metadata["last-modified"])
		}
		for _, r := range ar["results"].([]any) {
			r := r.(map[string]any)
			need("result", r, "uuid", "title", "description", "start", "reviewed-controls")
			ids := map[string]bool{}
			list := func(name string) (out []map[string]any) {
				items, _ := r[name].([]any)
				for _, x := range items {
					m := x.(map[string]any)
					if id := m["uuid"].(string); ids[id] {
						t.Errorf("the UUID %s stands twice", id)
					} else {
						ids[id] = true
					}
					out = append(out, m)
				}
				return out
			}
			refer := func(from map[string]any, list, name string) {
				for _, x := range from[list].([]any) {
					if id := x.(map[string]any)[name].(string); !ids[id] {
						t.Errorf("%s leads nowhere", id)
					}
				}
			}
			for _, o := range list("observations") {
				need("observation", o, "uuid", "description", "methods", "collected")
				for _, m := range o["methods"].([]any) {
					if !slices.Contains([]string{"EXAMINE", "INTERVIEW", "TEST", "TEST-AUTOMATED", "UNKNOWN"}, m.(string)) {
						t.Errorf("method %v", m)
					}
				}
			}
			for _, risk := range list("risks") {
				need("risk", risk, "uuid", "title", "description", "statement", "status")
				if !slices.Contains([]string{"open", "investigating", "remediating", "deviation-requested",
					"deviation-approved", "closed"}, risk["status"].(string)) {
					t.Errorf("status %v", risk["status"])
				}
				refer(risk, "related-observations", "observation-uuid")
			}
			for _, f := range list("findings") {
				need("finding", f, "uuid", "title", "description", "target")
				target := f["target"].(map[string]any)
				need("target", target, "type", "target-id", "status")
				if !token.MatchString(target["target-id"].(string)) || target["type"] != "objective-id" &&
					target["type"] != "statement-id" {
					t.Errorf("%v", target)
				}
				status := target["status"].(map[string]any)
				if status["state"] != "not-satisfied" && status["state"] != "satisfied" ||
					!slices.Contains([]string{"pass", "fail", "other"}, status["reason"].(string)) {
					t.Errorf("%v", status)
				}
				refer(f, "related-observations", "observation-uuid")
				refer(f, "related-risks", "risk-uuid")
			}
		}
	}
}

// TestReportSince: what became of findings since an earlier result, in
// words that fit; and what is no such result.
func TestReportSince(t *testing.T) {
	t.Parallel()
	folder := demoFolder(t)
	earlier := string(written(t, folder, "json"))
	replaceIn(t, filepath.Join(folder, "exports/rota/settings.csv"), "Shortest password allowed;10 characters",
		"Shortest password allowed;14 characters")
	replaceIn(t, filepath.Join(folder, "exports/mailboxes/settings.tsv"), "PINs remembered\t5", "PINs remembered\t1")
	writeIn(t, folder, "earlier.json", earlier)
	for format, want := range map[string][]string{"html": {"What changed", "Fixed", "Worse"},
		"markdown": {"## What changed", "fixed: **rota**", "worse: **mailboxes**"}} {
		page := string(written(t, folder, format, "--since", "earlier.json"))
		for _, text := range want {
			if !strings.Contains(page, text) {
				t.Errorf("%s does not say %q", format, text)
			}
		}
		since := regexp.MustCompile(`Since earlier\.json[^;]*: \d+ [^;]*\d+ fixed[^;]*; (\d+) the same`)
		if m := since.FindStringSubmatch(page); m == nil || m[1] == "0" {
			t.Errorf("%s: %v", format, m)
		}
	}
	for name, text := range map[string]string{"no json": "x", "other": `{"format":"yewcone gaps","version":1}`,
		"newer":    `{"format":"yewcone check","version":2}`,
		"no print": `{"format":"yewcone check","version":1,"findings":[{"severity":"high"}]}`} {
		writeIn(t, folder, "wrong.json", text)
		if _, stderr, code := runTool(t, folder, "report", "--since", "wrong.json", "--out", "x.html"); code != 2 ||
			!strings.Contains(stderr, "wrong.json") {
			t.Errorf("%s: exit %d\n%s", name, code, stderr)
		}
	}
}

// TestReportForms: the ending of the file decides, and a wrong word is refused.
func TestReportForms(t *testing.T) {
	t.Parallel()
	folder := peopleFolder(t)
	for name, begins := range map[string]string{"a.html": "<!doctype html>", "a.xlsx": "PK", "a.md": "# Password",
		"a.csv": "fingerprint,", "a.ndjson": "{", "a.sarif": "{", "a.xml": "<?xml", "a.json": "{", "a.txt": "People:",
		"a": "<!doctype"} {
		if _, stderr, code := runTool(t, folder, "report", "--out", name); code != 0 {
			t.Fatalf("%s: exit %d\n%s", name, code, stderr)
		}
		data, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil || !strings.HasPrefix(string(data), begins) {
			t.Errorf("%s begins with %.20q, %v", name, data, err)
		}
	}
	for _, args := range [][]string{{"report", "--format", "htlm"}, {"report", "--examples", "-1"}, {"check", "--format", "pdf"}} {
		if _, stderr, code := runTool(t, folder, args...); code != 2 || stderr == "" {
			t.Errorf("%v: exit %d, %s", args, code, stderr)
		}
	}
}

// TestPageIsSound: names of places stand once, links within lead somewhere,
// headings of tables say what they head, every element is closed, and a page
// over many findings stays small.
func TestPageIsSound(t *testing.T) {
	t.Parallel()
	for _, folder := range []string{demoFolder(t), peopleFolder(t), hostileFolder(t)} {
		page := string(written(t, folder, "html"))
		ids := map[string]bool{}
		for _, m := range regexp.MustCompile(`\bid="([^"]*)"`).FindAllStringSubmatch(page, -1) {
			if ids[m[1]] && !strings.HasPrefix(m[1], "f-") { // an exception may split a finding
				t.Errorf("the name %s stands twice", m[1])
			}
			ids[m[1]] = true
		}
		for _, m := range regexp.MustCompile(`\bhref="#([^"]*)"`).FindAllStringSubmatch(page, -1) {
			if !ids[m[1]] {
				t.Errorf("a link leads to %s, which is not there", m[1])
			}
		}
		for _, m := range regexp.MustCompile(`<th[\s>][^>]*>`).FindAllString(page, -1) {
			if !strings.Contains(m, "scope=") {
				t.Errorf("a heading of a table has no scope: %s", m)
			}
		}
		for _, element := range []string{"section", "table", "thead", "tbody", "tr", "td", "th", "ul", "ol", "li",
			"details", "summary", "figure", "svg", "main", "header", "nav", "div", "span", "code", "h2", "h3"} {
			opened, closed := len(regexp.MustCompile(`<`+element+`[\s>]`).FindAllString(page, -1)), strings.Count(page, "</"+element+">")
			if opened != closed {
				t.Errorf("%d %s are opened and %d closed", opened, element, closed)
			}
		}
		if n := strings.Count(page, "<h1>"); n != 1 {
			t.Errorf("%d headings of the first level", n)
		}
		for _, part := range []string{`lang="en"`, `name="viewport"`, "prefers-color-scheme", "@media print", "aria-label",
			`role="img"`, "Method and limits"} {
			if !strings.Contains(page, part) {
				t.Errorf("the page has no %s", part)
			}
		}
		if len(page) > 2<<20 {
			t.Errorf("the page has %d KB", len(page)>>10)
		}
	}
}
