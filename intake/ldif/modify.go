package ldif

import (
	"encoding/base64"
	"strings"

	"yewcone/core/remedy"
)

// A Modification sets attributes of one entry, in their order.
type Modification struct {
	DN    string
	names []string
	sets  map[string]string
}

// Delete takes an attribute away, in lines of a modification of its own.
func Delete(dn, name string) []string {
	return []string{nameOf(dn), "changetype: modify", "delete: " + name, "-"}
}

// Replace sets an attribute, in lines of a modification of its own.
func Replace(dn, name, value string) []string {
	m := Modification{DN: dn}
	m.Set(name, value)
	return m.Lines(nil, false)
}

// nameOf is the line that names an entry: in base 64 where not all of it is
// plain (RFC 2849).
func nameOf(dn string) string {
	plain := !strings.ContainsFunc(dn, func(r rune) bool { return r < ' ' || r > '~' }) && dn != "" &&
		!strings.HasPrefix(dn, ":") && !strings.HasPrefix(dn, "<") && !strings.HasSuffix(dn, " ")
	if plain && dn[0] != ' ' {
		return "dn: " + dn
	}
	return "dn:: " + base64.StdEncoding.EncodeToString([]byte(dn))
}

// Set sets an attribute; the first time counts for its place.
func (m *Modification) Set(name, value string) {
	if m.sets == nil {
		m.sets = map[string]string{}
	}
	if _, there := m.sets[name]; !there {
		m.names = append(m.names, name)
	}
	m.sets[name] = value
}

// Lines write it as LDIF (RFC 2849) does; with undo, the way back to what the
// entry has. The values that are set here are all plain.
func (m *Modification) Lines(x *Entry, undo bool) []string {
	if len(m.names) == 0 {
		return nil
	}
	lines := []string{nameOf(m.DN), "changetype: modify"}
	for i, name := range m.names {
		if i > 0 {
			lines = append(lines, "-")
		}
		value := m.sets[name]
		if undo {
			old, there := x.First(strings.ToLower(name))
			if !there {
				lines = append(lines, "delete: "+name)
				continue
			}
			value = old.Value
		}
		lines = append(lines, "replace: "+name, name+": "+value)
	}
	return append(lines, "-")
}

// A Writer says steps as LDIF.
type Writer struct {
	Where string                                           // who runs it with what
	Entry func(string) *Entry                              // of a policy; nil for one that is no entry
	None  string                                           // why a policy that is no entry cannot be set
	Set   func(*Modification, *Entry, *remedy.Step) string // says why a step cannot be said; "" where it was
}

// Remedy writes a modification for each entry.
func (w *Writer) Remedy(steps []remedy.Step, undo bool) (blocks []remedy.Block, cannot []remedy.Cannot) {
	var mods []*Modification
	entries := map[string]*Entry{}
	for i := range steps {
		s := &steps[i]
		x := w.Entry(s.Policy)
		if x == nil {
			cannot = append(cannot, remedy.Cannot{Step: *s, Why: w.None})
			continue
		}
		if entries[x.DN] == nil {
			entries[x.DN] = x
			mods = append(mods, &Modification{DN: x.DN})
		}
		for _, m := range mods {
			if m.DN == x.DN {
				if why := w.Set(m, x, s); why != "" {
					cannot = append(cannot, remedy.Cannot{Step: *s, Why: why})
				}
			}
		}
	}
	block := remedy.Block{Where: w.Where, Language: remedy.LDIF}
	for _, m := range mods {
		if lines := m.Lines(entries[m.DN], undo); lines != nil {
			if block.Lines != nil {
				block.Lines = append(block.Lines, "")
			}
			block.Lines = append(block.Lines, lines...)
		}
	}
	if block.Lines != nil {
		blocks = append(blocks, block)
	}
	return blocks, cannot
}

// Switch sets an attribute with TRUE or FALSE, or other words, where it is not so yet.
func (m *Modification) Switch(x *Entry, name, word string) {
	if !strings.EqualFold(x.Text(strings.ToLower(name)), word) {
		m.Set(name, word)
	}
}
