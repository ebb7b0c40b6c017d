package cli

import (
	"bufio"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yewcone/demo"
)

// states are the accounts of a system by state, with what is said of each.
type states struct {
	t       *testing.T
	byRule  map[string][]string
	account map[string]map[string]any
}

// checkStates checks a system of the demo estate, changed by edit, with the
// rules of testdata/truth/states.yaml.
func checkStates(t *testing.T, system string, edit func(folder string)) *states {
	t.Helper()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	copyFile(t, "testdata/truth/states.yaml", filepath.Join(folder, "rules/states.yaml"))
	replaceIn(t, filepath.Join(folder, "estate.yaml"), "rules: [house, privileged]", "rules: states")
	if edit != nil {
		edit(folder)
	}
	return statesOf(t, folder, system)
}

// statesAlone checks an estate with one system, described by the lines of its
// entry in estate.yaml, with the rules of testdata/truth/states.yaml and the
// files of a folder, which are in x.
func statesAlone(t *testing.T, exports, entry string, args ...string) *states {
	t.Helper()
	folder := t.TempDir()
	if err := os.CopyFS(filepath.Join(folder, "x"), os.DirFS(exports)); err != nil {
		t.Fatal(err)
	}
	if err := os.MkdirAll(filepath.Join(folder, "rules"), 0o755); err != nil {
		t.Fatal(err)
	}
	copyFile(t, "testdata/truth/states.yaml", filepath.Join(folder, "rules/states.yaml"))
	text := "estate: Alone\nsystems:\n  alone:\n    rules: states\n"
	for line := range strings.SplitSeq(entry, "\n") {
		text += "    " + line + "\n"
	}
	if err := os.WriteFile(filepath.Join(folder, "estate.yaml"), []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return statesOf(t, folder, "alone", args...)
}

// statesOf checks a system and reads who is in which state.
func statesOf(t *testing.T, folder, system string, args ...string) *states {
	t.Helper()
	if _, stderr, code := runTool(t, folder, append([]string{"check", system, "--each", "each.ndjson", "--out",
		"result.txt"}, args...)...); code != 1 {
		result, _ := os.ReadFile(filepath.Join(folder, "result.txt"))
		t.Fatalf("exit %d\n%s\n%s", code, stderr, result)
	}
	f, err := os.Open(filepath.Join(folder, "each.ndjson"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	s := &states{t: t, byRule: map[string][]string{}, account: map[string]map[string]any{}}
	lines := bufio.NewScanner(f)
	for lines.Scan() {
		var line map[string]any
		if err := json.Unmarshal(lines.Bytes(), &line); err != nil {
			t.Fatal(err)
		}
		rule, login := strings.TrimPrefix(line["rule"].(string), "states/"), line["login"].(string)
		s.byRule[rule] = append(s.byRule[rule], login)
		s.account[login] = line
	}
	return s
}

func copyFile(t *testing.T, from, to string) {
	t.Helper()
	data, err := os.ReadFile(from)
	if err == nil {
		err = os.WriteFile(to, data, 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
}

func replaceIn(t *testing.T, path, before, after string) {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil || !strings.Contains(string(data), before) {
		t.Fatalf("%s does not contain %q (%v)", path, before, err)
	}
	if err := os.WriteFile(path, []byte(strings.ReplaceAll(string(data), before, after)), 0o644); err != nil {
		t.Fatal(err)
	}
}

// is checks that exactly these accounts are in a state.
func (s *states) is(rule string, logins ...string) {
	s.t.Helper()
	got := slices.Clone(s.byRule[rule])
	slices.Sort(got)
	slices.Sort(logins)
	if !slices.Equal(got, logins) {
		s.t.Errorf("%s:\n got %v\nwant %v", rule, got, logins)
	}
}

func (s *states) count(rule string, want int) {
	s.t.Helper()
	if got := len(s.byRule[rule]); got != want {
		s.t.Errorf("%s: %d accounts, want %d", rule, got, want)
	}
}

// TestDirectoryTruth holds the directory's export against what the server
// itself did with each account.
func TestDirectoryTruth(t *testing.T) {
	t.Parallel()
	data, err := os.ReadFile("testdata/truth/directory.tsv")
	if err != nil {
		t.Fatal(err)
	}
	for name, edit := range map[string]func(folder string){
		"slapcat": nil,
		"ldapsearch": func(folder string) {
			copyFile(t, "testdata/truth/ldapsearch.ldif", filepath.Join(folder, "exports/directory/slapcat.ldif"))
		},
		"CR LF": func(folder string) {
			replaceIn(t, filepath.Join(folder, "exports/directory/slapcat.ldif"), "\n", "\r\n")
		},
	} {
		t.Run(name, func(t *testing.T) {
			s := checkStates(t, "directory", edit)
			var expired, locked, forEver, mustChange, lasts, clear []string
			for line := range strings.Lines(string(data)) {
				f := strings.Split(strings.TrimRight(line, "\n"), "\t")
				login, policy, set, expires, admin, scheme, state := f[0], f[1], f[2], f[3], f[4], f[5], f[6]
				got := s.account[login]
				wantSet, wantExpires := set, expires
				if strings.HasPrefix(set, "not recorded") {
					wantSet = "unknown"
				}
				if strings.HasPrefix(expires, "never") {
					wantExpires = "never"
					lasts = append(lasts, login)
				}
				want := map[string]any{"policy": strings.TrimSuffix(policy, " (default)"), "password_set": wantSet,
					"expires": wantExpires, "privileged": map[bool]string{true: "yes", false: "no"}[admin == "yes"]}
				for key, value := range want {
					if got[key] != value {
						t.Errorf("%s: %s is %v, want %v", login, key, got[key], value)
					}
				}
				add := func(list *[]string, is bool) {
					if is {
						*list = append(*list, login)
					}
				}
				add(&expired, strings.Contains(state, "expired"))
				add(&locked, strings.Contains(state, "LOCKED"))
				add(&forEver, strings.Contains(state, "by an administrator") || strings.Contains(state, "until unlocked"))
				add(&mustChange, strings.Contains(state, "must change"))
				add(&clear, scheme == "clear text")
			}
			const root = "cn=manager,dc=marrowby,dc=example" // of the configuration
			s.count("account", 29+1)
			lasts = append(lasts, root)
			s.is("overdue", expired...)
			s.is("locked", locked...)
			s.is("locked-for-ever", forEver...)
			s.is("must-change", mustChange...)
			s.is("lasts", lasts...)
			s.is("clear", clear...)
			s.is("slow", "myildirim")
			s.count("fast", 25+1)
			s.is("grace-used", "jbakkevold")
			s.is("shut", "adm-rashid", "ticketkiosk1")
			s.is("counting", "adm-bronagh") // her policy counts failures without a time limit
			s.is("disabled")
			if until := s.account["ttrevanion"]["locked_until"]; until != "2026-11-16 09:11" {
				t.Errorf("ttrevanion is locked until %v", until)
			}
		})
	}
}

// TestDirectoryLater: 45 minutes on, the timed lock has run out.
func TestDirectoryLater(t *testing.T) {
	t.Parallel()
	s := checkStates(t, "directory", func(folder string) {
		replaceIn(t, filepath.Join(folder, "estate.yaml"), "as_of: 2026-11-16 09:00", "as_of: 2026-11-16 09:45")
	})
	s.is("locked", "adm-bronagh", "ewroblewska", "gprydderch")
}

// TestHostTruth holds the Linux host's files against what its running system
// did with each account.
func TestHostTruth(t *testing.T) {
	t.Parallel()
	s := checkStates(t, "quay1", nil)
	s.count("account", 42)
	s.is("privileged", "root", "imogen.tarrant", "pavel.hruska", "svc-backup")
	s.is("locked", "siobhan.keane", "lars.dybdahl")
	s.is("locked-for-ever", "lars.dybdahl")
	s.is("disabled", "mirela.popescu")
	s.is("must-change", "rafael.ortigao")
	s.is("overdue", "nkechi.obiora", "tomasz.wilga", "lars.dybdahl", "mirela.popescu", "dredger")
	s.is("shut", "tomasz.wilga", "lars.dybdahl", "mirela.popescu")
	s.is("blank", "tickets")
	s.is("fast", "dredger", "bridge")
	s.is("slow", "nkechi.obiora", "tomasz.wilga", "siobhan.keane", "eilidh.muir", "svc-tide")
	s.is("hard", "root", "imogen.tarrant", "pavel.hruska", "rafael.ortigao", "hyejin.bae", "lars.dybdahl", "mirela.popescu",
		"yusuf.demirci", "anneke.visser", "halima.warsame", "svc-backup")
	s.is("future", "hyejin.bae")
	var neverUsed []string
	for _, login := range s.byRule["never-signed-in"] {
		if !slices.Contains(s.byRule["unusable"], login) {
			neverUsed = append(neverUsed, login)
		}
	}
	// hyejin.bae, whom lastlog never saw, is in the record of sign-ins
	if want := []string{"rafael.ortigao", "dredger", "svc-tide"}; !slices.Equal(neverUsed, want) {
		t.Errorf("never used: %v, want %v", neverUsed, want)
	}
	for login, want := range map[string][2]string{
		"root": {"2026-09-01", "never"}, "imogen.tarrant": {"2026-10-05", "2027-01-03"}, "nkechi.obiora": {"2026-08-10", "2026-11-08"},
		"siobhan.keane": {"2021-11-20", "never"}, "rafael.ortigao": {"unknown", "unknown"}, "hyejin.bae": {"2027-01-15", "2027-04-15"},
		"eilidh.muir": {"2025-02-03", "never"}, "halima.warsame": {"2026-01-12", "2027-01-12"}, "dredger": {"2019-03-04", "2019-03-04"},
		"svc-manifest": {"2024-02-14", "never"}, "yusuf.demirci": {"2026-09-21", "2026-12-20"},
	} {
		got := s.account[login]
		if got["password_set"] != want[0] || got["expires"] != want[1] {
			t.Errorf("%s: set %v, expires %v; want %v", login, got["password_set"], got["expires"], want)
		}
	}
	if until := s.account["siobhan.keane"]["locked_until"]; until != "2026-11-23 06:14" {
		t.Errorf("siobhan.keane is locked until %v", until)
	}
}

// TestHostSettings holds the host's settings against those that were tried.
func TestHostSettings(t *testing.T) {
	t.Parallel()
	want := map[string]string{
		"min_length": "12", "min_digits": "1", "min_upper": "1", "min_lower": "1", "min_symbols": "none", "max_repeat": "3",
		"min_changed":  "5",
		"names_barred": "yes", "dictionary_barred": "yes", "login_barred": "contained", "history": "11", "storage": "memory-hard",
		"lockout_attempts": "5", "lockout_window": "15 minutes", "lockout_duration": "30 minutes", "blank_allowed": "yes",
		"min_classes": "none", "max_run": "none", "second_factor": "off",
	}
	exactSettings(t, "quay1", "imogen.tarrant", want)
	exactSettings(t, "quay1", "root", map[string]string{"lockout_attempts": "never", "lockout_covers_admins": "no",
		"min_length": "12", "max_age": "never", "warn_before": "7 days"})
	exactSettings(t, "quay1", "anneke.visser", map[string]string{"min_age": "7 days", "max_age": "90 days", "grace_period": "30 days"})
}

// TestRotaSettings holds the roles' settings against the service's rules.
func TestRotaSettings(t *testing.T) {
	t.Parallel()
	exactSettings(t, "rota", "tomasz.wilga", map[string]string{ // a ship officer
		"min_length": "10", "max_length": "64", "min_lower": "1", "min_upper": "1", "min_digits": "1",
		"min_symbols": "none", "max_age": "3 months",
		"min_age": "12 hours", "history": "8", "lockout_attempts": "6", "lockout_window": "15 minutes", "lockout_duration": "1 hour",
		"idle_timeout": "30 minutes", "session_limit": "12 hours", "dormant_after": "never", "second_factor": "optional",
		"temporary_valid": "24 hours",
	})
	exactSettings(t, "rota", "imogen.tarrant", map[string]string{"min_length": "14", "max_age": "2 months", "history": "24",
		"lockout_attempts": "3", "lockout_duration": "until unlocked", "second_factor": "everyone"})
	exactSettings(t, "rota", "mirela.popescu", map[string]string{"min_length": "10", "max_age": "6 months", "history": "3",
		"lockout_attempts": "10", "lockout_duration": "15 minutes", "second_factor": "off"})
	exactSettings(t, "rota", "bridge-sandling", map[string]string{"min_length": "8", "max_age": "never", "history": "none",
		"lockout_attempts": "never"})
	exactSettings(t, "rota", "feed-tides", map[string]string{"min_length": "24", "max_age": "never", "history": "none",
		"lockout_attempts": "6", "lockout_duration": "until unlocked"})
}

// TestDirectorySettings holds the policies against those of the server.
func TestDirectorySettings(t *testing.T) {
	t.Parallel()
	exactSettings(t, "directory", "imacaskill", map[string]string{"min_length": "10", "max_length": "64", "history": "8",
		"min_age": "1 hour", "max_age": "180 days", "warn_before": "14 days", "grace_signins": "3", "lockout_attempts": "6",
		"lockout_window": "15 minutes", "lockout_duration": "30 minutes", "change_at_first_use": "yes",
		"self_change": "yes"})
	exactSettings(t, "directory", "adm-ilse", map[string]string{"min_length": "16", "max_length": "none", "history": "24",
		"min_age": "1 day", "max_age": "60 days", "warn_before": "10 days", "grace_signins": "0", "lockout_attempts": "3",
		"lockout_window": "never", "lockout_duration": "until unlocked"})
	exactSettings(t, "directory", "svc-backup", map[string]string{"min_length": "20", "history": "none", "min_age": "none",
		"max_age": "never", "lockout_attempts": "never", "change_at_first_use": "no", "self_change": "no"})
	exactSettings(t, "directory", "bridge-watch", map[string]string{"min_length": "none", "max_length": "none",
		"history": "1", "max_age": "365 days", "warn_before": "none", "lockout_attempts": "20",
		"lockout_window": "5 minutes", "lockout_duration": "5 minutes", "self_change": "no"})
}

// exactSettings checks the settings that hold for one account: a rule that
// asks for exactly these must have nothing to report.
func exactSettings(t *testing.T, system, login string, want map[string]string) {
	t.Helper()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	rule := "rules: exact\nclauses:\n  - id: all\n    for: login == \"" + login + "\"\n    expect:\n"
	for name, value := range want {
		rule += "      " + name + ": " + value + "\n"
	}
	if err := os.WriteFile(filepath.Join(folder, "rules/exact.yaml"), []byte(rule), 0o644); err != nil {
		t.Fatal(err)
	}
	replaceIn(t, filepath.Join(folder, "estate.yaml"), "rules: [house, privileged]", "rules: exact")
	stdout, stderr, code := runTool(t, folder, "check", system)
	if code > 1 || strings.Contains(stdout, "exact/all") || !strings.Contains(stdout, "1 of 1") {
		t.Errorf("%s %s: exit %d\n%s%s", system, login, code, stdout, stderr)
	}
}

// TestRotaTruth holds the crew rota's export, in three encodings, against the
// counts of the service.
func TestRotaTruth(t *testing.T) {
	t.Parallel()
	for name, file := range map[string]string{"utf-8": "", "windows-1252": "users-windows1252.csv", "utf-16, gzip": "users-utf16.txt.gz"} {
		t.Run(name, func(t *testing.T) {
			s := checkStates(t, "rota", func(folder string) {
				if file != "" {
					copyFile(t, "testdata/truth/"+file, filepath.Join(folder, "exports/rota", file))
					replaceIn(t, filepath.Join(folder, "mappings/rota.yaml"), "file: users.csv", "file: "+file)
					replaceIn(t, filepath.Join(folder, "mappings/rota.yaml"), "encoding: utf-8\n", "")
				}
			})
			s.count("account", 2400)
			s.count("disabled", 142)
			s.count("locked", 58)
			s.count("never-flag", 33)
			s.count("lasts", 34)
			s.count("must-change", 76)
			s.count("never-signed-in", 64) // of 65 in the export; rafael.ortigao is in the record of sign-ins
			s.count("overdue", 295)
			s.is("future", "hyejin.bae")
			live := func(rule string) int {
				n := 0
				for _, login := range s.byRule[rule] {
					if s.account[login]["enabled"] == "yes" {
						n++
					}
				}
				return n
			}
			for rule, want := range map[string]int{"overdue": 279, "locked": 55, "never-flag": 33, "idle": 88} {
				if got := live(rule); got != want {
					t.Errorf("%s and not switched off: %d, want %d", rule, got, want)
				}
			}
			unchanged := 0
			for _, login := range s.byRule["never-changed"] {
				if s.account[login]["password_set"] == "never" {
					unchanged++
				}
			}
			if unchanged != 39 {
				t.Errorf("no change on record: %d, want 39", unchanged)
			}
			if got := s.account["rafael.ortigao"]["password_set"]; got != "never" {
				t.Errorf("rafael.ortigao's password was set %v", got)
			}
			for login, overdue := range map[string]string{"nkechi.obiora": "no", "tomasz.wilga": "yes",
				"pavel.hruska": "yes", "yusuf.demirci": "no", "siobhan.keane": "no", "bridge-petrel": "no"} {
				if got := s.account[login]["overdue"]; got != overdue {
					t.Errorf("%s: overdue is %v, want %s", login, got, overdue)
				}
			}
		})
	}
}

// rowsOf reads a table of testdata/truth.
func rowsOf(t *testing.T, name string) [][]string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("testdata/truth", name))
	if err != nil {
		t.Fatal(err)
	}
	var rows [][]string
	for line := range strings.Lines(string(data)) {
		rows = append(rows, strings.Split(strings.TrimRight(line, "\n"), "\t"))
	}
	return rows
}

// TestDomainTruth holds a Samba domain's export against what its server
// itself computed for each account.
func TestDomainTruth(t *testing.T) {
	t.Parallel()
	s := statesAlone(t, "testdata/truth/samba", `export: {read: samba, from: [x/domain.ldif, x/pso.ldif, x/accounts.ldif]}
as_of: 2026-11-16 09:00
kinds: {shared: login == "nobody"}`)
	var locked, forEver, mustChange, lasts, expired, disabled, privileged []string
	for _, f := range rowsOf(t, "samba.tsv") {
		login, policy, set, expires, lock, off, admin, remarks := f[0], f[2], f[3], f[4], f[5], f[6], f[7], f[9]
		got := s.account[login]
		add := func(list *[]string, is bool) {
			if is {
				*list = append(*list, login)
			}
		}
		wantSet, wantExpires := set, expires
		if set == "0" {
			wantSet = "unknown"
		}
		switch {
		case strings.HasPrefix(expires, "never"):
			wantExpires = "never"
			lasts = append(lasts, login)
		case strings.Contains(expires, "must change"):
			wantExpires = "unknown"
			mustChange = append(mustChange, login)
		}
		if got["policy"] != policy || got["password_set"] != wantSet || got["expires"] != wantExpires {
			t.Errorf("%s: policy %v, set %v, expires %v; want %s, %s, %s", login, got["policy"], got["password_set"],
				got["expires"], policy, wantSet, wantExpires)
		}
		add(&locked, lock != "no")
		add(&forEver, lock == "until unlocked")
		add(&expired, strings.Contains(remarks, "password expired"))
		add(&disabled, off == "yes" || strings.HasPrefix(remarks, "ACCOUNT expired"))
		add(&privileged, admin != "")
	}
	s.count("account", 36)
	s.is("locked", locked...)
	s.is("locked-for-ever", forEver...)
	s.is("must-change", mustChange...)
	s.is("lasts", lasts...)
	s.is("overdue", expired...)
	s.is("disabled", disabled...)
	s.is("privileged", privileged...)
	s.count("never-flag", 8)
	if until := s.account["ttrevanion"]["locked_until"]; until != "2026-11-16 09:11" {
		t.Errorf("ttrevanion is locked until %v", until)
	}
}
