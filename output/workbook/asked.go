package workbook

import (
	"io"
	"strings"

	"yewcone/core/audit"
	"yewcone/core/setting"
	"yewcone/output"
)

// Asked writes what rules ask: systems side by side, and a row for each setting that
// is asked of a kind of account.
func Asked(w io.Writer, estate string, list []audit.AskedOf, o output.Options) error {
	return write(w, estate, o, func(b *book) {
		b.askedMatrix(audit.MatrixOf(list))
		s := b.sheet("Asked", column{"system", 14}, column{"of", 14}, column{"setting", 22}, column{"asked", 34}, column{"by", 34}, column{"state", 16},
			column{"today", 18}, column{"accounts", 10}, column{"below", 10}, column{"not known", 10}, column{"limit", 24}, column{"nearest", 14})
		for i := range list {
			for n := range list[i].Standings {
				x := &list[i].Standings[n]
				def := setting.At(x.Setting)
				s.add(list[i].System, x.Who, def.Name, strings.Join(x.Asks(), "; "), strings.Join(x.Clauses(), ", "), x.State(), def.Text(x.Today),
					x.Accounts, x.Below, x.Unknown, x.Limit, x.NearestText())
			}
		}
		s.done()
	})
}

func (b *book) askedMatrix(m *audit.Matrix) {
	columns := []column{{"setting", 22}}
	for _, name := range m.Systems {
		columns = append(columns, column{text(name), 16})
	}
	s := b.sheet("Systems", columns...)
	for i, id := range m.Settings {
		row := []any{id.String()}
		for _, c := range m.Cells[i] {
			switch {
			case c.Below > 0:
				row = append(row, c.Below)
			default:
				row = append(row, c.State)
			}
		}
		s.add(row...)
	}
	s.done()
}
