package cli

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"yewcone/core/audit"
	"yewcone/core/finding"
	"yewcone/core/nearword"
	"yewcone/core/rules"
	"yewcone/core/spool"
	"yewcone/intake/estatefolder"
	"yewcone/intake/table"
	"yewcone/output"
	"yewcone/output/atomicfile"
	"yewcone/output/formats"
	"yewcone/output/jsonfile"
	"yewcone/output/text"
)

func checkCommand() *cli.Command {
	return &cli.Command{
		Name:      "check",
		Usage:     "hold the systems' settings and accounts against the rules",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Reads the exports that estate.yaml names, works out what holds for each account, and
reports what is not as the rules ask. The first screen says what is open to anybody and
what helps most; --all, or the name of one system, tells every finding, worst first, with
the place it stood, whom it reaches and how to mend it. What an export does not show is
listed apart and never counts as met.

  yewcone check
  yewcone check --all
  yewcone check --finding 6e9333876649              # one, with every account
  yewcone check directory --fail-on high            # one system, in a build job
  yewcone check --rules stig-unix quay1             # as if these rules held too
  yewcone check --format json --out result.json     # for other programs
  yewcone check --part 1/2 --into parts             # by a scheduler, in any order,
  yewcone check --part 2/2 --into parts             # and then
  yewcone check --merge parts`,
		Flags: append([]cli.Flag{
			estateFlag(),
			asOfFlag(),
			&cli.StringFlag{Name: "format", Value: "text", Usage: "one of " + strings.Join(formats.CheckNames(), ", ")},
			outFlag(),
			&cli.BoolFlag{Name: "all", Usage: "every finding, where without it only what comes first is told"},
			&cli.StringFlag{Name: "finding", Usage: "tell all of one finding, by its fingerprint, with every account that it reaches"},
			rulesFlag(), insteadFlag(),
			&cli.BoolFlag{Name: "details", Usage: "tell everything about the less bad findings too"},
			&cli.StringFlag{Name: "each", Usage: "also write one line of JSON for every account that a finding reaches", TakesFile: true},
			&cli.IntFlag{Name: "examples", Value: 5, Usage: "how many accounts to name with each finding"},
			maxRefusedFlag(),
			jobsFlag(),
			&cli.StringFlag{Name: "fail-on", Value: "low", Usage: "the least severity that makes the exit status 1"},
			colorFlag(),
		}, partFlags()...),
		Action: func(_ context.Context, c *cli.Command) error {
			return runCheck(c, c.Root().Writer)
		},
	}
}

// runCheck reads the estate, checks it and writes the result.
func runCheck(c *cli.Command, stdout io.Writer) error {
	format, ok := formats.FindCheck(c.String("format"))
	if !ok {
		return oneOf("format", c.String("format"), formats.CheckNames())
	}
	threshold, err := rules.ParseSeverity(c.String("fail-on"))
	if err != nil {
		return fmt.Errorf("--fail-on: %w", err)
	}
	if n := c.Int("examples"); n < 0 || n > 1000000 {
		return fmt.Errorf("--examples is a number between 0 and 1000000, not %d", n)
	}
	o, err := optionsFor(c, stdout)
	if err != nil {
		return err
	}
	if err := partsRefused(c, format.Spread); err != nil {
		return err
	}
	if c.String("part") != "" {
		return judgePart(c)
	}
	if fingerprint := c.String("finding"); fingerprint != "" {
		return oneFinding(c, fingerprint)
	}
	o.Details, o.All = c.Bool("details"), c.Bool("all") || c.Args().Len() == 1
	result, err := checkEstate(c, format.Spread)
	if err != nil {
		return err
	}
	o.AsIf = asIfAgain(c)
	write := func(w io.Writer) error { return format.Write(w, result, o) }
	if out := c.String("out"); out != "" {
		if c.String("color") != "always" {
			o.Color = false
		}
		err = atomicfile.Write(out, write)
	} else {
		err = write(stdout)
	}
	switch {
	case err != nil:
		return err
	case result.Partial():
		return status(ExitPartial)
	case result.Worst() >= threshold:
		return status(ExitFindings)
	}
	return nil
}

// oneFinding tells all of one finding, with every account that it reaches.
func oneFinding(c *cli.Command, fingerprint string) error {
	opened, err := openEstate(c, c.Args().Slice())
	if err != nil {
		return err
	}
	if err := opened.asIf(c); err != nil {
		return err
	}
	var accounts []finding.Example
	opened.options.Each = func(r *audit.Reached) error {
		if r.Fingerprint == fingerprint {
			accounts = append(accounts, finding.ExampleOf(r.Account, "", r.Detail, 0))
		}
		return nil
	}
	result, err := opened.audited(c)
	if err != nil {
		return err
	}
	var known []string
	for i := range result.Findings {
		if result.Findings[i].Fingerprint == fingerprint {
			return show(c, func(w io.Writer, o output.Options) error { return text.Finding(w, result, i, accounts, o) })
		}
		known = append(known, result.Findings[i].Fingerprint)
	}
	for i := range result.Accepted {
		if f := &result.Accepted[i]; f.Fingerprint == fingerprint {
			return fmt.Errorf("the finding %s is accepted: %s, until %s", fingerprint, f.Exception.Because,
				f.Exception.Until.Format(time.DateOnly))
		}
	}
	return fmt.Errorf("no finding has the fingerprint %s (\"yewcone check --all\" shows them)%s", table.Shown(fingerprint),
		nearword.Advice(fingerprint, known))
}

// opened is an estate whose exports stand ready.
type opened struct {
	estate   *estatefolder.Estate
	subjects []audit.Subject
	options  audit.Options
	asOf     time.Time // as --as-of says; zero where it is left out
}

// fewAccounts are how many accounts a finding names where nothing else is said.
const fewAccounts = 5

// openEstate finds and reads the estate, and opens the exports of the named
// systems, or of all.
func openEstate(c *cli.Command, systems []string) (*opened, error) {
	asOf, err := parseAsOf(c.String("as-of"))
	if err != nil {
		return nil, err
	}
	return openEstateIn(c, c.String("estate"), systems, asOf)
}

func openEstateIn(c *cli.Command, name string, systems []string, asOf time.Time) (*opened, error) {
	folder, err := estatefolder.Find(name)
	if err != nil {
		return nil, err
	}
	e, err := loadEstate(c, folder)
	if err != nil {
		return nil, err
	}
	if err := keepsApart(c, e); err != nil {
		return nil, err
	}
	subjects, err := e.Subjects(systems, asOf)
	if err != nil {
		return nil, err
	}
	collectOften(subjects, e.Relations(systems))
	for i := range subjects {
		if r := subjects[i].Record; r != nil {
			r.Scratch = scratch
		}
	}
	return &opened{e, subjects, audit.Options{Now: time.Now().UTC(), Examples: fewAccounts, MaxRefused: int(c.Int("bear")),
		Jobs: int(c.Int("jobs")), ValueOf: e.ValueOf(asOf), Relations: e.Relations(systems), Scratch: scratch}, asOf}, nil
}

// scratch makes a file for what there is no room for in memory.
func scratch() (spool.Scratch, error) {
	f, err := atomicfile.NewScratch()
	if err != nil {
		return nil, notAside(err)
	}
	return putAside{f}, nil
}

// putAside is such a file, whose errors say what it is for.
type putAside struct{ spool.Scratch }

func (p putAside) WriteAt(data []byte, at int64) (int, error) {
	n, err := p.Scratch.WriteAt(data, at)
	if err != nil {
		err = notAside(err)
	}
	return n, err
}

func notAside(err error) error {
	return fmt.Errorf("what there is no room for in memory cannot be put aside: %w; name a folder with room in TMPDIR", err)
}

// keepsApart refuses to write over what the estate is read from, and two results
// into one file.
func keepsApart(c *cli.Command, e *estatefolder.Estate) error {
	out, each := c.String("out"), c.String("each")
	for option, path := range map[string]string{"out": out, "each": each} {
		if path != "" && e.Reads(path) {
			return fmt.Errorf("--%s: %s is a file that the estate is read from, and is not replaced; name another", option, path)
		}
	}
	if out != "" && filepath.Clean(out) == filepath.Clean(each) {
		return fmt.Errorf("--out and --each both name %s", out)
	}
	return nil
}

// collectOften makes the collector run more often where much is kept that holds no
// pointers, so that what it leaves lying does not grow with it.
func collectOften(subjects []audit.Subject, a *audit.Relations) {
	recorded := slices.ContainsFunc(subjects, func(s audit.Subject) bool { return s.Record != nil })
	allowSystems(len(subjects))
	switch {
	case recorded:
		allowMore(forRecords)
		garbagePart.Store(5)
	case len(subjects) > 1 && len(a.Match) > 0:
		garbagePart.Store(20)
	}
}

func checkEstate(c *cli.Command, spread bool) (*finding.Result, error) {
	if c.String("merge") != "" {
		return mergeParts(c)
	}
	o, err := openEstate(c, c.Args().Slice())
	if err != nil {
		return nil, err
	}
	if err := o.asIf(c); err != nil {
		return nil, err
	}
	o.options.Examples, o.options.Spread = int(c.Int("examples")), spread
	each := c.String("each")
	if each == "" {
		return o.audited(c)
	}
	var result *finding.Result
	err = atomicfile.Write(each, func(w io.Writer) error {
		buffered := bufio.NewWriterSize(w, 1<<16)
		o.options.Each = jsonfile.Each(buffered)
		if result, err = o.audited(c); err != nil {
			return err
		}
		return buffered.Flush()
	})
	return result, err
}
