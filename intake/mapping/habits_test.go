package mapping

import (
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/intaketest"
)

// A habit is something that applications do, in a mapping and its files; a name
// ending in "?" is what is derived of an account.
type habit struct {
	what, mapping string
	files         map[string]string
	want          map[string]string
	noted         string // what is said while reading
}

// hold reads each habit and compares what is said.
func hold(t *testing.T, habits []habit) {
	t.Helper()
	for _, h := range habits {
		t.Run(h.what, func(t *testing.T) {
			files := map[string]string{"m.yaml": "mapping: m\n" + h.mapping}
			from := []string{"."}
			for name, text := range h.files {
				files[name] = text
			}
			format := Format
			open := format.Open
			format.Open = func(r *intake.Request) (facts.Export, error) {
				r.Mapping = "m.yaml"
				return open(r)
			}
			_, notes := intaketest.Read(t, format, from, files)
			intaketest.Hold(t, h.what, intaketest.Derive(t, format, from, files), h.want)
			var said []string
			for _, n := range notes.List() {
				said = append(said, n.Origin.String()+": "+n.Message)
			}
			slices.Sort(said)
			if all := strings.Join(said, "\n"); !strings.Contains(all, h.noted) || h.noted == "" && strings.Contains(all, "not understood") {
				t.Errorf("expected the note %q, found:\n%s", h.noted, all)
			}
		})
	}
}

const oneUser = "user,x\nada,"

// TestVocabulary: zero, empty, null, missing, yes, no, words and else mean the
// same for settings and for facts.
func TestVocabulary(t *testing.T) {
	document := func(take string) string {
		return "settings:\n  - {file: s.json, layout: document, policy: p, default: yes, take: {" + take + "}}\n"
	}
	accounts := func(take string) string {
		return "dates: iso 8601\naccounts:\n  - {file: a.json, rows: \"$[*]\", take: {login: $.u, " + take + "}}\n"
	}
	hold(t, []habit{
		{"a setting's zero", document("max_age: {from: $.a, unit: days, zero: never}"), map[string]string{"s.json": `{"a": 0}`},
			map[string]string{"policy p: max_age": "never"}, ""},
		{"a setting's null", document("max_age: {from: $.a, unit: days, null: never, empty: 5 days}"), map[string]string{"s.json": `{"a": null}`},
			map[string]string{"policy p: max_age": "never"}, ""},
		{"a setting's null that only empty answers", document("max_age: {from: $.a, unit: days, empty: never}"),
			map[string]string{"s.json": `{"a": null}`}, map[string]string{"policy p: max_age": ""}, ""},
		{"a setting's empty", document("max_age: {from: $.a, unit: days, empty: never}"), map[string]string{"s.json": `{"a": ""}`},
			map[string]string{"policy p: max_age": "never"}, ""},
		{"a setting that is missing: the application's default", document("max_age: {from: $.a, unit: days, missing: 90 days}, min_length: $.b"),
			map[string]string{"s.json": `{"b": 8}`}, map[string]string{"policy p: max_age": "90 days", "policy p: min_length": "8"}, ""},
		{"a setting's key that is missing", "settings:\n  - {file: s.csv, layout: pairs, key: k, value: v, policy: p, take: " +
			"{max_age: {from: life, unit: days, missing: 42 days}, min_length: len}}\n", map[string]string{"s.csv": "k,v\nlen,8\n"},
			map[string]string{"policy p: max_age": "42 days", "policy p: min_length": "8"}, ""},
		{"a setting's own words for yes", document("common_barred: {from: $.a, yes: [Ja], no: [Nein]}, dictionary_barred: {from: $.b, " +
			"yes: [an], else: no}"), map[string]string{"s.json": `{"a": "Nein", "b": "aus"}`},
			map[string]string{"policy p: common_barred": "no", "policy p: dictionary_barred": "no"}, ""},
		{"a setting's else", document("second_factor: {from: $.a, words: {must: everyone}, else: \"off\"}"),
			map[string]string{"s.json": `{"a": "maybe"}`}, map[string]string{"policy p: second_factor": "off"}, ""},
		{"a date's null, empty and missing are three things", accounts("last_sign_in: {from: $.x, null: never}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo","x":""},{"u":"cy"},{"u":"di","x":"2026-01-01T00:00:00Z"}]`},
			map[string]string{"account ada: last_sign_in": "never", "account bo: last_sign_in": "", "account cy: last_sign_in": ""}, ""},
		{"null that only empty answers is told", accounts("last_sign_in: {from: $.x, empty: never}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo","x":""}]`},
			map[string]string{"account ada: last_sign_in": "", "account bo: last_sign_in": "never"}, `"$.x" is null in some rows`},
		{"a flag's null, missing and else", accounts("locked: {from: $.x, null: no, missing: no, else: yes}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo"},{"u":"cy","x":"2026-11-01"}]`},
			map[string]string{"account ada: locked": "false", "account bo: locked": "false", "account cy: locked": "true"}, ""},
		{"null as empty", accounts("last_sign_in: {from: $.x, empty: never, null: empty}"), map[string]string{"a.json": `[{"u":"ada","x":null}]`},
			map[string]string{"account ada: last_sign_in": "never"}, ""},
		{"a kind's gaps", accounts("kind: {from: $.x, words: {P: person}, null: service}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo","x":"P"}]`},
			map[string]string{"account ada: kind": "service", "account bo: kind": "person"}, ""},
		{"a list's gaps", accounts("groups: {from: \"$.x[*]\", missing: none}"), map[string]string{"a.json": `[{"u":"ada"},{"u":"bo","x":["g"]}]`},
			map[string]string{"account ada: groups": "[]", "account bo: groups": "[g]"}, ""},
		{"a storage's gaps", accounts("storage: {from: $.x, words: {a: salted fast}, null: cleartext}"),
			map[string]string{"a.json": `[{"u":"ada","x":null},{"u":"bo","x":"a"}]`},
			map[string]string{"account ada: storage": "cleartext", "account bo: storage": "salted fast"}, ""},
	})
}

