package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/audit"
	"yewcone/core/nearword"
	"yewcone/core/review"
	"yewcone/core/rules"
	"yewcone/intake/estatefolder"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/text"
)

func rulesCommand() *cli.Command {
	return &cli.Command{
		Name:      "rules",
		Usage:     "tell what is asked of systems; show, validate or compare rule sets",
		ArgsUsage: "[options] asked|show|validate|compare [SYSTEM…|SET…]",
		Description: `"asked" tells what the rules ask of each kind of account on systems, once clauses that
replace others are taken off: from which clause it comes, the weakest value that holds today,
how many accounts are below it, and what the system cannot do. "show" lists the rule sets of the estate and those that come with the tool, or tells all
about some. "validate" finds clauses that no account can meet, that contradict or repeat
each other, and that reach nobody. "compare" sets rule sets side by side: which is the
stricter, which implies the other, and where both cannot be met.

  yewcone rules asked rota
  yewcone rules asked --only broken --format csv --out asked.csv
  yewcone rules show pci-dss-4.0.1
  yewcone rules compare nist-800-63b-4 pci-dss-4.0.1 stig-unix`,
		Flags: []cli.Flag{estateFlag(),
			&cli.StringFlag{Name: "only", Usage: "with asked: only what is " + strings.Join(askedStates, ", ")},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "with asked: text or csv"},
			rulesFlag(), insteadFlag(), asOfFlag(), outFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			w := c.Root().Writer
			o, err := optionsFor(c, w)
			if err != nil {
				return err
			}
			args := c.Args().Slice()
			if len(args) == 0 {
				return errors.New("rules takes asked, show, validate or compare")
			}
			if args[0] == "asked" {
				return rulesAsked(c, args[1:])
			}
			for _, name := range []string{"only", "format", "rules", "instead", "out"} {
				if c.IsSet(name) {
					return fmt.Errorf("--%s goes with \"rules asked\", not with \"rules %s\"", name, args[0])
				}
			}
			switch args[0] {
			case "show":
				sets, err := chosenSets(c, args[1:])
				if err != nil {
					return err
				}
				if len(args) == 1 {
					return text.RuleSets(w, sets, o)
				}
				return text.RuleSet(w, sets, o)
			case "compare":
				sets, err := chosenSets(c, args[1:])
				if err != nil {
					return err
				}
				if len(args) < 3 {
					return errors.New("rules compare takes two rule sets or more")
				}
				return text.Comparison(w, rules.Compare(sets), o)
			case "validate":
				if len(args) > 1 {
					return errors.New("rules validate takes no rule sets: it looks at those that the estate uses")
				}
				opened, err := openEstate(c, nil)
				if err != nil {
					return err
				}
				problems, err := review.Rules(opened.subjects, opened.options)
				if err != nil {
					return err
				}
				if err := text.RuleProblems(w, problems, o); err != nil || len(problems) == 0 {
					return err
				}
				return status(ExitFindings)
			}
			return fmt.Errorf("rules takes asked, show, validate or compare, not %q%s", args[0],
				nearword.Advice(args[0], []string{"asked", "show", "validate", "compare"}))
		},
	}
}

// askedStates are what "rules asked" may be kept to, by their first words.
var askedStates = []string{"broken", "unknown", "beyond", "met"}

func rulesAsked(c *cli.Command, systems []string) error {
	only := c.String("only")
	if only != "" {
		if err := oneOf("only", only, askedStates); err != nil {
			return err
		}
	}
	if err := oneOf("format", c.String("format"), []string{"text", "csv"}); err != nil {
		return err
	}
	opened, err := openEstate(c, systems)
	if err != nil {
		return err
	}
	if err := opened.asIf(c); err != nil {
		return err
	}
	list, err := audit.AskedOfAll(opened.subjects, opened.options)
	if err != nil {
		return err
	}
	for i := range list {
		list[i].Standings = slices.DeleteFunc(list[i].Standings, func(s audit.Standing) bool {
			return only != "" && !strings.HasPrefix(s.State(), only)
		})
	}
	return show(c, func(w io.Writer, o output.Options) error {
		if c.String("format") == "csv" {
			return csvfile.Asked(w, list)
		}
		return text.Asked(w, list, o)
	})
}

// chosenSets returns the named rule sets, of the estate or shipped; all of
// them without names. Without an estate the shipped ones remain.
func chosenSets(c *cli.Command, names []string) ([]*rules.Set, error) {
	var sets []*rules.Set
	folder, err := estatefolder.Find(c.String("estate"))
	switch {
	case err == nil:
		e, err := estatefolder.Load(folder)
		if err != nil {
			return nil, err
		}
		sets = e.Rules
	case !errors.Is(err, estatefolder.ErrNoEstate) || c.String("estate") != "":
		return nil, err
	}
	for _, name := range rules.ShippedNames() {
		if set, ok := rules.Shipped(name); ok && !slices.ContainsFunc(sets,
			func(s *rules.Set) bool { return s.Name == name }) {
			sets = append(sets, set)
		}
	}
	if len(names) == 0 {
		return sets, nil
	}
	var known []string
	for _, s := range sets {
		known = append(known, s.Name)
	}
	var chosen []*rules.Set
	for _, name := range names {
		i := slices.Index(known, name)
		if i < 0 {
			return nil, fmt.Errorf("no rule set is named %q%s; there are %s", name, nearword.Advice(name, known), strings.Join(known, ", "))
		}
		chosen = append(chosen, sets[i])
	}
	return chosen, nil
}
