package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"yewcone/core/condition"
	"yewcone/core/finding"
	"yewcone/core/rules"
	"yewcone/core/strictyaml"
	"yewcone/intake/estatefolder"
	"yewcone/output/atomicfile"
)

func acceptCommand() *cli.Command {
	return &cli.Command{
		Name:      "accept",
		Usage:     "write an exception for a finding",
		ArgsUsage: "[options] FINDING",
		Description: `Adds an exception to exceptions.yaml for the finding with the given fingerprint, and keeps
what stands in the file, remarks too. From then on the finding is counted apart, until
the last day of the exception; then it comes back.

  yewcone accept 6e9333876649 --because "replaced in spring" --owner "Imogen Tarrant" --until 2027-03-31
  yewcone accept 050cc6b4d1dc --accounts 'login == "pavel.hruska"' --because "key card to come" --owner Crewing --until 2026-12-31`,
		Flags: []cli.Flag{
			estateFlag(), asOfFlag(),
			&cli.StringFlag{Name: "because", Usage: "why the risk is accepted"},
			&cli.StringFlag{Name: "owner", Usage: "who answers for it"},
			&cli.StringFlag{Name: "until", Usage: "the last day on which it holds"},
			&cli.StringFlag{Name: "accounts", Usage: "a condition: only for these accounts"},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			return accept(c, c.Root().Writer)
		},
	}
}

func accept(c *cli.Command, stdout io.Writer) error {
	if c.Args().Len() != 1 {
		return errors.New("accept takes one fingerprint, as \"yewcone check\" shows it")
	}
	for _, name := range []string{"because", "owner", "until"} {
		if strings.TrimSpace(c.String(name)) == "" {
			return fmt.Errorf("--%s is missing: an exception says why, who answers and until when", name)
		}
	}
	until, err := strictyaml.ParseDate(c.String("until"))
	if err != nil {
		return fmt.Errorf("--until: %w", err)
	}
	opened, err := openEstate(c, nil)
	if err != nil {
		return err
	}
	if text := c.String("accounts"); text != "" {
		if _, err := condition.CompileWith(strictyaml.Text{Value: text}, condition.Complete, opened.estate.NamedOn("")); err != nil {
			return fmt.Errorf("--accounts: %w", err)
		}
	}
	result, err := opened.audited(c)
	if err != nil {
		return err
	}
	f, err := findingWith(result, c.Args().First())
	if err != nil {
		return err
	}
	x := rules.Exception{System: f.System, Rule: f.Rule.String(), Setting: f.Setting, Policy: f.Policy, Because: c.String("because"),
		Owner: c.String("owner"), Until: until, Value: f.Value}
	if f.OnAccount {
		x.Policy = rules.OnAccount
	}
	for i := range result.Systems {
		if s := &result.Systems[i]; s.Name == f.System && !s.AsOf.IsZero() && x.Ended(s.AsOf) {
			return fmt.Errorf("--until: %s is past already at the moment of the export (%s): the exception would cover nothing",
				until.Format(time.DateOnly), s.AsOf.Format(time.DateOnly))
		}
	}
	accounts := c.String("accounts")
	switch {
	case accounts == "":
		accounts = f.Split
	case f.Split != "":
		accounts = f.Split + " and (" + accounts + ")"
	}
	path := filepath.Join(opened.estate.Folder, estatefolder.ExceptionsFile)
	if err := appendException(path, &x, accounts, opened.estate.NamedOn); err != nil {
		return err
	}
	fmt.Fprintf(stdout, "Accepted until %s: %s: %s\nThe exception stands at the end of %s.\n", until.Format(time.DateOnly),
		f.System, shown(errors.New(f.Sentence)), path)
	return nil
}

// findingWith returns the finding of a fingerprint.
func findingWith(r *finding.Result, fingerprint string) (*finding.Finding, error) {
	for i := range r.Findings {
		if r.Findings[i].Fingerprint == fingerprint {
			return &r.Findings[i], nil
		}
	}
	for i := range r.Accepted {
		if r.Accepted[i].Fingerprint == fingerprint {
			return nil, fmt.Errorf("the finding %s is accepted already, until %s", fingerprint,
				r.Accepted[i].Exception.Until.Format(time.DateOnly))
		}
	}
	return nil, fmt.Errorf("no finding has the fingerprint %q; \"yewcone check --details\" shows them", fingerprint)
}

// appendException adds an entry to the end of the file and leaves the rest as
// it stands.
func appendException(path string, x *rules.Exception, accounts string, namedOn func(system string) condition.Named) error {
	old, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		old = []byte("# Accepted risks: what, why, who answers for it, until when.\nexceptions:\n")
	} else if err != nil {
		return err
	}
	text := string(old)
	if !strings.HasSuffix(text, "\n") {
		text += "\n"
	}
	text += x.YAML(accounts)
	if _, err := rules.ReadExceptions(estatefolder.ExceptionsFile, []byte(text),
		func(system, _ strictyaml.Text) (condition.Named, error) { return namedOn(system.Value), nil }); err != nil {
		return fmt.Errorf("the exception cannot be added to the end of the file; add it by hand:\n%s\n%w", x.YAML(accounts), err)
	}
	return atomicfile.Write(path, func(w io.Writer) error {
		_, err := io.WriteString(w, text)
		return err
	})
}
