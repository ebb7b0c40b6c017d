package cli

import (
	"context"
	"fmt"
	"io"
	"slices"

	"github.com/urfave/cli/v3"

	"yewcone/core/due"
	"yewcone/core/setting"
	"yewcone/output"
	"yewcone/output/calendar"
	"yewcone/output/csvfile"
	"yewcone/output/jsonfile"
	"yewcone/output/text"
)

func dueCommand() *cli.Command {
	return &cli.Command{
		Name:      "due",
		Usage:     "list passwords, accounts, exceptions and locks that end soon, and passwords past their end",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Works out from when a password was set, or from what the export says, when it ends and since
when its owner is warned, and lists what ends within a time: passwords, accounts, exceptions
and locks; and who is past the end. As CSV with addresses, for letters to people; as a
calendar, of which the entries stay the same from run to run.

  yewcone due
  yewcone due rota --within "30 days" --format csv --out letters.csv
  yewcone due --format ics --out due.ics`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(), ownerFlag(),
			&cli.StringFlag{Name: "within", Value: "14 days", Usage: "how far ahead to look"},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, csv, json or ics"},
			outFlag(), maxRefusedFlag(), jobsFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			format := c.String("format")
			if err := oneOf("format", format, []string{"text", "csv", "json", "ics"}); err != nil {
				return err
			}
			within, err := setting.ParseSpan(c.String("within"))
			if err != nil {
				return fmt.Errorf("--within: %w", err)
			}
			opened, err := openEstate(c, c.Args().Slice())
			if err != nil {
				return err
			}
			l, err := due.Of(opened.estate.Name, opened.subjects, opened.options, within)
			if err != nil {
				return err
			}
			if owner := c.String("owner"); owner != "" {
				l.Items = slices.DeleteFunc(l.Items, func(i due.Item) bool { return i.Owner != owner })
			}
			err = show(c, func(w io.Writer, o output.Options) error {
				switch format {
				case "csv":
					return csvfile.Due(w, l)
				case "json":
					return jsonfile.Due(w, l, o)
				case "ics":
					return calendar.Due(w, l, o)
				}
				return text.Due(w, l, o)
			})
			if err == nil && len(l.Partial) > 0 {
				return status(ExitPartial)
			}
			return err
		},
	}
}
