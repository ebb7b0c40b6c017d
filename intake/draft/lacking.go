package draft

import (
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"yewcone/intake"
	"yewcone/intake/mapping"
)

// Lacking writes a mapping with what it lacks: a line for every column that no
// line takes, in the table that reads the file, and drafts of the files that
// no table reads. What the mapping says already stays as it is written.
func Lacking(r *intake.Request) (string, error) {
	o, err := mapping.OutlineOf(r)
	if err != nil {
		return "", err
	}
	files, err := filesOf(r)
	if err != nil {
		return "", err
	}
	d := &drafter{dates: o.Dates, yes: slices.Clone(o.Yes), no: slices.Clone(o.No)}
	added := map[int][]string{} // by line of the mapping, those below it
	var rest []string
	for _, file := range files {
		samples, err := takeSamples(r, file)
		if err != nil {
			rest = append(rest, fmt.Sprintf("# not read: %s", err))
			continue
		}
		for i := range samples {
			s := &samples[i]
			s.kind = s.kindOf()
			t := tableFor(o, file, s)
			switch {
			case t == nil && s.kind != "" && !readBy(o, file, s):
				d.samples = append(d.samples, *s)
			case t != nil:
				list := d.lacks(s, t, untaken(o, file, s))
				for i := range list {
					list[i] = t.Indent + list[i]
				}
				list = slices.DeleteFunc(list, func(l string) bool { // of another file of the table
					return t.End > 0 && slices.ContainsFunc(added[t.End], func(old string) bool { return columnOf(old) == columnOf(l) })
				})
				if t.End > 0 {
					added[t.End] = append(added[t.End], list...)
				} else if len(list) > 0 {
					rest = append(rest, "# "+s.where()+" also has:")
					for _, l := range list {
						rest = append(rest, "# "+strings.TrimPrefix(l, "# "))
					}
				}
			}
		}
	}
	return d.with(o, added, rest), nil
}

