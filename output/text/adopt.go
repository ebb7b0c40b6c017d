package text

import (
	"fmt"
	"io"
	"strings"

	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/output"
)

// adoptedStates are told in this order, with what they mean.
var adoptedStates = []struct{ does, beside, many string }{
	{rules.Crosses, "cannot be met beside what is asked today", "cannot be met beside what is asked today"},
	{rules.Adds, "is asked anew", "are asked anew"},
	{rules.Tightens, "is asked more strictly", "are asked more strictly"},
	{rules.Depends, "depends on the value of another system", "depend on the value of another system"},
	{rules.AsksLess, "is asked for less (today's stays, unless the set takes its place)", "are asked for less (today's stay, unless the set takes their place)"},
	{rules.Drops, "is not asked for by it", "are not asked for by it"},
	{rules.SameAsNow, "stays as it is", "stay as they are"},
}

// Adoptions tells what rule sets would change on systems.
func Adoptions(w io.Writer, estate string, list []*rules.Adoption, o output.Options) error {
	p := newPage(w, o)
	for i, a := range list {
		if i > 0 {
			p.blank()
		}
		p.adoption(a)
	}
	return p.w.Flush()
}

func (p *page) adoption(a *rules.Adoption) {
	held := "nothing holds"
	if len(a.Rules) > 0 {
		held = strings.Join(a.Rules, " and ") + plural(len(a.Rules), " holds", " hold")
	}
	var counts []string
	for _, s := range adoptedStates {
		n := 0
		for i := range a.Items {
			if a.Items[i].Does == s.does {
				n++
			}
		}
		if n > 0 {
			counts = append(counts, fmt.Sprintf("%d %s", n, plural(n, s.beside, s.many)))
		}
	}
	if counts == nil {
		counts = []string{"nothing is asked of settings"}
	}
	p.para("", boldStyle, seen(fmt.Sprintf("%s on %s, where %s today:", a.Set, strings.Join(a.Systems, ", "), held)))
	for _, text := range counts {
		p.para("  ", plainStyle, seen(text))
	}
	rows := [][]string{{"setting", "of", "today", a.Set + " asks", "so it"}}
	words := map[string]string{rules.Crosses: "cannot be met", rules.Adds: "is new", rules.Tightens: "is tightened",
		rules.Depends: "depends", rules.AsksLess: "asks less"}
	for _, state := range adoptedStates[:5] {
		for i := range a.Items {
			x := &a.Items[i]
			if x.Does != state.does {
				continue
			}
			for n := range max(len(x.Today), len(x.Asks), 1) {
				row := []string{"", "", "", "", ""}
				if n == 0 {
					row = []string{setting.At(x.Setting).Name, x.Words(), "·", "", words[x.Does]}
				}
				if n < len(x.Today) {
					row[2] = seen(x.Today[n])
				}
				if n < len(x.Asks) {
					row[3] = seen(x.Asks[n])
				}
				rows = append(rows, row)
			}
		}
	}
	if len(rows) > 1 {
		p.blank()
		p.table("  ", rows, func(int) bool { return false }, func(row, column int, text string) string {
			switch {
			case row == 0:
				return p.paint(faintStyle, text)
			case column == 4 && strings.HasPrefix(text, "cannot"):
				return p.paint(badStyle, text)
			}
			return text
		})
	}
	if len(a.Apart) > 0 {
		p.blank()
		p.para("  ", plainStyle, seen("Further clauses, about facts or with a choice: "+strings.Join(a.Apart, ", ")+"."))
	}
}
