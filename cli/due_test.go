package cli

import (
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	ics "github.com/arran4/golang-ical"
)

const dueEstate = `estate: Many
as_of: 2026-11-23 06:00
systems:
  many:
    export: {read: mapping, from: x, mapping: m.yaml}
    owner: Harbour office
    match: none
`

const dueMapping = `mapping: Many
dates: yyyy-mm-dd hh:mm
yes: "yes"
no: "no"
settings:
  - {file: s.csv, layout: pairs, key: key, value: value, policy: all, default: yes, take: {max_age: {from: age, unit: days}, warn_before: {from: warn, unit: days}}}
accounts:
  - file: a.csv
    fixed: {kind: person}
    take:
      login: login
      email: mail
      password_set: {from: set, empty: never}
      account_ends: {from: ends, empty: never}
      never_expires: keeps
      enabled: active
`

// TestDueIsTrue: a hundred thousand accounts, counted by dates alone as well.
func TestDueIsTrue(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := os.Mkdir(filepath.Join(folder, "x"), 0o755); err != nil {
		t.Fatal(err)
	}
	asOf := time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)
	ahead, overdue, accounts, undated := 0, 0, 0, 0
	var b strings.Builder
	b.WriteString("login,mail,set,ends,keeps,active\n")
	for i := range 100_000 {
		set := asOf.Add(-time.Duration(i*7919%259_200) * time.Minute) // up to 180 days ago
		ends, keeps, active, text := "", "no", "yes", set.Format("2006-01-02 15:04")
		switch {
		case i%97 == 0:
			active = "no"
		case i%89 == 0:
			keeps = "yes"
		case i%83 == 0:
			text = ""
			undated++
		default:
			end := set.AddDate(0, 0, 90)
			switch {
			case end.Before(asOf):
				overdue++
			case !end.After(asOf.AddDate(0, 0, 21)):
				ahead++
			}
		}
		if i%101 == 0 {
			end := asOf.Add(time.Duration(i%60_000) * time.Minute)
			ends = end.Format("2006-01-02 15:04")
			if active == "yes" && !end.After(asOf.AddDate(0, 0, 21)) {
				accounts++
			}
		}
		fmt.Fprintf(&b, "u%d,u%d@marrowby.example,%s,%s,%s,%s\n", i, i, text, ends, keeps, active)
	}
	for name, text := range map[string]string{"estate.yaml": dueEstate, "m.yaml": dueMapping, "x/a.csv": b.String(), "x/s.csv": "key,value\nage,90\nwarn,10\n",
		"exceptions.yaml": "exceptions:\n  - {system: many, rule: check/overdue, because: until the move, owner: Ada Quill, until: 2026-12-01}\n" +
			"  - {system: many, rule: check/dormant, because: too far off, owner: Ada Quill, until: 2027-02-01}\n"} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	stdout, stderr, code := runTool(t, folder, "due", "--within", "21 days", "--format", "csv")
	rows, err := csv.NewReader(strings.NewReader(stdout)).ReadAll()
	if code != 0 || err != nil {
		t.Fatalf("exit %d %v %s", code, err, stderr)
	}
	counts := map[string]int{}
	for _, row := range rows[1:] {
		counts[row[0]+" "+row[1]]++
		if row[0] == "password" && (row[9] != row[7]+"@marrowby.example" || row[12] == "") {
			t.Fatalf("no address, or not warned from any day: %v", row)
		}
	}
	for what, n := range map[string]int{"password ahead": ahead, "password overdue": overdue, "account ahead": accounts, "exception ahead": 1} {
		if counts[what] != n || n == 0 {
			t.Errorf("%s: %d, counted %d", what, counts[what], n)
		}
	}
	stdout, _, _ = runTool(t, folder, "due", "--within", "21 days")
	for _, want := range []string{fmt.Sprintf("%d passwords", ahead), fmt.Sprintf("Of %d more accounts", undated), "exception to check/overdue"} {
		if !strings.Contains(strings.Join(strings.Fields(stdout), " "), want) {
			t.Errorf("no %q in\n%.600s", want, stdout)
		}
	}
	first, again := calendarOf(t, folder), calendarOf(t, folder)
	if len(first) != ahead+overdue+accounts+1 {
		t.Errorf("%d events for %d things", len(first), ahead+overdue+accounts+1)
	}
	for uid, summary := range first {
		if again[uid] != summary {
			t.Fatalf("%s is %q, and was %q", uid, again[uid], summary)
		}
	}
}

// calendarOf reads the calendar with a parser that is not the writer's.
func calendarOf(t *testing.T, folder string) map[string]string {
	t.Helper()
	stdout, stderr, code := runTool(t, folder, "due", "--within", "21 days", "--format", "ics")
	if code != 0 {
		t.Fatalf("exit %d %s", code, stderr)
	}
	c, err := ics.ParseCalendar(strings.NewReader(stdout))
	if err != nil {
		t.Fatal(err)
	}
	events := map[string]string{}
	for _, e := range c.Events() {
		if _, err := e.GetStartAt(); err != nil {
			if _, err := e.GetAllDayStartAt(); err != nil {
				t.Fatal(err)
			}
		}
		events[e.Id()] = e.GetProperty(ics.ComponentPropertySummary).Value
	}
	return events
}
