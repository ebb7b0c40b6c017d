// Package markdown writes results as CommonMark.
package markdown

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"yewcone/output/reference"
)

// Reference writes a page of reference.
func Reference(w io.Writer, page reference.Page) error {
	b := bufio.NewWriter(w)
	fmt.Fprintf(b, "# %s\n\n%s\n\nThis page is what `yewcone %s --format markdown` prints.\n", page.Title, plain(page.Intro), page.Name)
	group := ""
	for _, e := range page.Entries {
		if e.Group != group {
			group = e.Group
			fmt.Fprintf(b, "\n## %s%s\n", strings.ToUpper(group[:1]), group[1:])
		}
		fmt.Fprintf(b, "\n### %s\n\n%s.\n\n", plain(e.Name), plain(sentence(e.Title)))
		for _, f := range e.Fields {
			text := plain(f.Text)
			if f.Code {
				text = "`" + f.Text + "`"
			}
			fmt.Fprintf(b, "- %s: %s\n", f.Label, text)
		}
	}
	return b.Flush()
}

func sentence(text string) string {
	return strings.ToUpper(text[:1]) + text[1:]
}

var special = strings.NewReplacer(`\`, `\\`, "*", `\*`, "_", `\_`, "<", "&lt;", "`", "\\`", "[", `\[`)

// plain keeps text from being read as markup.
func plain(text string) string { return special.Replace(text) }
