package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"yewcone/core/audit"
	"yewcone/core/facts"
	"yewcone/core/handout"
	"yewcone/core/nearword"
	"yewcone/core/review"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
	"yewcone/intake/estatefolder"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/html"
	"yewcone/output/jsonfile"
	"yewcone/output/markdown"
	"yewcone/output/text"
	"yewcone/output/workbook"
)

func rulesCommand() *cli.Command {
	return &cli.Command{
		Name:      "rules",
		Usage:     "tell what is asked of systems; show, validate, compare, draft or publish rule sets",
		ArgsUsage: "[options] asked|page|show|validate|compare|draft [SYSTEM…|SET…]",
		Description: `"asked" tells what the rules ask of each kind of account on systems, once clauses that
replace others are taken off: from which clause it comes, the weakest value that holds today,
how many accounts are below it, and what the system cannot do. "page" says the rules in the
plain words of those who must heed them, with what changed since a former version: a folder,
or a revision of the git repository in which the estate lies. "show" lists the rule sets of
the estate and those that come with the tool, or tells all about some. "validate" finds
clauses that no account can meet, that contradict or repeat each other, and that reach
nobody. "compare" sets rule sets side by side: which is the stricter, which implies the
other, and where both cannot be met; with "estate" in the place of a set it tells what a set
would add, tighten or ask less of on the systems of the estate. "draft" makes a rule set for
a system out of others: the strictest of what they ask, or the loosest, cut to what the
system can do.

  yewcone rules asked rota
  yewcone rules asked --only broken --format csv --out asked.csv
  yewcone rules page --format html --out rules.html
  yewcone rules page --since HEAD~5
  yewcone rules show pci-dss-4.0.1
  yewcone rules compare nist-800-63b-4 pci-dss-4.0.1 stig-unix
  yewcone rules compare nist-800-63b-4 estate
  yewcone rules draft --from nist-800-63b-4 --from house --for mailboxes --out rules/mailboxes.yaml`,
		Flags: []cli.Flag{estateFlag(),
			&cli.StringFlag{Name: "only", Usage: "with asked: only what is " + strings.Join(askedStates, ", ")},
			&cli.StringFlag{Name: "format", Usage: "with asked: " + strings.Join(askedFormats, ", ") + "; with page: " + strings.Join(pageFormats, ", ")},
			&cli.BoolFlag{Name: "matrix", Usage: "with asked and csv: systems side by side, a row for each setting"},
			rulesFlag(), insteadFlag(),
			&cli.StringFlag{Name: "since", Usage: "with page: a folder with a former version of the estate, or a git revision"},
			&cli.StringSliceFlag{Name: "from", Usage: "with draft: a rule set to take from; may be given several times"},
			&cli.StringFlag{Name: "for", Usage: "with draft: the system"},
			&cli.StringFlag{Name: "name", Usage: "with draft: what the rule set is called; else as the system"},
			&cli.BoolFlag{Name: "loosest", Usage: "with draft: the loosest counts where sets differ, not the strictest"},
			asOfFlag(), outFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			args := c.Args().Slice()
			if len(args) == 0 {
				return errors.New("rules takes " + strings.Join(ruleVerbs, ", "))
			}
			verb := args[0]
			if !slices.Contains(ruleVerbs, verb) {
				return fmt.Errorf("rules takes %s, not %q%s", strings.Join(ruleVerbs, ", "), verb, nearword.Advice(verb, ruleVerbs))
			}
			for name, verbs := range goesWith {
				if c.IsSet(name) && !slices.Contains(verbs, verb) {
					return fmt.Errorf("--%s goes with \"rules %s\", not with \"rules %s\"", name, strings.Join(verbs, "\" and \"rules "), verb)
				}
			}
			return map[string]func(*cli.Command, []string) error{"asked": rulesAsked, "page": rulesPage, "show": rulesShow, "validate": rulesValidate,
				"compare": rulesCompare, "draft": rulesDraft}[verb](c, args[1:])
		},
	}
}

