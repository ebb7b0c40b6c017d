package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"yewcone/core/condition"
	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/output/text"
)

func settingsCommand() *cli.Command {
	return &cli.Command{
		Name:      "settings",
		Usage:     "list the settings that rules can ask for",
		ArgsUsage: "[options] [NAME…]",
		Description: `Lists every setting with the values it takes, which of two values is stricter, and what
"off" means for it. With names, tells all about these.

  yewcone settings
  yewcone settings max_age lockout_duration`,
		Flags: []cli.Flag{colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			w := c.Root().Writer
			o, err := optionsFor(c, w)
			if err != nil {
				return err
			}
			catalogue := setting.Standard()
			var chosen []*setting.Setting
			for _, name := range c.Args().Slice() {
				id, ok := catalogue.Find(name)
				if !ok {
					return fmt.Errorf("no setting is named %q%s", name, nearword.Advice(name, catalogue.Names()))
				}
				chosen = append(chosen, catalogue.At(id))
			}
			if len(chosen) > 0 {
				return text.Settings(w, chosen, o)
			}
			return text.Catalogue(w, catalogue, o)
		},
	}
}

func factsCommand() *cli.Command {
	return &cli.Command{
		Name:      "facts",
		Usage:     "list the facts about accounts that conditions can use",
		ArgsUsage: "[options]",
		Description: `Lists what "for", "forbid", "kinds" and "privileged" can ask about an account.

  yewcone facts
  yewcone facts --color never`,
		Flags: []cli.Flag{colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			w := c.Root().Writer
			o, err := optionsFor(c, w)
			if err != nil {
				return err
			}
			return text.Facts(w, condition.Facts(), o)
		},
	}
}
