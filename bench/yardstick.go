package main

import (
	"bufio"
	"encoding/base64"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"
	"time"
)

// A row is an account as the yardstick holds it: what somebody would write
// who needs these twelve counts today and no tool.
type row struct {
	Login        string `json:"login"`
	Name         string `json:"name"`
	Mail         string `json:"mail"`
	Employee     string `json:"employee"`
	Unit         string `json:"unit"`
	Role         string `json:"role"`
	Type         string `json:"type"`
	Active       bool   `json:"active"`
	Locked       bool   `json:"locked"`
	MustChange   bool   `json:"must_change"`
	NeverExpires bool   `json:"never_expires"`
	SecondFactor bool   `json:"second_factor"`
	Created      string `json:"created"`
	PasswordSet  string `json:"password_set"`
	LastSignIn   string `json:"last_sign_in"`

	made, set, seen time.Time
	weak, member    bool // of a directory: stored without a salt; in the group of administrators
}

const day = 24 * time.Hour

func (r *row) admin() bool                { return r.Role == "administrator" }
func (r *row) passwordOver(days int) bool { return now.Sub(r.set) > time.Duration(days)*day }
func (r *row) made30() bool               { return now.Sub(r.made) > 30*day }
func (r *row) idleOver(days int) bool     { return r.lastUse().Before(now.Add(-time.Duration(days) * day)) }
func (r *row) under(unit string) bool     { return r.Unit == unit || strings.HasPrefix(r.Unit, unit+"/") }
func (r *row) lastUse() time.Time {
	if r.LastSignIn == "" {
		return r.made
	}
	return r.seen
}

// A condition is counted: as a rule for the program, and in Go.
type condition struct {
	name, text string
	holds      func(*row) bool
}

func conditionsOf(form string) []condition {
	if form == "directory" {
		return directoryConditions
	}
	return conditions
}

var conditions = []condition{
	{"never-expires", `enabled and never_expires and kind == "person"`,
		func(r *row) bool { return r.Active && r.NeverExpires && r.Type == "person" }},
	{"old-password", `enabled and kind == "person" and password_age > days(365)`,
		func(r *row) bool { return r.Active && r.Type == "person" && r.passwordOver(365) }},
	{"one-factor", `privileged and enabled and not second_factor`, func(r *row) bool { return r.admin() && r.Active && !r.SecondFactor }},
	{"idle", `enabled and idle > days(90)`, func(r *row) bool { return r.Active && r.idleOver(90) }},
	{"unused", `enabled and never_signed_in and account_age > days(30)`,
		func(r *row) bool { return r.Active && r.LastSignIn == "" && r.made30() }},
	{"locked", `locked and enabled`, func(r *row) bool { return r.Locked && r.Active }},
	{"first-password", `must_change and password_age > days(14)`, func(r *row) bool { return r.MustChange && r.passwordOver(14) }},
	{"for-ever-admin", `privileged and never_expires`, func(r *row) bool { return r.admin() && r.NeverExpires }},
	{"old-service", `kind == "service" and password_age > days(730)`,
		func(r *row) bool { return r.Type == "service" && r.passwordOver(730) }},
	{"fleet-one-factor", `under(unit, "Fleet") and enabled and not second_factor`,
		func(r *row) bool { return r.under("Fleet") && r.Active && !r.SecondFactor }},
	{"test", `login startsWith "test-" and enabled`, func(r *row) bool { return strings.HasPrefix(r.Login, "test-") && r.Active }},
	{"shared-office", `kind == "shared" and email contains "Keelby" and not locked`,
		func(r *row) bool { return r.Type == "shared" && strings.Contains(r.Mail, "Keelby") && !r.Locked }},
}

// counts are how many accounts meet each condition, in their order.
type counts [12]int

func (c *counts) add(r *row, of []condition) {
	for i := range of {
		if of[i].holds(r) {
			c[i]++
		}
	}
}

func (c *counts) print(w io.Writer, of []condition) {
	for i := range of {
		fmt.Fprintf(w, "%s %d\n", of[i].name, c[i])
	}
}

// count reads an export row by row with the standard library and counts.
func count(path, form string) (*counts, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	switch form {
	case "csv":
		return countCSV(f)
	case "ndjson":
		return countJSON(f)
	case "ldif":
		return countLDIF(f)
	case "parquet":
		return countParquet(f)
	case "directory":
		return countDirectory(f)
	}
	return nil, fmt.Errorf("no form %q", form)
}

