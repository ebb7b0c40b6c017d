package markdown

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"yewcone/core/handout"
	"yewcone/output"
)

// Handout writes what rules ask in plain words.
func Handout(w io.Writer, h *handout.Handout, _ output.Options) error {
	b := bufio.NewWriter(w)
	fmt.Fprintf(b, "# Passwords at %s\n\nWhat is asked, system by system.", safe(h.Estate))
	if h.Since != "" {
		fmt.Fprintf(b, " What is new or changed since %s is marked.", safe(h.Since))
	}
	fmt.Fprintln(b)
	for i := range h.Parts {
		p := &h.Parts[i]
		fmt.Fprintf(b, "\n## %s\n\n%s\n", safe(p.Name()), safe(p.From()))
		for n := range p.Sections {
			s := &p.Sections[n]
			fmt.Fprintf(b, "\n### %s\n\n", safe(s.Name()))
			for k := range s.Lines {
				fmt.Fprintln(b, "- "+lineText(s, k))
			}
			for k := range s.Gone {
				fmt.Fprintf(b, "- **No longer asked:** ~~%s~~\n", safe(s.Gone[k].Text))
			}
		}
		if text := p.Rest(); text != "" {
			fmt.Fprintf(b, "\n%s\n", safe(text))
		}
	}
	return b.Flush()
}

func lineText(s *handout.Section, k int) string {
	l := &s.Lines[k]
	var parts []string
	switch {
	case l.New:
		parts = append(parts, "**New:**")
	case l.Was != "":
		parts = append(parts, "**Changed:**")
	}
	if when := l.When(); when != "" {
		parts = append(parts, safe(when))
	}
	parts = append(parts, safe(l.Text))
	if l.Was != "" {
		parts = append(parts, "(before: "+safe(l.Was)+")")
	}
	if why := s.Why(k); why != "" {
		parts = append(parts, "*"+safe(why)+"*")
	}
	return strings.Join(parts, " ")
}
