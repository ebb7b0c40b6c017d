package mapping_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"yewcone/core/audit"
	"yewcone/intake/intaketest"
	"yewcone/intake/intaketest/bothways"
	"yewcone/intake/text"
)

// made is an estate made at random.
type made struct {
	*rand.Rand
	files   map[string]string
	crowded bool // with another system, where it may
}

func (m *made) pick(list ...string) string { return list[m.IntN(len(list))] }

// texts are what stands in the columns, and odd ones.
var texts = map[string][]string{
	"unit": {"Fleet", "Fleet/Deck", "Shore/Cargo", "Shore", ""}, "role": {"administrator", "master", "clerk", "administrator;clerk", ""},
	"type": {"person", "service", "shared", "ghost"}, "active": {"yes", "no", "yes", "yes"}, "on": {"1", "0", ""}, "locked": {"yes", "no", ""},
	"must": {"yes", "no", "maybe"}, "never": {"no", "yes"}, "second": {"yes", "no", "null"},
	"group":  {"stores", "stores;berth", "berth;tide", "tide;  stores ", "stores2;old stores", ";", "null", ""},
	"scheme": {"bcrypt", "md5", "rot13", ""}, "hash": {"$6$aa$bb", "$6$aa$cc", "{SSHA}xyz", "plain", ""}, "least": {"8", "12", "14", "x", ""},
	"policy": {"crew", "office", "lost", ""}, "rounds": {"7", "none", ""},
}

// mails and days are told apart by their parts.
var mails = []string{"ann@keelby.example", "ben@marrowby.example", "", "NULL", " cy@keelby.example "}

func (m *made) day() string {
	switch m.IntN(60) {
	case 0:
		return ""
	case 1:
		return "never"
	case 2:
		return "2026-13-40"
	case 3:
		return "null"
	case 4:
		return "2026-11-01"
	}
	return time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Add(-time.Duration(m.IntN(900*24)) * time.Hour).Format(time.RFC3339)
}

var someColumns = []string{"unit", "role", "type", "active", "on", "locked", "must", "never", "second", "group", "scheme", "hash", "least", "policy", "rounds"}

