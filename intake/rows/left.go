package rows

import (
	"bufio"
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

// Left notes the files of a folder that nobody used. One that is a wanted table
// in another form, or under a name like it, makes the export partial: again is
// how to take it rightly.
func Left(r *intake.Request, folder string, notes *facts.Notes, again string, wanted, used, ignored []string) {
	entries, err := fs.ReadDir(os.DirFS(r.Path(folder)), ".")
	if err != nil {
		return
	}
	var left []string
	for _, entry := range entries {
		name := entry.Name()
		if entry.IsDir() || slices.Contains(ignored, name) || slices.Contains(used, path.Join(folder, name)) || name[0] == '.' {
			continue
		}
		stem, _, _ := strings.Cut(name, ".")
		have := func(table string) bool {
			return slices.ContainsFunc(used, func(u string) bool {
				base, _, _ := strings.Cut(path.Base(u), ".")
				return base == table
			})
		}
		form := printedFor(r, path.Join(folder, name))
		for _, table := range wanted {
			if !have(table) && (stem == table || form != "" && strings.Contains(stem, table)) {
				what := "in a form that is not read"
				if form != "" {
					what = "as " + form
				}
				notes.Incomplete(facts.Origin{File: path.Join(folder, name)}, "this seems to be %s, %s; %s", table, what, again)
				name = ""
				break
			}
		}
		if name != "" {
			left = append(left, name)
		}
	}
	if len(left) > 0 {
		more := ""
		if most := 8; len(left) > most {
			more = fmt.Sprintf(" and %d more", len(left)-most)
			left = left[:most]
		}
		notes.Remark(facts.Origin{File: folder}, "nothing here reads %s%s", strings.Join(left, ", "), more)
	}
}

// printedFor is the form in which a file was printed for people, "" for none.
func printedFor(r *intake.Request, file string) string {
	f, err := text.Open(r.Path(file), "")
	if err != nil {
		return ""
	}
	defer f.Close()
	s := bufio.NewScanner(f)
	for n := 0; n < 4 && s.Scan(); n++ {
		for _, p := range forPeople {
			if p.is(strings.TrimSpace(s.Text())) {
				return p.form
			}
		}
	}
	return ""
}
