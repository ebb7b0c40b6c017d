package cli

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"
)

func manualCommand() *cli.Command {
	return &cli.Command{
		Name:      "manual",
		Usage:     "write manual pages, or the reference of all commands",
		ArgsUsage: "[options] [DIR]",
		Description: `Writes a manual page for the program and one for each command into DIR, as man reads them;
with --format markdown, prints the reference of all commands.

  yewcone manual /usr/local/share/man/man1
  yewcone manual --format markdown`,
		Flags: []cli.Flag{&cli.StringFlag{Name: "format", Value: "man", Usage: "man or markdown"}},
		Action: func(_ context.Context, c *cli.Command) error {
			if err := oneOf("format", c.String("format"), []string{"man", "markdown"}); err != nil {
				return err
			}
			if c.String("format") == "markdown" {
				_, err := fmt.Fprint(c.Root().Writer, commandReference(c.Root()))
				return err
			}
			if c.Args().Len() != 1 {
				return fmt.Errorf("manual takes the folder to write the pages into")
			}
			folder := c.Args().First()
			if err := os.MkdirAll(folder, 0o755); err != nil {
				return err
			}
			for name, page := range manualPages(c.Root()) {
				if err := os.WriteFile(filepath.Join(folder, name+".1"), page, 0o644); err != nil {
					return err
				}
			}
			return nil
		},
	}
}

// documented are the commands that stand in the help, those below them too.
func documented(root *cli.Command) []*cli.Command {
	var list []*cli.Command
	for _, c := range root.VisibleCommands() {
		if c.Name != "help" {
			list = append(list, c)
		}
	}
	return list
}

// roff makes a text safe in a manual page.
func roff(text string) string {
	lines := strings.Split(strings.NewReplacer(`\`, `\e`, "-", `\-`).Replace(text), "\n")
	for i, line := range lines {
		if strings.HasPrefix(line, ".") || strings.HasPrefix(line, "'") {
			lines[i] = `\&` + line
		}
	}
	return strings.Join(lines, "\n")
}

// manualPages writes a page for the program and for each command.
func manualPages(root *cli.Command) map[string][]byte {
	pages := map[string][]byte{}
	var b bytes.Buffer
	head := func(name, usage, synopsis string) {
		b.Reset()
		fmt.Fprintf(&b, ".TH %s 1 \"\" \"Yewcone %s\" \"Yewcone\"\n.SH NAME\n%s \\- %s\n.SH SYNOPSIS\n.B %s\n",
			strings.ToUpper(roff(name)), roff(root.Version), roff(name), roff(usage), roff(synopsis))
	}
	head("yewcone", root.Usage, "yewcone COMMAND [options]")
	fmt.Fprintf(&b, ".SH DESCRIPTION\n%s\n.SH COMMANDS\n", roff(root.Description))
	for _, c := range documented(root) {
		fmt.Fprintf(&b, ".TP\n.B yewcone\\-%s(1)\n%s\n", roff(c.Name), roff(c.Usage))
	}
	fmt.Fprint(&b, ".SH EXIT STATUS\n0 nothing to report; 1 findings; 2 a wrong call or configuration; 3 an export that "+
		"could not be read to its end.\n")
	pages["yewcone"] = bytes.Clone(b.Bytes())
	for _, c := range documented(root) {
		head("yewcone-"+c.Name, c.Usage, "yewcone "+c.Name+" "+c.ArgsUsage)
		text, examples := splitExamples(c.Description)
		fmt.Fprintf(&b, ".SH DESCRIPTION\n%s\n", roff(text))
		if flags := c.VisibleFlags(); len(flags) > 0 {
			fmt.Fprint(&b, ".SH OPTIONS\n")
			for _, f := range flags {
				if f.Names()[0] != "help" {
					name, usage := flagLine(f)
					fmt.Fprintf(&b, ".TP\n.B %s\n%s\n", roff(name), roff(usage))
				}
			}
		}
		for _, sub := range documented(c) {
			fmt.Fprintf(&b, ".SS %s\n%s\n", roff(c.Name+" "+sub.Name+" "+sub.ArgsUsage), roff(sub.Usage))
		}
		fmt.Fprintf(&b, ".SH EXAMPLES\n.nf\n%s\n.fi\n.SH SEE ALSO\nyewcone(1)\n", roff(examples))
		pages["yewcone-"+c.Name] = bytes.Clone(b.Bytes())
	}
	return pages
}

// splitExamples parts the indented lines at the end of a description from the
// text before them.
func splitExamples(description string) (text, examples string) {
	var before, after []string
	for _, line := range strings.Split(description, "\n") {
		if strings.HasPrefix(line, "  yewcone ") {
			after = append(after, strings.TrimSpace(line))
		} else {
			before = append(before, line)
		}
	}
	return strings.TrimSpace(strings.Join(before, "\n")), strings.Join(after, "\n")
}

// flagLine is an option with what it takes, and what it is for.
func flagLine(f cli.Flag) (name, usage string) {
	line, usage, _ := strings.Cut(f.String(), "\t")
	return strings.TrimSpace(line), strings.TrimSpace(usage)
}

// commandReference describes all commands in Markdown.
func commandReference(root *cli.Command) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# Commands\n\nWritten by `yewcone manual --format markdown`. Exit status: 0 nothing to report, 1 "+
		"findings, 2 a wrong call or\nconfiguration, 3 an export that could not be read to its end.\n")
	var each func(c *cli.Command, name string, depth int)
	each = func(c *cli.Command, name string, depth int) {
		fmt.Fprintf(&b, "\n%s %s\n\n%s: `yewcone %s`\n\n", strings.Repeat("#", depth), name,
			strings.ToUpper(c.Usage[:1])+c.Usage[1:], strings.TrimSpace(name+" "+c.ArgsUsage))
		text, examples := splitExamples(c.Description)
		if text != "" {
			fmt.Fprintf(&b, "%s\n\n", text)
		}
		if examples != "" {
			fmt.Fprintf(&b, "```\n%s\n```\n\n", examples)
		}
		var rows []string
		for _, f := range c.VisibleFlags() {
			if f.Names()[0] != "help" {
				option, usage := flagLine(f)
				rows = append(rows, fmt.Sprintf("| `%s` | %s |", option, strings.NewReplacer("|", "\\|", "<", "&lt;").Replace(usage)))
			}
		}
		if len(rows) > 0 {
			fmt.Fprintf(&b, "| option | for |\n|---|---|\n%s\n", strings.Join(rows, "\n"))
		}
		for _, sub := range documented(c) {
			each(sub, name+" "+sub.Name, depth+1)
		}
	}
	for _, c := range documented(root) {
		each(c, c.Name, 2)
	}
	return b.String()
}
