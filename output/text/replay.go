package text

import (
	"fmt"
	"io"
	"slices"

	"yewcone/core/replay"
	"yewcone/output"
)

// mostFailing is how many accounts and sources are told where not all are.
const mostFailing = 12

// Replay writes what lockouts would have done.
func Replay(w io.Writer, r *replay.Result, o output.Options) error {
	p := newPage(w, o)
	if r.Events == 0 {
		p.para("", boldStyle, seen(r.System)+": the record has no sign-in with a password or key.")
		return p.w.Flush()
	}
	force := &r.Columns[0]
	title := fmt.Sprintf("%s: with the lockout in force %s would have been locked, %s in all.", seen(r.System),
		counted(force.Accounts, "account", "accounts"), counted(force.Locks, "time", "times"))
	if force.NotKnown > 0 {
		title = fmt.Sprintf("%s: what the lockout in force would have done is not known for %s.", seen(r.System), counted(force.NotKnown, "account that failed",
			"accounts that failed"))
	}
	p.para("", boldStyle, title)
	p.para("", plainStyle, fmt.Sprintf("%s from %s to %s UTC: %d wrong passwords, %d right ones, %d without a password.",
		counted(int(r.Events), "sign-in", "sign-ins"), r.From.Format("2006-01-02 15:04"), r.To.Format("2006-01-02 15:04"), r.Failed, r.LetIn, r.ByKey))
	if r.OutOfOrder > 0 {
		p.para("", oddStyle, fmt.Sprintf("%s earlier than the one before, and counted as if at its time.", counted(int(r.OutOfOrder), "is", "are")))
	}
	if r.Refused > 0 {
		p.para("", oddStyle, fmt.Sprintf("%s not understood, and left out (yewcone intake %s names what the export has).",
			counted(r.Refused, "line or value was", "lines or values were"), seen(r.System)))
	}
	p.blank()
	rows := [][]string{{""}, {"accounts locked"}, {"  privileged"}, {"  programs"}, {"locks"}, {"hours locked"}, {"right passwords refused"},
		{"wrong passwords let through"}, {"wrong passwords refused"}}
	for i := range r.Columns {
		c := &r.Columns[i]
		name := string(rune('A' + i - 1))
		if i == 0 {
			name = "in force"
		}
		for n, text := range []string{name, fmt.Sprint(c.Accounts), fmt.Sprint(c.Privileged), fmt.Sprint(c.Programs), fmt.Sprint(c.Locks),
			fmt.Sprintf("%.1f", c.Hours), fmt.Sprint(c.RefusedRight), fmt.Sprint(c.Through), fmt.Sprint(c.RefusedWrong)} {
			if c.NotKnown > 0 && n > 0 {
				text += " ?"
			}
			rows[n] = append(rows[n], text)
		}
	}
	plain := func(row, _ int, text string) string {
		if row == 0 {
			return p.paint(faintStyle, text)
		}
		return text
	}
	p.table("  ", rows, func(int) bool { return false }, plain)
	for i := 1; i < len(r.Columns); i++ {
		p.para("  ", faintStyle, fmt.Sprintf("%c is %s; what it does not say is as in force.", 'A'+i-1, r.Columns[i].Title))
	}
	p.replayAccounts(r, o.All, plain)
	p.replaySources(r, o.All, plain)
	return p.w.Flush()
}

