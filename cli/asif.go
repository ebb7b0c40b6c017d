package cli

import (
	"errors"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/rules"
	"yewcone/intake/estatefolder"
)

func rulesFlag() cli.Flag {
	return &cli.StringSliceFlag{Name: "rules", Usage: "as if this rule set, of the estate or one that comes with the tool, held too; may be given several times"}
}

func insteadFlag() cli.Flag {
	return &cli.BoolFlag{Name: "instead", Usage: "with --rules: as if these alone held"}
}

// asIf lets the rule sets of the call hold, beside those of the estate or in their
// place. The estate's name then says so, in every form of what comes out.
func (o *opened) asIf(c *cli.Command) error {
	names, instead := c.StringSlice("rules"), c.Bool("instead")
	if len(names) == 0 {
		if instead {
			return errors.New("--instead goes with --rules: name the rule sets that shall hold")
		}
		return nil
	}
	var sets []*rules.Set
	for _, name := range names {
		set, err := ruleSet(o.estate, name)
		if err != nil {
			return err
		}
		if !slices.Contains(sets, set) {
			sets = append(sets, set)
		}
	}
	estatefolder.AsIf(o.subjects, sets, instead)
	says := " held too"
	if instead {
		says = " alone held"
	}
	o.estate.Name += ", as if " + strings.Join(names, " and ") + says
	return nil
}

// asIfAgain are the options of the call that let other rules hold.
func asIfAgain(c *cli.Command) (options string) {
	for _, name := range c.StringSlice("rules") {
		options += " --rules " + name
	}
	if c.Bool("instead") {
		options += " --instead"
	}
	return options
}
