package demo

import (
	"bytes"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"golang.org/x/text/encoding/charmap"
)

// Months are the moments of the exports that WriteMonths writes.
var Months = []time.Time{month(1), month(2), month(3), month(4), month(5), month(6)}

func month(m time.Month) time.Time { return time.Date(2026, m, 20, 6, 0, 0, 0, time.UTC) }

// MonthFolder is where the estate of a month lies.
func MonthFolder(at time.Time) string { return at.Format("2006-01") }

// WriteMonths writes six estates of two systems, made of the exports of today,
// one for each month: in March the partner portal is weakened for a campaign,
// and mended in April; an exception of the shipyard ends in May, when it moves to
// a server that writes its exports otherwise; from March on the house asks for
// longer passwords. They share one history.
func WriteMonths(folder string) error {
	if err := vacant(folder); err != nil {
		return err
	}
	for n, at := range Months {
		made, err := exportsOf(n, at)
		if err != nil {
			return err
		}
		for name, data := range made {
			target := filepath.Join(folder, MonthFolder(at), filepath.FromSlash(name))
			if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
				return err
			}
			if err := os.WriteFile(target, data, 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}

const monthEstate = `# %[1]s of the partner portal and the shipyard.
estate: Marrowby Sound Ferries
as_of: %[2]s
history: ../history.db           # of all months
systems:
  partners:
    title: Partner portal
    owner: Trade desk
    export: {read: mapping, from: exports/partners, mapping: mappings/partners.yaml}
    chooses: own before role
    kinds: {service: '"Machines" in groups'}
    privileged: '"Partner administrators" in groups'
    rules: [house, privileged]
  yard:
    title: Shipyard
    owner: Harbour office
    export: {read: mapping, from: exports/%[3]s, mapping: mappings/%[3]s.yaml}
    kinds: {service: '"Dienst" in roles'}
    privileged: '"Leitung" in roles'
    rules: [house, privileged]
`

const monthExceptions = `exceptions:
  - system: yard
    rule: house/lockout
    because: the terminals at the gate have no telephone beside them, until the yard moves
    owner: Harbour office
    until: 2026-05-15
`

// exportsOf are the files of the n-th month.
func exportsOf(n int, at time.Time) (map[string][]byte, error) {
	read := func(name string) string {
		data, err := files.ReadFile(path.Join("estate", name))
		if err != nil {
			panic(err) // it is built in
		}
		return string(data)
	}
	yard := "yard"
	if n >= 4 {
		yard = "werft"
	}
	out := map[string][]byte{
		"estate.yaml":            fmt.Appendf(nil, monthEstate, at.Format("January 2006"), at.Format("2006-01-02 15:04"), yard),
		"exceptions.yaml":        []byte(monthExceptions),
		"rules/privileged.yaml":  []byte(read("rules/privileged.yaml")),
		"mappings/partners.yaml": []byte(read("mappings/partners.yaml")),
	}
	house := read("rules/house.yaml")
	if n < 2 {
		house = replaced(house, "min_length: at least 12; at least 14 from 2026-03-01", "min_length: at least 12")
	}
	out["rules/house.yaml"] = []byte(house)

	settings := read("exports/partners/settings.json")
	switch {
	case n == 2: // a campaign
		settings = replaced(settings, `"minLength": 12`, `"minLength": 8`, `"threshold": 8`, `"threshold": 50`)
	case n >= 3: // mended, and nearer to what was asked for
		settings = replaced(settings, `"threshold": 8`, `"threshold": 5`)
	}
	if n >= 5 {
		settings = replaced(settings, `"maxAgeDays": 365`, `"maxAgeDays": 180`)
	}
	out["exports/partners/settings.json"] = []byte(until(settings, at))
	for _, name := range []string{"groups.json", "users-001.json", "users-101.json"} {
		out["exports/partners/"+name] = []byte(until(read("exports/partners/"+name), at))
	}

	decoder := charmap.Windows1252.NewDecoder()
	rows, err := decoder.String(read("exports/yard/einstellungen.csv"))
	if err != nil {
		return nil, err
	}
	users, err := decoder.String(read("exports/yard/benutzer.csv"))
	if err != nil {
		return nil, err
	}
	mapping := read("mappings/yard.yaml")
	if n >= 4 {
		rows = replaced(rows, "Mindestlänge;8;", "Mindestlänge;10;")
		mapping = replaced(mapping, "encoding: windows-1252\n", "")
	} else if lines := strings.SplitAfter(users, "\n"); len(lines) > 8 { // the last two come in May
		users = strings.Join(lines[:len(lines)-3], "")
	}
	if n >= 5 {
		rows = replaced(rows, "Sperrdauer;00:05:00", "Sperrdauer;00:15:00")
		users = replaced(users, ";Lager;ja;", ";Leitung;ja;")
	}
	for name, text := range map[string]string{"einstellungen.csv": until(rows, at), "benutzer.csv": until(users, at)} {
		data := []byte(text)
		if n < 4 {
			if data, err = charmap.Windows1252.NewEncoder().Bytes(data); err != nil {
				return nil, err
			}
		}
		out["exports/"+yard+"/"+name] = data
	}
	out["mappings/"+yard+".yaml"] = []byte(mapping)
	return out, nil
}

// replaced replaces the first of each old text by the new one beside it; all of
// them have to be there.
func replaced(text string, oldNew ...string) string {
	for i := 0; i < len(oldNew); i += 2 {
		if !strings.Contains(text, oldNew[i]) {
			panic("the demo's exports have no " + oldNew[i])
		}
		text = strings.Replace(text, oldNew[i], oldNew[i+1], 1)
	}
	return text
}

var dates = regexp.MustCompile(`(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ)|(\d\d\.\d\d\.\d{4})`)

// until moves what lies after a moment back by quarters of a year; the moment
// of the export itself becomes that moment.
func until(text string, at time.Time) string {
	var b bytes.Buffer
	last := 0
	for _, m := range dates.FindAllStringIndex(text, -1) {
		layout := time.RFC3339
		if text[m[0]+2] == '.' {
			layout = "02.01.2006"
		}
		t, err := time.Parse(layout, text[m[0]:m[1]])
		if err != nil {
			continue
		}
		if isStamp := t.Format("2006-01-02") == "2026-11-23"; isStamp && t.After(at) {
			t = time.Date(at.Year(), at.Month(), at.Day(), min(t.Hour(), at.Hour()), t.Minute(), 0, 0, time.UTC)
			if t.After(at) {
				t = at
			}
		}
		for t.After(at) {
			t = t.AddDate(0, 0, -91)
		}
		b.WriteString(text[last:m[0]])
		b.WriteString(t.Format(layout))
		last = m[1]
	}
	b.WriteString(text[last:])
	return b.String()
}
