package text

import (
	"bytes"
	"strings"
	"testing"

	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/outputtest"
)

// TestCheck: the verdict comes first, no line is wider than the terminal, no
// name can write to it, and colours stand only where they are wanted.
func TestCheck(t *testing.T) {
	for _, width := range []int{90, 120} {
		for _, color := range []bool{false, true} {
			text := outputtest.Written(t, func(b *bytes.Buffer, r *finding.Result, o output.Options) error {
				o.Width, o.Color = width, color
				return Check(b, r, o)
			})
			if !strings.Contains(strings.SplitN(text, "\n", 2)[0], "Test & Co") {
				t.Errorf("the first line is %q", strings.SplitN(text, "\n", 2)[0])
			}
			if strings.Contains(text, "\x1b[31m<b>") || strings.Contains(text, "\u202e") || !color && strings.Contains(text, "\x1b") {
				t.Errorf("a name writes to the terminal:\n%q", text)
			}
			for line := range strings.Lines(text) {
				if !color && len([]rune(strings.TrimRight(line, "\n"))) > width {
					t.Errorf("wider than %d: %s", width, line)
				}
			}
		}
	}
}
