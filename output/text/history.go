package text

import (
	"fmt"
	"io"
	"strings"

	"yewcone/core/drift"
	"yewcone/core/record"
	"yewcone/core/rules"
	"yewcone/output"
	"yewcone/store"
)

// History lists what was kept.
func History(w io.Writer, list []store.Kept, o output.Options) error {
	p := newPage(w, o)
	if len(list) == 0 {
		p.para("", boldStyle, "Nothing is kept yet: \"yewcone keep\" keeps a result.")
		return p.w.Flush()
	}
	p.para("", boldStyle, fmt.Sprintf("%s kept, of exports from %s to %s.", counted(len(list), "result", "results"), list[0].AsOf[:10],
		list[len(list)-1].AsOf[:10]))
	p.blank()
	rows := [][]string{{"result", "as of (UTC)", "kept", "systems"}}
	for _, s := range rules.Severities {
		rows[0] = append(rows[0], s.String())
	}
	rows[0] = append(rows[0], "accepted", "")
	for _, k := range list {
		row := []string{fmt.Sprint(k.ID), minute(k.AsOf), minute(k.KeptAt), fmt.Sprint(k.Systems)}
		for _, s := range rules.Severities {
			row = append(row, fmt.Sprint(k.Counts[s]))
		}
		partial := ""
		if k.Partial > 0 {
			partial = fmt.Sprintf("%d not read to the end", k.Partial)
		}
		rows = append(rows, append(row, fmt.Sprint(k.Accepted), partial))
	}
	p.table("  ", rows, func(c int) bool { return c == 0 || c >= 3 && c < 10 }, func(row, _ int, text string) string {
		if row == 0 {
			return p.paint(faintStyle, text)
		}
		return text
	})
	return p.w.Flush()
}

// minute is a stamp to the minute.
func minute(stamp string) string { return strings.Replace(stamp[:min(16, len(stamp))], "T", " ", 1) }

// mostLines is how many entries of a kind are shown where not all are wanted.
const mostLines = 12

// Drift writes what changed.
func Drift(w io.Writer, d *drift.Drift, o output.Options) error {
	p := newPage(w, o)
	p.para("", boldStyle, seen(d.After.Estate+": "+d.Sum()+"."))
	p.para("", plainStyle, fmt.Sprintf("From %s to %s.", asOf(d.Before.AsOf), asOf(d.After.AsOf)))
	if len(d.OtherRules) > 0 {
		p.para("", oddStyle, seen("Other rules held then for "+strings.Join(d.OtherRules, ", ")+": a finding may be new or gone by them alone."))
	}
	if len(d.OtherMappings) > 0 {
		p.para("", oddStyle, seen("Another mapping read "+strings.Join(d.OtherMappings, ", ")+" then."))
	}
	p.driftValues(d, o.All)
	p.driftFindings(d, o.All)
	p.driftAccounts(d, o.All)
	return p.w.Flush()
}

func (p *page) driftValues(d *drift.Drift, all bool) {
	for _, x := range []struct {
		title string
		list  []drift.Value
		fits  func(*drift.Value) bool
	}{
		{"Values that changed, and nobody asked for it", d.Values, func(v *drift.Value) bool { return v.Asked == "" }},
		{"Asked for, and changed to something else", d.Values, func(v *drift.Value) bool { return v.Asked != "" && !v.AsAsked }},
		{"Asked for, and so now", d.Values, func(v *drift.Value) bool { return v.AsAsked }},
		{"Asked for, and not so yet", d.NotYet, func(*drift.Value) bool { return true }},
	} {
		shown, n := 0, 0
		for i := range x.list {
			v := &x.list[i]
			if !x.fits(v) {
				continue
			}
			if n++; n == 1 {
				p.blank()
				p.para("", boldStyle, x.title)
			}
			if shown == mostLines && !all {
				continue
			}
			shown++
			p.driftValue(v)
		}
		if n > shown {
			p.para("  ", faintStyle, fmt.Sprintf("and %d more (--all)", n-shown))
		}
	}
}

func (p *page) driftValue(v *drift.Value) {
	style := plainStyle
	switch {
	case v.Weaker:
		style = badStyle
	case v.Stricter:
		style = goodStyle
	}
	p.para("  ", style, seen(v.Words()))
	place := v.PlaceAfter
	if v.PlaceBefore != v.PlaceAfter && v.PlaceBefore != "" {
		place = v.PlaceBefore + "  then; now  " + v.PlaceAfter
	}
	p.para("      ", faintStyle, seen(place))
}

func (p *page) driftFindings(d *drift.Drift, all bool) {
	for _, s := range drift.States {
		list := d.In(s)
		if len(list) == 0 || !all && !s.Told() {
			continue
		}
		p.blank()
		p.para("", boldStyle, fmt.Sprintf("%s: %s", strings.ToUpper(string(s)[:1])+string(s)[1:], counted(len(list), "finding", "findings")))
		shown := list
		if !all {
			shown = list[:min(mostLines, len(list))]
		}
		for _, f := range shown {
			x := f.At()
			text := x.System + ": " + x.Sentence + reachOf(x)
			if notes := f.Notes(); len(notes) > 0 {
				text += " [" + strings.Join(notes, "; ") + "]"
			}
			p.para("  "+p.paint(severityStyles[x.Rank()], x.Severity)+strings.Repeat(" ", max(1, 10-len(x.Severity))), plainStyle, seen(text+" ("+
				x.Rule+", "+x.Fingerprint+")"))
		}
		if n := len(list) - len(shown); n > 0 {
			p.para("  ", faintStyle, fmt.Sprintf("and %d more (--all)", n))
		}
	}
}

func reachOf(f *record.Finding) string {
	if f.Accounts == 0 {
		return ""
	}
	return "; " + counted(f.Accounts, "account", "accounts") + share(f.Privileged, f.Accounts, "privileged")
}

func (p *page) driftAccounts(d *drift.Drift, all bool) {
	if len(d.Accounts) == 0 {
		return
	}
	p.blank()
	p.para("", boldStyle, "Accounts")
	for i := range d.Accounts {
		a := &d.Accounts[i]
		if !a.Known {
			p.para("  ", plainStyle, seen(a.System+": accounts were not kept one by one"))
			continue
		}
		for _, l := range a.Lists() {
			names := l.Names
			if !all {
				names = names[:min(len(names), 6)]
			}
			p.para("  ", plainStyle, seen(fmt.Sprintf("%s: %d %s: %s%s", a.System, len(l.Names), l.What, strings.Join(names, ", "), more(len(l.Names)-len(names)))))
		}
		if a.PasswordsChanged > 0 {
			p.para("  ", plainStyle, seen(fmt.Sprintf("%s: %d of %d passwords were changed; what is asked of passwords holds for these", a.System,
				a.PasswordsChanged, a.Passwords)))
		}
	}
}
