package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/audit"
	"yewcone/core/drift"
	"yewcone/core/finding"
	"yewcone/core/record"
	"yewcone/core/replay"
	"yewcone/core/trend"
	"yewcone/output"
	"yewcone/output/formats"
)

func reportCommand() *cli.Command {
	return &cli.Command{
		Name:      "report",
		Usage:     "write the whole result as a page, a workbook or a document",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Checks the systems and writes all there is to tell: for a manager a page that needs nothing
else (html), for a colleague a workbook (xlsx), for others a document or a feed. The form
follows from the ending of --out, or from --format. With --since, tells what changed since an
earlier result: the number of a kept one, a day, or a file that "check --format json" wrote; the
other forms refuse it, and "yewcone drift" tells more of it. The exit status is 0 whatever was found, and 3 when
something could not be read.

  yewcone report --out passwords.html
  yewcone report --out passwords.xlsx --examples 100
  yewcone keep
  yewcone report --since 1 --out passwords.html`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(),
			&cli.StringFlag{Name: "format", Usage: strings.Join(formats.CheckNames(), ", ") + "; else by the ending of --out, or html"},
			outFlag(),
			&cli.StringFlag{Name: "since", Usage: "an earlier result: the number of a kept one, a day, or a file of check --format json", TakesFile: true},
			&cli.IntFlag{Name: "examples", Value: 20, Usage: "how many accounts to name with each finding"},
			maxRefusedFlag(), jobsFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			return writeReport(ctx, c)
		},
	}
}

func writeReport(ctx context.Context, c *cli.Command) error {
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
		return fmt.Errorf("--since is told by html, xlsx and markdown, and not by %s; \"yewcone drift\" tells it in other forms", format.Name)
	}
	since, err := earlierResult(ctx, c)
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
	d, t, err := since.drift(ctx, result, opened)
	if err != nil {
		return err
	}
	var replays []*replay.Result
	for i := range opened.subjects {
		if format.Name != formats.Page || opened.subjects[i].Record == nil {
			continue
		}
		if r, err := replayed(c, opened, &opened.subjects[i], nil); err == nil { // a record that cannot be read was told above
			defer r.Close()
			replays = append(replays, r)
		}
	}
	var asked []audit.AskedOf
	if format.Name == formats.Page {
		if asked, err = audit.AskedOfAll(opened.subjects, opened.options); err != nil {
			return err
		}
	}
	err = show(c, func(w io.Writer, o output.Options) error {
		o.Details, o.Drift, o.Since, o.Trend, o.Replays, o.Asked = true, d, since.name, t, replays, asked
		return format.Write(w, result, o)
	})
	if err == nil && result.Partial() {
		return status(ExitPartial)
	}
	return err
}

// An earlier result, with which a report is compared.
type earlier struct {
	name  string
	point *point // nil where none is named
	past  *past  // nil where it is a file
}

// earlierResult finds the result that --since names.
func earlierResult(ctx context.Context, c *cli.Command) (*earlier, error) {
	name := c.String("since")
	if name == "" {
		return &earlier{}, nil
	}
	rec, there, err := resultFile(name)
	if err != nil {
		return nil, fmt.Errorf("--since: %w", err)
	}
	if there {
		return &earlier{name: filepath.Base(name), point: &point{record: rec}}, nil
	}
	p, err := pastOf(ctx, c)
	if err != nil {
		return nil, err
	}
	at, err := p.point(c, name)
	if err != nil {
		p.store.Close()
		return nil, fmt.Errorf("--since: %w", err)
	}
	if at.at >= 0 {
		name = fmt.Sprintf("result %d", p.list[at.at].ID)
	}
	return &earlier{name, at, p}, nil
}

// drift holds a result against the earlier one, and returns the trend of what is
// kept. The accounts are read once more only where the earlier one lists its own.
func (e *earlier) drift(ctx context.Context, r *finding.Result, o *opened) (*drift.Drift, *trend.Trend, error) {
	if e.point == nil {
		return nil, nil, nil
	}
	if e.past == nil {
		now, err := record.Of(r, nil, o.options, Version())
		if err != nil {
			return nil, nil, err
		}
		d, err := drift.Between(e.point.record, now, nil)
		return d, nil, err
	}
	defer e.past.store.Close()
	now, err := o.record(r, false)
	if err != nil {
		return nil, nil, err
	}
	defer now.Close()
	if err := e.past.load(ctx, e.point, true); err != nil {
		return nil, nil, fmt.Errorf("--since: %w", err)
	}
	defer e.point.record.Close()
	sums, err := e.past.store.Sums(ctx, nil)
	if err != nil {
		return nil, nil, err
	}
	d, err := drift.Between(e.point.record, now, e.past.seen(ctx, e.point.at))
	for _, r := range []*record.Record{e.point.record, now} {
		for i := range r.Systems {
			r.Systems[i].Values = nil // those that changed are told, and the whole result is at hand
		}
	}
	return d, trend.Of(sums), err
}
