package main

import (
	"bufio"
	"encoding/base64"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// shapes are the ways to write the same accounts, by form. The first of each
// form is the clean one.
var shapes = map[string][]string{
	"parquet":   {"clean", "lived", "texts"},
	"csv":       {"clean", "lived", "quoted", "crlf"},
	"ndjson":    {"clean", "lived", "blanks", "reordered", "escaped"},
	"ldif":      {"clean", "lived", "folded", "base64", "crlf", "reordered"},
	"directory": {"clean"},
}

// generate writes an export of so many accounts.
func generate(path, form, shape string, count int) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	date := func(t time.Time) string { return t.Format(time.RFC3339) }
	if form == "ldif" || form == "directory" {
		date = func(t time.Time) string { return t.Format("20060102150405Z") }
	}
	names := columnsOf(shape)
	write, ok := map[string]func(io.Writer, string, []string, int){"csv": writeCSV, "ndjson": writeJSON, "ldif": writeLDIF}[form]
	var columnar *parquetWriter
	if form == "parquet" {
		columnar, ok = newParquetWriter(w, shape, count), true
	}
	var m, more maker
	if form == "directory" {
		writeDirectory(w, date)
		write, ok = func(w io.Writer, _ string, fields []string, _ int) { writePerson(w, fields, &more) }, true
	}
	if !ok {
		return fmt.Errorf("no form %q", form)
	}
	if form == "csv" {
		writeCSV(w, shape, names, 0)
	}
	fields := make([]string, len(names))
	for i := range count {
		if m.account(i+1, fields, date); shape == "lived" {
			more.live(fields)
		}
		if columnar == nil {
			write(w, shape, fields, i)
		} else if err := columnar.write(fields); err != nil {
			return err
		}
	}
	if columnar != nil {
		if err := columnar.close(); err != nil {
			return err
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}

func writeCSV(w io.Writer, shape string, fields []string, _ int) {
	switch shape {
	case "quoted":
		fmt.Fprintf(w, "\"%s\"\n", strings.Join(fields, "\",\""))
	case "crlf":
		fmt.Fprintf(w, "%s\r\n", strings.Join(fields, ","))
	case "lived":
		for i, text := range fields {
			if i > 0 {
				fmt.Fprint(w, ",")
			}
			if strings.Contains(text, ",") {
				text = `"` + text + `"`
			}
			fmt.Fprint(w, text)
		}
		fmt.Fprint(w, "\n")
	default:
		fmt.Fprintf(w, "%s\n", strings.Join(fields, ","))
	}
}

func writeJSON(w io.Writer, shape string, fields []string, row int) {
	colon, comma := ":", ","
	if shape == "blanks" {
		colon, comma = ": ", ", "
	}
	var b strings.Builder
	columns := columnsOf(shape)
	for i := range fields {
		at := i
		if shape == "reordered" { // another order in each row
			at = (i*7 + row) % len(fields)
		}
		if i > 0 {
			b.WriteString(comma)
		}
		text := `"` + fields[at] + `"`
		switch {
		case columns[at] == "groups":
			text = `["` + strings.ReplaceAll(fields[at], ";", `","`) + `"]`
		case fields[at] == "yes":
			text = "true"
		case fields[at] == "no":
			text = "false"
		case shape == "escaped" && fields[at] != "":
			text = fmt.Sprintf(`"\u%04x%s"`, fields[at][0], strings.ReplaceAll(fields[at][1:], "/", `\/`))
		}
		fmt.Fprintf(&b, `"%s"%s%s`, columns[at], colon, text)
	}
	fmt.Fprintf(w, "{%s}\n", b.String())
}

func writeLDIF(w io.Writer, shape string, fields []string, row int) {
	end := "\n"
	if shape == "crlf" {
		end = "\r\n"
	}
	fmt.Fprintf(w, "dn: uid=%s,ou=people,dc=marrowby,dc=example%s", fields[0], end)
	fmt.Fprintf(w, "objectClass: marrowbyAccount%s", end)
	columns := columnsOf(shape)
	for i := range fields {
		at := i
		if shape == "reordered" {
			at = (i*7 + row) % len(fields)
		}
		text := fields[at]
		switch {
		case text == "":
			continue
		case text == "yes":
			text = "TRUE"
		case text == "no":
			text = "FALSE"
		}
		name := strings.ReplaceAll(columns[at], "_", "-")
		switch {
		case name == "groups":
			for group := range strings.SplitSeq(text, ";") {
				fmt.Fprintf(w, "groups: %s%s", group, end)
			}
		case shape == "lived" && strings.ContainsFunc(text, func(r rune) bool { return r > 127 }):
			fmt.Fprintf(w, "%s:: %s%s", name, base64.StdEncoding.EncodeToString([]byte(text)), end)
		case shape == "base64":
			fmt.Fprintf(w, "%s:: %s%s", name, base64.StdEncoding.EncodeToString([]byte(text)), end)
		case shape == "folded" && len(text) > 6:
			fmt.Fprintf(w, "%s: %s%s %s%s", name, text[:5], end, text[5:], end)
		default:
			fmt.Fprintf(w, "%s: %s%s", name, text, end)
		}
	}
	fmt.Fprint(w, end)
}

// writeEstate writes what the program needs to check an export: the estate
// file, the mapping and the rules.
func writeEstate(folder, file, form, shape string) error {
	column := func(name string) string {
		switch form {
		case "ndjson":
			return "$." + name
		case "ldif":
			return strings.ReplaceAll(name, "_", "-")
		}
		return name
	}
	yes, no, dates, rows := "yes", "no", "iso 8601", ""
	switch form {
	case "ndjson", "parquet":
		yes, no = "true", "false"
	case "ldif":
		yes, no, dates, rows = "TRUE", "FALSE", "generalized time", "    rows: marrowbyAccount\n"
	}
	mapping := fmt.Sprintf("mapping: Generated accounts\ndates: %s\nyes: %q\nno: %q\naccounts:\n  - file: %s\n%s    fixed: "+
		"{password_usable: yes}\n    take:\n", dates, yes, no, file, rows)
	for _, pair := range [][2]string{
		{"login", "login"}, {"display_name", "name"}, {"email", "mail"}, {"employee_no", "employee"}, {"unit", "unit"},
		{"roles", "role"}, {"kind", "type"}, {"enabled", "active"}, {"locked", "locked"}, {"must_change", "must_change"},
		{"never_expires", "never_expires"}, {"second_factor", "second_factor"}, {"created", "created"}, {"password_set", "password_set"},
	} {
		mapping += fmt.Sprintf("      %s: %q\n", pair[0], column(pair[1]))
	}
	never := "empty"
	if form == "parquet" && shape != "texts" {
		never = "null"
	}
	mapping += fmt.Sprintf("      last_sign_in: {from: %q, %s: never}\n", column("last_sign_in"), never)
	if shape == "lived" {
		split := ""
		if form == "csv" {
			split = `, split: ";"`
		}
		groups := column("groups")
		if form == "ndjson" {
			groups += "[*]"
		}
		mapping += fmt.Sprintf("      groups: {from: %q%s}\n      storage: {from: %q, words: {", groups, split, column("scheme"))
		for i, s := range schemes {
			mapping += map[bool]string{true: ", "}[i > 0] + s.name + ": " + s.grade
		}
		mapping += "}}\n"
	}
	rules := "rules: bench\ntitle: Twelve conditions\nclauses:\n"
	for _, c := range conditionsOf(form) {
		rules += fmt.Sprintf("  - id: %s\n    forbid: %s\n    severity: low\n    because: the yardstick counts the same\n", c.name, c.text)
	}
	estate := "estate: Bench\nas_of: 2026-11-23 06:00\nsystems:\n  accounts:\n    export: {read: mapping, from: " + file +
		", mapping: mapping.yaml}\n    privileged: '\"administrator\" in roles'\n    rules: bench\n"
	files := map[string]string{"estate.yaml": estate, "mapping.yaml": mapping, "rules/bench.yaml": rules}
	if form == "directory" {
		files = map[string]string{"config.ldif": directoryConfig, "rules/bench.yaml": rules, "estate.yaml": "estate: Bench\nas_of: 2026-11-23 06:00\n" +
			"systems:\n  accounts:\n    export: {read: ldif, from: [" + file + ", config.ldif]}\n    privileged: '\"admins\" in groups'\n    kinds: {person: 'login != \"\"'}\n    rules: bench\n"}
	}
	if err := os.MkdirAll(filepath.Join(folder, "rules"), 0o755); err != nil {
		return err
	}
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}