// ruleVerbs are what rules does; goesWith says with which of them options go.
var (
	ruleVerbs = []string{"asked", "page", "show", "validate", "compare", "draft"}
	goesWith  = map[string][]string{"only": {"asked"}, "matrix": {"asked"}, "format": {"asked", "page"}, "rules": {"asked"}, "instead": {"asked"}, "since": {"page"},
		"from": {"draft"}, "for": {"draft"}, "name": {"draft"}, "loosest": {"draft"}, "out": {"asked", "page", "draft"}}
)

func rulesShow(c *cli.Command, names []string) error {
	sets, err := chosenSets(c, names)
	if err != nil {
		return err
	}
	return show(c, func(w io.Writer, o output.Options) error {
		if len(names) == 0 {
			return text.RuleSets(w, sets, o)
		}
		return text.RuleSet(w, sets, o)
	})
}

func rulesValidate(c *cli.Command, names []string) error {
	if len(names) > 0 {
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
	if err := show(c, func(w io.Writer, o output.Options) error { return text.RuleProblems(w, problems, o) }); err != nil || len(problems) == 0 {
		return err
	}
	return status(ExitFindings)
}

func rulesCompare(c *cli.Command, names []string) error {
	at := slices.Index(names, "estate")
	if at >= 0 {
		names = slices.Delete(slices.Clone(names), at, at+1)
	}
	sets, err := chosenSets(c, names)
	if err != nil {
		return err
	}
	if len(names) < 2 && at < 0 || len(names) == 0 {
		return errors.New("rules compare takes two rule sets or more, or one and \"estate\"")
	}
	if at < 0 {
		moment, err := momentOf(c)
		if err != nil {
			return err
		}
		return show(c, func(w io.Writer, o output.Options) error {
			return text.Comparison(w, rules.Compare(rules.AllAt(sets, moment)), o)
		})
	}
	e, systems, err := ruleSystems(c, nil)
	if err != nil {
		return err
	}
	var list []*rules.Adoption
	for _, set := range sets {
		var each []*rules.Adoption
		for i := range systems {
			s := &systems[i]
			each = append(each, rules.Adopt(set.At(s.Moment), &facts.System{Name: s.Name, Title: s.Title, Labels: s.Labels}, rules.AllAt(s.Rules, s.Moment)))
		}
		list = append(list, rules.Alike(each)...)
	}
	return show(c, func(w io.Writer, o output.Options) error { return text.Adoptions(w, e.Name, list, o) })
}

// momentOf is the one of the call, else that of the run.
func momentOf(c *cli.Command) (time.Time, error) {
	at, err := parseAsOf(c.String("as-of"))
	if at.IsZero() {
		at = time.Now().UTC()
	}
	return at, err
}

// ruleSystems loads the estate, and tells of the named systems, or of all, which rules
// hold there and at which moment they are told.
func ruleSystems(c *cli.Command, names []string) (*estatefolder.Estate, []handout.System, error) {
	folder, err := estatefolder.Find(c.String("estate"))
	if err != nil {
		return nil, nil, err
	}
	e, err := loadEstate(c, folder)
	if err != nil {
		return nil, nil, err
	}
	if err := keepsApart(c, e); err != nil {
		return nil, nil, err
	}
	if err := e.Knows(names); err != nil {
		return nil, nil, err
	}
	moment, err := momentOf(c)
	if err != nil {
		return nil, nil, err
	}
	systems, err := handoutSystems(e, names, moment, c.IsSet("as-of"))
	return e, systems, err
}

// handoutSystems are the systems of an estate as rules are told of them.
func handoutSystems(e *estatefolder.Estate, names []string, moment time.Time, said bool) ([]handout.System, error) {
	var list []handout.System
	for _, s := range e.RuleSystems() {
		if len(names) > 0 && !slices.Contains(names, s.Name) {
			continue
		}
		at := moment
		if !said && !s.AsOf.IsZero() {
			at = s.AsOf
		}
		limits, err := audit.Limits(&facts.System{Name: s.Name, Limits: s.Limits})
		if err != nil {
			return nil, err
		}
		list = append(list, handout.System{Name: s.Name, Title: s.Title, Labels: s.Labels, Rules: s.Rules, Moment: at, Limits: limits})
	}
	return list, nil
}

var (
	askedFormats = []string{"text", "csv", "json", "xlsx", "html"}
	pageFormats  = []string{"markdown", "html"}
)

// formatOf is what --format asks for, the first where it says nothing.
func formatOf(c *cli.Command, allowed []string) (string, error) {
	format := cmp.Or(c.String("format"), allowed[0])
	return format, oneOf("format", format, allowed)
}

func rulesPage(c *cli.Command, names []string) error {
	format, err := formatOf(c, pageFormats)
	if err != nil {
		return err
	}
	e, systems, err := ruleSystems(c, names)
	if err != nil {
		return err
	}
	var former []handout.System
	since := c.String("since")
	if since != "" {
		old, err := formerEstate(e.Folder, since)
		if err != nil {
			return fmt.Errorf("--since: %w", err)
		}
		moment, err := momentOf(c)
		if err != nil {
			return err
		}
		if former, err = handoutSystems(old, nil, moment, c.IsSet("as-of")); err != nil {
			return err
		}
	}
	if info, err := os.Stat(since); err == nil && info.IsDir() {
		if whole, err := filepath.Abs(since); err == nil { // "." has no name
			since = filepath.Base(whole)
		}
	}
	h := handout.Of(e.Name, systems, former, since)
	return show(c, func(w io.Writer, o output.Options) error {
		if format == "html" {
			return html.Handout(w, h, o)
		}
		return markdown.Handout(w, h, o)
	})
}

// formerEstate reads a former version of the rules: of a folder, or of a revision.
func formerEstate(folder, since string) (*estatefolder.Estate, error) {
	if info, err := os.Stat(since); err == nil && info.IsDir() {
		found, err := estatefolder.Find(since)
		if err != nil {
			return nil, err
		}
		return estatefolder.LoadRules(found)
	}
	return estatefolder.LoadRevision(folder, since)
}

func rulesDraft(c *cli.Command, args []string) error {
	from, system := c.StringSlice("from"), c.String("for")
	if len(args) > 0 || len(from) == 0 || system == "" {
		return errors.New("rules draft takes --from SET, perhaps several, and --for SYSTEM")
	}
	name := cmp.Or(c.String("name"), system)
	if err := rules.CheckName(strictyaml.Text{Value: name}); err != nil {
		return fmt.Errorf("--name: %w", err)
	}
	sets, err := chosenSets(c, from)
	if err != nil {
		return err
	}
	opened, err := openEstate(c, []string{system})
	if err != nil {
		return err
	}
	says, err := audit.Says(&opened.subjects[0], opened.options)
	if err != nil {
		return err
	}
	limits, err := audit.Limits(opened.subjects[0].Export.System())
	if err != nil {
		return err
	}
	draft := rules.DraftOf(sets, rules.Drafting{Name: name, System: system, Limits: limits, Loosest: c.Bool("loosest"),
		Says: func(id setting.ID) bool { return says[id] }})
	return show(c, func(w io.Writer, _ output.Options) error {
		_, err := io.WriteString(w, draft.YAML())
		return err
	})
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
	format, err := formatOf(c, askedFormats)
	if err != nil {
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
		o.AsIf = asIfAgain(c)
		switch format {
		case "csv":
			if c.Bool("matrix") {
				return csvfile.AskedMatrix(w, list)
			}
			return csvfile.Asked(w, list)
		case "json":
			return jsonfile.Asked(w, opened.estate.Name, list, o)
		case "xlsx":
			return workbook.Asked(w, opened.estate.Name, list, o)
		case "html":
			return html.Asked(w, opened.estate.Name, list, o)
		}
		return text.Asked(w, opened.estate.Name, list, o)
	})
}

// chosenSets returns the named rule sets, of the estate or shipped; all of
// them without names. Without an estate the shipped ones remain.
func chosenSets(c *cli.Command, names []string) ([]*rules.Set, error) {
	var sets []*rules.Set
	folder, err := estatefolder.Find(c.String("estate"))
	switch {
	case err == nil:
		e, err := loadEstate(c, folder)
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
