package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/formats"
	"yewcone/output/jsonfile"
)

func reportCommand() *cli.Command {
	return &cli.Command{
		Name:      "report",
		Usage:     "write the whole result as a page, a workbook or a document",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Checks the systems and writes all there is to tell: for a manager a page that needs nothing
else (html), for a colleague a workbook (xlsx), for others a document or a feed. The form
follows from the ending of --out, or from --format. With --since, tells what changed since a
result that "check --format json" wrote. The exit status is 0 whatever was found, and 3 when
something could not be read.

  yewcone report --out passwords.html
  yewcone report --out passwords.xlsx --examples 100
  yewcone check --format json --out last-month.json
  yewcone report --since last-month.json --out passwords.html`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(),
			&cli.StringFlag{Name: "format", Usage: strings.Join(formats.CheckNames(), ", ") + "; else by the ending of --out, or html"},
			outFlag(),
			&cli.StringFlag{Name: "since", Usage: "an earlier result, as check --format json wrote it", TakesFile: true},
			&cli.IntFlag{Name: "examples", Value: 20, Usage: "how many accounts to name with each finding"},
			maxRefusedFlag(), jobsFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			return writeReport(c)
		},
	}
}

func writeReport(c *cli.Command) error {
	format, ok := formats.CheckByEnding(filepath.Ext(c.String("out")))
	if name := c.String("format"); name != "" || !ok {
		name = cmp.Or(name, formats.Page)
		if format, ok = formats.FindCheck(name); !ok {
			return oneOf("format", name, formats.CheckNames())
		}
	}
	if n := c.Int("examples"); n < 0 || n > 1000000 {
		return fmt.Errorf("--examples is a number between 0 and 1000000, not %d", n)
	}
	if c.String("since") != "" && !format.Since {
		return fmt.Errorf("--since is told by html, xlsx and markdown, and not by %s; \"yewcone drift\" tells it as text and JSON", format.Name)
	}
	earlier, err := earlierResult(c.String("since"))
	if err != nil {
		return err
	}
	opened, err := openEstate(c, c.Args().Slice())
	if err != nil {
		return err
	}
	opened.options.Examples, opened.options.Spread = int(c.Int("examples")), true
	result, err := opened.audited(c)
	if err != nil {
		return err
	}
	var changes *finding.Changes
	if earlier != nil {
		changes = result.Since(earlier)
		changes.From = filepath.Base(c.String("since"))
	}
	err = show(c, func(w io.Writer, o output.Options) error {
		o.Details, o.Changes = true, changes
		return format.Write(w, result, o)
	})
	if err == nil && result.Partial() {
		return status(ExitPartial)
	}
	return err
}

// earlierResult reads a result that was kept; nil where none is named.
func earlierResult(file string) (*finding.Kept, error) {
	if file == "" {
		return nil, nil
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, errors.New("--since: " + err.Error())
	}
	defer f.Close()
	kept, err := jsonfile.ReadCheck(f)
	if err != nil {
		return nil, fmt.Errorf("--since: %s: %w", file, err)
	}
	return kept, nil
}
