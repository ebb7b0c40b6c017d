package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"yewcone/core/audit"
	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/replay"
	"yewcone/core/setting"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/jsonfile"
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
from how many sources, and whether these were let in too.

  yewcone replay quay1
  yewcone replay quay1 --set lockout_attempts=3,5,10
  yewcone replay quay1 --propose
  yewcone replay rota --set lockout_attempts=5 --set lockout_window="10 minutes, 1 hour" --format csv`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(),
			&cli.StringSliceFlag{Name: "set", Usage: "a proposed lockout_attempts, lockout_window or lockout_duration; several values behind commas are tried side by side"},
			&cli.BoolFlag{Name: "propose", Usage: "try usual thresholds and windows, and show those that lock fewest people for what they let through"},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, json, or csv with a row for each account and lockout"},
			&cli.BoolFlag{Name: "all", Usage: "every account and source that failed"},
			outFlag(), maxRefusedFlag(), jobsFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			format := c.String("format")
			if err := oneOf("format", format, []string{"text", "json", "csv"}); err != nil {
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
			if propose && (tries != nil || format != "text") {
				return errors.New("--propose tries lockouts of its own, and tells them as text: leave out --set and --format")
			}
			if propose {
				tries = replay.Grid()
			}
			o, err := openEstate(c, c.Args().Slice())
			if err != nil {
				return err
			}
			result, err := replayed(o, &o.subjects[0], tries)
			if err != nil {
				return err
			}
			return show(c, func(w io.Writer, op output.Options) error {
				op.All = c.Bool("all")
				if propose {
					return text.Border(w, result, op)
				}
				switch format {
				case "json":
					return jsonfile.Replay(w, result, op)
				case "csv":
					return csvfile.Replay(w, result)
				}
				return text.Replay(w, result, op)
			})
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
func replayed(o *opened, s *audit.Subject, tries []replay.Try) (*replay.Result, error) {
	options := o.options
	options.Relations, options.NoRecords = nil, true
	r, err := replay.New(s, options, tries)
	if err != nil {
		return nil, err
	}
	if err := o.estate.Signins(s.Export.System().Name, s.Export, r.Book(), r.Add); err != nil {
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
