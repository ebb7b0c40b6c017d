package csvfile

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"yewcone/core/audit"
	"yewcone/core/setting"
)

// Asked writes a row for each setting that is asked of a kind of account.
func Asked(w io.Writer, list []audit.AskedOf) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"system", "of", "setting", "asked", "clauses", "accounts", "below", "unknown", "today", "limit", "nearest",
		"state"}); err != nil {
		return err
	}
	for i := range list {
		for n := range list[i].Standings {
			x := &list[i].Standings[n]
			def := setting.At(x.Setting)
			if err := out.Write([]string{cell(list[i].System), cell(x.Who), def.Name, cell(strings.Join(x.Asks(), "; ")), cell(strings.Join(x.Clauses(), ", ")),
				strconv.Itoa(x.Accounts), strconv.Itoa(x.Below), strconv.Itoa(x.Unknown), cell(def.Text(x.Today)), cell(x.Limit), cell(x.NearestText()), x.State()}); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}

// AskedMatrix writes a row for each setting and a column for each system: how many
// accounts are below what is asked, else how it stands.
func AskedMatrix(w io.Writer, list []audit.AskedOf) error {
	out, m := csv.NewWriter(w), audit.MatrixOf(list)
	heads := []string{"setting"}
	for _, name := range m.Systems {
		heads = append(heads, cell(name))
	}
	if err := out.Write(heads); err != nil {
		return err
	}
	for i, id := range m.Settings {
		row := []string{id.String()}
		for _, c := range m.Cells[i] {
			text := c.State
			if c.Below > 0 {
				text = strconv.Itoa(c.Below)
			}
			row = append(row, text)
		}
		if err := out.Write(row); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}
