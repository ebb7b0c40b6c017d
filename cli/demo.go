package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"yewcone/demo"
	"yewcone/output/atomicfile"
)

func demoCommand() *cli.Command {
	return &cli.Command{
		Name:      "demo",
		Usage:     "write the demo estate and run the full example on it",
		ArgsUsage: "[options] [DIR]",
		Description: `Writes the estate of Marrowby Sound Ferries, a made-up company, into an empty or new
folder (without DIR, into one for temporary files) and checks it. With --months, six monthly
exports of two of its systems instead: each is kept, and drift and trend tell what happened.

  yewcone demo
  yewcone demo marrowby
  yewcone demo --months half-a-year`,
		Flags: []cli.Flag{colorFlag(), &cli.BoolFlag{Name: "months", Usage: "six monthly exports of two systems, kept one after the other"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			folder, err := targetFolder(c, "yewcone-demo-*")
			if err != nil {
				return err
			}
			if err := atomicfile.CheckName(folder); err != nil {
				return err
			}
			if c.Bool("months") {
				return demoMonths(ctx, c, folder)
			}
			if err := demo.WriteEstate(folder); err != nil {
				return err
			}
			w := c.Root().Writer
			fmt.Fprintf(w, "The demo estate is in %s.\n$ yewcone check --estate %s\n\n", folder, folder)
			err = checkCommand().Run(ctx, []string{"check", "--estate", folder, "--color", c.String("color")})
			var s status
			if err != nil && !errors.As(err, &s) {
				return err
			}
			fmt.Fprintf(w, `
What to try next, in %s:
  yewcone check rota                                one system alone
  yewcone check --format json --out result.json     the whole result, for other programs
  yewcone why directory bridge-watch                what holds for one account, and why
  yewcone report --out marrowby.html                the whole result as one page
  yewcone gaps                                      the systems side by side, and people between them
  yewcone try --trials                              passwords that must pass or be refused
  yewcone space                                     how many passwords each policy leaves
  yewcone replay quay1 --propose                    lockouts against two days of sign-ins
  yewcone demo --months                             six monthly exports, for drift and trend
  yewcone rules compare pci-dss-4.0.1 stig-unix     rule sets side by side
  yewcone settings max_age                          what a setting means
Change a rule in rules/house.yaml or a value in exports/ and check again.
`, folder)
			return nil
		},
	}
}

// demoMonths writes six months, keeps each, and tells of the worst and of all.
func demoMonths(ctx context.Context, c *cli.Command, folder string) error {
	if err := demo.WriteMonths(folder); err != nil {
		return err
	}
	w := c.Root().Writer
	fmt.Fprintf(w, "Six monthly exports of two systems are in %s, with one history.\n\n", folder)
	run := func(command *cli.Command, at time.Time, args ...string) error {
		args = append(args, "--estate", filepath.Join(folder, demo.MonthFolder(at)))
		fmt.Fprintf(w, "$ yewcone %s\n", strings.Join(args, " "))
		if command.Name != "keep" {
			args = append(args, "--color", c.String("color"))
		}
		command.Writer = w
		err := command.Run(ctx, args)
		var s status
		if err != nil && !errors.As(err, &s) {
			return err
		}
		return nil
	}
	for _, at := range demo.Months {
		if err := run(keepCommand(), at, "keep"); err != nil {
			return err
		}
	}
	last := demo.Months[len(demo.Months)-1]
	fmt.Fprintln(w)
	if err := run(driftCommand(), last, "drift", "2", "3"); err != nil {
		return err
	}
	fmt.Fprintln(w)
	if err := run(trendCommand(), last, "trend"); err != nil {
		return err
	}
	fmt.Fprintf(w, `
What to try next, in %s:
  yewcone drift 3 4                                 mended in April, and what was asked for
  yewcone drift 4 5                                 an exception ended, and a system moved
  yewcone drift 2026-01-31 now                      from January to the exports of June
  yewcone trend --format png --out trend.png        the same as a picture
  yewcone history                                   what is kept
  yewcone report --since 1 --out half-a-year.html   the page, with what changed
`, filepath.Join(folder, demo.MonthFolder(last)))
	return nil
}

func initCommand() *cli.Command {
	return &cli.Command{
		Name:      "init",
		Usage:     "begin a new estate with commented files",
		ArgsUsage: "[DIR]",
		Description: `Writes estate.yaml, a rule set, a mapping and a small example export, all to be changed,
into DIR or this folder. What exists is not overwritten. The first line of each file names
its schema in schema/, by which editors complete and check what you write.

  yewcone init
  yewcone init passwords`,
		Action: func(_ context.Context, c *cli.Command) error {
			folder := "."
			if c.Args().Present() {
				folder = c.Args().First()
			}
			if c.Args().Len() > 1 {
				return fmt.Errorf("init takes one folder, not %d", c.Args().Len())
			}
			if err := demo.WriteStart(folder); err != nil {
				return err
			}
			if err := writeSchemas(folder); err != nil {
				return err
			}
			fmt.Fprintf(c.Root().Writer, "A new estate is in %s: begin with estate.yaml, then \"yewcone check --estate "+
				"%s\".\n", folder, folder)
			return nil
		},
	}
}

// targetFolder is the folder that the call names, or a new one for temporary
// files.
func targetFolder(c *cli.Command, pattern string) (string, error) {
	switch c.Args().Len() {
	case 0:
		return os.MkdirTemp("", pattern)
	case 1:
		return c.Args().First(), nil
	}
	return "", fmt.Errorf("%s takes one folder, not %d", c.Name, c.Args().Len())
}
