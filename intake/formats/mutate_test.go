package formats

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"yewcone/core/facts"
	"yewcone/core/snapshot"
	"yewcone/intake"
	"yewcone/intake/intaketest"
)

// everything is what a reader says of an export: facts by "policy NAME: fact",
// and accounts as the JSON of a snapshot, by login.
type everything struct {
	facts    map[string]string
	accounts map[string]string
	noted    string
	cut      bool
	refused  int
}

func readEverything(t *testing.T, folder string, c *capturedExport) *everything {
	t.Helper()
	f, _ := Find(c.format)
	export, err := f.Open(&intake.Request{System: "x", Folder: folder, From: c.from, Mapping: c.mappingFile(),
		AsOf: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)})
	if err != nil {
		return nil
	}
	e := &everything{facts: map[string]string{}, accounts: map[string]string{}}
	system := export.System()
	for i := range system.Policies {
		p := snapshot.OfPolicy(&system.Policies[i])
		for _, v := range p.Settings {
			if v.Value != "unknown" {
				e.facts["policy "+p.Name+": "+v.Setting] = v.Value
			}
		}
		e.facts["policy "+p.Name+": reach"] = fmt.Sprint(p.Roles, p.Unit, p.Parent, p.Priority)
	}
	e.facts["system: default"] = system.Default
	var a snapshot.Account
	err = export.Accounts(func(x *facts.Account) error {
		snapshot.OfAccount(&a, x)
		a.Origin = snapshot.Origin{}
		for i := range a.Overrides {
			a.Overrides[i].Origin = snapshot.Origin{}
		}
		data, err := json.Marshal(&a)
		e.accounts[a.Login] = string(data)
		return err
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

// changes returns what changed from one known thing to another, or is there
// and was not; and how many accounts are gone. Nothing counts where rows were
// refused or the export is partial.
func changes(before, after *everything) (changed []string, gone int) {
	if after == nil || after.cut != before.cut || after.refused != before.refused {
		return nil, 0
	}
	compare := func(of string, old, now map[string]string) {
		for name, value := range now {
			was, known := old[name]
			if _, has := after.facts["policy "+value+": reach"]; name == "policy" && !has {
				continue // the check "policy-missing" reports it
			}
			if name == "policy" && strings.HasPrefix(value, "not ") {
				continue // stands for a policy that is not known
			}
			if !known {
				changed = append(changed, of+name+" is "+value+" and was not known")
			} else if was != value {
				changed = append(changed, of+name+" was "+was+" and is "+value)
			}
		}
	}
	compare("", before.facts, after.facts)
	for login, account := range before.accounts {
		now, there := after.accounts[login]
		if !there {
			gone++
		} else if now != account {
			compare("account "+login+": ", intaketest.Facts([]byte(account)), intaketest.Facts([]byte(now)))
		}
	}
	for login, account := range after.accounts {
		if _, there := before.accounts[login]; !there {
			compare("account "+login+": ", nil, intaketest.Facts([]byte(account)))
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
	"ldif":  regexp.MustCompile(`^(slapcat(-config)?|ldapsearch)\.ldif: line \d+ gone: (pwd\w+|member|uniqueMember|memberUid|olc\w+|userPassword)\b`),
	"samba": regexp.MustCompile(`^\w+\.ldif: line \d+ gone: (member|memberOf|msDS-PSOAppliesTo|lockoutTime|badP\w+)\b`),
	// A member, a rule or a plugin more or less is another server.
	"postgresql": regexp.MustCompile(`^(auth_members|hba_file_rules)\.csv: line ([2-9]|\d\d+) gone`),
	// The server keeps a lock, a date and a method only where there is one.
	"mariadb": regexp.MustCompile(`^(plugins|roles_mapping)\.tsv: line ([2-9]|\d\d+) gone|` +
		`^global_priv\.json: line \d+ gone: "(account_locked|password_last_changed|plugin|ssl_type)"`),
	// The first rule that matches gives the rights; and of keys the last may be one fewer.
	"kerberos": regexp.MustCompile(`^kadm5\.acl: line \d+ gone|^keyinfo\.csv: line \d+ gone: .*@`),
	// One failure fewer is one failure fewer. What the other files do not say, the programs have defaults for; the place
	// of each setting then says so.
	"linux": regexp.MustCompile(`^faillock\.txt: line \d+ gone: 20|^etc/(group|pam\.d/|security/|sudoers|login\.defs|default/useradd).*line \d+ gone`),
}

// mutation is one way to damage a file.
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

// month is that of a date, in the ways in which exports write them.
var month = regexp.MustCompile(`\b20\d\d-?([01]\d)-?[0-3]\d|\b(Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec) [ 0-3]?\d |\b[0-3]?\d[/.]([01]?\d)[/.]20\d\d\b`)

// prose is a line that holds what somebody wrote.
var prose = regexp.MustCompile(`^(description:|#)`)

// mutate damages a file in many ways: a line is gone, a bracket or quote is
// gone, a date has a month too many, a column is gone in one row or in all.
func mutate(name string, data []byte, try func(mutation)) {
	dates := month.FindAllSubmatchIndex(data, -1)
	for n := 0; n < len(dates); n += max(1, len(dates)/mutationsEach) {
		for at := 2; at < len(dates[n]); at += 2 {
			if from, to := dates[n][at], dates[n][at+1]; from >= 0 && !prose.Match(data[bytes.LastIndexByte(data[:from], '\n')+1:from]) {
				try(mutation{fmt.Sprintf("a month too many in line %d", 1+bytes.Count(data[:from], []byte("\n"))),
					slices.Concat(data[:from], []byte("13x")[:to-from], data[to:])})
			}
		}
	}
	lines := bytes.SplitAfter(data, []byte("\n"))
	every := max(1, len(lines)/mutationsEach)
	for i := 0; i < len(lines); i += every {
		if len(bytes.TrimSpace(lines[i])) == 0 && !strings.HasSuffix(name, ".ldif") {
			continue
		}
		try(mutation{"line " + fmt.Sprint(i+1) + " gone: " + strings.TrimSpace(string(lines[i])),
			bytes.Join(append(append([][]byte{}, lines[:i]...), lines[i+1:]...), nil)})
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
		try(mutation{fmt.Sprintf("%q gone in line %d", data[i], 1+bytes.Count(data[:i], []byte("\n"))),
			append(append([]byte{}, data[:i]...), data[i+1:]...)})
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
		return
	}
	columns := bytes.Count(lines[0], []byte{comma}) + 1
	for c := range columns {
		var all [][]byte
		for _, l := range lines {
			all = append(all, withoutColumn(l, comma, c))
		}
		try(mutation{fmt.Sprintf("column %d gone", c+1), bytes.Join(all, nil)})
		for _, i := range []int{1, len(lines) / 2, len(lines) - 2} {
			if i > 0 && i < len(lines) {
				one := append([][]byte{}, lines...)
				one[i] = withoutColumn(lines[i], comma, c)
				try(mutation{fmt.Sprintf("column %d gone in line %d", c+1, i+1), bytes.Join(one, nil)})
			}
		}
	}
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

// standsIn is what a reader puts in the place of a default policy, or of a
// policy's name, that is lost, having said so.
var standsIn = regexp.MustCompile(`^(system: default|policy (domain, not in the export|not named in the export): reach|policy : )`)

// TestMutations damages every file of every captured export. What is lost must
// show: as an error, a refused row, or something that is not known any more. It
// must never read as another fact or setting, whatever is remarked, but where the lack of a line is
// itself a statement, and no damage may make the readers panic.
func TestMutations(t *testing.T) {
	for _, c := range captured {
		t.Run(c.name(), func(t *testing.T) {
			t.Parallel()
			folder := c.copyTo(t)
			whole := readEverything(t, folder, &c)
			if whole == nil || len(whole.accounts) == 0 {
				t.Fatal("the export as it is cannot be read")
			}
			tried := 0
			c.eachFile(t, folder, func(name, path string) {
				data, err := os.ReadFile(path)
				if err != nil {
					t.Fatal(err)
				}
				try := func(m mutation) {
					if tried++; testing.Short() && tried%10 != 1 {
						return
					}
					if err := os.WriteFile(path, m.data, 0o600); err != nil {
						t.Fatal(err)
					}
					after := readEverything(t, folder, &c)
					changed, gone := changes(whole, after)
					if after != nil && after.noted != whole.noted {
						gone = 0
						changed = slices.DeleteFunc(changed, standsIn.MatchString)
					}
					if meaning[c.format] != nil && meaning[c.format].MatchString(name+": "+m.what) {
						return
					}
					if len(changed) > 0 {
						t.Errorf("%s, %s: %s (%d in all)", name, m.what, changed[0], len(changed))
					}
					if gone > 1 {
						t.Errorf("%s, %s: in silence, %d accounts are gone", name, m.what, gone)
					}
				}
				if strings.HasSuffix(name, ".xlsx") {
					mutateSheets(t, data, try)
				} else {
					mutate(name, data, try)
				}
				if err := os.WriteFile(path, data, 0o600); err != nil {
					t.Fatal(err)
				}
			})
			if tried < 40 {
				t.Errorf("only %d mutations were tried", tried)
			}
		})
	}
}

// withoutFile is what may read otherwise without a file that not every system
// has.
var withoutFile = map[string]*regexp.Regexp{
	// What stands in for the default says nothing; which it is, is a matter of the reader.
	"slapcat-config.ldif": regexp.MustCompile(`^(system: default|policy not named in the export: reach)`),
	"domain.ldif":         regexp.MustCompile(`^(system: default|policy domain, not in the export: reach)`),
	"slapcat.ldif":        regexp.MustCompile(`^system: default`),
	// Most domains have no settings objects, most hosts no drop-in files.
	"pso.ldif": regexp.MustCompile(`^account`),
	"etc/security/pwquality.conf.d/50-marrowby.conf": regexp.MustCompile(`^policy host: (min_changed|min_classes|` +
		`min_length|min_digits|min_upper|max_repeat|names_barred)`),
}

// TestFilesMissing leaves out each file of every captured export. Either the
// export is then partial, or cannot be read; or what the file said is not known,
// and no fact or setting reads as another, whatever is remarked.
func TestFilesMissing(t *testing.T) {
	for _, c := range captured {
		t.Run(c.name(), func(t *testing.T) {
			t.Parallel()
			folder := c.copyTo(t)
			whole := readEverything(t, folder, &c)
			c.eachFile(t, folder, func(name, path string) {
				without := c
				without.from = slices.DeleteFunc(slices.Clone(c.from), func(from string) bool { return from == name })
				if len(without.from) == 0 {
					return
				}
				away := filepath.Join(t.TempDir(), "away")
				if err := os.Rename(path, away); err != nil {
					t.Fatal(err)
				}
				after := readEverything(t, folder, &without)
				if err := os.Rename(away, path); err != nil {
					t.Fatal(err)
				}
				if after == nil || after.cut {
					return
				}
				changed, _ := changes(whole, after)
				for _, what := range changed {
					if why := withoutFile[name]; why != nil && why.MatchString(what) {
						continue
					}
					t.Errorf("without %s, %s", name, what)
				}
			})
		})
	}
}

// mutateSheets damages a workbook: a row or a column is gone, or a cell is
// empty.
func mutateSheets(t *testing.T, data []byte, try func(mutation)) {
	t.Helper()
	damaged := func(what string, damage func(*excelize.File) error) {
		book, err := excelize.OpenReader(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		defer book.Close()
		if err := damage(book); err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		if err := book.Write(&out); err != nil {
			t.Fatal(err)
		}
		try(mutation{what, out.Bytes()})
	}
	book, err := excelize.OpenReader(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	for _, sheet := range book.GetSheetList() {
		rows, err := book.GetRows(sheet)
		if err != nil {
			t.Fatal(err)
		}
		widest := 0
		for i := 0; i < len(rows); i += max(1, len(rows)/mutationsEach) {
			widest = max(widest, len(rows[i]))
			damaged(fmt.Sprintf("sheet %s: row %d gone", sheet, i+1), func(f *excelize.File) error { return f.RemoveRow(sheet, i+1) })
		}
		for c := range widest {
			column, err := excelize.ColumnNumberToName(c + 1)
			if err != nil {
				t.Fatal(err)
			}
			damaged(fmt.Sprintf("sheet %s: column %s gone", sheet, column),
				func(f *excelize.File) error { return f.RemoveCol(sheet, column) })
		}
	}
}
