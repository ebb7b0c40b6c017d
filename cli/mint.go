package cli

import (
	"context"
	"errors"
	"fmt"
	"io"

	"github.com/urfave/cli/v3"

	"yewcone/core/explain"
	"yewcone/core/password"
	"yewcone/core/rules"
	"yewcone/core/trial"
	"yewcone/output"
	"yewcone/output/jsonfile"
	"yewcone/output/text"
)

func mintCommand() *cli.Command {
	return &cli.Command{
		Name:      "mint",
		Usage:     "make random passwords that nothing known of systems refuses",
		ArgsUsage: "[options] SYSTEM…",
		Description: `Makes passwords that nothing known of the named systems refuses and that their rules ask for,
from the operating system's source of randomness, each as likely as any other that could have
been made. They are for the account that --as names; else they pass every policy that reaches
somebody, where these can be met together, and the rules for a person who is no
administrator. What the exports do not say is named, so that nothing is promised for it.
Only the passwords, and with --aloud how to read them out, are written to standard output;
what they are worth goes to standard error. Where the systems' settings cannot be met
together, it says which, and ends with status 1; rules that no system can meet it leaves
out, and says so.

  yewcone mint rota
  yewcone mint directory rota --phrase
  yewcone mint tills --policy Purser --aloud --number 5`,
		Flags: []cli.Flag{estateFlag(), asFlag(), policyFlag(),
			&cli.IntFlag{Name: "number", Value: 1, Usage: "how many passwords to make, up to 1000"},
			&cli.IntFlag{Name: "length", Usage: "characters, or words with --phrase; else as many as the bits need"},
			&cli.IntFlag{Name: "bits", Value: 80, Usage: "how many bits a password shall be worth, where the systems allow it"},
			&cli.BoolFlag{Name: "phrase", Usage: "words instead of characters"},
			&cli.BoolFlag{Name: "aloud", Usage: "only characters that neither look nor sound alike, and how to read them out"},
			asOfFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			names := c.Args().Slice()
			switch {
			case len(names) == 0:
				return errors.New("mint needs the systems that shall accept the passwords")
			case c.Int("number") < 1 || c.Int("number") > 1000:
				return fmt.Errorf("--number is between 1 and 1000, not %d", c.Int("number"))
			case c.Int("length") < 0 || c.Int("length") > 256:
				return fmt.Errorf("--length is between 1 and 256, not %d", c.Int("length"))
			case c.Int("bits") < 1 || c.Int("bits") > 512:
				return fmt.Errorf("--bits is between 1 and 512, not %d", c.Int("bits"))
			}
			targets, err := mintedFor(c, names)
			if err != nil {
				return err
			}
			m, err := trial.NewMint(targets, trial.Wish{Bits: float64(c.Int("bits")), Length: int(c.Int("length")),
				Aloud: c.Bool("aloud"), Phrase: c.Bool("phrase")})
			var collision *trial.Collision
			if errors.As(err, &collision) {
				fmt.Fprintln(c.Root().ErrWriter, "yewcone: "+shown(err))
				return status(ExitFindings)
			}
			if err != nil {
				return err
			}
			for range c.Int("number") {
				made, err := m.Make()
				if err != nil {
					return err
				}
				if c.Bool("aloud") {
					made += "\n  " + trial.Spelled(made)
				}
				if _, err := fmt.Fprintln(c.Root().Writer, made); err != nil {
					return err
				}
			}
			o, err := optionsFor(c, c.Root().ErrWriter)
			if err != nil {
				return err
			}
			return text.Minted(c.Root().ErrWriter, m, c.String("as") == "", o)
		},
	}
}

// mintedFor is what passwords must pass: what the named systems take, and what the
// rules ask there: of the account that --as names, or else of a person who is no
// administrator.
func mintedFor(c *cli.Command, names []string) ([]*trial.Target, error) {
	e, targets, err := triedOn(c, names)
	if err != nil {
		return nil, err
	}
	if c.String("as") == "" && c.String("policy") == "" {
		if strictest, err := e.reaching(); err != nil {
			return nil, err
		} else if !trial.Collide(strictest) {
			targets = strictest
		}
	}
	return append(targets, e.asked(c.String("as"), targets)...), nil
}

// asked is what the rules ask of passwords on the systems: of an account, or where
// none is named of a person who is no administrator.
func (e *triedEstate) asked(login string, targets []*trial.Target) (list []*trial.Target) {
	for i := range e.opened.subjects {
		s := &e.opened.subjects[i]
		system := s.Export.System()
		moment := system.AsOf
		if moment.IsZero() {
			moment = e.opened.options.Now
		}
		asked := trial.Asked(system.Name, rules.AllAt(s.Rules, moment), explain.Holding(s, login, e.opened.options))
		if asked == nil {
			continue
		}
		for _, t := range targets {
			if t.System == system.Name {
				asked.OfPerson(t)
			}
		}
		list = append(list, asked)
	}
	return list
}

