package text

import (
	"fmt"
	"strings"

	"yewcone/core/change"
	"yewcone/core/facts"
	"yewcone/core/finding"
)

// How much of each part fits on one screen.
const (
	mostOpen    = 4 // systems for each way in
	mostSeen    = 2 // findings of records of sign-ins
	mostChanges = 3
	mostSystems = 14
)

// screen writes what comes first, and how to see the rest.
func (p *page) screen(r *finding.Result) {
	p.cut(r)
	p.openToAnybody(r)
	p.seenInRecords(r)
	list := change.Of(r)
	if len(list) > 0 {
		p.blank()
		p.para("", boldStyle, "What helps most: "+lowered(change.HowMuch(r, list, 10)))
		for i := range list[:min(mostChanges, len(list))] {
			p.change(r, &list[i], i+1, false)
		}
	}
	p.systems(r, mostSystems)
	p.whereTheRestIs(r, list)
}

// cut names the systems that were not read to their ends, since nothing below
// speaks for what is missing.
func (p *page) cut(r *finding.Result) {
	for i := range r.Systems {
		s := &r.Systems[i]
		if !s.Partial {
			continue
		}
		why := ""
		for _, n := range s.Notes {
			if n.Kind == facts.NoteIncomplete && why == "" {
				why = ": " + n.Message
				if n.Origin.Known() {
					why = ": " + n.Origin.String() + ": " + n.Message
				}
			}
		}
		p.para("", badStyle, seen(s.Name+" was not read to its end"+why))
	}
}

// openToAnybody lists what lets in whoever tries, a line for each way.
func (p *page) openToAnybody(r *finding.Result) {
	ways := r.Ways()
	if len(ways) == 0 {
		return
	}
	p.blank()
	p.para("", badStyle, "Open to anybody who tries, or who reads a copy")
	width := 0
	for _, way := range ways {
		width = max(width, len(way.What))
	}
	for _, way := range ways {
		var list []string
		for i := range way.Places {
			if i == mostOpen {
				list = append(list, fmt.Sprintf("and on %d more systems", len(way.Places)-mostOpen))
				break
			}
			list = append(list, seen(way.Places[i].String()))
		}
		p.para("  "+padded(way.What, width+2), plainStyle, strings.Join(list, "; "))
	}
}

// seenInRecords lists the worst of what was seen in records of sign-ins.
func (p *page) seenInRecords(r *finding.Result) {
	found := r.InRecords()
	if len(found) == 0 {
		return
	}
	var list []string
	for _, f := range found[:min(mostSeen, len(found))] {
		who := f.Value
		if len(f.Reach.Examples) > 0 {
			who = f.Reach.Examples[0].Login
		}
		text := f.System + ": " + who + " " + f.Seen
		if n := f.Reach.Accounts - 1; n > 0 {
			text += fmt.Sprintf(", and %d more", n)
		}
		list = append(list, text)
	}
	if n := len(found) - len(list); n > 0 {
		list = append(list, fmt.Sprintf("and %d more", n))
	}
	if len(r.Ways()) == 0 {
		p.blank()
	}
	p.para("Seen in records of sign-ins: ", badStyle, seen(strings.Join(list, "; ")))
}

// whereTheRestIs says what to run for more.
func (p *page) whereTheRestIs(r *finding.Result, list []change.Change) {
	p.blank()
	notes, refused := 0, 0
	for i := range r.Systems {
		notes += len(r.Systems[i].Notes)
		refused += r.Systems[i].Refused
	}
	var more []string
	if len(r.Accepted) > 0 {
		more = append(more, fmt.Sprintf("%d %s accepted for a time", len(r.Accepted), plural(len(r.Accepted), "finding", "findings")))
	}
	if notes > 0 {
		more = append(more, fmt.Sprintf("%d %s on the reading", notes, plural(notes, "remark", "remarks")))
	}
	if len(more) > 0 {
		p.para("", plainStyle, "Not shown here: "+strings.Join(more, ", ")+".")
	}
	lead := "Next: "
	if len(list) > 0 && p.asIf == "" { // which judge by the estate's own rules
		p.para(lead, plainStyle, fmt.Sprintf("yewcone changes (all %d), yewcone remedy %s (what to type where), yewcone impact %s (whom it hits).",
			len(list), seen(list[0].System), seen(list[0].System)))
		lead = "      "
	}
	if len(r.Findings) > 0 {
		p.para(lead, plainStyle, fmt.Sprintf("yewcone check --all%s (all %d findings), yewcone check %s%s (of one system), yewcone check --finding %s%s (of one, "+
			"with all its accounts).", p.asIf, len(r.Findings), seen(r.WorstSystem()), p.asIf, r.Findings[0].Fingerprint, p.asIf))
	} else if len(r.Unknowns) > 0 {
		p.para(lead, plainStyle, "yewcone check --all"+p.asIf+" tells what is not known, and how to know it.")
	}
}

// lowered begins a sentence with a small letter, to follow a colon.
func lowered(text string) string { return strings.ToLower(text[:1]) + text[1:] }
