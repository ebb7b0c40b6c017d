package kerberos

import (
	"bufio"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/estate"
	"yewcone/intake"
	"yewcone/intake/rows"
	"yewcone/intake/text"
)

// fromText reads what getprinc prints: a block of lines for each principal.
func (e *export) fromText(each func(string, *principal) error) error {
	file := e.folder + "/getprinc.txt"
	f, err := text.Open(e.request.Path(file), "")
	if err != nil {
		return intake.CannotOpen(file, err)
	}
	defer f.Close()
	s := bufio.NewScanner(f)
	s.Buffer(nil, 1<<20)
	var p *principal
	whole, twice := false, ""
	seen := map[string]bool{}
	emit := func() error {
		switch {
		case p == nil:
			return nil
		case twice != "":
			e.notes.Refuse(estate.Origin{File: file, Line: p.line}, "the block of %s has two lines %q: a line \"Principal: …\" is missing between them; it is left out", p.name, twice)
			return nil
		case !whole:
			e.notes.Refuse(estate.Origin{File: file, Line: p.line}, "the block of %s ends before its policy; it is left out", p.name)
			return nil
		}
		for _, key := range principalLines {
			if !seen[key] {
				e.notes.Refuse(estate.Origin{File: file, Line: p.line}, "the block of %s has no line %q; it is left out", p.name, key)
				return nil
			}
		}
		return each(file, p)
	}
	n := 0
	for s.Scan() {
		n++
		key, value, ok := strings.Cut(s.Text(), ":")
		if !ok {
			continue
		}
		value = strings.TrimSpace(value)
		if key == "Principal" {
			if err := emit(); err != nil {
				return err
			}
			p, whole, twice = &principal{name: value, line: n}, false, ""
			clear(seen)
			continue
		}
		if p == nil && slices.Contains(principalLines, key) {
			e.notes.Refuse(estate.Origin{File: file, Line: n}, "the line belongs to no principal: a line \"Principal: …\" is missing before it")
		}
		if p != nil {
			if seen[key] && slices.Contains(principalLines, key) {
				twice = key
			}
			seen[key] = true
			whole = whole || key == "Policy"
			e.principalLine(p, key, value, estate.Origin{File: file, Line: n})
		}
	}
	if s.Err() != nil || !f.EndsInLine() || p != nil && !whole {
		e.notes.Cut(estate.Origin{File: file, Line: n}, "the file ends in the middle of a principal: it was cut off; take the export again")
	}
	return emit()
}

// principalLines are what getprinc prints once of each principal and what is
// read of it.
var principalLines = []string{"Expiration date", "Last password change", "Password expiration date", "Last successful authentication", "Last failed authentication", "Failed password attempts", "Attributes", "Policy"}

func (e *export) principalLine(p *principal, key, value string, origin estate.Origin) {
	switch key {
	case "Expiration date":
		p.ends = e.printed(value, origin)
	case "Last password change":
		p.set = e.printed(value, origin)
	case "Password expiration date":
		p.expires = e.printed(value, origin)
	case "Last successful authentication":
		if p.success = e.printed(value, origin); p.success.IsNever() {
			p.success = estate.Moment{} // also where nobody keeps it
		}
	case "Last failed authentication":
		p.failed, _ = e.printed(value, origin).Time()
	case "Failed password attempts":
		p.failures, _ = strconv.Atoi(value)
	case "Key":
		_, kind, _ := strings.Cut(value, ", ")
		p.weakest = weaker(p.weakest, keyGrade(kind))
	case "Attributes":
		p.flags, p.flagsSaid = strings.Fields(value), true
	case "Policy":
		if value != "[none]" {
			p.policy = strings.TrimSuffix(value, " [does not exist]")
		}
	}
}

// printed reads a time as kadmin prints it; only UTC can be told for sure.
func (e *export) printed(value string, origin estate.Origin) estate.Moment {
	if value == "[never]" || value == "[none]" {
		return estate.Never
	}
	at, err := time.Parse("Mon Jan _2 15:04:05 MST 2006", value)
	if err != nil || at.Location() != time.UTC {
		e.notes.Refuse(origin, "%q is no time in UTC; print with TZ=UTC", value)
		return estate.Moment{}
	}
	return estate.At(at)
}

// fromTables joins the tables of tabdump by the principals' names.
func (e *export) fromTables(each func(string, *principal) error) error {
	all := map[string]*principal{}
	var order []*principal
	find := func(row *rows.Row) *principal {
		name := row.Plain("name")
		if all[name] == nil {
			all[name] = &principal{name: name, line: row.Line}
			order = append(order, all[name])
		}
		return all[name]
	}
	main := ""
	for _, table := range []struct {
		name string
		read func(*principal, *rows.Row)
	}{{"princ_meta", meta}, {"princ_tktpolicy", ends}, {"princ_lockout", lockout}, {"princ_flags", flags}, {"keyinfo", keys}} {
		file, ok := rows.Find(e.request, e.folder, table.name)
		if !ok {
			e.notes.Remark(estate.Origin{File: e.folder}, "%s is not in the export; what it says stays unknown", table.name)
			continue
		}
		if main == "" {
			main = file
		}
		if err := rows.Read(e.request, file, &e.notes, func(row *rows.Row) error { table.read(find(row), row); return nil }); err != nil {
			return err
		}
	}
	for _, p := range order {
		if err := each(main, p); err != nil {
			return err
		}
	}
	return nil
}

// dumped reads a time of tabdump, where the first second of 1970 is never.
func dumped(text string) estate.Moment {
	at, err := time.Parse(time.RFC3339, text)
	switch {
	case err != nil:
		return estate.Moment{}
	case at.Unix() == 0:
		return estate.Never
	}
	return estate.At(at)
}

func meta(p *principal, row *rows.Row) {
	p.policy, p.set = row.Plain("policy"), dumped(row.Plain("lastpwd"))
}

func ends(p *principal, row *rows.Row) {
	p.ends, p.expires = dumped(row.Plain("expiration")), dumped(row.Plain("pw_expiration"))
}

func lockout(p *principal, row *rows.Row) {
	if p.success = dumped(row.Plain("last_success")); p.success.IsNever() {
		p.success = estate.Moment{} // also where nobody keeps it
	}
	p.failed, _ = dumped(row.Plain("last_failed")).Time()
	p.failures, _ = strconv.Atoi(row.Plain("fail_count"))
}

func flags(p *principal, row *rows.Row) {
	p.flagsSaid = true
	if row.True("value") {
		p.flags = append(p.flags, row.Plain("flag"))
	}
}

func keys(p *principal, row *rows.Row) {
	p.weakest = weaker(p.weakest, keyGrade(row.Plain("enctype")))
}