// estate makes one of some rows in a form.
func (m *made) estate(form string, rows int) {
	odd := 4 << m.IntN(5)   // one in so many texts is not the usual
	twice := m.IntN(8) == 0 // names that stand twice send everything the long way
	var table strings.Builder
	columns := append([]string{"login", "mail", "made", "set", "seen", "ends", "since", "staff"}, someColumns...)
	if form == "csv" {
		fmt.Fprintln(&table, strings.Join(columns, ","))
	}
	for i := range rows {
		values := []string{fmt.Sprintf("u%d", i), mails[m.IntN(len(mails))], m.day(), m.day(), m.day(), "", "", fmt.Sprint("E", i)}
		if m.IntN(6) == 0 {
			values[0] = m.pick("test-", "svc-", " ") + values[0]
		}
		if m.IntN(odd) == 0 {
			values[1] = values[0]
		}
		if twice && m.IntN(40) == 0 {
			values[0] = m.pick("", "u1", "u2")
		}
		if m.IntN(2*odd) == 0 {
			values[5] = m.pick(m.day(), "2026-11-22T06:00:00Z", "2026-12-24")
		}
		if m.IntN(odd) == 0 {
			values[6] = m.pick(m.day(), "2026-11-23T05:50:00Z", "2026-11-20T00:00:00Z")
		}
		if m.IntN(odd) == 0 {
			values[7] = m.pick("", "null", "e1", " 00E2")
		}
		for _, c := range someColumns {
			text := texts[c][0]
			if m.IntN(odd) == 0 {
				text = texts[c][m.IntN(len(texts[c]))]
			}
			values = append(values, text)
		}
		switch form {
		case "csv":
			for j := range values {
				if m.IntN(30) == 0 {
					values[j] = `"` + values[j] + `"`
				}
			}
			fmt.Fprintln(&table, strings.Join(values, ","))
		case "ndjson":
			object := map[string]any{}
			for j, v := range values {
				switch {
				case v == "null":
					object[columns[j]] = nil
				case m.IntN(8*odd) == 0: // missing
				case columns[j] == "group" && v != "":
					object[columns[j]] = strings.Split(v, ";")
				default:
					object[columns[j]] = v
				}
			}
			line, _ := json.Marshal(object)
			fmt.Fprintf(&table, "%s\n", line)
		}
	}
	m.files["accounts."+form] = table.String()
	at := func(c string) string {
		if form == "ndjson" {
			return "$." + c
		}
		return c
	}
	var take strings.Builder
	line := func(fact, column, more string) {
		if fact == "login" || m.IntN(8) > 0 {
			fmt.Fprintf(&take, "      %s: {from: %q%s}\n", fact, at(column), more)
		}
	}
	line("login", "login", "")
	line("email", "mail", m.pick("", ", empty: nobody@marrowby.example"))
	line("employee_no", "staff", m.pick("", ", null: E3"))
	line("created", "made", m.pick("", ", words: {never: unknown}"))
	line("password_set", "set", m.pick(", empty: never, words: {never: never}", ", empty: not set", ", words: {never: never}"))
	line("last_sign_in", "seen", m.pick(", empty: never", ", words: {never: never}, empty: never, null: unknown"))
	line("account_ends", "ends", m.pick("", ", empty: never"))
	line("locked_since", "since", m.pick("", ", empty: not locked", ", empty: never"))
	line("unit", "unit", "")
	line("roles", "role", `, split: ";"`)
	line("kind", "type", m.pick("", ", words: {ghost: service}"))
	line("enabled", "active", m.pick("", fmt.Sprintf(`, only_if: {from: %q, yes: ["1"], no: ["0"], otherwise: no}`, at("on"))))
	if m.IntN(2) == 0 {
		line("locked_until", "since", "")
	}
	line("locked", "locked", m.pick("", ", empty: no"))
	line("must_change", "must", m.pick("", ", else: no"))
	line("never_expires", "never", "")
	line("second_factor", "second", m.pick("", ", null: no"))
	if form == "csv" {
		line("groups", "group", `, split: ";"`)
	} else if m.IntN(4) > 0 {
		fmt.Fprintf(&take, "      groups: {from: \"$.group[*]\"%s}\n", m.pick("", ", missing: none"))
	}
	line("storage", "scheme", ", words: {bcrypt: salted slow, md5: unsalted fast}")
	if m.IntN(2) == 0 {
		line("stored_value", "hash", "")
	}
	policies, chooses := "", ""
	if m.IntN(2) == 0 {
		m.files["policies.csv"] = "name,length,age,part,hold\ncrew,9,90,stores,30\noffice,14,,berth,60\nmaster,15,30,master,\n"
		policies = "settings:\n  - file: policies.csv\n    layout: rows\n    policy: name\n"
		if chooses = m.pick("assigned", "strictest", "loosest", "own before role"); chooses == "assigned" {
			line("policy", "policy", "")
		} else {
			policies += "    roles: part\n"
		}
		policies += "    take: {min_length: length, max_age: {from: age, unit: days}, lockout_duration: {from: hold, unit: minutes}}\n"
		chooses = "    chooses: " + chooses + "\n    default: crew\n"
	}
	set := ""
	if m.IntN(2) == 0 {
		set = fmt.Sprintf("    set:\n      min_length: {from: %q%s}\n", at("least"), m.pick("",
			`, only_if: {from: "`+at("on")+`", yes: ["1"], no: ["0"], otherwise: 3}`))
	}
	fixed := m.pick("", "    fixed: {password_usable: yes}\n", "    fixed: {groups: everybody, password_usable: yes}\n",
		"    fixed: {unit: Shore, second_factor: no}\n")
	m.files["mapping.yaml"] = "mapping: made\ndates: iso 8601\nyes: yes\nno: no\n" + policies +
		fmt.Sprintf("accounts:\n  - file: accounts.%s\n%s    take:\n%s%s", form, fixed, take.String(), set)
	var clauses strings.Builder
	for i := range 2 + m.IntN(6) {
		fmt.Fprintf(&clauses, "  - id: c%d\n    %s: %s\n    because: it is asked\n", i, "forbid", m.condition())
		if m.IntN(2) == 0 {
			fmt.Fprintf(&clauses, "    for: %s\n", m.condition())
		}
	}
	fmt.Fprintf(&clauses, "  - id: length\n    for: %s\n    expect: {min_length: at least 12; at least 16 from 2027-03-01}\n"+
		"    because: it is asked\n", m.condition())
	m.files["rules/made.yaml"] = "rules: made\ntitle: Made\nclauses:\n" + clauses.String()
	more := ""
	if m.crowded && m.IntN(3) == 0 {
		more = m.people(rows)
	}
	kinds := ""
	if m.IntN(3) == 0 {
		kinds = "    kinds:\n      service: 'login startsWith \"svc-\"'\n      shared: '\"stores\" in groups and login contains \"1\"'\n"
	}
	m.files["estate.yaml"] = "estate: Made\nas_of: 2026-11-23 06:00\nsystems:\n  accounts:\n" +
		fmt.Sprintf("    export: {read: mapping, from: accounts.%s, mapping: mapping.yaml}\n", form) + chooses + kinds +
		m.pick("", "    privileged: '\"administrator\" in roles'\n", "    privileged: 'under(unit, \"Fleet\") and second_factor'\n") + "    rules: made\n" + more
}

