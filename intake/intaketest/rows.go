package intaketest

import (
	"fmt"
	"strings"

	"yewcone/intake/table"
)

// Rows reads rows to their end, together as far as they can be or one by one, and
// writes each with the line that it begins on.
func Rows(rows table.Rows, width int, together bool) string {
	var out strings.Builder
	b := table.NewBatch(width)
	for {
		for i := range b.Texts {
			b.Texts[i] = "of rows before"
		}
		b.Count = 0
		if together {
			b.Fill(rows)
		} else if row, at := rows.Next(); row != nil {
			copy(b.Room(), row)
			b.Add(at)
		}
		if b.Count == 0 {
			return out.String()
		}
		for i := range b.Count {
			fmt.Fprintf(&out, "%d %q\n", b.Places[i].Line, b.Row(i))
		}
	}
}
