package text

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"yewcone/core/audit"
	"yewcone/core/finding"
	"yewcone/core/setting"
	"yewcone/output"
)

// Asked tells what the rules ask of the accounts of systems, and how they stand.
// Several systems stand side by side.
func Asked(w io.Writer, estate string, list []audit.AskedOf, o output.Options) error {
	p := newPage(w, o)
	if len(list) > 1 {
		p.askedMatrix(estate, audit.MatrixOf(list))
		return p.w.Flush()
	}
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
	text := fmt.Sprintf("%s: %s %s %d %s of its accounts", name, strings.Join(s.Rules, " and "), plural(len(s.Rules), "asks", "ask"), len(s.Standings), plural(len(s.Standings), "thing", "things"))
	for _, state := range []string{finding.Broken, audit.Beyond, finding.Open, finding.Met} {
		if n := counts[state]; n > 0 {
			text += fmt.Sprintf(", %d %s", n, map[string]string{finding.Open: "not known"}[state]+map[bool]string{true: state}[state != finding.Open])
		}
	}
	p.para("", boldStyle, seen(text+"."))
	var states []string
	rows := [][]string{{"of", "setting", "asked", "the system can", "today", "accounts", "below", "so it is", "by"}}
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
		below := "·"
		switch {
		case x.Below > 0:
			below = fmt.Sprint(x.Below)
		case x.Unknown > 0:
			below = "?"
		}
		rows = append(rows, []string{first, def.Name, seen(asked), seen(x.LimitText()), today, fmt.Sprint(x.Accounts), below, stateOf(x), seen(by)})
		states = append(states, x.State())
	}
	const limits = 3
	count := 5
	if !slices.ContainsFunc(s.Standings, func(x audit.Standing) bool { return x.Limit != "" }) {
		for i := range rows {
			rows[i] = slices.Delete(rows[i], limits, limits+1)
		}
		count--
	}
	p.table("  ", rows, func(column int) bool { return column == count || column == count+1 }, func(row, column int, text string) string {
		switch {
		case row == 0:
			return p.paint(faintStyle, text)
		case (column == count+1 || column == count+2) && (states[row-1] == finding.Broken || states[row-1] == audit.Beyond):
			return p.paint(badStyle, text)
		}
		return text
	})
}

// stateOf is how something that is asked stands, in a word.
func stateOf(x *audit.Standing) string {
	if x.State() == finding.Open {
		return "not known"
	}
	return strings.TrimSuffix(x.State(), " the system")
}

// stateWords are what a cell says where no account is below.
var stateWords = map[string]string{"": "·", finding.Met: "met", finding.Open: "?", audit.Beyond: "beyond"}

func (p *page) askedMatrix(estate string, m *audit.Matrix) {
	total := 0
	var counts []string
	for _, x := range []struct{ state, words string }{{finding.Broken, "broken"}, {audit.Beyond, "beyond what the system can do"}, {finding.Open, "not known"},
		{finding.Met, "met"}} {
		if n := m.Counts[x.state]; n > 0 {
			total += n
			counts = append(counts, fmt.Sprintf("%d %s", n, x.words))
		}
	}
	if total == 0 {
		p.para("", boldStyle, seen(estate+": nothing of this kind is asked."))
		return
	}
	p.para("", boldStyle, seen(fmt.Sprintf("%s: %d things are asked of %d systems, %s.", estate, total, len(m.Systems), list(counts))))
	p.para("", faintStyle, "A number is how many accounts are below what is asked; ? is not known, · is not asked, beyond is what the system cannot do.")
	name := 0
	for _, id := range m.Settings {
		name = max(name, len(id.String()))
	}
	for from := 0; from < len(m.Systems); {
		width, to := 2+name, from
		for ; to < len(m.Systems) && (to == from || width+2+max(6, len(m.Systems[to])) <= p.width); to++ {
			width += 2 + max(6, len(m.Systems[to]))
		}
		p.blank()
		p.askedBlock(m, from, to)
		from = to
	}
	p.blank()
	p.para("", plainStyle, seen("Next: yewcone rules asked "+m.Systems[0]+p.asIf+" (of whom, by which clause, and today's values), --only broken, --format xlsx."))
}

// askedBlock writes some systems of a matrix, without the settings that none of them
// is asked for.
func (p *page) askedBlock(m *audit.Matrix, from, to int) {
	rows := [][]string{append([]string{"setting"}, m.Systems[from:to]...)}
	var kinds [][]audit.Cell
	for i, id := range m.Settings {
		row, any := []string{id.String()}, false
		for _, c := range m.Cells[i][from:to] {
			text := stateWords[c.State]
			switch {
			case c.Below > 0 && c.State == audit.Beyond:
				text = "beyond"
			case c.Below > 0:
				text = fmt.Sprint(c.Below)
			}
			any = any || c.State != ""
			row = append(row, text)
		}
		if any {
			rows, kinds = append(rows, row), append(kinds, m.Cells[i][from:to])
		}
	}
	p.table("  ", rows, func(column int) bool { return column > 0 }, func(row, column int, text string) string {
		if row == 0 {
			return p.paint(faintStyle, text)
		}
		if column > 0 {
			switch kinds[row-1][column-1].State {
			case finding.Broken, audit.Beyond:
				return p.paint(badStyle, text)
			case finding.Open:
				return p.paint(oddStyle, text)
			}
		}
		return text
	})
}
