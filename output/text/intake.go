package text

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/reading"
	"yewcone/core/rules"
	"yewcone/output"
)

// Intake writes what was read from each system's export.
func Intake(w io.Writer, list []reading.Intake, o output.Options) error {
	p := newPage(w, o)
	for i := range list {
		if i > 0 {
			p.blank()
		}
		p.intake(&list[i])
	}
	return p.w.Flush()
}

func (p *page) intake(in *reading.Intake) {
	s := &in.Summary
	title := s.Name
	if s.Title != "" {
		title += " (" + s.Title + ")"
	}
	state := "read to the end"
	if s.Partial {
		state = "NOT read to the end"
	}
	when := "when the export was taken is not known: give as_of in estate.yaml, or ages stay unknown"
	if !s.AsOf.IsZero() {
		when = "as of " + asOf(s.AsOf) + ", as " + s.AsOfFrom + " says"
	}
	p.para("", boldStyle, seen(fmt.Sprintf("%s: %s; %s.", title, state, when)))
	refused := "nothing refused"
	if s.Refused > 0 {
		refused = fmt.Sprintf("%d %s refused", s.Refused, plural(s.Refused, "row or value", "rows or values"))
	}
	p.para("  read      ", plainStyle, fmt.Sprintf("%d %s (%d privileged, %d disabled), %d %s, %s", s.Accounts,
		plural(s.Accounts, "account", "accounts"), s.Privileged, s.Disabled, s.Policies,
		plural(s.Policies, "policy", "policies"), refused))
	if in.Shrunk() {
		p.para("  before    ", badStyle, fmt.Sprintf("%d accounts in what is kept of %s: more than a tenth is gone. Is this the whole export?", in.Before.Accounts,
			in.Before.AsOf.Format(time.DateOnly)))
	}
	if v := in.System.View; v != nil && v.Whole {
		p.para("  view      ", plainStyle, seen("all that the system keeps: "+v.Proof))
	}
	for _, n := range s.Notes {
		if n.Kind == facts.NoteView {
			p.para("  view      ", badStyle, seen(n.Message))
		}
	}
	for i := range in.System.Policies {
		p.policy(in, i)
	}
	for _, n := range s.Notes {
		if n.Kind == facts.NoteView {
			continue
		}
		text := n.Message
		if n.Origin.Known() {
			text = n.Origin.String() + ": " + text
		}
		p.para("  "+padded(string(n.Kind), 10), plainStyle, seen(text))
	}
	for _, u := range in.Unread {
		if len(u.Names) > 0 {
			p.para("  not used  ", plainStyle, seen(u.File+": "+strings.Join(u.Names, ", ")))
		}
	}
	for i := range in.Lines {
		p.lines(&in.Lines[i])
	}
	for i := range in.Unknowns {
		u := &in.Unknowns[i]
		text := u.Name() + ", asked by " + strings.Join(rules.Names(u.Rules), ", ")
		if u.ToKnow != "" {
			text += "; to know it: " + u.ToKnow
		}
		p.para("  unknown   ", plainStyle, seen(text))
	}
}

// lines writes what the lines of a mapping find in one file; a column that is
// zero for all of them is left out.
func (p *page) lines(t *facts.LineTable) {
	list := t.Lines
	if t.Rows == 1 { // what was read stands with its policy already
		list = slices.DeleteFunc(slices.Clone(list), func(l facts.Line) bool { return l.Read == t.Rows })
	}
	if len(list) == 0 {
		return
	}
	p.para("  lines     ", boldStyle, seen(fmt.Sprintf("of %s for %s, over %d %s", list[0].At.File, t.File, t.Rows,
		plural(t.Rows, "row", "rows"))))
	heads := []string{"line", "", "from", "read", "answered", "left open", "off", "refused", "distinct", ""}
	rows := [][]string{heads}
	used := map[int]bool{4: false}
	for i := range list {
		l := &list[i]
		distinct := strconv.Itoa(l.Distinct)
		if l.More {
			distinct += "+"
		}
		rows = append(rows, []string{strconv.Itoa(l.At.Line), l.Name, seen(l.From), readShare(l.Read, t.Rows), count(l.Answered), count(l.Open),
			count(l.Off), count(l.Refused), distinct, l.Doubt(t.Rows)})
		for c, n := range map[int]int{4: l.Answered, 5: l.Open, 6: l.Off, 7: l.Refused} {
			used[c] = used[c] || n > 0
		}
	}
	for i := range rows {
		for c := 7; c >= 4; c-- {
			if !used[c] {
				rows[i] = slices.Delete(rows[i], c, c+1)
			}
		}
	}
	last := len(rows[0]) - 1
	p.table("    ", rows, func(c int) bool { return c == 0 || c > 2 && c < last }, func(row, c int, text string) string {
		switch {
		case row == 0:
			return p.paint(faintStyle, text)
		case c == last:
			return p.paint(badStyle, text)
		}
		return text
	})
}

// readShare is a part of all in per cent: 0 and 100 only where it is none or all.
func readShare(n, of int) string {
	switch {
	case of == 0 || n == 0:
		return "none"
	case n == of:
		return "all"
	}
	return strconv.Itoa(min(max(n*100/of, 1), 99)) + " %"
}

// count is a number, or nothing for none.
func count(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// policy writes one policy: settings that stand in one place and say the same
// are put together.
func (p *page) policy(in *reading.Intake, i int) {
	policy := &in.System.Policies[i]
	name := "policy " + policy.Name
	if policy.Name == in.System.Default {
		name += ", the default"
	}
	if policy.Parent != "" {
		name += ", inherits from " + policy.Parent
	}
	if len(policy.Roles) > 0 {
		name += ", for " + strings.Join(policy.Roles, ", ")
	}
	p.para("  ", boldStyle, seen(name))
	settings := in.Settings[i]
	for j := 0; j < len(settings); {
		same := 1
		for j+same < len(settings) && settings[j+same].Origin == settings[j].Origin {
			same++
		}
		var parts []string
		for _, s := range settings[j : j+same] {
			parts = append(parts, s.Name+" "+s.Value)
		}
		text := settings[j].Origin.String()
		if settings[j].Origin.Text != "" {
			text += "  " + settings[j].Origin.Text
		}
		if same == 1 {
			p.para("    "+padded(settings[j].Name, 23)+p.paint(boldStyle, padded(settings[j].Value, 19)), plainStyle, seen(text))
		} else {
			p.para("    ", plainStyle, seen(strings.Join(parts, ", ")+": "+text))
		}
		j += same
	}
}
