package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/audit"
	"yewcone/core/change"
	"yewcone/core/facts"
	"yewcone/core/impact"
	"yewcone/core/nearword"
	"yewcone/core/rules"
	"yewcone/intake/estatefolder"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/jsonfile"
	"yewcone/output/text"
)

func impactCommand() *cli.Command {
	return &cli.Command{
		Name:      "impact",
		Usage:     "tell what settings that are only proposed would do to the accounts of today",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Holds proposed settings against the accounts: who is expired or shut at once, who on which
day, whose lock or second factor changes, programs and shared accounts by name, what no longer
holds, which findings end and which are new, what cannot be known, and what cannot be taken
back. Without a proposal, those are all values that "yewcone changes" would set.

  yewcone impact rota
  yewcone impact --set rota/service.max_age="60 days" --set "rota/*.min_length=16"
  yewcone impact rota --rules nist-800-63b-4 --format csv --out hit.csv`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(),
			&cli.StringSliceFlag{Name: "set", Usage: "a proposal, as SYSTEM/POLICY.setting=value; the policy * is every one that says it"},
			&cli.StringFlag{Name: "from", Usage: "a file of proposals, one on each line", TakesFile: true},
			&cli.StringFlag{Name: "rules", Usage: "propose what this rule set asks, as if it were in force too"},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, json, or csv with a row for each account and effect"},
			outFlag(), maxRefusedFlag(), jobsFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			format := c.String("format")
			if err := oneOf("format", format, []string{"text", "json", "csv"}); err != nil {
				return err
			}
			proposals, err := proposalsOf(c)
			if err != nil {
				return err
			}
			before, after, proposals, err := twice(c, proposals)
			if err != nil {
				return err
			}
			partial := false
			err = show(c, func(w io.Writer, o output.Options) error {
				var each func(*impact.Touched) error
				flush := func() error { return nil }
				if format == "csv" {
					each, flush = csvfile.Impact(w)
				}
				stop := func() {}
				if each == nil { // rows may go to the terminal
					stop = watch(c.Root().ErrWriter, &before.options)
				}
				list, err := impact.Run(before.estate.Name, before.subjects, after, proposals, before.options, each)
				stop()
				if err != nil {
					return err
				}
				for i := range list {
					partial = partial || list[i].Partial
				}
				switch format {
				case "csv":
					return flush()
				case "json":
					return jsonfile.Impact(w, before.estate.Name, list, o)
				}
				return text.Impact(w, before.estate.Name, list, o)
			})
			if err == nil && partial {
				return status(ExitPartial)
			}
			return err
		},
	}
}

// proposalsOf reads what the call proposes.
func proposalsOf(c *cli.Command) ([]impact.Proposal, error) {
	var list []impact.Proposal
	for _, text := range c.StringSlice("set") {
		p, err := impact.ParseProposal(text)
		if err != nil {
			return nil, fmt.Errorf("--set: %w", err)
		}
		list = append(list, p)
	}
	name := c.String("from")
	if name == "" {
		return list, nil
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, errors.New("--from: " + err.Error())
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	for number := 1; lines.Scan(); number++ {
		line, _, _ := strings.Cut(lines.Text(), "#")
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		p, err := impact.ParseProposal(line)
		if err != nil {
			return nil, fmt.Errorf("%s:%d: %w", name, number, err)
		}
		list = append(list, p)
	}
	return list, lines.Err()
}

// twice opens the systems as they are and as they would be.
func twice(c *cli.Command, proposals []impact.Proposal) (*opened, []audit.Subject, []impact.Proposal, error) {
	systems := c.Args().Slice()
	for _, p := range proposals {
		if len(proposals) > 0 && !slices.Contains(systems, p.System) {
			systems = append(systems, p.System)
		}
	}
	before, err := openEstate(c, systems)
	if err != nil {
		return nil, nil, nil, err
	}
	set, err := ruleSet(before.estate, c.String("rules"))
	if err != nil {
		return nil, nil, nil, err
	}
	if set != nil || len(proposals) == 0 {
		asked := slices.Clone(before.subjects)
		for i := range asked {
			if set != nil && !slices.Contains(asked[i].Rules, set) {
				asked[i].Rules = append(slices.Clone(asked[i].Rules), set)
			}
		}
		result, err := (&opened{before.estate, asked, before.options, before.asOf}).audited(c)
		if err != nil {
			return nil, nil, nil, err
		}
		for _, ch := range change.Of(result) {
			for _, s := range ch.Steps {
				if s.IsSetting {
					proposals = append(proposals, impact.Proposal{System: ch.System, Policy: s.Policy, Setting: s.Setting, Value: s.To})
				}
			}
		}
	}
	asOf, err := parseAsOf(c.String("as-of"))
	if err != nil {
		return nil, nil, nil, err
	}
	after, err := before.estate.Subjects(systems, asOf)
	if err == nil && (set != nil || len(c.StringSlice("set")) == 0) { // those that were read are done with
		before.subjects, err = before.estate.Subjects(systems, asOf)
	}
	if err != nil {
		return nil, nil, nil, err
	}
	there := map[string]*facts.System{}
	for i := range after {
		there[after[i].Export.System().Name] = after[i].Export.System()
	}
	proposals = slices.DeleteFunc(proposals, func(p impact.Proposal) bool { // what holds without a policy is no policy's
		s := there[p.System]
		return s != nil && s.NoPolicy != nil && s.NoPolicy.Name == p.Policy
	})
	applied, err := impact.Apply(there, proposals)
	return before, after, applied, err
}

// ruleSet finds a rule set of the estate or among those that come with the
// tool; nil for no name.
func ruleSet(e *estatefolder.Estate, name string) (*rules.Set, error) {
	if name == "" {
		return nil, nil
	}
	var names []string
	for _, s := range e.Rules {
		if s.Name == name {
			return s, nil
		}
		names = append(names, s.Name)
	}
	if s, ok := rules.Shipped(name); ok {
		return s, nil
	}
	names = append(names, rules.ShippedNames()...)
	return nil, fmt.Errorf("--rules: no rule set is named %q%s; there are %s", name, nearword.Advice(name, names), strings.Join(names, ", "))
}