// TestReadWrongOnce: what was read as something else before.
func TestReadWrongOnce(t *testing.T) {
	table := func(top, take string) string {
		return top + "accounts:\n  - {file: a.csv, take: {login: user, " + take + "}}\n"
	}
	hold(t, []habit{
		{"the zero of a count", table("dates: epoch seconds\n", "last_sign_in: {from: x, zero: never, words: {\"-1\": never}}"),
			map[string]string{"a.csv": oneUser + "0\nbo,-1\ncy,1793637900\n"}, map[string]string{"account ada: last_sign_in": "never",
				"account bo: last_sign_in": "never", "account cy: last_sign_in": "2026-11-02T16:45:00Z"}, ""},
		{"a zero without a meaning", table("dates: epoch seconds\n", "last_sign_in: x"), map[string]string{"a.csv": oneUser + "0\nbo,-1\n"},
			map[string]string{"account ada: last_sign_in": "", "account bo: last_sign_in": ""}, `last_sign_in: "0" is not understood`},
		{"a word for a whole moment", table("dates: iso 8601\n", "account_ends: {from: x, words: {\"9999-12-31T23:59:59Z\": never}}"),
			map[string]string{"a.csv": oneUser + "9999-12-31T23:59:59Z\n"}, map[string]string{"account ada: account_ends": "never"}, ""},
		{"a lock that only has an end", table("dates: iso 8601\n", "locked_until: {from: x, empty: not locked}"),
			map[string]string{"a.csv": oneUser + "2026-11-24T00:00:00Z\nbo,\n"},
			map[string]string{"account ada: locked_until": "2026-11-24T00:00:00Z", "account bo: locked": "false"}, ""},
		{"a whole day and a life in seconds", table("dates: yyyy-mm-dd\nsettings:\n  - {file: s.ini, layout: pairs, key: key, value: value, "+
			"policy: p, default: yes, take: {max_age: {from: life, unit: seconds}}}\n", "password_set: x"),
			map[string]string{"a.csv": oneUser + "2026-08-25\nbo,2026-08-24\n", "s.ini": "life = 7776000\n"}, // 90 days
			map[string]string{"policy p: max_age": "90 days", "account ada: overdue": "no", "account bo: overdue": "yes"}, ""},
		{"a place in a file of one line", "accounts:\n  - {file: a.json, rows: \"$.users[*]\", take: {login: $.u}}\n",
			map[string]string{"a.json": `{"users": [{"u": "ada"}, {"u": ""}]}`}, map[string]string{"account ada: is there": "yes"},
			"a.json ($.users[1]): the row has no sign-in name"},
		{"a key that is almost there", "settings:\n  - {file: s.ini, layout: pairs, key: key, value: value, policy: p, take: {min_length: length}}\n",
			map[string]string{"s.ini": "lenght = 8\n"}, map[string]string{"policy p: min_length": ""}, `it stays unknown; did you mean "lenght"?`},
		{"a password that was never set", table("dates: yyyy-mm-dd\nsettings:\n  - {file: s.ini, layout: pairs, key: key, value: value, "+
			"policy: p, default: yes, take: {max_age: {from: life, unit: days}}}\n", "password_set: {from: x, empty: not set}"),
			map[string]string{"a.csv": oneUser + "\n", "s.ini": "life = 90\n"}, map[string]string{"account ada: overdue": "no"}, ""},
	})
}

