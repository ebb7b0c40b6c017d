package cli

import (
	"bytes"
	"compress/gzip"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// The same crew in every form. Names hold what forms find hard: letters that
// are not ASCII, a comma, a quote, a line break.
const crewCSV = `user,name,active,set,groups
amund,"Åmund Kær",yes,2026-03-01T08:00:00Z,deck;watch
bea,"Bea, ""Bosun"" Quill",no,2025-12-24T23:59:59Z,deck
cyril,"Cyril
Second line",yes,,
`

const crewFacts = `amund|Åmund Kær|true|2026-03-01T08:00:00Z|deck,watch
bea|Bea, "Bosun" Quill|false|2025-12-24T23:59:59Z|deck
cyril|Cyril
Second line|true|never|
`

const crewTake = `    take:
      login: user
      display_name: name
      enabled: active
      password_set: {from: set, empty: never, null: empty}
`

// readForm reads files through a mapping and returns the facts of the
// accounts, and what intake says.
func readForm(t *testing.T, mapping string, files map[string]string) (facts, report string, code int) {
	t.Helper()
	folder := t.TempDir()
	var from []string
	for name, data := range files {
		from = append(from, name)
		if err := os.WriteFile(filepath.Join(folder, name), []byte(data), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for name, text := range map[string]string{
		"mapping.yaml": "mapping: Crew\n" + mapping,
		"estate.yaml": "estate: E\nas_of: 2026-11-23\nsystems:\n  crew:\n    export: {read: mapping, from: [" +
			strings.Join(from, ", ") + "], mapping: mapping.yaml}\n",
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	report, stderr, code := runTool(t, folder, "intake")
	report = strings.Join(strings.Fields(report+stderr), " ")
	snapshot, _, _ := runTool(t, folder, "intake", "crew", "--format", "json")
	var out strings.Builder
	for line := range strings.Lines(snapshot) {
		var x struct {
			Account *struct {
				Login       string
				DisplayName string `json:"display_name"`
				Enabled     *bool
				PasswordSet string `json:"password_set"`
				Groups      []string
			}
		}
		if err := json.Unmarshal([]byte(line), &x); err != nil {
			t.Fatal(err)
		}
		if a := x.Account; a != nil {
			enabled := "unknown"
			if a.Enabled != nil {
				enabled = fmt.Sprint(*a.Enabled)
			}
			fmt.Fprintf(&out, "%s|%s|%s|%s|%s\n", a.Login, a.DisplayName, enabled, a.PasswordSet, strings.Join(a.Groups, ","))
		}
	}
	return out.String(), report, code
}

func encoded(t *testing.T, text string, to transform.Transformer) string {
	t.Helper()
	out, _, err := transform.String(to, text)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func gzipped(t *testing.T, text string) string {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	_, _ = w.Write([]byte(text))
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func zstandard(t *testing.T, text string) string {
	t.Helper()
	w, err := zstd.NewWriter(nil)
	if err != nil {
		t.Fatal(err)
	}
	return string(w.EncodeAll([]byte(text), nil))
}

// delimited writes the crew with another delimiter.
func delimited(t *testing.T, comma rune) string {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(crewCSV)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.Comma = comma
	if err := w.WriteAll(rows); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

const crewTop = "dates: iso 8601\nyes: \"yes\"\nno: \"no\"\n"

// TestForms: accounts come out the same from every form, encoding and packing.
func TestForms(t *testing.T) {
	t.Parallel()
	csvMapping := crewTop + "accounts:\n  - file: %s\n" + crewTake + "      groups: {from: groups, split: \";\"}\n"
	asCSV := func(name string) string { return fmt.Sprintf(csvMapping, name) }
	utf16le, utf16be := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	bare := unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)
	const jsonRows = `{"user":"amund","name":"\u00c5mund Kær","active":true,"set":"2026-03-01T08:00:00Z","groups":["deck","watch"]}
{"groups":["deck"],"set":"2025-12-24T23:59:59Z","active":false,"name":"Bea, \"Bosun\" Quill","user":"bea"}
{"user":"cyril","name":"Cyril\nSecond line","active":true,"set":null,"groups":[]}
`
	jsonTop := "dates: iso 8601\nyes: \"true\"\nno: \"false\"\n"
	jsonTake := strings.NewReplacer(": user", ": $.user", ": name", ": $.name", ": active", ": $.active", "from: set",
		"from: $.set").Replace(crewTake) + "      groups: $.groups[*]\n"
	xmlTake := strings.NewReplacer(": user", ": \"@user\"", ": name", ": names/full", "enabled: active",
		"enabled: state/@active").Replace(crewTake) + "      groups: group\n"
	for _, c := range []struct {
		name, mapping string
		files         map[string]string
	}{
		{"csv", asCSV("a.csv"), map[string]string{"a.csv": crewCSV}},
		{"csv with a mark", asCSV("a.csv"), map[string]string{"a.csv": "\ufeff" + crewCSV}},
		{"csv with crlf", asCSV("a.csv"), map[string]string{"a.csv": strings.ReplaceAll(crewCSV, "\n", "\r\n")}},
		{"csv with semicolons", asCSV("a.csv"), map[string]string{"a.csv": delimited(t, ';')}},
		{"tsv", asCSV("a.tsv"), map[string]string{"a.tsv": delimited(t, '\t')}},
		{"csv with bars", asCSV("a.txt"), map[string]string{"a.txt": delimited(t, '|')}},
		{"utf-16 little", asCSV("a.csv"), map[string]string{"a.csv": encoded(t, crewCSV, utf16le.NewEncoder())}},
		{"utf-16 big", asCSV("a.csv"), map[string]string{"a.csv": encoded(t, crewCSV, utf16be.NewEncoder())}},
		{"utf-16 without a mark", asCSV("a.csv"), map[string]string{"a.csv": encoded(t, crewCSV, bare.NewEncoder())}},
		{"windows-1252 found out", asCSV("a.csv"), map[string]string{"a.csv": encoded(t, crewCSV, charmap.Windows1252.NewEncoder())}},
		{"latin-1 named", "encoding: latin-1\n" + asCSV("a.csv"),
			map[string]string{"a.csv": encoded(t, crewCSV, charmap.ISO8859_1.NewEncoder())}},
		{"gzip", asCSV("a.csv.gz"), map[string]string{"a.csv.gz": gzipped(t, crewCSV)}},
		{"zstd", asCSV("a.csv.zst"), map[string]string{"a.csv.zst": zstandard(t, crewCSV)}},
		{"gzip of utf-16", asCSV("a.csv"), map[string]string{"a.csv": gzipped(t, encoded(t, crewCSV, utf16le.NewEncoder()))}},
		{"json lines", jsonTop + "accounts:\n  - file: a.jsonl\n" + jsonTake, map[string]string{"a.jsonl": jsonRows}},
		{"json lines with blanks", jsonTop + "accounts:\n  - file: a.ndjson\n" + jsonTake,
			map[string]string{"a.ndjson": "\n" + strings.NewReplacer(`":`, `" : `, `,"`, ` , "`).Replace(jsonRows) + "\n"}},
		{"json list", jsonTop + "accounts:\n  - file: a.json\n" + jsonTake, map[string]string{"a.json": "[\n" +
			strings.ReplaceAll(strings.TrimSpace(jsonRows), "\n", ",\n") + "\n]\n"}},
		{"json within", jsonTop + "accounts:\n  - file: a.json\n    rows: $.data.users[*]\n" + jsonTake,
			map[string]string{"a.json": `{"before":[1,{"users":[]}],"data":{"users":[` +
				strings.ReplaceAll(strings.TrimSpace(jsonRows), "\n", ",") + `]},"after":{}}`}},
		{"xml", crewTop + "accounts:\n  - file: a.xml\n    rows: crew/person\n" + xmlTake,
			map[string]string{"a.xml": `<?xml version="1.0" encoding="UTF-8"?>
<ship><crew>
  <person user="amund"><names><full>Åmund Kær</full></names><state active="yes"/>
    <set>2026-03-01T08:00:00Z</set><group>deck</group><group>watch</group></person>
  <person user="bea"><names><full>Bea, "Bosun" Quill</full></names><state active="no"/><set>2025-12-24T23:59:59Z</set><group>deck</group></person>
  <person user="cyril"><names><full><![CDATA[Cyril
Second line]]></full></names><state active="yes"/></person>
</crew></ship>`}},
		{"xml over many lines", crewTop + "accounts:\n  - file: a.xml\n    rows: crew/person\n" + xmlTake,
			map[string]string{"a.xml": `<?xml version="1.0" encoding="UTF-8"?>
<ship><!-- a remark -->
      <crew>
  <person user="amund">
      <names>
      <full>Åmund Kær</full>
      </names>
      <state active="yes"/>
      <set>2026-03-01T08:00:00Z</set>
      <group>deck</group>
      <group>watch</group>
      </person>
  <person user="bea">
      <names>
      <full>Bea, "Bosun" Quill</full>
      </names>
      <state active="no"/>
      <set>2025-12-24T23:59:59Z</set>
      <group>deck</group>
      </person>
  <person user="cyril">
      <names>
      <full>
      <![CDATA[Cyril
Second line]]>
      </full>
      </names>
      <state active="yes"/>
      </person>
</crew>
      </ship>`}},
		{"xml in windows-1252", crewTop + "accounts:\n  - file: a.xml\n    rows: person\n" + xmlTake,
			map[string]string{"a.xml": encoded(t, `<?xml version="1.0" encoding="windows-1252"?>
<crew><person user="amund"><names><full>Åmund Kær</full></names><state active="yes"/>
    <set>2026-03-01T08:00:00Z</set><group>deck</group><group>watch</group></person>
<person user="bea"><names><full>Bea, &quot;Bosun&quot; Quill</full></names><state active="no"/><set>2025-12-24T23:59:59Z</set><group>deck</group></person>
<person user="cyril"><names><full>Cyril&#10;Second line</full></names><state active="yes"/></person></crew>`, charmap.Windows1252.NewEncoder())}},
		{"ldif", "dates: generalized time\nyes: \"TRUE\"\nno: \"FALSE\"\naccounts:\n  - file: a.ldif\n    rows: " +
			"crewMember\n" + crewTake + "      groups: group\n",
			map[string]string{"a.ldif": `version: 1

dn: ou=crew,dc=example
objectClass: organizationalUnit

# folded, and in base64
dn: user=amund,ou=crew,dc=example
objectClass: top
objectClass: crewMember
user: amu
 nd
name:: w4VtdW5kIEvDpnI=
active: TRUE
set: 20260301080000Z
group: deck
group: watch

dn: user=bea,ou=crew,dc=example
objectClass: CrewMember
Group: deck
Set: 20251224235959Z
Active: FALSE
Name: Bea, "Bosun" Quill
User: bea

dn: user=cyril,ou=crew,dc=example
objectClass: crewMember
user: cyril
name:: Q3lyaWwKU2Vjb25kIGxpbmU=
active: TRUE

`}},
		{"members in rows", crewTop + "accounts:\n  - file: a.csv\n" + crewTake +
			"    members:\n      - {file: m.csv, account: who, group: team}\n", map[string]string{
			"a.csv": strings.NewReplacer(",groups", "", ",deck;watch", "", ",deck", "", ",yes,,", ",yes,").Replace(crewCSV),
			"m.csv": "team,who\ndeck,amund\ndeck,bea\nwatch,amund\nwatch,nobody\n"}},
		{"members by number", crewTop + "accounts:\n  - file: a.csv\n" + crewTake +
			"    members:\n      - {file: m.csv, account: who, group: team, id: number, match: set, split: \" \"}\n",
			map[string]string{
				"a.csv": strings.NewReplacer(",groups", "", ",deck;watch", "", ",deck", "", ",yes,,", ",yes,").Replace(crewCSV),
				"m.csv": "number,team,who\n1,deck,2026-03-01T08:00:00Z " +
					"2025-12-24T23:59:59Z\n2,watch,2026-03-01T08:00:00Z\n"}},
		{"groups as columns", crewTop + "accounts:\n  - file: a.csv\n" + crewTake +
			"      groups: {columns: [deck, watch]}\n", map[string]string{
			"a.csv": strings.NewReplacer(",groups", ",deck,watch", ",deck;watch", ",yes,yes", ",deck\n", ",yes,no\n",
				",yes,,", ",yes,,no,no").Replace(crewCSV)}},
	} {
		t.Run(c.name, func(t *testing.T) {
			facts, report, code := readForm(t, c.mapping, c.files)
			if facts != crewFacts || code != 0 {
				t.Errorf("exit %d\n got %q\nwant %q\n%s", code, facts, crewFacts, report)
			}
			if found := strings.Contains(report, "read as Windows-1252, since it is no "+
				"UTF-8"); found != strings.HasPrefix(c.name, "windows-1252 found") && !strings.Contains(c.name, "xml in") {
				t.Errorf("whether the encoding was found out is not said: %s", report)
			}
		})
	}
}

// TestWordsNotUnderstood: what the mapping does not say is refused with its
// place, in every kind of column, and never turned into no or nothing.
func TestWordsNotUnderstood(t *testing.T) {
	t.Parallel()
	const top = crewTop + "accounts:\n  - file: a.csv\n    take:\n      login: user\n"
	for _, c := range []struct{ name, take, header, value, says string }{
		{"flag", "      enabled: x", "x", "maybe", `a.csv:2: enabled: "maybe" is not understood`},
		{"date", "      created: x", "x", "soon", `a.csv:2: created: "soon" is not understood`},
		{"impossible date", "      created: x", "x", "2026-02-30", `a.csv:2: created: "2026-02-30" is not understood`},
		{"kind", "      kind: x", "x", "contractor", `a.csv:2: kind: "contractor" is not understood`},
		{"group column", "      groups: {columns: [x]}", "x", "", `a.csv:2: groups: what nothing in the column of a group means is not said`},
		{"storage", "      storage: x", "x", "{SSHA}secret", `a.csv:2: storage: the text here is not understood`},
		{"own setting", "    set:\n      max_age: x", "x", "ninety", `a.csv:2: max_age:`},
		{"own zero", "    set:\n      max_age: {from: x, unit: days}", "x", "0", "what 0 means is not said"},
		{"filetime zero", "      created: {from: x, dates: filetime}", "x", "0", `created: "0" is not understood`},
		{"filetime never", "      created: {from: x, dates: filetime}", "x", "9223372036854775807", "is not understood"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, report, code := readForm(t, top+c.take+"\n", map[string]string{"a.csv": "user," + c.header + "\nann," + c.value + "\n"})
			if code != 3 || !strings.Contains(report, c.says) || !strings.Contains(report, "1 row or value refused") {
				t.Errorf("exit %d, expected 3 and %q: %s", code, c.says, report)
			}
			if strings.Contains(report, "{SSHA}secret") {
				t.Error("a stored password is shown")
			}
		})
	}
}

// TestDateFormsInMappings: one moment, written in every way.
func TestDateFormsInMappings(t *testing.T) {
	t.Parallel()
	for form, text := range map[string]string{
		"iso 8601": "2026-03-01T08:00:00Z", "generalized time": "20260301080000Z", "epoch seconds": "1772352000",
		"epoch milliseconds": "1772352000000",
		"filetime":           "134168256000000000", "spreadsheet days": "46082.333333333336", "dd/mm/yyyy hh:mm": "01/03/2026 08:00",
		"d mon yyyy hh:mm:ss": "1 Mar 2026 08:00:00",
	} {
		facts, report, _ := readForm(t, "dates: "+form+"\naccounts:\n  - file: a.csv\n    take: {login: user, password_set: "+
			"set}\n", map[string]string{"a.csv": "user,set\nann," + text + "\n"})
		if facts != "ann||unknown|2026-03-01T08:00:00Z|\n" {
			t.Errorf("%s: %q\n%s", form, facts, report)
		}
	}
	facts, _, _ := readForm(t, "dates: yyyy-mm-dd hh:mm\nzone: America/New_York\naccounts:\n  - file: a.csv\n    take: "+
		"{login: user, password_set: set}\n", map[string]string{"a.csv": "user,set\nann,2026-03-01 03:00\n"})
	if facts != "ann||unknown|2026-03-01T08:00:00Z|\n" {
		t.Errorf("in a zone: %q", facts)
	}
	facts, _, _ = readForm(t, "dates: epoch days\naccounts:\n  - file: a.csv\n    take: {login: user, password_set: set}\n",
		map[string]string{"a.csv": "user,set\nann,20513\n"})
	if facts != "ann||unknown|2026-03-01|\n" {
		t.Errorf("epoch days: %q", facts)
	}
}
