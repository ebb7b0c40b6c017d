package csvfile

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"yewcone/core/drift"
)

// Drift writes a row for each value, finding and account that changed.
func Drift(w io.Writer, d *drift.Drift) error {
	out := csv.NewWriter(w)
	add := func(cells ...string) {
		for i := range cells {
			cells[i] = cell(cells[i])
		}
		_ = out.Write(cells) // which Error tells at the end
	}
	add("what", "became", "system", "severity", "policy", "setting", "before", "after", "asked_for", "account", "accounts", "in_words", "rule", "finding")
	for _, x := range []struct {
		became string
		list   []drift.Value
	}{{"", d.Values}, {"not yet as asked for", d.NotYet}} {
		for i := range x.list {
			v := &x.list[i]
			became := x.became
			switch {
			case became != "":
			case v.Weaker:
				became = "weaker"
			case v.Stricter:
				became = "stricter"
			default:
				became = "other"
			}
			add("value", became, v.System, "", v.Policy, v.Setting, v.Before, v.After, v.Asked, "", "", v.Words(), "", "")
		}
	}
	for i := range d.Findings {
		f := &d.Findings[i]
		x := f.At()
		before, after := "", ""
		if f.Before != nil {
			before = f.Before.Value
		}
		if f.After != nil {
			after = f.After.Value
		}
		words := x.Sentence
		if notes := f.Notes(); len(notes) > 0 {
			words += "; " + strings.Join(notes, "; ")
		}
		add("finding", string(f.State), x.System, x.Severity, x.Policy, x.Setting, before, after, "", "", strconv.Itoa(x.Accounts), words, x.Rule, x.Fingerprint)
	}
	for i := range d.Accounts {
		a := &d.Accounts[i]
		for _, l := range a.Lists() {
			for _, login := range l.Names {
				add("account", l.What, a.System, "", "", "", "", "", "", login, "", "", "", "")
			}
		}
	}
	out.Flush()
	return out.Error()
}