// document makes one document of the lines of an estate in JSON; it draws nothing.
func (m *made) document() {
	if lines, there := m.files["accounts.ndjson"]; there {
		delete(m.files, "accounts.ndjson")
		m.files["accounts.json"] = `{"rows":[` + strings.ReplaceAll(strings.TrimSpace(lines), "\n", ",\n") + "]}"
		m.files["mapping.yaml"] = strings.Replace(m.files["mapping.yaml"], "accounts.ndjson\n", "accounts.json\n    rows: \"$.rows[*]\"\n", 1)
		m.files["estate.yaml"] = strings.Replace(m.files["estate.yaml"], "accounts.ndjson", "accounts.json", 1)
	}
}

// nested puts some members of each line in JSON into an object, which some lines have
// as null and some not at all; it draws nothing.
func (m *made) nested(t *testing.T) {
	lines, there := m.files["accounts.ndjson"]
	if !there {
		return
	}
	inner := []string{"unit", "scheme", "since", "on"}
	var out strings.Builder
	for i, line := range strings.Split(strings.TrimSpace(lines), "\n") {
		object, within := map[string]any{}, map[string]any{"more": []any{i}}
		if err := json.Unmarshal([]byte(line), &object); err != nil {
			t.Fatal(err)
		}
		for _, name := range inner {
			if value, is := object[name]; is {
				within[name] = value
				delete(object, name)
			}
		}
		if object["n"] = within; i/20%3 == 0 && i%4 < 3 { // also where a shape is learned
			object["n"] = nil
		} else if i%31 == 0 {
			delete(object, "n")
		}
		text, err := json.Marshal(object)
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&out, "%s\n", text)
	}
	m.files["accounts.ndjson"] = out.String()
	for _, name := range inner {
		m.files["mapping.yaml"] = strings.ReplaceAll(m.files["mapping.yaml"], fmt.Sprintf("%q", "$."+name), fmt.Sprintf("%q", "$.n."+name))
	}
}

// people makes another system, with accounts of the same people.
func (m *made) people(rows int) string {
	var table strings.Builder
	fmt.Fprintln(&table, "login,mail,staff,active,power,second,set")
	for i := range rows {
		if m.IntN(4) > 0 {
			fmt.Fprintf(&table, "%s%d,%s,E%d,%s,%s,%s,%s\n", m.pick("u", "w"), i, strings.TrimSpace(mails[m.IntN(len(mails))]), i,
				m.pick("yes", "yes", "no"), m.pick("yes", "no"), m.pick("yes", "no"), m.day())
		}
	}
	m.files["others.csv"] = table.String()
	m.files["others.yaml"] = "mapping: others\ndates: iso 8601\nyes: yes\nno: no\naccounts:\n  - file: others.csv\n" +
		"    fixed: {password_usable: yes, kind: person}\n" +
		"    take:\n      login: login\n      email: mail\n      employee_no: staff\n      enabled: active\n      second_factor: second\n" +
		"      password_set: {from: set, words: {never: never}}\n"
	return "  others:\n    export: {read: mapping, from: others.csv, mapping: others.yaml}\n    known: {max_age: 90 days}\n" +
		"    privileged: 'login contains \"1\"'\n" +
		"people:\n  match: [" + m.pick("employee_no", "employee_no, email", "login", "employee_no, login") + "]\n" + m.pick("", "  from: others\n")
}

