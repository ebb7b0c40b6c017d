package cli

import (
	"context"
	"fmt"
	"io"
	"maps"
	"slices"

	"github.com/urfave/cli/v3"

	"yewcone/core/nearword"
	"yewcone/core/record"
	"yewcone/core/trend"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/picture"
	"yewcone/output/text"
	"yewcone/store"
)

func trendCommand() *cli.Command {
	return &cli.Command{
		Name:      "trend",
		Usage:     "show the kept results in a row: is it getting better",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Puts the results that "yewcone keep" kept in the order of their exports: findings by severity
and clauses met, old passwords, second factors and guesses a day, for each system and
together; with --rule, the share of accounts that break a rule. A result in which a system is missing, or was
not read to its end, is a gap, and no fall. As a picture it is readable in print and without colour.

  yewcone trend
  yewcone trend rota --format csv
  yewcone trend --rule house/length
  yewcone trend --format svg --out year.svg`,
		Flags: []cli.Flag{estateFlag(), &cli.StringFlag{Name: "format", Value: "text", Usage: "text, csv, svg or png"},
			&cli.StringFlag{Name: "rule", Usage: "the share of accounts that break this rule, such as house/length or check/dormant"}, outFlag(), colorFlag()},
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
			rule := c.String("rule")
			if rule != "" {
				if err := countBreaking(ctx, p.store, sums, rule); err != nil {
					return err
				}
			}
			t := trend.Of(sums)
			t.Rule = rule
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

// countBreaking counts the accounts that break a rule into sums.
func countBreaking(ctx context.Context, s *store.Store, sums []trend.Sum, rule string) error {
	type place struct {
		result int64
		system string
	}
	at := map[place]*trend.Sum{}
	for i := range sums {
		at[place{sums[i].Result, sums[i].System}] = &sums[i]
	}
	known := map[string]bool{}
	err := s.Records(ctx, func(id int64, r *record.Record) {
		for i := range r.Systems {
			for name := range r.Systems[i].Outcomes {
				known[name] = true
			}
			sum := at[place{id, r.Systems[i].Name}]
			if n, ok := trend.Breaking(r, r.Systems[i].Name, rule); ok && sum != nil {
				sum.Breaking = &n
			}
		}
	})
	if err == nil && !known[rule] {
		return fmt.Errorf("no kept result has a rule %q%s", rule, nearword.Advice(rule, slices.Sorted(maps.Keys(known))))
	}
	return err
}
