package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/urfave/cli/v3"

	"yewcone/core/check"
	"yewcone/core/condition"
	"yewcone/core/nearword"
	"yewcone/output"
	"yewcone/output/formats"
	"yewcone/output/reference"
	"yewcone/output/text"
)

func settingsCommand() *cli.Command {
	return lookup(&cli.Command{
		Name:      "settings",
		Usage:     "list the settings that rules can ask for",
		ArgsUsage: "[options] [NAME…]",
		Description: `Lists every setting with the values it takes, which of two values is stricter, and what
"off" means for it. With names, tells all about these.

  yewcone settings
  yewcone settings max_age lockout_duration
  yewcone settings --format markdown`,
	}, "setting", reference.Settings(), func(w io.Writer, o output.Options) error {
		return text.Catalogue(w, o)
	})
}

func checksCommand() *cli.Command {
	return lookup(&cli.Command{
		Name:      "checks",
		Usage:     "list the checks that run whatever the rules are",
		ArgsUsage: "[options] [ID…]",
		Description: `Lists what is looked for on every system. In estate.yaml, "checks" turns one off or gives
it another severity or length of time. With names, tells all about these.

  yewcone checks
  yewcone checks dormant history-cycled
  yewcone checks --format json`,
	}, "check", reference.Checks(check.All()), func(w io.Writer, o output.Options) error {
		return text.Checks(w, check.All(), o)
	})
}

func factsCommand() *cli.Command {
	return lookup(&cli.Command{
		Name:      "facts",
		Usage:     "list the facts about accounts that conditions can use",
		ArgsUsage: "[options] [NAME…]",
		Description: `Lists what "for", "forbid", "kinds" and "privileged" can ask about an account. With names,
tells all about these.

  yewcone facts
  yewcone facts --color never`,
	}, "fact", reference.Facts(condition.Facts()), func(w io.Writer, o output.Options) error {
		return text.Facts(w, condition.Facts(), o)
	})
}

// lookup gives a command the options and the action that show a page of
// reference: a list, all about some entries, or the page for other programs.
func lookup(command *cli.Command, sort string, page reference.Page, list func(io.Writer, output.Options) error) *cli.Command {
	command.Flags = []cli.Flag{&cli.StringFlag{Name: "format", Value: "text", Usage: "text, json or markdown"}, colorFlag()}
	command.Action = func(_ context.Context, c *cli.Command) error {
		w := c.Root().Writer
		o, err := optionsFor(c, w)
		if err != nil {
			return err
		}
		format := c.String("format")
		if err := oneOf("format", format, []string{"text", "json", "markdown"}); err != nil {
			return err
		}
		names := c.Args().Slice()
		if page.Entries, err = chosen(page.Entries, names, sort); err != nil {
			return err
		}
		if write, ok := formats.Reference[format]; ok {
			return write(w, page)
		}
		if len(names) > 0 {
			return text.Entries(w, page.Entries, o)
		}
		return list(w, o)
	}
	return command
}

// chosen returns the entries with the names, in the order asked for; without
// names, all.
func chosen(entries []reference.Entry, names []string, sort string) ([]reference.Entry, error) {
	if len(names) == 0 {
		return entries, nil
	}
	all, known := map[string]reference.Entry{}, []string{}
	for _, e := range entries {
		all[e.Name] = e
		known = append(known, e.Name)
	}
	var some []reference.Entry
	for _, name := range names {
		e, ok := all[name]
		if !ok {
			return nil, fmt.Errorf("no %s is named %q%s", sort, name, nearword.Advice(name, known))
		}
		some = append(some, e)
	}
	return some, nil
}