// triedOn finds what of the named systems, or of all, candidates are held against.
func triedOn(c *cli.Command, names []string) (*triedEstate, []*trial.Target, error) {
	who, err := whom(c)
	if err != nil {
		return nil, nil, err
	}
	e, err := openTried(c, names)
	if err != nil {
		return nil, nil, err
	}
	targets, err := e.systems.Targets(who, names)
	return e, targets, err
}

// measuredOn is what passwords are counted for: each policy that reaches somebody,
// where nobody and no policy is named.
func measuredOn(c *cli.Command, names []string) ([]*trial.Target, error) {
	if c.String("as") != "" || c.String("policy") != "" {
		_, targets, err := triedOn(c, names)
		return targets, err
	}
	e, err := openTried(c, names)
	if err != nil {
		return nil, err
	}
	return e.reaching()
}

// reaching is each policy of the systems that reaches somebody.
func (e *triedEstate) reaching() ([]*trial.Target, error) {
	var all []*trial.Target
	for i := range e.systems {
		list, err := trial.Reaching(&e.systems[i])
		if err != nil {
			return nil, err
		}
		all = append(all, list...)
	}
	return all, nil
}

func spaceCommand() *cli.Command {
	return &cli.Command{
		Name:      "space",
		Usage:     "count the passwords that settings leave",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Counts, for each policy that reaches somebody, how many passwords of the least length that it takes satisfy its
demands on the composition, exactly, in bits; what each demand takes away; and what a ceiling
on the length leaves. The figure is a ceiling for passwords that are chosen at random. People
do not choose at random: what they choose is worth less, however large the space is.

  yewcone space
  yewcone space rota tills --format json`,
		Flags: []cli.Flag{estateFlag(), asFlag(), policyFlag(), &cli.StringFlag{Name: "format", Value: "text",
			Usage: "text or json"}, asOfFlag(), outFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			if err := oneOf("format", c.String("format"), []string{"text", "json"}); err != nil {
				return err
			}
			targets, err := measuredOn(c, c.Args().Slice())
			if err != nil {
				return err
			}
			var measures []password.Measure
			for _, t := range targets {
				measures = append(measures, password.MeasureOf(t.Value))
			}
			return showAs(c, func(w io.Writer, o output.Options) error { return text.Space(w, targets, measures, o) },
				func(w io.Writer, o output.Options) error { return jsonfile.Space(w, targets, measures, o) })
		},
	}
}

func deriveCommand() *cli.Command {
	return &cli.Command{
		Name:      "derive",
		Usage:     "find the fewest settings that tell bad examples from good ones",
		ArgsUsage: "[options] SYSTEM",
		Description: `Takes the examples of the estate's trial files that try the system, or of the files named
with --examples, and finds the smallest sets of settings, with the least values, that refuse
every bad one and accept every good one, within what the system can do ("limits" in
estate.yaml). Where there is none, it says which example stands in the way.

  yewcone derive rota
  yewcone derive rota --examples trials/rota.yaml`,
		Flags: []cli.Flag{estateFlag(), policyFlag(),
			&cli.StringSliceFlag{Name: "examples", Usage: "trial files to take the examples from", TakesFile: true},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text or json"}, asOfFlag(), outFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			if err := oneOf("format", c.String("format"), []string{"text", "json"}); err != nil {
				return err
			}
			if c.Args().Len() != 1 {
				return fmt.Errorf("derive takes one system, not %d", c.Args().Len())
			}
			d, err := derived(c, c.Args().First())
			if err != nil {
				return err
			}
			err = showAs(c, func(w io.Writer, o output.Options) error { return text.Derived(w, d, o) },
				func(w io.Writer, o output.Options) error { return jsonfile.Derived(w, d, o) })
			if err == nil && len(d.Derivation.Standing) > 0 {
				return status(ExitFindings)
			}
			return err
		},
	}
}

func derived(c *cli.Command, system string) (*trial.Derived, error) {
	e, err := openTried(c, []string{system})
	if err != nil {
		return nil, err
	}
	var files []*trial.File
	if names := c.StringSlice("examples"); len(names) > 0 {
		for _, name := range names {
			f, err := readTrial("", name)
			if err != nil {
				return nil, err
			}
			files = append(files, f)
		}
	} else {
		all, err := trialFiles(e.estate.Folder)
		if err != nil {
			return nil, err
		}
		if files, err = trial.Trying(all, system, e.estate.Names()); err != nil {
			return nil, err
		}
		if len(files) == 0 {
			return nil, fmt.Errorf("no trial file tries %s; write examples into trials/NAME.yaml, or name a file with --examples", system)
		}
	}
	s := &e.systems[0]
	targets, err := trial.Targets(s, trial.Whom{Policy: c.String("policy")})
	if err != nil {
		return nil, err
	}
	return trial.Derive(targets[0], files, func(login string) (*password.Person, error) { return trial.PersonOn(s, login) })
}
