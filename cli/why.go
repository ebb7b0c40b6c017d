package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"yewcone/core/explain"
	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/output/text"
)

func whyCommand() *cli.Command {
	return &cli.Command{
		Name:      "why",
		Usage:     "tell what holds for one account, and why",
		ArgsUsage: "[options] SYSTEM ACCOUNT [SETTING]",
		Description: `Shows every setting that holds for an account with all the values that stood for it, where
each stood, and why it won or lost; the dates of its password; and how each rule comes
out for it.

  yewcone why directory neze
  yewcone why rota siobhan.keane max_age`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			args := c.Args().Slice()
			if len(args) < 2 || len(args) > 3 {
				return fmt.Errorf("why takes a system, an account and at most one setting, not %d words", len(args))
			}
			only := ""
			if len(args) == 3 {
				only = args[2]
				if _, ok := setting.Find(only); !ok {
					return fmt.Errorf("no setting is named %q%s", only, nearword.Advice(only, setting.Names()))
				}
			}
			w := c.Root().Writer
			o, err := optionsFor(c, w)
			if err != nil {
				return err
			}
			opened, err := openEstate(c, args[:1])
			if err != nil {
				return err
			}
			x, err := explain.Account(&opened.subjects[0], args[1], opened.options)
			if err != nil {
				return err
			}
			return text.Why(w, x, only, o)
		},
	}
}