// condition asks for all sorts of facts together.
func (m *made) condition() string {
	parts := []string{`enabled`, `not second_factor`, `"stores" in groups`, `"administrator" in roles`, `under(unit, "Fleet")`, `unit == "Shore"`,
		`login startsWith "test-"`, `email contains "keelby"`, `kind == "person"`, `idle > days(90)`, `password_age > days(200)`, `never_signed_in`,
		`locked`, `must_change and password_age > days(14)`, `storage < "salted slow"`, `account_age between days(10) and days(400)`, `overdue`,
		`password_set < created`, `email == login`, `not (email == login)`, `login != email`, `short_login in ["u3", "u4", "u5"]`, `policy == "office"`,
		`account_ends < date("2026-12-31")`,
		`login in ["u7", "u8"]`, `email matches "^b.*e$"`, `never_changed`, `dated_in_future`}
	text := parts[m.IntN(len(parts))]
	for range m.IntN(3) {
		text += m.pick(" and ", " or ", " and not ") + "(" + parts[m.IntN(len(parts))] + ")"
	}
	return "'" + strings.ReplaceAll(text, "'", "''") + "'"
}

// dated makes more of an estate depend on dates, and on what follows from them; it draws
// from another source, so that all else stays as it was.
func (m *made) dated(seed uint64) {
	m.Rand = rand.New(rand.NewPCG(seed, 8))
	parts := []string{"used_after_end", "overdue_for > days(5)", `password_expires < date("2026-12-20")`, "last_sign_in < password_set",
		"older_than_policy", `password_set > date("2026-01-01")`, "idle == days(30)", "locked_for_ever", "shut", "lasts_for_ever",
		"days(100) <= password_age", "overdue_open", "created == last_sign_in", "older_than_rules"}
	clauses := ""
	for i := range 3 {
		clauses += fmt.Sprintf("  - id: d%d\n    forbid: '%s%s(%s)'\n    because: it is asked\n",
			i, m.pick(parts...), m.pick(" and ", " or ", " and not "), m.pick(parts...))
	}
	m.files["rules/made.yaml"] += clauses + m.replacing()
	if m.IntN(2) == 0 {
		m.files["exceptions.yaml"] = "exceptions:\n" + m.excused("d0", parts) + m.excused("e0", parts)
		m.files["rules/made.yaml"] += fmt.Sprintf("  - id: e0\n    forbid: %s\n    because: it is asked\n", m.pick("enabled", "not second_factor", "must_change"))
	}
	if m.IntN(3) == 0 {
		m.files["mapping.yaml"] = strings.Replace(m.files["mapping.yaml"], "      account_ends:", "      password_expires:", 1)
	}
	if m.IntN(2) == 0 {
		m.files["estate.yaml"] = strings.Replace(m.files["estate.yaml"], "    rules: made\n", "    rules: made\n    known: "+
			m.pick("{max_age: 3 months}", "{max_age: 100 days}", "{max_age: 10 days, grace_period: 2 months}",
				"{max_age: off}", "{max_age: 7 hours, grace_signins: 3}")+"\n", 1)
	}
}

// replacing makes clauses that take the place of others: which of two counts may hang on a
// date, or on none.
func (m *made) replacing() string {
	clauses := ""
	for i, replaced := range []string{"c0", "c1", "d1", "length"}[:m.IntN(5)] {
		clauses += fmt.Sprintf("  - id: r%d\n    for: %s\n    forbid: %s\n    replaces: %s\n    because: it is asked\n", i, m.condition(), m.condition(), replaced)
	}
	return clauses
}

