package text

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"yewcone/core/due"
	"yewcone/core/facts"
	"yewcone/output"
)

// Due writes what ends, day by day, and who is past the end.
func Due(w io.Writer, l *due.List, o output.Options) error {
	p := newPage(w, o)
	var ahead []string
	for _, x := range []struct{ what, one, many string }{{due.Password, "password", "passwords"}, {due.Account, "account", "accounts"},
		{due.Exception, "exception", "exceptions"}, {due.Lock, "lock", "locks"}} {
		if n := l.Count(x.what, false); n > 0 {
			ahead = append(ahead, fmt.Sprintf("%d %s", n, plural(n, x.one, x.many)))
		}
	}
	text := "nothing ends"
	if len(ahead) > 0 {
		text = list(ahead) + plural(len(l.Items), " ends", " end")
	}
	if n := l.Count(due.Rule, false); n > 0 {
		text += fmt.Sprintf(", %d %s for more", n, plural(n, "rule asks", "rules ask"))
	}
	overdue := l.Count(due.Password, true)
	p.para("", boldStyle, seen(fmt.Sprintf("%s: within %s of %s, %s; %d %s past %s end.", l.Estate, l.Within, asOf(l.AsOf), text, overdue,
		plural(overdue, "password is", "passwords are"), plural(overdue, "its", "their"))))
	for _, name := range l.Partial {
		p.para("", badStyle, seen(name+" was not read to its end: more may be due there"))
	}
	if len(l.NoAsOf) > 0 {
		p.para("", oddStyle, seen("The moment of the export is not known of "+list(l.NoAsOf)+": give as_of in estate.yaml."))
	}
	if l.Undated > 0 {
		p.para("", plainStyle, fmt.Sprintf("Of %d more %s the end of the password is not known.", l.Undated, plural(l.Undated, "account", "accounts")))
	}
	p.overdue(l)
	p.ahead(l)
	if len(l.Items) > 0 {
		p.blank()
		p.para("", plainStyle, "Next: yewcone due --format csv (a row for each, with addresses), --format ics (for a calendar).")
	}
	return p.w.Flush()
}

// overdue lists those past their end, by system.
func (p *page) overdue(l *due.List) {
	bySystem := map[string][]*due.Item{}
	var systems []string
	for i := range l.Items {
		if x := &l.Items[i]; x.Overdue {
			if bySystem[x.System] == nil {
				systems = append(systems, x.System)
			}
			bySystem[x.System] = append(bySystem[x.System], x)
		}
	}
	if len(systems) == 0 {
		return
	}
	slices.Sort(systems)
	p.blank()
	p.para("", boldStyle, "Past their end")
	width := 0
	for _, s := range systems {
		width = max(width, len(s))
	}
	for _, s := range systems {
		p.para("  "+padded(s, width+2), plainStyle, dueText(bySystem[s], true))
	}
}

// ahead lists what ends on each day, by system and kind.
func (p *page) ahead(l *due.List) {
	type key struct{ day, system, what string }
	groups := map[key][]*due.Item{}
	var order []key
	for i := range l.Items {
		x := &l.Items[i]
		if x.Overdue {
			continue
		}
		at, _ := x.At.Time()
		k := key{at.UTC().Format(time.DateOnly), x.System, x.What}
		if groups[k] == nil {
			order = append(order, k)
		}
		groups[k] = append(groups[k], x)
	}
	slices.SortStableFunc(order, func(a, b key) int { return strings.Compare(a.day, b.day) })
	if len(order) == 0 {
		return
	}
	p.blank()
	p.para("", boldStyle, "Ahead")
	width := 0
	for _, k := range order {
		width = max(width, len(k.system))
	}
	for i, k := range order {
		day := k.day
		if i > 0 && order[i-1].day == k.day {
			day = strings.Repeat(" ", len(day))
		}
		p.para("  "+day+"  "+padded(k.system, width+2), plainStyle, dueText(groups[k], false))
	}
}

// dueText tells of items of one kind: how many, and the first by name, the
// privileged before the others.
func dueText(items []*due.Item, dates bool) string {
	if items[0].What == due.Rule {
		var texts []string
		for _, x := range items {
			texts = append(texts, x.Text)
		}
		return seen(strings.Join(texts, "; "))
	}
	if items[0].What == due.Exception {
		var texts []string
		for _, x := range items {
			texts = append(texts, fmt.Sprintf("exception to %s (%s answers)", x.Text, x.Owner))
		}
		return seen(strings.Join(texts, "; "))
	}
	word := map[string][2]string{due.Password: {"password", "passwords"}, due.Account: {"account", "accounts"}, due.Lock: {"lock", "locks"}}[items[0].What]
	items = slices.Clone(items)
	slices.SortStableFunc(items, func(a, b *due.Item) int {
		rank := func(x *due.Item) int {
			switch {
			case x.Privileged == facts.Yes:
				return 0
			case x.Kind == facts.Service || x.Kind == facts.Shared:
				return 1
			}
			return 2
		}
		return rank(a) - rank(b)
	})
	var names []string
	for _, x := range items[:min(5, len(items))] {
		name := x.Login
		var marks []string
		if x.Privileged == facts.Yes {
			marks = append(marks, "privileged")
		}
		if dates && x.At.Known() {
			marks = append(marks, x.At.String())
		} else if x.What == due.Lock {
			marks = append(marks, "until "+x.At.String())
		}
		if len(marks) > 0 {
			name += " (" + strings.Join(marks, ", ") + ")"
		}
		names = append(names, name)
	}
	return seen(fmt.Sprintf("%d %s: %s%s", len(items), plural(len(items), word[0], word[1]), strings.Join(names, ", "), more(len(items)-len(names))))
}
