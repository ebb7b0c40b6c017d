package mapping

import (
	"maps"
	"os"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake"
)

// An Outline is what a mapping says already, and what its files hold beside
// that, for a draft that adds what it lacks.
type Outline struct {
	Lines  []string // of the mapping
	Dates  string   // its form of dates; "" for none, or for several
	Yes    []string
	No     []string
	Tables []OutlinedTable
	Has    map[string][]string // what each file holds, where the file tells, and
	Left   map[string][]string // what no line takes
}

// An OutlinedTable is one table of a mapping.
type OutlinedTable struct {
	Files    []string // as the estate names them
	Sheet    string
	Rows     string // path of its rows
	Layout   string // of settings; "" for accounts and members
	Accounts bool
	Members  bool            // it says who is in which group
	Names    map[string]bool // the settings and facts that it fills
	End      int             // the last line of its "take", counted from 1; 0 where it stands on one line
	Indent   string          // of the lines there
}

// OutlineOf reads a mapping, and its files to their ends.
func OutlineOf(r *intake.Request) (*Outline, error) {
	plan, err := readPlan(r)
	if err != nil {
		return nil, err
	}
	opened, err := openWith(r, plan)
	if err != nil {
		return nil, err
	}
	e := opened.(*export)
	if err := e.Accounts(func(*facts.Account) error { return nil }); err != nil {
		return nil, err
	}
	data, err := os.ReadFile(r.Path(r.Mapping))
	if err != nil {
		return nil, err
	}
	f := &plan.file
	o := &Outline{Lines: strings.Split(strings.TrimRight(string(data), "\n"), "\n"), Yes: f.Yes, No: f.No}
	o.Has, o.Left = map[string][]string{}, map[string][]string{}
	for _, u := range e.Unread() {
		o.Left[u.File] = u.Names
	}
	for file, l := range e.left {
		o.Has[file] = slices.Sorted(maps.Keys(l.has))
	}
	if len(f.Dates) == 1 {
		o.Dates = f.Dates[0].Value
	}
	add := func(files []strictyaml.Text, sheet, rows *strictyaml.Text, accounts bool, keys []strictyaml.Text, fixed []strictyaml.Pair[strictyaml.Text]) {
		t := OutlinedTable{Accounts: accounts, Names: map[string]bool{}}
		for _, file := range e.filesOf(files) {
			t.Files = append(t.Files, e.fileOf(file.Value))
		}
		if sheet != nil {
			t.Sheet = sheet.Value
		}
		if rows != nil {
			t.Rows = rows.Value
		}
		for _, k := range keys {
			t.Names[k.Value] = true
		}
		for _, f := range fixed {
			t.Names[f.Key.Value] = true
		}
		if len(keys) > 0 {
			t.End, t.Indent = o.endOf(keys[0])
		}
		o.Tables = append(o.Tables, t)
	}
	for i := range f.Settings {
		s := &f.Settings[i]
		add(s.Files, s.Sheet, s.Rows, false, keysOf(s.Take), s.Fixed)
		o.Tables[len(o.Tables)-1].Layout = s.Layout.Value
	}
	for i := range f.Accounts {
		a := &f.Accounts[i]
		add(a.Files, a.Sheet, a.Rows, true, keysOf(a.Take), a.Fixed)
		for j := range a.Members {
			m := &a.Members[j]
			add(m.File, m.Sheet, m.Rows, false, nil, nil)
			o.Tables[len(o.Tables)-1].Members = true
		}
	}
	return o, nil
}

func keysOf[V any](pairs []strictyaml.Pair[V]) []strictyaml.Text {
	var keys []strictyaml.Text
	for _, p := range pairs {
		keys = append(keys, p.Key)
	}
	return keys
}

// endOf finds the last line of the block that begins with a key; 0 where the
// key does not begin its line.
func (o *Outline) endOf(key strictyaml.Text) (line int, indent string) {
	first := o.Lines[key.Line-1]
	indent = first[:len(first)-len(strings.TrimLeft(first, " "))]
	if len(indent) != key.Column-1 {
		return 0, ""
	}
	line = key.Line
	for n := key.Line; n < len(o.Lines); n++ {
		text := strings.TrimLeft(o.Lines[n], " ")
		if text == "" || text[0] == '#' {
			continue
		}
		if len(o.Lines[n])-len(text) < len(indent) {
			break
		}
		line = n + 1
	}
	return line, indent
}
