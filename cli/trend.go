package cli

import (
	"context"
	"fmt"
	"io"
	"slices"

	"github.com/urfave/cli/v3"

	"yewcone/core/nearword"
	"yewcone/core/trend"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/picture"
	"yewcone/output/text"
)

func trendCommand() *cli.Command {
	return &cli.Command{
		Name:      "trend",
		Usage:     "show the kept results in a row: is it getting better",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Puts the results that "yewcone keep" kept in the order of their exports: findings by severity
and clauses met, for each system and together. A result in which a system is missing, or was
not read to its end, is a gap, and no fall. As a picture it is readable in print and without colour.

  yewcone trend
  yewcone trend rota --format csv
  yewcone trend --format svg --out year.svg`,
		Flags: []cli.Flag{estateFlag(), &cli.StringFlag{Name: "format", Value: "text", Usage: "text, csv, svg or png"}, outFlag(), colorFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			format := c.String("format")
			if err := oneOf("format", format, []string{"text", "csv", "svg", "png"}); err != nil {
				return err
			}
			p, err := pastOf(ctx, c)
			if err != nil {
				return err
			}
			defer p.store.Close()
			sums, err := p.store.Sums(ctx, c.Args().Slice())
			if err != nil {
				return err
			}
			t := trend.Of(sums)
			for _, name := range c.Args().Slice() {
				if !slices.ContainsFunc(t.Lines, func(l trend.Line) bool { return l.System == name }) {
					return fmt.Errorf("no kept result has a system %q%s", name, nearword.Advice(name, p.estate.Names()))
				}
			}
			return show(c, func(w io.Writer, o output.Options) error {
				switch format {
				case "csv":
					return csvfile.Trend(w, t)
				case "svg", "png":
					return picture.Trend(w, t, p.estate.Name, format)
				}
				return text.Trend(w, t, o)
			})
		},
	}
}