func (r *row) readDates(layout string) (err error) {
	if r.made, err = time.Parse(layout, r.Created); err != nil {
		return err
	}
	if r.set, err = time.Parse(layout, r.PasswordSet); err != nil {
		return err
	}
	if r.LastSignIn != "" {
		r.seen, err = time.Parse(layout, r.LastSignIn)
	}
	return err
}

func countCSV(f io.Reader) (*counts, error) {
	reader := csv.NewReader(bufio.NewReaderSize(f, 1<<16))
	reader.ReuseRecord = true
	if _, err := reader.Read(); err != nil {
		return nil, err
	}
	var c counts
	for {
		v, err := reader.Read()
		if err == io.EOF {
			return &c, nil
		}
		if err != nil {
			return nil, err
		}
		r := row{
			Login: v[0], Name: v[1], Mail: v[2], Employee: v[3], Unit: v[4], Role: v[5], Type: v[6], Active: v[7] == "yes",
			Locked:     v[8] == "yes",
			MustChange: v[9] == "yes", NeverExpires: v[10] == "yes", SecondFactor: v[11] == "yes", Created: v[12],
			PasswordSet: v[13], LastSignIn: v[14],
		}
		if err := r.readDates(time.RFC3339); err != nil {
			return nil, err
		}
		c.add(&r, conditions)
	}
}

func countJSON(f io.Reader) (*counts, error) {
	decoder := json.NewDecoder(bufio.NewReaderSize(f, 1<<16))
	var c counts
	for {
		var r row
		if err := decoder.Decode(&r); err == io.EOF {
			return &c, nil
		} else if err != nil {
			return nil, err
		}
		if err := r.readDates(time.RFC3339); err != nil {
			return nil, err
		}
		c.add(&r, conditions)
	}
}

func countLDIF(f io.Reader) (*counts, error) {
	var c counts
	var r row
	err := eachAttribute(f, r.take, func() error {
		if r.Login == "" {
			return nil
		}
		if err := r.readDates("20060102150405Z"); err != nil {
			return err
		}
		c.add(&r, conditions)
		r = row{}
		return nil
	})
	return &c, err
}

// eachAttribute calls take for each attribute and finish at the end of each entry.
func eachAttribute(f io.Reader, take func(name, value string), finish func() error) error {
	lines := bufio.NewScanner(bufio.NewReaderSize(f, 1<<16))
	pending := ""
	whole := func() error {
		name, value, ok := strings.Cut(pending, ":")
		if !ok {
			return nil
		}
		if encoded, ok := strings.CutPrefix(value, ":"); ok {
			decoded, err := base64.StdEncoding.DecodeString(strings.TrimSpace(encoded))
			if err != nil {
				return err
			}
			value = string(decoded)
		}
		take(name, strings.TrimSpace(value))
		return nil
	}
	end := func() error {
		if err := whole(); err != nil {
			return err
		}
		pending = ""
		return finish()
	}
	for lines.Scan() {
		line := strings.TrimSuffix(lines.Text(), "\r")
		switch {
		case line == "":
			if err := end(); err != nil {
				return err
			}
		case line[0] == ' ':
			pending += line[1:]
		default:
			if err := whole(); err != nil {
				return err
			}
			pending = line
		}
	}
	if err := lines.Err(); err != nil {
		return err
	}
	return end()
}

// take puts an attribute of LDIF into the row.
func (r *row) take(name, value string) {
	switch name {
	case "login":
		r.Login = value
	case "name":
		r.Name = value
	case "mail":
		r.Mail = value
	case "employee":
		r.Employee = value
	case "unit":
		r.Unit = value
	case "role":
		r.Role = value
	case "type":
		r.Type = value
	case "active":
		r.Active = value == "TRUE"
	case "locked":
		r.Locked = value == "TRUE"
	case "must-change":
		r.MustChange = value == "TRUE"
	case "never-expires":
		r.NeverExpires = value == "TRUE"
	case "second-factor":
		r.SecondFactor = value == "TRUE"
	case "created":
		r.Created = value
	case "password-set":
		r.PasswordSet = value
	case "last-sign-in":
		r.LastSignIn = value
	}
}
