package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/check"
	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/formats"
	"yewcone/intake/mapping"
	"yewcone/output/text"
)

func intakeCommand() *cli.Command {
	return &cli.Command{
		Name:      "intake",
		Usage:     "tell what was read from the exports, or how to take one",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Shows, for each system, what was read: accounts, policies, every setting with the place it
stood; what was refused and why, what the files hold and nobody used, and what the rules
ask and the export does not say. --how prints the commands that take an export from the
real system; --draft proposes a mapping for files of no known format, to be read and mended.

  yewcone intake directory
  yewcone intake --how postgresql
  yewcone intake --draft settings.csv users.csv > mappings/new.yaml`,
		Flags: []cli.Flag{
			estateFlag(), asOfFlag(),
			&cli.StringFlag{Name: "how", Usage: "a format: " + strings.Join(formats.Names(), ", ")},
			&cli.BoolFlag{Name: "draft", Usage: "propose a mapping for the files named instead of systems"},
			bearFlag(), colorFlag(),
		},
		Action: func(_ context.Context, c *cli.Command) error {
			w := c.Root().Writer
			o, err := optionsFor(c, w)
			if err != nil {
				return err
			}
			if name := c.String("how"); name != "" {
				f, ok := formats.Find(name)
				if !ok {
					return fmt.Errorf("no format is named %q%s; there are %s", name, nearword.Advice(name, formats.Names()), strings.Join(formats.Names(), ", "))
				}
				_, err := fmt.Fprintf(w, "%s: %s\n\n%s", f.Name, f.Doc, f.How)
				return err
			}
			if c.Bool("draft") {
				return draft(c, w)
			}
			opened, err := openEstate(c, c.Args().Slice())
			if err != nil {
				return err
			}
			list, err := check.TakeIn(opened.subjects, opened.options)
			if err != nil {
				return err
			}
			if err := text.Intake(w, list, o); err != nil {
				return err
			}
			for i := range list {
				if list[i].Summary.Partial {
					return status(ExitPartial)
				}
			}
			return nil
		},
	}
}

// draft proposes a mapping for the files that the call names.
func draft(c *cli.Command, w io.Writer) error {
	if !c.Args().Present() {
		return errors.New("--draft takes the files of the export")
	}
	text, err := mapping.Draft(&intake.Request{From: c.Args().Slice(), Catalogue: setting.Standard()})
	if err != nil {
		return err
	}
	_, err = io.WriteString(w, text)
	return err
}
