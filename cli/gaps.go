package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/urfave/cli/v3"

	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/jsonfile"
	"yewcone/output/markdown"
	"yewcone/output/text"
)

var gapFormats = map[string]func(io.Writer, *finding.Result, output.GapOptions) error{
	"text": text.Gaps, "json": jsonfile.Gaps, "csv": csvfile.Gaps, "markdown": markdown.Gaps,
}

func gapsCommand() *cli.Command {
	return &cli.Command{
		Name:      "gaps",
		Usage:     "set systems side by side",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Shows what no single system's console can: which system is weakest and which setting the
worst of the estate; links whose ends disagree; people whose accounts differ; how often a
password can be guessed; and every setting on all systems, with the strictest, the loosest
and the odd one out. A system with several policies shows the weakest value that holds for
anybody of the audience.

  yewcone gaps
  yewcone gaps --audience privileged --only differing
  yewcone gaps --setting lockout_attempts --format csv`,
		Flags: []cli.Flag{estateFlag(),
			&cli.StringFlag{Name: "audience", Value: "people", Usage: "people, privileged or service"},
			&cli.StringFlag{Name: "only", Value: "all", Usage: "all settings that a system says, or those that are differing"},
			&cli.StringSliceFlag{Name: "setting", Usage: "only this setting; may be given several times"},
			rulesFlag(), insteadFlag(),
			&cli.BoolFlag{Name: "arithmetic", Usage: "tell how each guess budget comes about"},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, json, csv or markdown"},
			asOfFlag(), maxRefusedFlag(), jobsFlag(), outFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			if err := oneOf("format", c.String("format"), []string{"text", "json", "csv", "markdown"}); err != nil {
				return err
			}
			if err := oneOf("only", c.String("only"), []string{"all", "differing"}); err != nil {
				return err
			}
			audience, ok := gap.ParseAudience(c.String("audience"))
			if !ok {
				return fmt.Errorf("--audience is people, privileged or service, not %q", c.String("audience"))
			}
			names := setting.Names()
			for _, name := range c.StringSlice("setting") {
				if _, ok := setting.Find(name); !ok {
					return fmt.Errorf("no setting is named %q%s", name, nearword.Advice(name, names))
				}
			}
			opened, err := openEstate(c, c.Args().Slice())
			if err != nil {
				return err
			}
			if err := opened.asIf(c); err != nil {
				return err
			}
			result, err := opened.audited(c)
			if err != nil {
				return err
			}
			err = show(c, func(w io.Writer, o output.Options) error {
				return gapFormats[c.String("format")](w, result, output.GapOptions{Options: o, Audience: audience,
					Differing: c.String("only") == "differing", Settings: c.StringSlice("setting"),
					Arithmetic: c.Bool("arithmetic")})
			})
			if err == nil && result.Partial() {
				return status(ExitPartial)
			}
			return err
		},
	}
}