// excused makes an exception for what a clause forbids.
func (m *made) excused(clause string, parts []string) string {
	return fmt.Sprintf("  - system: accounts\n    rule: made/%s\n    accounts: '%s'\n    because: it is so\n    owner: Ada\n    until: %s\n",
		clause, m.pick(append([]string{"enabled", "second_factor", `kind == "person"`}, parts...)...), m.pick("2026-10-31", "2027-03-31"))
}

// quick runs an estate both ways and returns how many estates could be read.
func quick(t *testing.T, seed uint64) bool {
	t.Helper()
	r := rand.New(rand.NewPCG(seed, 7))
	m := &made{Rand: r, files: map[string]string{}, crowded: true}
	m.estate(m.pick("csv", "ndjson"), 20+m.IntN(900))
	if seed%5 == 2 {
		m.nested(t)
	}
	if seed%7 == 3 {
		m.document()
	}
	if seed%3 == 1 {
		m.dated(seed)
	}
	switch seed / 2 % 4 {
	case 1:
		m.entries(t)
	case 2:
		m.columnar(t)
	}
	folder := intaketest.Write(t, m.files)
	want, ok := bothways.Judge(t, folder, audit.Options{Jobs: 1, Singly: true})
	for i, jobs := range []int{1, 3, 2} {
		o := audit.Options{Jobs: jobs}
		if i == 2 {
			if !ok || seed%2 == 1 { // half of them in parts, too
				break
			}
			o.Portions = portions(t, folder, jobs, 1+r.IntN(4))
		}
		got, _ := bothways.Judge(t, folder, o)
		if a, b, differ := bothways.Differ(want, got); differ {
			t.Fatalf("seed %d, %d jobs:\n each on its own %s\n the quick way   %s\n%s\n%s", seed, jobs, a, b,
				m.files["mapping.yaml"], m.files["rules/made.yaml"])
		}
	}
	if !ok {
		t.Logf("seed %d: %s", seed, want)
	}
	return ok
}

// portions judges an estate in parts, and returns them in another order.
func portions(t *testing.T, folder string, jobs, of int) []*audit.Portion {
	t.Helper()
	var list []*audit.Portion
	for _, n := range rand.Perm(of) {
		subjects, o, err := bothways.Open(folder, audit.Options{Jobs: jobs})
		if err != nil {
			t.Fatal(err)
		}
		var file bytes.Buffer
		if err := audit.RunShare(subjects, o, audit.Share{Number: n + 1, Of: of}, "made", func(p *audit.Portion) error { return p.Write(&file) }); err != nil {
			t.Fatal(err)
		}
		p, err := audit.OpenPortion(bytes.NewReader(file.Bytes()), int64(file.Len()))
		if err != nil {
			t.Fatal(err)
		}
		list = append(list, p)
	}
	return list
}

// TestQuickWay: what comes out is the same when rows that are like others are not
// filled in.
func TestQuickWay(t *testing.T) {
	read, all := 0, uint64(150)
	if testing.Short() { // with the race detector, which finds what it finds in few
		all = 20
	}
	for seed := range all {
		if quick(t, seed) {
			read++
		}
	}
	if read < int(all)*4/5 {
		t.Errorf("only %d of %d estates could be read", read, all)
	}
}

