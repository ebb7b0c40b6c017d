package rows

import (
	"fmt"
	"io/fs"
	"os"
	"path"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/text"
)

// A Table is one that a folder should hold, and its columns that a reader
// needs.
type Table struct {
	Name  string
	Needs []string
}

// forPeople are the forms that clients print tables in for people, by what a
// line of them is like.
var forPeople = []struct {
	form string
	is   func(line string) bool
}{
	{"a table with lines drawn round it", func(l string) bool { return strings.HasPrefix(l, "+-") && strings.HasSuffix(l, "-+") }},
	{"one field on a line", func(l string) bool {
		return strings.HasPrefix(l, "-[ RECORD") || strings.HasPrefix(l, "*****") && strings.Contains(l, ". row")
	}},
	{"a table in columns", func(l string) bool { return strings.Contains(l, "-+-") && strings.Trim(l, "-+") == "" }},
}

// beginning is how many lines of a file are looked at to tell what it is.
const beginning = 6

// Left notes the files of a folder that nobody used. One that is a table which
// the folder lacks, printed for people, with another delimiter or under another
// name, makes the export partial: again is how to take it rightly.
func Left(r *intake.Request, folder string, notes *facts.Notes, again string, wanted []Table, used, ignored []string) {
	entries, err := fs.ReadDir(os.DirFS(r.Path(folder)), ".")
	if err != nil {
		return
	}
	var left []string
	for _, entry := range entries {
		name := entry.Name()
		file := path.Join(folder, name)
		if entry.IsDir() || slices.Contains(ignored, name) || slices.Contains(used, file) || name[0] == '.' {
			continue
		}
		what := ""
		for _, table := range wanted {
			if !slices.ContainsFunc(used, func(u string) bool { return stem(u) == table.Name }) {
				if what = table.within(r, file); what != "" {
					notes.Incomplete(facts.Origin{File: file}, "this seems to be %s, %s; %s", table.Name, what, again)
					break
				}
			}
		}
		if what == "" {
			left = append(left, name)
		}
	}
	SayLeft(notes, folder, left)
}

// SayLeft remarks on files that nobody reads, by their names.
func SayLeft(notes *facts.Notes, folder string, left []string) {
	if len(left) == 0 {
		return
	}
	more := ""
	if most := 8; len(left) > most {
		more = fmt.Sprintf(" and %d more", len(left)-most)
		left = left[:most]
	}
	notes.Remark(facts.Origin{File: folder}, "nothing here reads %s%s", strings.Join(left, ", "), more)
}

// stem is the name of a file up to its first dot.
func stem(file string) string {
	name, _, _ := strings.Cut(path.Base(file), ".")
	return name
}

// within tells in what form a file holds the table; "" where it seems not to.
func (t *Table) within(r *intake.Request, file string) string {
	f, err := r.Open(file, "")
	if err != nil {
		return ""
	}
	defer f.Close()
	form, heading, all := "", "", ""
	s := text.NewScanner(f)
	for n := 0; n < beginning && s.Scan(); n++ {
		line := strings.TrimSpace(s.Text())
		if form == "" {
			form = drawn(line)
		}
		if n == 0 {
			heading = t.formOf(line)
		}
		all += line + "\n"
	}
	if form == "" && heading != "" {
		form = heading + ", under another name or ending"
	}
	switch named := stem(file) == t.Name; {
	case form != "" && (named || t.mentioned(all)):
		return form
	case form == "" && named:
		return "in a form that is not read"
	}
	return ""
}

// formOf tells in what form a line of a file holds the table's heading, or a
// table for people; "" where it is neither.
func (t *Table) formOf(line string) string {
	if form := drawn(line); form != "" {
		return form
	}
	if delimiter := t.heading(line); delimiter != "" {
		return "fields with " + delimiter + " between them"
	}
	return ""
}

// drawn is the form for people that a line shows; "" for none.
func drawn(line string) string {
	for _, p := range forPeople {
		if p.is(strings.TrimSpace(line)) {
			return p.form
		}
	}
	return ""
}

// Seems tells of a file in the folder that may be the table, and in what form;
// "" where none does.
func (t *Table) Seems(r *intake.Request, folder string) string {
	entries, err := fs.ReadDir(os.DirFS(r.Path(folder)), ".")
	if err != nil {
		return ""
	}
	for _, entry := range entries {
		if entry.IsDir() {
			continue
		}
		if form := t.within(r, path.Join(folder, entry.Name())); form != "" {
			return fmt.Sprintf("; %s seems to be it, %s", entry.Name(), form)
		}
	}
	return ""
}

// delimiters are those that clients put between fields, and what they are
// called.
var delimiters = [][2]string{{",", "commas"}, {"\t", "tabs"}, {";", "semicolons"}, {"|", "bars"}}

// heading tells by what the fields of the table's heading are parted in a line;
// "" where it is none.
func (t *Table) heading(line string) string {
	for _, d := range delimiters {
		var fields []string
		for field := range strings.SplitSeq(line, d[0]) {
			fields = append(fields, strings.Trim(strings.TrimSpace(field), `"`))
		}
		if !slices.ContainsFunc(t.Needs, func(need string) bool { return !slices.Contains(fields, need) }) && len(t.Needs) > 0 {
			return d[1]
		}
	}
	return ""
}

// mentioned reports whether a text names all columns of the table.
func (t *Table) mentioned(text string) bool {
	return !slices.ContainsFunc(t.Needs, func(need string) bool { return !strings.Contains(text, need) })
}
