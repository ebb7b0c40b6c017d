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
	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/replay"
	"yewcone/core/setting"
	"yewcone/intake/estatefolder"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/jsonfile"
	drawn "yewcone/output/picture"
	"yewcone/output/text"
)

// mostTries bounds how many lockouts are tried side by side.
const mostTries = 12

func replayCommand() *cli.Command {
	return &cli.Command{
		Name:      "replay",
		Usage:     "hold lockout settings against a record of sign-ins: who would have been locked",
		ArgsUsage: "[options] SYSTEM",
		Description: `Reads the record of sign-ins that the estate names for a system ("signins"), and counts as
its lockout does: with the settings in force, and with proposed ones beside them. Tells who would
have been locked, how often and for how long, how many right passwords would have been
refused, and how many wrong ones went through. Why somebody failed is not guessed: it says
from how many sources, and whether these were let in too. Locks that grow double each time until
a right password; addresses are shut out before accounts are locked. What the export does not say
of growing, pauses and addresses is left out, and said.

  yewcone replay quay1
  yewcone replay quay1 --set lockout_attempts=3,5,10
  yewcone replay quay1 --propose
  yewcone replay quay1 --format png --out quay1.png
  yewcone replay rota --set lockout_attempts=5 --set lockout_window="10 minutes, 1 hour" --format csv`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(),
			&cli.StringSliceFlag{
				Name:  "set",
				Usage: "a proposed lockout_attempts, lockout_window, lockout_duration or other setting of lockouts and addresses; several values behind commas are tried side by side",
			},
			&cli.BoolFlag{Name: "propose", Usage: "try usual thresholds and windows, and show those that lock fewest people for what they let through"},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, json, csv with a row for each account and lockout, or a picture: svg, png"},
			&cli.BoolFlag{Name: "all", Usage: "every account and source that failed"},
			outFlag(), maxRefusedFlag(), jobsFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			format := c.String("format")
			if err := oneOf("format", format, []string{"text", "json", "csv", "svg", "png"}); err != nil {
				return err
			}
			if c.Args().Len() != 1 {
				return errors.New("replay takes one system")
			}
			tries, err := triesOf(c.StringSlice("set"))
			if err != nil {
				return err
			}
			propose := c.Bool("propose")
			picture := format == "svg" || format == "png"
			if propose && (tries != nil || format != "text" && !picture) {
				return errors.New("--propose tries lockouts of its own, and tells them as text, svg or png: leave out --set")
			}
			if propose {
				tries = replay.Grid()
			}
			o, err := openEstate(c, c.Args().Slice())
			if err != nil {
				return err
			}
			result, err := replayed(c, o, &o.subjects[0], tries)
			if err != nil {
				return err
			}
			defer result.Close()
			err = show(c, func(w io.Writer, op output.Options) error {
				op.All = c.Bool("all")
				switch {
				case propose && picture:
					return drawn.Border(w, result, format)
				case propose:
					return text.Border(w, result, op)
				case picture && result.Events > 0:
					return drawn.Replay(w, result, format)
				}
				switch format {
				case "json":
					return jsonfile.Replay(w, result, op)
				case "csv":
					return csvfile.Replay(w, result)
				}
				return text.Replay(w, result, op)
			})
			return errors.Join(err, result.Err())
		},
	}
}

// triesOf reads proposals: one for each way of putting the values together. The
// flag is cut at commas already, so that what has no equals sign is one more
// value.
func triesOf(sets []string) ([]replay.Try, error) {
	if len(sets) == 0 {
		return nil, nil
	}
	tries, before := []replay.Try{{}}, []replay.Try(nil)
	var id setting.ID
	for _, text := range sets {
		name, value, named := strings.Cut(text, "=")
		if named {
			found, known := setting.Find(name)
			if !known || !replay.Takes(found) {
				return nil, fmt.Errorf("--set: replay takes %s, not %q%s", strings.Join(replay.Names(), ", "), name, nearword.Advice(name, replay.Names()))
			}
			id, before, tries = found, tries, nil
		} else if value = text; before == nil {
			return nil, fmt.Errorf("--set: expected such as lockout_attempts=5, found %q", text)
		}
		v, err := setting.At(id).Parse(strings.TrimSpace(value))
		if err != nil {
			return nil, fmt.Errorf("--set %s: %w", setting.At(id).Name, err)
		}
		for _, t := range before {
			tries = append(tries, t.With(id, v))
		}
		if len(tries) > mostTries {
			return nil, fmt.Errorf("--set: these are more than %d lockouts side by side", mostTries)
		}
	}
	return tries, nil
}

// replayed holds the lockouts against the record of a system.
func replayed(c *cli.Command, o *opened, s *audit.Subject, tries []replay.Try) (*replay.Result, error) {
	if s.Record == nil {
		return nil, estatefolder.ErrNoRecord{System: s.Export.System().Name}
	}
	options := o.options
	options.NoRecords = true
	defer watch(c.Root().ErrWriter, &options)()
	var links []replay.Linked
	if tries != nil {
		var err error
		if links, err = o.linkedTo(s, options); err != nil {
			return nil, err
		}
	}
	r, err := replay.New(s, options, tries, links)
	if err != nil {
		return nil, err
	}
	if err := r.Run(s.Record); err != nil {
		return nil, err
	}
	result := r.Done()
	for _, n := range s.Export.Notes().List() {
		if n.Kind == facts.NoteRefused {
			result.Refused++
		}
	}
	return result, nil
}

// linkedTo is what systems that are linked with one have of its lockout.
func (o *opened) linkedTo(s *audit.Subject, options audit.Options) ([]replay.Linked, error) {
	name := s.Export.System().Name
	var names []string
	for _, l := range options.Relations.Links {
		if end := slices.Index(l.Between[:], name); end >= 0 && !slices.Contains(names, l.Between[1-end]) {
			names = append(names, l.Between[1-end])
		}
	}
	if len(names) == 0 {
		return nil, nil
	}
	subjects, err := o.estate.Subjects(append(names, name), o.asOf)
	if err != nil {
		return nil, err
	}
	options.Examples, options.Relations = 0, &audit.Relations{Links: options.Relations.Links}
	result, err := audit.Run(o.estate.Name, subjects, options)
	if err != nil {
		return nil, err
	}
	return replay.LinkedTo(name, result.Gaps.Links), nil
}
