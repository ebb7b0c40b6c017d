package mapping

import (
	"hash/maphash"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake/table"
)

// Lines tells what each line of the mapping finds in the rows that it reads.
// It reads the files once more.
func (e *export) Lines() ([]facts.LineTable, error) {
	var list []facts.LineTable
	for i := range e.plan.file.Settings {
		s := &e.plan.file.Settings[i]
		for _, file := range e.filesOf(s.Files) {
			t, err := e.settingLines(s, file)
			if err != nil && !e.gone(err) {
				return nil, err
			}
			list = append(list, t)
		}
	}
	for i := range e.accounts {
		t, err := e.accountLines(&e.accounts[i])
		if err != nil && !e.gone(err) {
			return nil, err
		}
		list = append(list, t)
	}
	return list, e.plan.problems.Err()
}

// gone is missing for a file of which it was told before.
func (e *export) gone(err error) bool {
	var unheard facts.Notes
	heard := e.Noted
	e.Noted = unheard
	defer func() { e.Noted = heard }()
	return e.missing(err)
}

// tally counts what one line finds.
type tally struct {
	facts.Line
	seed     maphash.Seed
	distinct map[uint64]struct{}
}

// mostDistinct is how many values of a line are told apart.
const mostDistinct = 10_000

func (e *export) tally(name string, from strictyaml.Text) *tally {
	return &tally{Line: facts.Line{At: facts.Origin{File: e.request.Mapping, Line: from.Line}, Name: name, From: from.Value},
		seed: maphash.MakeSeed(), distinct: map[uint64]struct{}{}}
}

// saw counts a value, by how it was read.
func (t *tally) saw(text string, count *int) {
	*count++
	if count == &t.Open || count == &t.Answered || count == &t.Off {
		return
	}
	if len(t.distinct) < mostDistinct {
		t.distinct[maphash.String(t.seed, text)] = struct{}{}
	} else if _, old := t.distinct[maphash.String(t.seed, text)]; !old {
		t.More = true
	}
}

func done(tallies []*tally) []facts.Line {
	var list []facts.Line
	for _, t := range tallies {
		t.Distinct = len(t.distinct)
		list = append(list, t.Line)
	}
	return list
}

// accountLines counts over a table of accounts.
func (e *export) accountLines(r *accountReader) (facts.LineTable, error) {
	out := facts.LineTable{File: r.name}
	var unheard facts.Notes // all of it was told when the accounts were read
	t, err := e.openTable(r.name, r.shape, &unheard)
	if err != nil {
		return out, err
	}
	defer t.Close()
	if !r.bind(e.plan, t) {
		return out, nil
	}
	var a facts.Account
	columns := r.boundTo(&a)
	tallies := make([]*tally, 0, len(columns)+len(r.members)+len(r.own))
	for i := range columns {
		tallies = append(tallies, e.tally(columns[i].fact, columns[i].from))
		tallies[i].Login = columns[i].fact == "login"
	}
	for i := range r.own {
		tallies = append(tallies, e.tally(r.own[i].taker.def.Name, r.own[i].taker.from))
	}
	for i := range r.members {
		tallies = append(tallies, e.tally("members", r.members[i].match))
	}
	for row, _ := t.Next(); row != nil; row, _ = t.Next() {
		out.Rows++
		a.Reset()
		next := tallies
		for i := range columns {
			r.countFact(&columns[i], &a, row, next[i])
		}
		next = next[len(columns):]
		for i := range r.own {
			k := &r.own[i].taker
			e.countSetting(k, trimmed(row[r.own[i].index]), k.only.onRow(row), next[i])
		}
		next = next[len(r.own):]
		for i := range r.members {
			a.Groups, a.Roles = a.Groups[:0], a.Roles[:0]
			r.members[i].join(&a, row)
			if n := next[i]; len(a.Groups)+len(a.Roles) > 0 {
				n.saw(strings.Join(append(a.Groups, a.Roles...), "\x00"), &n.Read)
			} else {
				n.saw("", &n.Answered)
			}
		}
	}
	out.Lines = done(tallies)
	return out, nil
}

func (r *accountReader) countFact(c *boundColumn, a *facts.Account, row []string, n *tally) {
	text := trimmed(row[c.at])
	on := facts.Yes
	if c.only != nil {
		on = c.only.on(row)
	}
	g := gapOf(text)
	switch {
	case on == facts.No:
		n.saw(text, &n.Off)
	case on == facts.Unknown, c.neverSeen, g != noGap && c.on[g] == nil:
		n.saw(text, &n.Open)
	case g != noGap:
		n.saw(text, &n.Answered)
	case c.take(a, text):
		n.saw(text, &n.Read)
	default:
		n.saw(text, &n.Refused)
	}
}

// onRow is on, and yes where there is no switch.
func (s *switcher) onRow(row []string) facts.Tri {
	if s == nil {
		return facts.Yes
	}
	return s.on(row)
}

func (e *export) countSetting(k *taker, text string, on facts.Tri, n *tally) {
	switch _, said, problem := e.plan.value(k, text); {
	case on == facts.No:
		n.saw(text, &n.Off)
	case on == facts.Unknown:
		n.saw(text, &n.Open)
	case gapOf(text) != noGap && said:
		n.saw(text, &n.Answered)
	case problem != "":
		n.saw(text, &n.Refused)
	case said:
		n.saw(text, &n.Read)
	default:
		n.saw(text, &n.Open)
	}
}

// settingLines counts over a table of settings.
func (e *export) settingLines(s *settingsTable, file strictyaml.Text) (facts.LineTable, error) {
	out := facts.LineTable{File: e.fileOf(file.Value)}
	var unheard facts.Notes
	t, err := e.openTable(out.File, shape{s.Form, s.Rows, s.Sheet, s.Heading}, &unheard)
	if err != nil {
		return out, err
	}
	defer t.Close()
	takers := e.plan.takers(s)
	pairs := s.Layout.Value == "pairs"
	var tallies []*tally
	columns := make([]int, len(takers))
	for i := range takers {
		tallies = append(tallies, e.tally(takers[i].def.Name, takers[i].from))
		e.onlyIf(t, &takers[i], pairs)
		if !pairs {
			columns[i] = e.plan.column(t, takers[i].from)
		}
	}
	if len(e.plan.problems) > 0 {
		return out, nil
	}
	if !pairs {
		for row, _ := t.Next(); row != nil; row, _ = t.Next() {
			out.Rows++
			for i := range takers {
				e.countSetting(&takers[i], trimmed(row[columns[i]]), takers[i].only.onRow(row), tallies[i])
			}
		}
		out.Lines = done(tallies)
		return out, nil
	}
	key, value := e.plan.column(t, *s.Key), e.plan.column(t, *s.Value)
	texts := map[string]string{}
	for row, _ := t.Next(); row != nil; row, _ = t.Next() {
		if name := table.Cell(row, key); texts[name] == "" {
			texts[strings.Clone(name)] = strings.Clone(table.Cell(row, value))
		}
	}
	out.Rows = 1
	for i := range takers {
		k, on := &takers[i], facts.Yes
		if k.only != nil {
			on = k.only.ofKeys(texts)
		}
		text, there := texts[k.from.Value]
		if !there {
			text = table.Absent
		}
		e.countSetting(k, text, on, tallies[i])
	}
	out.Lines = done(tallies)
	return out, nil
}
