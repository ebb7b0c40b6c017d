package text

import (
	"fmt"
	"io"
	"strings"

	"yewcone/core/audit"
	"yewcone/core/finding"
	"yewcone/core/setting"
	"yewcone/output"
)

// Asked tells what the rules ask of the accounts of systems, and how they stand.
func Asked(w io.Writer, list []audit.AskedOf, o output.Options) error {
	p := newPage(w, o)
	for i := range list {
		if i > 0 {
			p.blank()
		}
		p.askedOf(&list[i])
	}
	return p.w.Flush()
}

func (p *page) askedOf(s *audit.AskedOf) {
	name := s.System
	if s.Title != "" {
		name += " (" + s.Title + ")"
	}
	if len(s.Rules) == 0 {
		p.para("", boldStyle, seen(name+": nobody has said which rules hold."))
		return
	}
	counts := map[string]int{}
	for i := range s.Standings {
		counts[s.Standings[i].State()]++
	}
	text := fmt.Sprintf("%s: %s ask %d %s of its accounts", name, strings.Join(s.Rules, " and "), len(s.Standings), plural(len(s.Standings), "thing", "things"))
	for _, state := range []string{finding.Broken, audit.Beyond, finding.Open, finding.Met} {
		if n := counts[state]; n > 0 {
			text += fmt.Sprintf(", %d %s", n, map[string]string{finding.Open: "not known"}[state]+map[bool]string{true: state}[state != finding.Open])
		}
	}
	p.para("", boldStyle, seen(text+"."))
	var states []string
	rows := [][]string{{"of", "setting", "asked", "today", "accounts", "below", "by"}}
	who := ""
	for i := range s.Standings {
		x := &s.Standings[i]
		def := setting.At(x.Setting)
		first := x.Who
		if first == who {
			first = ""
		}
		who = x.Who
		asked, by := strings.Join(x.Asks(), "; "), strings.Join(x.Clauses(), ", ")
		today := def.Text(x.Today)
		if x.State() == audit.Beyond {
			asked += "; the system takes " + def.Text(x.Nearest)
		}
		below := "·"
		switch {
		case x.Below > 0:
			below = fmt.Sprint(x.Below)
		case x.Unknown > 0:
			below = "?"
		}
		rows = append(rows, []string{first, def.Name, seen(asked), today, fmt.Sprint(x.Accounts), below, seen(by)})
		states = append(states, x.State())
	}
	p.table("  ", rows, func(column int) bool { return column == 4 || column == 5 }, func(row, column int, text string) string {
		switch {
		case row == 0:
			return p.paint(faintStyle, text)
		case column == 5 && (states[row-1] == finding.Broken || states[row-1] == audit.Beyond):
			return p.paint(badStyle, text)
		}
		return text
	})
}
