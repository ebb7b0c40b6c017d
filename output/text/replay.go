package text

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"yewcone/core/replay"
	"yewcone/core/setting"
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
	rows := replayTable(r)
	plain := func(row, _ int, text string) string {
		if row == 0 {
			return p.paint(faintStyle, text)
		}
		return text
	}
	p.table("  ", rows, func(int) bool { return false }, plain)
	for i := 1; i < len(r.Columns); i++ {
		c := &r.Columns[i]
		p.para("  ", faintStyle, fmt.Sprintf("%c is %s; what it does not say is as in force.", 'A'+i-1, c.Title))
		if c.Beyond {
			p.para("  ", badStyle, fmt.Sprintf("%c is more than the system can do.", 'A'+i-1))
		}
		if len(c.Against) > 0 {
			p.para("  ", oddStyle, fmt.Sprintf("%c is against %s.", 'A'+i-1, seen(strings.Join(c.Against, ", "))))
		}
	}
	if r.Unsure > 0 {
		p.para("  ", oddStyle, fmt.Sprintf("Whether the lockout holds for administrators is not known of %s; it is taken to.",
			counted(r.Unsure, "account that failed", "accounts that failed")))
	}
	if force.NoLimitKnown {
		p.para("  ", oddStyle, "What is done about addresses (source_attempts and its like) is not known, and not counted in what is in force.")
	}
	p.replayAccounts(r, o.All, plain)
	p.replaySources(r, o.All, plain)
	return p.w.Flush()
}

// replayTable has a column for each lockout. Rows of what no lockout does are left
// out.
func replayTable(r *replay.Result) [][]string {
	list := []struct {
		name  string
		of    func(*replay.Column) any
		where bool // told even where it is nothing
	}{
		{"accounts locked", func(c *replay.Column) any { return c.Accounts }, true},
		{"  privileged", func(c *replay.Column) any { return c.Privileged }, true},
		{"  programs", func(c *replay.Column) any { return c.Programs }, true},
		{"locks", func(c *replay.Column) any { return c.Locks }, true},
		{"hours locked", func(c *replay.Column) any { return fmt.Sprintf("%.1f", c.Hours) }, true},
		{"  of programs", func(c *replay.Column) any { return fmt.Sprintf("%.1f", c.HoursPrograms) }, true},
		{"right passwords refused", func(c *replay.Column) any { return c.RefusedRight }, true},
		{"addresses shut out", func(c *replay.Column) any { return c.Shut }, false},
		{"  right passwords refused", func(c *replay.Column) any { return c.ShutRight }, false},
		{"  wrong passwords refused", func(c *replay.Column) any { return c.ShutWrong }, false},
		{"wrong passwords let through", func(c *replay.Column) any { return c.Through }, true},
		{"  sooner than the pause", func(c *replay.Column) any { return c.Slowed }, false},
		{"wrong passwords refused", func(c *replay.Column) any { return c.RefusedWrong }, true},
	}
	rows := [][]string{{""}}
	for i := range r.Columns {
		name := string(rune('A' + i - 1))
		if i == 0 {
			name = "in force"
		}
		rows[0] = append(rows[0], name)
	}
	for _, line := range list {
		row, told := []string{line.name}, line.where
		for i := range r.Columns {
			c := &r.Columns[i]
			text := fmt.Sprint(line.of(c))
			told = told || text != "0"
			if c.NotKnown > 0 {
				text += " ?"
			}
			row = append(row, text)
		}
		if told {
			rows = append(rows, row)
		}
	}
	return rows
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
	rows := [][]string{append(head, "")}
	for a := range r.Accounts() {
		if a.Failures == 0 || !all && len(rows) > mostFailing {
			break
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
	if failing, _ := r.Failing(); failing >= len(rows) {
		p.para("  ", faintStyle, fmt.Sprintf("and %s that failed (--all)", counted(failing+1-len(rows), "account more", "accounts more")))
	}
}

func (p *page) replaySources(r *replay.Result, all bool, style func(int, int, string) string) {
	rows := [][]string{{"source", "wrong", "right", "names tried in vain", "in 10 min", "in 60 min"}}
	for s := range r.Sources() {
		if s.Failures == 0 || !all && len(rows) > mostFailing/2 {
			break
		}
		if s.Name == "" {
			continue
		}
		rows = append(
			rows,
			[]string{seen(s.Name), fmt.Sprint(s.Failures), fmt.Sprint(s.LetIn), about(s.InVain, s.About), fmt.Sprint(s.Peaks[0]), fmt.Sprint(s.Peaks[2])},
		)
	}
	if len(rows) == 1 {
		return
	}
	p.blank()
	p.table("  ", rows, func(int) bool { return false }, style)
	if _, failing := r.Failing(); failing >= len(rows) {
		p.para("  ", faintStyle, fmt.Sprintf("and %s that failed (--all)", counted(failing+1-len(rows), "source more", "sources more")))
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
	rows := [][]string{{"failures", "window", "people locked", "others", "hours", "right refused", "wrong through", "against"}}
	row := func(i int) {
		c := &r.Columns[i]
		failures, window := c.Try.Value(setting.LockoutAttempts), c.Try.Value(setting.LockoutWindow)
		if i == 0 {
			failures = c.Title
		}
		rows = append(
			rows,
			[]string{failures, window, fmt.Sprint(c.People), fmt.Sprint(c.Accounts - c.People), fmt.Sprintf("%.1f", c.Hours), fmt.Sprint(c.RefusedRight),
				fmt.Sprint(c.Through), strings.Join(c.Against, ", ")},
		)
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
	p.para(
		"  ",
		faintStyle,
		"Others are accounts that never gave the right password; hours are those locked. Against is which rules it falls short of, and which "+
			"linked systems have something else.",
	)
	p.para("  ", faintStyle, "A lock lasts as long as the one in force. A record shows the past: somebody who guesses more slowly is not in it.")
	return p.w.Flush()
}
