package drift

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// In are the findings of a state.
func (d *Drift) In(s State) []*Finding {
	var list []*Finding
	for i := range d.Findings {
		if d.Findings[i].State == s {
			list = append(list, &d.Findings[i])
		}
	}
	return list
}

// Sum says in one line what became of the findings.
func (d *Drift) Sum() string {
	var parts []string
	same := 0
	for _, s := range States {
		switch n := len(d.In(s)); {
		case !s.Told():
			same += n
		case n > 0:
			parts = append(parts, fmt.Sprintf("%d %s", n, s))
		}
	}
	if len(parts) == 0 {
		parts = []string{"no finding changed"}
	}
	return fmt.Sprintf("%s; %d the same", strings.Join(parts, ", "), same)
}

// Notes are what is to be said of a finding besides its sentence.
func (f *Finding) Notes() []string {
	notes := slices.Clone(f.Why)
	if f.LastIn != "" {
		notes = append(notes, "last there on "+f.LastIn)
	}
	if f.State == Accepted {
		notes = append(notes, "until "+f.After.Accepted)
	}
	return notes
}

// Words say in one line what became of a value.
func (v *Value) Words() string {
	word := ""
	switch {
	case v.Weaker:
		word = ", weaker"
	case v.Stricter:
		word = ", stricter"
	}
	before, after := cmp.Or(v.Before, "not said"), cmp.Or(v.After, "not said")
	text := fmt.Sprintf("%s, policy %s: %s %s → %s%s", v.System, v.Policy, v.Setting, before, after, word)
	if v.Before == v.After {
		text = fmt.Sprintf("%s, policy %s: %s is %s", v.System, v.Policy, v.Setting, after)
	}
	switch {
	case v.AsAsked:
		text += ", as asked for"
	case v.Asked != "":
		text += ", asked for " + v.Asked
	}
	return text
}