// filesOf lists the files of an export, those of folders too.
func filesOf(r *intake.Request) ([]string, error) {
	var files []string
	for _, from := range r.From {
		err := filepath.WalkDir(r.Path(from), func(at string, entry fs.DirEntry, err error) error {
			if err == nil && !entry.IsDir() {
				below, _ := filepath.Rel(r.Path(from), at)
				files = append(files, path.Join(from, filepath.ToSlash(below)))
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	slices.Sort(files)
	return files, nil
}

// tableFor finds the table that reads a sample, and takes over what it says
// that the sample is; nil for none.
func tableFor(o *mapping.Outline, file string, s *sample) *mapping.OutlinedTable {
	var fit []*mapping.OutlinedTable
	for i := range o.Tables {
		t := &o.Tables[i]
		if slices.Contains(t.Files, file) && !t.Members && (t.Sheet == "" || t.Sheet == s.sheet) &&
			(t.Rows == "" || s.path == "" || t.Rows == s.path) && s.document == (t.Layout == "document") {
			fit = append(fit, t)
		}
	}
	if len(fit) > 1 { // rows of accounts and of settings out of one file
		fit = slices.DeleteFunc(fit, func(t *mapping.OutlinedTable) bool { return t.Accounts != (s.kind == "accounts") })
	}
	if len(fit) == 0 {
		return nil
	}
	if s.kind = fit[0].Layout; fit[0].Accounts {
		s.kind = "accounts"
	}
	return fit[0]
}

// readBy reports whether any table reads a file, or one sheet of it.
func readBy(o *mapping.Outline, file string, s *sample) bool {
	return slices.ContainsFunc(o.Tables, func(t mapping.OutlinedTable) bool {
		return slices.Contains(t.Files, file) && (s.sheet == "" || t.Sheet == s.sheet) &&
			(s.path == "" || t.Rows == s.path)
	})
}

// untaken tells whether no line takes a column of a sample, or what it stands in.
func untaken(o *mapping.Outline, file string, s *sample) func(name string) bool {
	if s.sheet != "" && o.Has[file] == nil {
		file += " (" + s.sheet + ")"
	}
	has, left := o.Has[file], o.Left[file]
	below := func(name, of string) bool {
		rest, ok := strings.CutPrefix(name, of)
		return ok && rest != "" && (rest[0] == '.' || rest[0] == '[')
	}
	return func(name string) bool {
		if slices.Contains(has, name) {
			return slices.Contains(left, name)
		}
		return slices.ContainsFunc(left, func(above string) bool {
			return below(name, above) && !slices.ContainsFunc(has, func(n string) bool { return below(n, above) })
		})
	}
}

// columnOf is a drafted line without the remark.
func columnOf(line string) string {
	line, _, _ = strings.Cut(line, "   # ")
	return line
}

// lacks drafts lines for what a table does not take.
func (d *drafter) lacks(s *sample, t *mapping.OutlinedTable, untaken func(string) bool) []string {
	if t.Accounts {
		var list []string
		best := s.bestFacts()
		for c, h := range s.header {
			if !untaken(h) {
				continue
			}
			f := match(factClues, h)
			if f != "" && (best[f] != c || t.Names[f]) {
				f = ""
			}
			t.Names[f] = true
			list = append(list, d.accountLine(s, c, f))
		}
		return list
	}
	var items [][2]string
	var others []string
	for _, item := range s.items() {
		switch name := match(settingClues, item[0]); {
		case !untaken(item[0]):
		case t.Names[name]:
			others = append(others, yamlText(item[0])+"   # "+shapes(strings.Split(item[1], "\x00")))
		default:
			items = append(items, item)
		}
	}
	lines, left, _ := d.settingLines(items, s.kind)
	for _, l := range append(left, others...) {
		lines = append(lines, "# ?: "+l)
	}
	return lines
}

// with puts lines into the outline's mapping: those of tables below their
// last lines, new tables below the others, and the rest at the end.
func (d *drafter) with(o *mapping.Outline, added map[int][]string, rest []string) string {
	var last []string
	for _, section := range []string{"settings", "accounts"} {
		d.b.Reset()
		for i := range d.samples {
			s := &d.samples[i]
			switch accounts := s.kind == "accounts"; {
			case accounts && section == "accounts":
				d.accounts(s)
			case !accounts && section == "settings":
				d.settings(s)
			}
		}
		if d.b.Len() == 0 {
			continue
		}
		lines := strings.Split(strings.TrimRight(d.b.String(), "\n"), "\n")
		end, indent := sectionOf(o.Lines, section)
		if end == 0 {
			last = append(append(last, "", section+":"), lines...)
			continue
		}
		for _, l := range lines {
			added[end] = append(added[end], indent+strings.TrimPrefix(l, "  "))
		}
	}
	var b strings.Builder
	for n, line := range o.Lines {
		b.WriteString(line + "\n")
		for _, l := range added[n+1] {
			b.WriteString(l + "\n")
		}
	}
	for _, l := range append(last, rest...) {
		b.WriteString(l + "\n")
	}
	return b.String()
}

// sectionOf finds the last line of a list at the top of a mapping, and how far
// its entries stand in; 0 where there is none.
func sectionOf(lines []string, name string) (end int, indent string) {
	begin := slices.IndexFunc(lines, func(l string) bool { return strings.HasPrefix(l, name+":") })
	if begin < 0 {
		return 0, ""
	}
	entry := false
	for n := begin + 1; n < len(lines); n++ {
		text := strings.TrimLeft(lines[n], " ")
		switch {
		case text == "" || text[0] == '#':
			continue
		case !entry && text[0] == '-':
			entry, indent = true, lines[n][:len(lines[n])-len(text)]
		case len(text) == len(lines[n]) && text[0] != '-':
			return end, indent
		}
		end = n + 1
	}
	return end, indent
}
