package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/change"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/nearword"
	"yewcone/core/remedy"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/jsonfile"
	"yewcone/output/text"
)

func changesCommand() *cli.Command {
	return &cli.Command{
		Name:      "changes",
		Usage:     "tell what to change, the most worthwhile first",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Works out from all findings what to do: for each system the values to set in its policies,
in the order in which to set them, and what is to be done to accounts; what each ends, whom
it reaches, what has to come first, and what the system cannot do. Ranked by what a change
ends and whom that reaches against what it costs.

  yewcone changes
  yewcone changes rota partners --top 5
  yewcone changes --owner "Harbour office" --format csv --out harbour.csv`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(), ownerFlag(), topFlag(),
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, json, or csv with a row for each step"},
			outFlag(), maxRefusedFlag(), jobsFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			if err := oneOf("format", c.String("format"), []string{"text", "json", "csv"}); err != nil {
				return err
			}
			_, result, list, err := changesOf(c, fewAccounts)
			if err != nil {
				return err
			}
			err = show(c, func(w io.Writer, o output.Options) error {
				switch c.String("format") {
				case "json":
					return jsonfile.Changes(w, result, list, o)
				case "csv":
					return csvfile.Changes(w, result, list)
				}
				return text.Changes(w, result, list, o)
			})
			return partialOr(result, err)
		},
	}
}

func ownerFlag() cli.Flag {
	return &cli.StringFlag{Name: "owner", Usage: "only of systems of which the estate names this owner"}
}

func topFlag() cli.Flag {
	return &cli.IntFlag{Name: "top", Usage: "only so many, the most worthwhile; all when left out"}
}

func remedyCommand() *cli.Command {
	return &cli.Command{
		Name:      "remedy",
		Usage:     "tell each change in the system's own words: what to type where",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Writes each change as its system takes it: LDIF for OpenLDAP, 389 and Samba, statements for
MariaDB and PostgreSQL, lines for kadmin, lines of a host's files before and after, and for
applications that a mapping reads the label, the word that stands there and the word to set,
in the application's own writing. What cannot be said is said so. Nothing is ever run. What
is to be done to accounts one by one is written for each, as far as the system has words.

  yewcone remedy directory
  yewcone remedy rota --undo
  yewcone remedy quay1 --accounts 0 --out quay1.txt`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(), ownerFlag(), topFlag(),
			&cli.BoolFlag{Name: "undo", Usage: "the way back to what the exports say"},
			&cli.IntFlag{Name: "accounts", Value: fewAccounts, Usage: "write lines for so many accounts of each finding; 0 for all"},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text or json"},
			outFlag(), maxRefusedFlag(), jobsFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			if err := oneOf("format", c.String("format"), []string{"text", "json"}); err != nil {
				return err
			}
			if c.Int("accounts") < 0 {
				return fmt.Errorf("--accounts is a number of accounts, not %d", c.Int("accounts"))
			}
			opened, result, list, err := changesOf(c, int(c.Int("accounts")))
			if err != nil {
				return err
			}
			undo := c.Bool("undo")
			told := remedy.Tell(result, list, opened.export, undo)
			err = showAs(c, func(w io.Writer, o output.Options) error { return text.Remedy(w, result, told, undo, o) },
				func(w io.Writer, o output.Options) error { return jsonfile.Remedy(w, result, told, undo, o) })
			return partialOr(result, err)
		},
	}
}

// export is the export of a system.
func (o *opened) export(system string) facts.Export {
	for i := range o.subjects {
		if o.subjects[i].Export.System().Name == system {
			return o.subjects[i].Export
		}
	}
	return nil
}

// changesOf checks the estate and works out the changes that the call asks for;
// accounts are how many each finding names, 0 for all.
func changesOf(c *cli.Command, accounts int) (*opened, *finding.Result, []change.Change, error) {
	opened, err := openEstate(c, c.Args().Slice())
	if err != nil {
		return nil, nil, nil, err
	}
	opened.options.Examples = cmp.Or(accounts, math.MaxInt)
	result, err := opened.audited(c)
	if err != nil {
		return nil, nil, nil, err
	}
	list := change.Of(result)
	if owner := c.String("owner"); owner != "" {
		var owners []string
		for i := range result.Systems {
			if o := result.Systems[i].Owner; o != "" && !slices.Contains(owners, o) {
				owners = append(owners, o)
			}
		}
		if !slices.Contains(owners, owner) {
			return nil, nil, nil, fmt.Errorf("no system has the owner %q%s; the estate names %s", owner, nearword.Advice(owner, owners),
				orNobody(strings.Join(owners, ", ")))
		}
		list = slices.DeleteFunc(list, func(c change.Change) bool { return c.Owner != owner })
	}
	if n := int(c.Int("top")); n < 0 {
		return nil, nil, nil, fmt.Errorf("--top is a number of changes, not %d", n)
	} else if n > 0 {
		list = list[:min(n, len(list))]
	}
	return opened, result, list, nil
}

func orNobody(names string) string {
	if names == "" {
		return "nobody: write \"owner\" at its systems"
	}
	return names
}

// partialOr makes the exit status tell where something could not be read.
func partialOr(result *finding.Result, err error) error {
	if err == nil && result.Partial() {
		return status(ExitPartial)
	}
	return err
}