func (p *page) replayAccounts(r *replay.Result, all bool, style func(int, int, string) string) {
	head := []string{"account", "wrong", "right", "sources", "in 10 min", "in 60 min"}
	for i := range r.Columns {
		name := string(rune('A' + i - 1))
		if i == 0 {
			name = "in force"
		}
		head = append(head, name)
	}
	rows, left := [][]string{append(head, "")}, 0
	for i := range r.Accounts {
		a := &r.Accounts[i]
		if a.Failures == 0 {
			continue
		}
		if !all && len(rows) > mostFailing {
			left++
			continue
		}
		sources := about(a.Sources, a.About)
		if a.SourcesLetIn > 0 {
			sources += fmt.Sprintf(" (%d let in)", a.SourcesLetIn)
		}
		row := []string{seen(a.Shown()), fmt.Sprint(a.Failures), fmt.Sprint(a.LetIn), sources, fmt.Sprint(a.Peaks[0]), fmt.Sprint(a.Peaks[2])}
		for n := range a.Under {
			row = append(row, a.Cell(n))
		}
		rows = append(rows, append(row, seen(a.Who.Words())))
	}
	if len(rows) == 1 {
		return
	}
	p.blank()
	p.table("  ", rows, func(int) bool { return false }, style)
	if left > 0 {
		p.para("  ", faintStyle, fmt.Sprintf("and %s that failed (--all)", counted(left, "account more", "accounts more")))
	}
}

func (p *page) replaySources(r *replay.Result, all bool, style func(int, int, string) string) {
	rows, left := [][]string{{"source", "wrong", "right", "names tried in vain", "in 10 min", "in 60 min"}}, 0
	for _, s := range r.Sources {
		if s.Failures == 0 || s.Name == "" {
			continue
		}
		if !all && len(rows) > mostFailing/2 {
			left++
			continue
		}
		rows = append(rows, []string{seen(s.Name), fmt.Sprint(s.Failures), fmt.Sprint(s.LetIn), about(s.InVain, s.About), fmt.Sprint(s.Peaks[0]), fmt.Sprint(s.Peaks[2])})
	}
	if len(rows) == 1 {
		return
	}
	p.blank()
	p.table("  ", rows, func(int) bool { return false }, style)
	if left > 0 {
		p.para("  ", faintStyle, fmt.Sprintf("and %s that failed (--all)", counted(left, "source more", "sources more")))
	}
}

// about writes a number, which may be an estimate.
func about(n int, estimated bool) string {
	if estimated {
		return fmt.Sprintf("about %d", n)
	}
	return fmt.Sprint(n)
}

// Border writes the lockouts on the border between people locked and guesses
// let through, and beside them the one in force.
func Border(w io.Writer, r *replay.Result, o output.Options) error {
	p := newPage(w, o)
	list := r.Border()
	if r.Events == 0 || len(list) == 0 {
		p.para("", boldStyle, seen(r.System)+": what lockouts would have done is not known, or the record has no sign-in with a password.")
		return p.w.Flush()
	}
	p.para("", boldStyle, fmt.Sprintf("%s: %d of %d lockouts are on the border; every other locks more people, or lets more wrong passwords through.",
		seen(r.System), len(list), len(r.Columns)))
	p.para("", plainStyle, fmt.Sprintf("%s from %s to %s UTC: %d wrong passwords. People are accounts that gave the right password in the record too.",
		counted(int(r.Events), "sign-in", "sign-ins"), r.From.Format("2006-01-02 15:04"), r.To.Format("2006-01-02 15:04"), r.Failed))
	p.blank()
	rows := [][]string{{"lockout", "people locked", "other accounts", "hours locked", "right refused", "wrong let through"}}
	row := func(i int) {
		c := &r.Columns[i]
		rows = append(rows, []string{c.Title, fmt.Sprint(c.People), fmt.Sprint(c.Accounts - c.People), fmt.Sprintf("%.1f", c.Hours), fmt.Sprint(c.RefusedRight),
			fmt.Sprint(c.Through)})
	}
	for _, i := range list {
		row(i)
	}
	force := len(rows)
	if !slices.Contains(list, 0) {
		row(0)
	}
	p.table("  ", rows, func(int) bool { return false }, func(n, _ int, text string) string {
		if n == 0 || n == force {
			return p.paint(faintStyle, text)
		}
		return text
	})
	p.para("  ", faintStyle, "A lock lasts as long as the one in force. A record shows the past: somebody who guesses more slowly is not in it.")
	return p.w.Flush()
}