// TestHabits: what applications do, and a mapping can say.
func TestHabits(t *testing.T) {
	const rows = "settings:\n  - {file: r.csv, layout: rows, policy: Role, roles: Role, take: "
	crew := func(take string) string { return "accounts:\n  - {file: a.csv, take: {login: user, " + take + "}}\n" }
	hold(t, []habit{
		{"a life that counts for roles with expiry switched on", "yes: [\"on\"]\nno: [\"off\"]\n" + rows +
			"{max_age: {from: Days, unit: days, only_if: {from: Expiry, otherwise: never}}}}\n",
			map[string]string{"r.csv": "Role,Days,Expiry\nA,90,on\nB,90,off\nC,90,\n"},
			map[string]string{"policy A: max_age": "90 days", "policy B: max_age": "never", "policy C: max_age": ""}, ""},
		{"what holds when the switch is missing", rows + "{max_age: {from: Days, unit: days, only_if: {from: Expiry, yes: \"1\", no: \"0\", " +
			"missing: yes, otherwise: never}}}}\n", map[string]string{"r.csv": "Role,Days,Expiry\nC,90,\nD,90,0\n"},
			map[string]string{"policy C: max_age": "90 days", "policy D: max_age": "never"}, ""},
		{"a switch in another row", "settings:\n  - {file: s.ini, layout: pairs, key: key, value: value, policy: p, take: {max_age: " +
			"{from: life, unit: days, only_if: {from: expire, yes: \"1\", no: \"0\", otherwise: never}}}}\n",
			map[string]string{"s.ini": "life = 90\nexpire = 0\n"}, map[string]string{"policy p: max_age": "never"}, ""},
		{"a switch in another table", "settings:\n  - {file: s.ini, layout: pairs, key: key, value: value, policy: p, take: {min_length: len}}\n" +
			"  - {file: r.csv, layout: rows, policy: Role, roles: Role, take: {max_age: {from: Days, unit: days, only_if: " +
			"{file: s.ini, from: expire, yes: \"1\", no: \"0\", otherwise: never}}}}\n",
			map[string]string{"s.ini": "len = 8\nexpire = 0\n", "r.csv": "Role,Days\nA,90\n"},
			map[string]string{"policy A: max_age": "never", "policy p: min_length": "8"}, ""},
		{"must change, that counts only under a setting", "yes: [\"1\"]\nno: [\"0\"]\nsettings:\n  - {file: s.ini, layout: pairs, key: key, " +
			"value: value, policy: p, take: {min_length: len}}\n" + crew("must_change: {from: x, only_if: {file: s.ini, from: force, otherwise: no}}"),
			map[string]string{"s.ini": "len = 8\nforce = 0\n", "a.csv": oneUser + "1\n"}, map[string]string{"account ada: must_change": "false"}, ""},
		{"an account's own life with a switch beside it", "accounts:\n  - {file: a.csv, take: {login: user}, set: {max_age: {from: x, unit: days, " +
			"only_if: {from: own, yes: y, no: n, otherwise: unknown}}}}\n", map[string]string{"a.csv": "user,x,own\nada,30,y\nbo,30,n\n"},
			map[string]string{"account ada: own max_age": "30 days", "account bo: own max_age": ""}, ""},
		{"a word that stands for several settings", "presets:\n  Strong: {min_length: 7, min_classes: 3, max_age: 90 days, history: 4}\n  Weak: " +
			"{min_length: 4}\n" + "settings:\n  - {file: r.csv, layout: rows, policy: Role, preset: Level, take: {history: {from: Kept, zero: none}}}\n",
			map[string]string{"r.csv": "Role,Level,Kept\nA,Strong,\nB,Strong,12\nC,Weak,\nD,Odd,\n"},
			map[string]string{"policy A: min_length": "7", "policy A: history": "4", "policy B: history": "12", "policy B: max_age": "90 days",
				"policy C: min_length": "4", "policy C: history": "", "policy D: min_length": ""}, `"Odd" is none of the presets`},
		{"a preset among pairs", "presets: {Strong: {min_length: 7, history: 4}}\nsettings:\n  - {file: s.ini, layout: pairs, key: key, value: value, " +
			"policy: p, preset: level, take: {history: kept}}\n", map[string]string{"s.ini": "level = Strong\nkept = 9\n"},
			map[string]string{"policy p: min_length": "7", "policy p: history": "9"}, ""},
		{"a word that means: as elsewhere", rows + "{max_age: {from: Days, unit: days, words: {wie Haus: inherit}}}}\n",
			map[string]string{"r.csv": "Role,Days\nA,wie Haus\nB,30\n"}, map[string]string{"policy A: max_age": "", "policy B: max_age": "30 days"}, ""},
		{"units, decimals and thousands of another language", "units: {Wochen: weeks, Tage: days, Std.: hours}\ndecimal: comma\nthousands: point\n" + rows +
			"{max_age: Dauer, lockout_window: {from: Fenster, unit: Std.}}}\n",
			map[string]string{"r.csv": "Role;Dauer;Fenster\nA;12 Wochen;0,5\nB;1.440 Std.;1.000\nC;90 Tage;24\n"},
			map[string]string{"policy A: max_age": "84 days", "policy A: lockout_window": "30 minutes", "policy B: max_age": "60 days",
				"policy B: lockout_window": "1000 hours", "policy C: max_age": "90 days", "policy C: lockout_window": "1 day"}, ""},
		{"a history of all", rows + "{history: {from: Kept, words: {alle: all}}}}\n", map[string]string{"r.csv": "Role,Kept\nA,alle\nB,12\n"},
			map[string]string{"policy A: history": "all", "policy B: history": "12"}, ""},
		{"lengths as clocks show them", rows + "{max_age: a, lockout_duration: {from: b, zero: until unlocked}}}\n",
			map[string]string{"r.csv": "Role,a,b\nA,90.00:00:00,00:30:00\nB,1 02:00:00,0:00:00\n"},
			map[string]string{"policy A: max_age": "90 days", "policy A: lockout_duration": "30 minutes", "policy B: max_age": "26 hours",
				"policy B: lockout_duration": "until unlocked"}, ""},
		{"several forms of dates, months of another language, a fixed zone", "dates: [\"d. month yyyy hh:mm\", dd.mm.yyyy]\nzone: \"+01:00\"\nmonths: " +
			"[Januar, Februar, März, April, Mai, Juni, Juli, August, September, Oktober, November, Dezember]\n" + crew("password_set: x"),
			map[string]string{"a.csv": oneUser + "3. März 2026 06:00\nbo,04.03.2026\n"},
			map[string]string{"account ada: password_set": "2026-03-03T05:00:00Z", "account bo: password_set": "2026-03-04"}, ""},
		{"stored forms by what stands before them", crew("stored_value: x"),
			map[string]string{"a.csv": oneUser + "{SSHA256}abc\nbo,$6$a$b\ncy,pbkdf2_sha256$1$a$b\ndi,something\n"},
			map[string]string{"account ada: storage": "salted fast", "account bo: storage": "salted slow", "account cy: storage": "salted slow",
				"account di: storage": ""}, ""},
		{"factory passwords, and the length of one where an export has it", crew("as_delivered: {from: x, yes: factory, else: no}, password_length: n"),
			map[string]string{"a.csv": "user,x,n\nada,factory,4\nbo,own,\n"}, map[string]string{"account ada: as_delivered": "true",
				"account bo: as_delivered": "false", "account ada: password_length": "4", "account bo: password_length": ""}, ""},
		{"a role and a unit given by the file", "accounts:\n  - {file: a.csv, fixed: {roles: Deck, unit: Quay}, take: {login: user}}\n" +
			"  - {file: b.csv, fixed: {roles: Bridge}, take: {login: user}}\n",
			map[string]string{"a.csv": oneUser + "\n", "b.csv": "user\nbo\n"},
			map[string]string{"account ada: roles": "[Deck]", "account ada: unit": "Quay", "account bo: roles": "[Bridge]"}, ""},
		{"an empty parent", "settings:\n  - {file: r.csv, layout: rows, policy: Role, parent: {from: Like, empty: General}, take: {min_length: Len}}\n",
			map[string]string{"r.csv": "Role,Like,Len\nGeneral,,8\n"}, map[string]string{"policy General: parent": ""}, ""},
		{"several files of one table as one", "accounts:\n  - {file: \"page-*.csv\", take: {login: user}}\n",
			map[string]string{"page-1.csv": "user\nada\n", "page-2.csv": "user\nbo\n"},
			map[string]string{"account ada: is there": "yes", "account bo: is there": "yes"}, ""},
		{"lines of a key and a value", "settings:\n  - {file: s.txt, form: blanks, layout: pairs, key: key, value: value, policy: p, take: " +
			"{min_length: minimum length, max_age: {from: life, unit: days}}}\n",
			map[string]string{"s.txt": "# printed\nminimum length    8\nlife 90\n"}, map[string]string{"policy p: min_length": "8",
				"policy p: max_age": "90 days"}, ""},
		{"what a client counts", "accounts:\n  - {file: a.txt, form: columns, take: {login: User, display_name: Full name}}\n",
			map[string]string{"a.txt": " User  Full name\n------+----------\n ada   Ada A\n bo    Bo B\n(2 rows)\n"},
			map[string]string{"account ada: display_name": "Ada A", "account bo: display_name": "Bo B", "account (2 rows): login": ""}, ""},
		{"what a client misses", "accounts:\n  - {file: a.txt, form: columns, take: {login: User, display_name: Full name}}\n",
			map[string]string{"a.txt": " User  Full name\n------+----------\n ada   Ada A\n(3 rows)\n"},
			map[string]string{"account ada: display_name": "Ada A"}, "a.txt:4: the program that wrote this says that it wrote 3 rows, and 1 were read"},
		{"columns of fixed width", "accounts:\n  - {file: a.txt, form: columns, heading: 2, take: {login: Sign-in, display_name: Full name, " +
			"enabled: {from: In use, yes: y, no: n}}}\n", map[string]string{"a.txt": "Crew of today\nSign-in  Full name      In use\n" +
			"-------  -------------  ------\nada      Ada Åberg      y\nbo                      n\n"},
			map[string]string{"account ada: display_name": "Ada Åberg", "account ada: enabled": "true", "account bo: display_name": "",
				"account bo: enabled": "false"}, ""},
		{"a table of a page", "accounts:\n  - {file: a.html, rows: Crew, take: {login: Sign-in, display_name: Name}}\n",
			map[string]string{"a.html": "<html><table><tr><td>menu</td></tr></table><table><caption>Crew list</caption><tr><th>Sign-in<th>Name</tr>" +
				"<tr><td>ada</td><td>Ada &amp; <b>Co</b></td></tr></table></html>"}, map[string]string{"account ada: display_name": "Ada & Co"}, ""},
	})
}

