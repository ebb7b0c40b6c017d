// Package text writes results for people at a terminal.
package text

import (
	"bufio"
	"io"
	"strings"

	"charm.land/lipgloss/v2"

	"yewcone/output"
	"yewcone/output/visible"
)

// widest is the column beyond which lines are hard to read.
const widest = 110

// page writes wrapped lines.
type page struct {
	w     *bufio.Writer
	width int
	color bool
	asIf  string // output.Options.AsIf
}

func newPage(w io.Writer, o output.Options) *page {
	width := o.Width
	if width <= 0 {
		width = 100
	}
	return &page{w: bufio.NewWriter(w), width: max(40, min(width, widest)), color: o.Color, asIf: o.AsIf}
}

// Styles go with words that say the same, so that nothing is lost without
// colours.

var (
	plainStyle = lipgloss.NewStyle()
	boldStyle  = lipgloss.NewStyle().Bold(true)
	faintStyle = lipgloss.NewStyle().Foreground(lipgloss.Color("8"))
)

// paint colours a text whose strange characters were made visible.
func (p *page) paint(s lipgloss.Style, text string) string {
	if !p.color || text == "" {
		return text
	}
	return s.Render(text)
}

func (p *page) blank() { _ = p.w.WriteByte('\n') }

// para writes text wrapped to the page, its first line after lead and the
// others indented as wide as lead is. Everything in text must be visible
// already.
func (p *page) para(lead string, s lipgloss.Style, text string) {
	indent := strings.Repeat(" ", lipgloss.Width(lead))
	for i, line := range wrap(text, p.width-lipgloss.Width(lead)) {
		if i > 0 {
			lead = indent
		}
		_, _ = p.w.WriteString(strings.TrimRight(lead+p.paint(s, line), " ") + "\n")
	}
}

// wrap cuts text at spaces into lines of at most width columns; a longer word
// stands alone.
func wrap(text string, width int) []string {
	var lines []string
	line, used := "", 0
	for word := range strings.FieldsSeq(text) {
		w := lipgloss.Width(word)
		if used > 0 && used+1+w > width {
			lines = append(lines, line)
			line, used = "", 0
		}
		if used > 0 {
			line += " "
			used++
		}
		line += word
		used += w
	}
	return append(lines, line)
}

// table writes rows in columns, the first line as a heading; numbers (given
// by right) are aligned to the right.
func (p *page) table(indent string, rows [][]string, right func(column int) bool, paint func(row, column int, text string) string) {
	widths := make([]int, len(rows[0]))
	for _, row := range rows {
		for c, cell := range row {
			widths[c] = max(widths[c], lipgloss.Width(cell))
		}
	}
	for r, row := range rows {
		line := indent
		for c, cell := range row {
			pad := strings.Repeat(" ", widths[c]-lipgloss.Width(cell))
			painted := paint(r, c, cell)
			if right(c) {
				painted = pad + painted
			} else if c < len(row)-1 {
				painted += pad
			}
			if c > 0 {
				line += "  "
			}
			line += painted
		}
		_, _ = p.w.WriteString(strings.TrimRight(line, " ") + "\n")
	}
}

// seen makes text from an export safe to show.
func seen(text string) string { return visible.Text(text) }
