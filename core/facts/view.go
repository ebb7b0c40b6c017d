package facts

import (
	"maps"
	"slices"
	"strings"
)

// A View tells what an export was able to show. Where an attribute, a column
// or a line is missing, it decides whether that means anything: only where the
// export would have shown it. What is not visible is unknown, whatever the
// server's default may be.
//
// The zero View shows nothing. Readers fill it before they hand over accounts;
// then it may be asked from several sides at the same time.
type View struct {
	// Whole tells that everything which the system keeps is in the export, and
	// Proof what proves it.
	Whole bool
	Proof string
	// Advice tells how to take a fuller one.
	Advice string

	shown  map[string]bool
	asked  map[string]string // attributes that the reader looks at, and what rests on them
	hidden bool
}

// Show notes that an attribute was seen on an entry of its class, so that its
// absence from another entry of that class means something: views hide an
// attribute for all entries, not for one.
func (v *View) Show(attribute string) {
	if v.shown == nil {
		v.shown = map[string]bool{}
	}
	v.shown[attribute] = true
}

// Hide makes everything invisible but what is there: the reader does not
// understand what else the export may hold.
func (v *View) Hide() { v.hidden = true }

// Ask notes that the reader looks at an attribute, and what rests on it, in a
// few words, for those who read what was not visible.
func (v *View) Ask(attribute, about string) {
	if v.asked == nil {
		v.asked = map[string]string{}
	}
	v.asked[attribute] = about
}

// Shows reports whether the absence of an attribute means that it is not set.
func (v *View) Shows(attribute string) bool {
	return !v.hidden && (v.Whole || v.shown[attribute])
}

// NotVisible lists what rests on attributes that the export may have left out,
// each with these attributes.
func (v *View) NotVisible() []NotVisible {
	var list []NotVisible
	for _, attribute := range slices.Sorted(maps.Keys(v.asked)) {
		if v.Shows(attribute) || v.shown[attribute] && !v.hidden {
			continue
		}
		about := v.asked[attribute]
		at := slices.IndexFunc(list, func(n NotVisible) bool { return n.About == about })
		if at < 0 {
			at = len(list)
			list = append(list, NotVisible{About: about})
		}
		list[at].Attributes = append(list[at].Attributes, attribute)
	}
	return list
}

// NotVisible is something that an export may have left out.
type NotVisible struct {
	About      string   // what rests on it, in a few words
	Attributes []string // by the system's own names
}

// Tell notes what the view may have left out, for readers to call once it is
// settled: it comes before all else that they say.
func (v *View) Tell(n *Notes, o Origin) {
	list := v.NotVisible()
	if v.Whole && !v.hidden || len(list) == 0 {
		return
	}
	var parts []string
	for _, h := range list {
		parts = append(parts, h.About+" ("+strings.Join(h.Attributes, ", ")+")")
	}
	text := "not visible in this export, and so unknown: " + strings.Join(parts, "; ") + ". To see it, take it with " + v.Advice
	n.list = append([]Note{{Kind: NoteView, Origin: o, Message: text}}, n.list...)
	for i := range n.sorts {
		n.sorts[i].Last++
	}
}