// TestQuickOrigin: a setting that stands on accounts is told with the place of the first
// that is reached, also where another account of its sort came before.
func TestQuickOrigin(t *testing.T) {
	table := "login,never,seen\nada,yes,2026-11-01T10:00:00Z\nbee,yes,2026-01-01T10:00:00Z\ncy,yes,2026-01-02T10:00:00Z\n"
	m := &made{files: map[string]string{
		"accounts.csv": table, "policies.csv": "name,age\nhouse,90\n",
		"estate.yaml": "estate: Made\nas_of: 2026-11-20\nsystems:\n  one:\n    export: {read: mapping, from: accounts.csv, mapping: mapping.yaml}\n    rules: made\n",
		"mapping.yaml": "mapping: made\ndates: iso 8601\nyes: yes\nno: no\nsettings:\n  - file: policies.csv\n    layout: rows\n    policy: name\n" +
			"    take: {max_age: {from: age, unit: days}}\naccounts:\n  - file: accounts.csv\n    fixed: {password_usable: yes}\n" +
			"    take: {login: login, never_expires: never, last_sign_in: seen}\n",
		"rules/made.yaml": "rules: made\ntitle: Made\nclauses:\n  - {id: age, for: 'idle > days(90)', expect: {max_age: at most 90 days}, because: it is asked}\n",
	}}
	folder := intaketest.Write(t, m.files)
	for _, singly := range []bool{true, false} {
		subjects, o, err := bothways.Open(folder, audit.Options{Jobs: 1, Singly: singly})
		if err != nil {
			t.Fatal(err)
		}
		got, err := audit.Run("made", subjects, o)
		if err != nil {
			t.Fatal(err)
		}
		told := 0
		for _, f := range got.Findings {
			if f.Rule.String() == "made/age" {
				if told = f.Origin.Line; len(f.Reach.Examples) != 2 {
					t.Errorf("singly %v: %+v", singly, f)
				}
			}
		}
		if told != 3 {
			t.Errorf("singly %v: it stands on line %d", singly, told)
		}
	}
}

// TestQuickOfSort: accounts of one sort with other dates, whom one clause reaches alike,
// but an exception or a step does not.
func TestQuickOfSort(t *testing.T) {
	rules := "rules: made\ntitle: Made\nclauses:\n  - {id: on, forbid: enabled, because: it is asked}\n" +
		"  - {id: idle, forbid: idle > days(30), because: it is asked}\n" +
		"  - {id: length, for: enabled, expect: {min_length: at least 8; at least 16 from 2027-03-01}, because: it is asked}\n" +
		"  - {id: later, for: enabled, expect: {min_length: at least 12}, replaces: length, because: it is asked}\n"
	files := map[string]string{
		"accounts.csv": "login,on,seen\n",
		"estate.yaml": "estate: Made\nas_of: 2026-11-20\nsystems:\n  one:\n    export: {read: mapping, from: accounts.csv, mapping: mapping.yaml}\n" +
			"    known: {min_length: 14}\n    rules: made\n",
		"mapping.yaml": "mapping: made\ndates: iso 8601\nyes: yes\nno: no\naccounts:\n  - file: accounts.csv\n    fixed: {password_usable: yes}\n" +
			"    take: {login: login, enabled: on, last_sign_in: seen}\n",
		"exceptions.yaml": "exceptions:\n  - {system: one, rule: made/on, accounts: idle > days(90), because: it is so, owner: Ada, until: 2027-03-31}\n",
	}
	for i, seen := range []string{"2026-11-19", "2026-11-18", "2026-05-01", "2026-10-01", "2026-11-17", "2026-04-01"} {
		files["accounts.csv"] += fmt.Sprintf("u%d,yes,%sT10:00:00Z\n", i, seen)
	}
	for _, from := range []string{"", "from 2027-01-01"} { // when a clause replaces another
		files["rules/made.yaml"] = strings.Replace(rules, "at least 12}", strings.TrimSpace("at least 12 "+from)+"}", 1)
		folder := intaketest.Write(t, files)
		want, _ := bothways.Judge(t, folder, audit.Options{Jobs: 1, Singly: true})
		if !strings.Contains(want, "it is so") || strings.Contains(want, "asks at least 16 from 2027-03-01") != (from != "") {
			t.Fatal("nothing is accepted, or no step is ahead: ", want)
		}
		got, _ := bothways.Judge(t, folder, audit.Options{Jobs: 1})
		if a, b, differ := bothways.Differ(want, got); differ {
			t.Errorf("%q: each on its own %s\nby sorts           %s", from, a, b)
		}
	}
}

func FuzzQuickWay(f *testing.F) {
	f.Add(uint64(236)) // accounts without a password, under several policies
	f.Add(uint64(1000))
	f.Fuzz(func(t *testing.T, seed uint64) { quick(t, seed) })
}

func init() { text.PieceSize = 1 << 12 } // so that few rows are in several pieces
