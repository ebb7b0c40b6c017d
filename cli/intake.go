package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/nearword"
	"yewcone/core/reading"
	"yewcone/intake"
	"yewcone/intake/draft"
	"yewcone/intake/estatefolder"
	"yewcone/intake/formats"
	"yewcone/intake/table"
	"yewcone/output/atomicfile"
	"yewcone/output/jsonfile"
	"yewcone/output/text"
)

func intakeCommand() *cli.Command {
	return &cli.Command{
		Name:      "intake",
		Usage:     "tell what was read from the exports, or how to take one",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Shows, for each system, what was read: accounts, policies, every setting with the place it
stood; what was refused and why, what the files hold and nobody used, and what the rules
ask and the export does not show. --how prints the commands that take an export from the
real system; --draft proposes a mapping for files of no known format, to be read and mended; with a system
that has a mapping it prints that with what it lacks, a line for each column that no line takes;
--format json writes down all that was read of one system, to be kept or read again.

  yewcone intake directory
  yewcone intake --how postgresql
  yewcone intake directory --format json --out directory.jsonl
  yewcone intake --draft exports/rota/settings.csv exports/rota/users.csv > mappings/new.yaml
  yewcone intake --draft rota`,
		Flags: []cli.Flag{
			estateFlag(), asOfFlag(),
			&cli.StringFlag{Name: "how", Usage: "tell how to take an export of the format: " +
				strings.Join(formats.Names(), ", ") + "; or all, as a page"},
			&cli.BoolFlag{Name: "draft", Usage: "propose a mapping for the files named, or what the mapping of the system named lacks"},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, or json: a snapshot of one system"},
			outFlag(), maxRefusedFlag(), colorFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			w := c.Root().Writer
			o, err := optionsFor(c, w)
			if err != nil {
				return err
			}
			if name := c.String("how"); name != "" {
				if name == "all" {
					return howAll(w)
				}
				f, ok := formats.Find(name)
				if !ok {
					return fmt.Errorf("no format is named %q%s; there are %s", name, nearword.Advice(name, formats.Names()),
						strings.Join(formats.Names(), ", "))
				}
				_, err := fmt.Fprintf(w, "%s: %s\n\n%s", f.Name, f.Doc, f.How)
				return err
			}
			if c.Bool("draft") {
				return draftMapping(c, w)
			}
			opened, err := openEstate(c, c.Args().Slice())
			if err != nil {
				return err
			}
			if format := c.String("format"); format != "text" {
				return writeSnapshot(c, w, opened, format)
			}
			stop := watch(c.Root().ErrWriter, &opened.options)
			list, err := reading.Of(opened.subjects, opened.options)
			stop()
			if err != nil {
				return err
			}
			if err := addEarlier(ctx, opened, list); err != nil {
				fmt.Fprintf(c.Root().ErrWriter, "yewcone: how many accounts there were before is not known: %s\n", shown(err))
			}
			write := func(w io.Writer) error { return text.Intake(w, list, o) }
			if out := c.String("out"); out != "" {
				err = atomicfile.Write(out, write)
			} else {
				err = write(w)
			}
			if err != nil {
				return err
			}
			for i := range list {
				if list[i].Summary.Partial {
					return status(ExitPartial)
				}
			}
			return nil
		},
	}
}

// addEarlier adds what was read of each system before, where results are kept.
func addEarlier(ctx context.Context, o *opened, list []reading.Intake) error {
	if where := o.estate.History.Where; !strings.Contains(where, "://") {
		if _, err := os.Stat(where); err != nil {
			return nil
		}
	}
	s, err := historyOf(o.estate)
	if err != nil {
		return err
	}
	defer s.Close()
	sums, err := s.Sums(ctx, nil)
	if err != nil {
		return err
	}
	for i := range list {
		for n := range sums { // the earliest first
			if x := &sums[n]; x.System == list[i].Summary.Name && !x.Partial {
				list[i].Before = &reading.Earlier{AsOf: x.AsOf, Accounts: x.Accounts}
			}
		}
	}
	return nil
}

// writeSnapshot writes down what was read of one system.
func writeSnapshot(c *cli.Command, w io.Writer, o *opened, format string) error {
	if format != "json" {
		return oneOf("format", format, []string{"text", "json"})
	}
	if len(o.subjects) != 1 {
		return fmt.Errorf("--format json writes one system; name one of %s", strings.Join(o.estate.Names(), ", "))
	}
	partial := false
	write := func(w io.Writer) (err error) {
		partial, err = jsonfile.Snapshot(w, o.subjects[0].Export, o.options.MaxRefused)
		return err
	}
	var err error
	if out := c.String("out"); out != "" {
		err = atomicfile.Write(out, write)
	} else {
		err = write(w)
	}
	if err == nil && partial {
		return status(ExitPartial)
	}
	return err
}

// draftMapping proposes a mapping for the files that the call names.
func draftMapping(c *cli.Command, w io.Writer) error {
	if !c.Args().Present() {
		return errors.New("--draft takes the files of the export")
	}
	text, err := draftOf(c, c.Args().Slice())
	if _, e := io.WriteString(w, text); e != nil {
		return e
	}
	return err
}

// draftOf drafts a mapping for files; for a system of the estate it drafts
// what the mapping of the system lacks.
func draftOf(c *cli.Command, names []string) (string, error) {
	if _, err := os.Stat(names[0]); err == nil || len(names) > 1 {
		return draft.Of(&intake.Request{From: names})
	}
	folder, err := estatefolder.Find(c.String("estate"))
	if err != nil {
		return draft.Of(&intake.Request{From: names})
	}
	e, err := loadEstate(c, folder)
	if err != nil {
		return "", err
	}
	for i := range e.Systems {
		if s := &e.Systems[i]; s.Name == names[0] {
			if s.Request.Mapping == "" {
				return "", fmt.Errorf("%s is read without a mapping, which needs no draft", s.Name)
			}
			return draft.Lacking(&s.Request)
		}
	}
	return "", fmt.Errorf("%s is neither a file nor a system%s: --draft takes the files of an export, or a system that is read by a mapping",
		table.Shown(names[0]), nearword.Advice(names[0], e.Names()))
}

// howAll writes the page that tells how to take every kind of export.
func howAll(w io.Writer) error {
	if _, err := fmt.Fprint(w, "# How to take exports\n\nThe exact commands for each kind of system; `yewcone intake --how "+
		"FORMAT` prints them too. The tests run those for\nOpenLDAP, PostgreSQL, MariaDB and MIT Kerberos against servers "+
		"that they start. Keep exports where only those may\nread them who may read the systems: most hold names, and some "+
		"hold hashes of passwords.\n"); err != nil {
		return err
	}
	for _, name := range formats.Names() {
		f, _ := formats.Find(name)
		if _, err := fmt.Fprintf(w, "\n## %s\n\n%s.\n\n```\n%s\n```\n", f.Name, strings.ToUpper(f.Doc[:1])+f.Doc[1:],
			strings.TrimRight(f.How, "\n")); err != nil {
			return err
		}
	}
	return nil
}
