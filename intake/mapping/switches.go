package mapping

import (
	"slices"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake/table"
)

// A switcher tells whether a value counts.
type switcher struct {
	from    strictyaml.Text
	index   int       // of its column in the same row; -1 for a key or a constant
	state   facts.Tri // of a constant
	fixed   bool      // the switch stands in another table, and state is it
	answers triWords
	gone    facts.Tri // what holds where the switch is not there, empty or null
}

// switcher makes a switch ready; nil after noting what is wrong.
func (e *export) switcher(t table.Table, source *switchSource, key bool) *switcher {
	p := e.plan
	s := &switcher{from: source.From, index: -1}
	words := factSource{From: source.From, Yes: source.Yes, No: source.No}
	var c factColumn
	p.triWords(&c, &words)
	s.answers = c.answers
	if source.Gone != nil {
		s.gone = map[string]facts.Tri{"yes": facts.Yes, "no": facts.No}[p.choice(*source.Gone, "yes", "no", "unknown")]
	}
	switch {
	case source.File != nil:
		text, there := e.constant(*source.File, source.From)
		s.fixed, s.state = true, s.gone
		if there {
			s.state = s.read(text)
		}
	case !key:
		s.index = p.column(t, source.From)
	}
	return s
}

func (s *switcher) read(text string) facts.Tri {
	if gapOf(text) != noGap {
		return s.gone
	}
	answer, _ := s.answers.find(text)
	return answer
}

// on tells what the switch of a row says.
func (s *switcher) on(row []string) facts.Tri {
	if s.fixed || s.index < 0 {
		return s.state
	}
	if row[s.index] == table.Absent {
		return s.gone
	}
	return s.read(table.Cell(row, s.index))
}

// ofKeys is on for a table of keys and values.
func (s *switcher) ofKeys(texts map[string]string) facts.Tri {
	if s.fixed {
		return s.state
	}
	text, there := texts[s.from.Value]
	if !there {
		return s.gone
	}
	return s.read(text)
}

// constant is the text of a key in a table of settings that the mapping reads.
func (e *export) constant(file, key strictyaml.Text) (text string, there bool) {
	i := slices.IndexFunc(e.plan.file.Settings, func(s settingsTable) bool {
		return slices.ContainsFunc(s.Files, func(f strictyaml.Text) bool { return f.Value == file.Value }) && s.Layout.Value != "rows"
	})
	if i < 0 {
		e.plan.fail(file, "no table of settings as pairs or a document reads %q", file.Value)
		return "", false
	}
	s := &e.plan.file.Settings[i]
	var unheard facts.Notes
	t, err := e.openTable(e.fileOf(file.Value), shape{s.Form, s.Rows, s.Sheet, s.Heading}, &unheard)
	if err != nil {
		return "", false // told where the table is read
	}
	defer t.Close()
	if s.Layout.Value == "document" {
		c := e.plan.column(t, key)
		if row, _ := t.Next(); row != nil && c >= 0 && row[c] != table.Absent {
			return table.Cell(row, c), true
		}
		return "", false
	}
	if s.Key == nil || s.Value == nil {
		return "", false
	}
	name, value := e.plan.column(t, *s.Key), e.plan.column(t, *s.Value)
	for row, _ := t.Next(); row != nil && name >= 0 && value >= 0; row, _ = t.Next() {
		if table.Cell(row, name) == key.Value {
			return table.Cell(row, value), true
		}
	}
	return "", false
}

// onlyIf makes a setting's switch ready.
func (e *export) onlyIf(t table.Table, k *taker, key bool) {
	source := k.source.Only
	if source == nil {
		return
	}
	k.only = e.switcher(t, source, key)
	if source.Else == nil {
		e.plan.fail(source.From, "\"only_if\" needs \"otherwise\": what %s is where the switch is off", k.def.Name)
		return
	}
	v, err := k.def.Parse(source.Else.Value)
	if err != nil {
		e.plan.fail(*source.Else, "%s", err)
	}
	k.otherwise = v
}

// switched is take for a setting with a switch.
func (e *export) switched(p *facts.Policy, k *taker, on facts.Tri, text string, origin facts.Origin) {
	switch on {
	case facts.Yes:
		e.take(p, k, text, origin)
	case facts.No:
		origin.Text += " (" + k.only.from.Value + " is off)"
		if k.otherwise.Known() {
			p.Set(k.id, k.otherwise, origin)
		}
	default:
		origin.Text += " (whether " + k.only.from.Value + " is on is not known)"
		p.Hide(k.id, origin)
	}
}
