package text

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"yewcone/core/change"
	"yewcone/core/finding"
	"yewcone/output"
)

// Changes writes what to do, the most worthwhile first.
func Changes(w io.Writer, r *finding.Result, list []change.Change, o output.Options) error {
	p := newPage(w, o)
	if len(list) == 0 {
		p.para("", boldStyle, seen(r.Estate)+": nothing that was found asks for a change.")
		return p.w.Flush()
	}
	p.para("", boldStyle, seen(r.Estate)+": "+fmt.Sprintf("%d %s for %d findings, the most worthwhile first.", len(list),
		plural(len(list), "change", "changes"), len(r.Findings)))
	p.para("", plainStyle, change.HowMuch(r, list, 10))
	for i := range list {
		p.blank()
		p.change(r, &list[i], i+1, true)
	}
	return p.w.Flush()
}

const numberWidth = 4

// change writes one change; its steps in full where they are wanted.
func (p *page) change(r *finding.Result, c *change.Change, number int, whole bool) {
	lead := fmt.Sprintf("%2d  ", number)
	indent := strings.Repeat(" ", numberWidth)
	most := 0
	if !whole {
		most = 4
	}
	p.para(lead, boldStyle, seen(c.Title(r, most)))
	p.para(indent, plainStyle, seen(change.Sum(r, c)))
	if !whole {
		return
	}
	for _, first := range c.First {
		p.para(indent+"first   ", plainStyle, seen(first))
	}
	for i := range c.Steps {
		s := &c.Steps[i]
		if s.IsSetting && len(c.Policies) > 1 && (i == 0 || c.Steps[i-1].Policy != s.Policy) {
			p.para(indent+"policy  ", plainStyle, seen(s.Policy))
		}
		if s.IsSetting || len(c.Steps) > 1 {
			why := strings.Join(names(r, s.Findings), ", ")
			if why == "" {
				why = "it comes into force with this change"
			}
			p.para(indent+"step    ", plainStyle, seen(s.Do+" ("+why+")"))
		} else {
			p.para(indent+"for     ", plainStyle, seen(strings.Join(names(r, s.Findings), ", ")))
		}
		if few := s.Few(r); few != "" {
			p.para(indent+"        ", faintStyle, few)
		}
		for _, e := range s.Enough {
			p.para(indent+"        ", faintStyle, seen(e.Text(r, s)))
		}
	}
	if len(c.Beyond) > 0 {
		p.para(indent+"beyond  ", plainStyle, seen(fmt.Sprintf("%s %s beyond what the system can do, and %s an exception", strings.Join(names(r,
			c.Beyond), ", "), plural(len(c.Beyond), "is", "are"), plural(len(c.Beyond), "needs", "need"))))
	}
	if len(c.Helps) > 0 {
		p.para(indent+"helps   ", plainStyle, seen("with "+strings.Join(names(r, c.Helps), ", ")+", which other changes end"))
	}
}

// names are those of rules, with the fingerprints of what breaks them.
func names(r *finding.Result, list []int) []string {
	var out []string
	for _, i := range list {
		out = append(out, r.Findings[i].Rule.String()+" "+r.Findings[i].Fingerprint)
	}
	slices.Sort(out)
	return out
}