// TestNotUsed: a column that another table of the same file takes is used.
func TestNotUsed(t *testing.T) {
	folder := intaketest.Write(t, map[string]string{"a.csv": "user,role,age,spare\nada,x,90,1\n",
		"m.yaml": "mapping: m\nsettings:\n  - {file: a.csv, layout: rows, policy: role, take: {max_age: {from: age, unit: days}}}\n" +
			"accounts:\n  - {file: a.csv, fixed: {kind: service}, take: {login: user, roles: role}}\n"})
	export, err := Format.Open(&intake.Request{System: "x", Folder: folder, From: []string{"."}, Mapping: "m.yaml", AsOf: intaketest.AsOf})
	if err != nil {
		t.Fatal(err)
	}
	intaketest.Hold(t, "fixed", intaketest.Said(t, export), map[string]string{"account ada: kind": "service"})
	left := export.(interface{ Unread() []facts.Unread }).Unread()
	if len(left) != 1 || strings.Join(left[0].Names, ",") != "spare" {
		t.Errorf("not used: %v", left)
	}
}

// TestNoSecretInErrors: a first row that is none of headings is not shown.
func TestNoSecretInErrors(t *testing.T) {
	const hash = "$6$c29tZXNhbHQ$c29tZXRoaW5nIHRoYXQgaXMgbm8gaGFzaCBhdCBhbGw"
	for _, row := range []string{"ada," + hash, "ada,{SSHA}c29tZXRoaW5n", "ada,12345"} {
		folder := intaketest.Write(t, map[string]string{"a.csv": row + "\n",
			"m.yaml": "mapping: m\naccounts:\n  - {file: a.csv, take: {login: user}}\n"})
		_, err := Format.Open(&intake.Request{System: "x", Folder: folder, From: []string{"."}, Mapping: "m.yaml", AsOf: intaketest.AsOf})
		_, value, _ := strings.Cut(row, ",")
		if err == nil || strings.Contains(err.Error(), value) || !strings.Contains(err.Error(), "reads like values, not headings") {
			t.Errorf("%.9s: %v", row, err)
		}
	}
}
