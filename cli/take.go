package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/sync/errgroup"
	"golang.org/x/term"

	"yewcone/intake"
	"yewcone/intake/estatefolder"
	"yewcone/output/text"
	"yewcone/output/visible"
	"yewcone/take"
	"yewcone/take/protocols"
)

func takeCommand() *cli.Command {
	return &cli.Command{
		Name:      "take",
		Usage:     "take exports from the systems themselves",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Asks each system for what "source" in estate.yaml says, and puts the export where "export" reads it,
whole or not at all: until a new one is there to the end, the former stays. With it stands when it
was taken, from where and by whom. Passwords and tokens come from the environment, from a file of
the owner alone, or are asked for; a sign-in that was refused is not tried again. --dry-run shows
what would be asked. docs/live.md tells which rights the asking account needs.

  yewcone take --dry-run
  yewcone take directory
  yewcone take --allow-commands`,
		Flags: []cli.Flag{
			estateFlag(),
			&cli.BoolFlag{Name: "dry-run", Usage: "show what would be asked, and ask nothing"},
			&cli.BoolFlag{Name: "allow-commands", Usage: "run the commands that estate.yaml names"},
			colorFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			w := c.Root().Writer
			o, err := optionsFor(c, w)
			if err != nil {
				return err
			}
			list, err := toTake(c)
			if err != nil {
				return err
			}
			if c.Bool("dry-run") {
				return text.Asks(w, list, o)
			}
			takeAll(ctx, c, list)
			if err := text.Taken(w, list, o); err != nil {
				return err
			}
			if slices.ContainsFunc(list, func(t text.Taking) bool { return t.Err != nil }) {
				return status(ExitPartial)
			}
			return nil
		},
	}
}

// toTake are the systems that are to be taken, ready to be asked.
func toTake(c *cli.Command) ([]text.Taking, error) {
	folder, err := estatefolder.Find(c.String("estate"))
	if err != nil {
		return nil, err
	}
	e, err := estatefolder.Load(folder)
	if err != nil {
		return nil, err
	}
	names := c.Args().Slice()
	if err := e.Knows(names); err != nil {
		return nil, err
	}
	var list []text.Taking
	for i := range e.Systems {
		s := &e.Systems[i]
		if len(names) > 0 && !slices.Contains(names, s.Name) {
			continue
		}
		if s.InPlace() {
			if len(names) > 0 {
				return nil, fmt.Errorf("%s is judged where its accounts lie, by check and the other commands: there is nothing to take", s.Name)
			}
			continue
		}
		if s.Source == nil {
			if len(names) > 0 {
				return nil, fmt.Errorf("%s names no source: say under \"source\" in %s where it is taken from (docs/live.md), or see \"yewcone intake --how %s\"",
					s.Name, estatefolder.FileName, s.Format.Name)
			}
			continue
		}
		p := protocols.Find(s.Source.Ask)
		switch {
		case !p.Takes(s.Format.Name):
			return nil, fmt.Errorf("%s is read as %s, and \"ask: %s\" brings what is read as %s", s.Name, s.Format.Name, p.Name, strings.Join(p.Reads, " or "))
		case p.Name == "command" && !c.Bool("allow-commands") && !c.Bool("dry-run"):
			return nil, fmt.Errorf("%s is taken by a command that %s names, %q; run it with --allow-commands where whoever wrote the file is trusted",
				s.Name, estatefolder.FileName, s.Source.Command[0])
		}
		t := text.Taking{System: s.Name, Source: s.Source, Asks: p.Asks(s.Source), Folder: e.Folder}
		if before, ok := intake.ReadTaken(s.Request.Path(s.Source.Files[0])); ok {
			t.Before = before.At
		}
		_, err := os.Stat(s.Request.Path(s.Source.Files[0]))
		t.There = err == nil
		list = append(list, t)
	}
	if len(list) == 0 && slices.ContainsFunc(e.Systems, func(s estatefolder.System) bool { return s.InPlace() }) {
		return nil, fmt.Errorf("no system of %s is taken: those that name a source are judged where their accounts lie, by check and the other commands", e.Name)
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("no system of %s names a source; say under \"source\" where a system is taken from (docs/live.md)", e.Name)
	}
	return list, nil
}

// side is how many systems are asked side by side.
const side = 4

func takeAll(ctx context.Context, c *cli.Command, list []text.Taking) {
	stderr := c.Root().ErrWriter
	f, isFile := stderr.(*os.File)
	terminal := isFile && term.IsTerminal(int(f.Fd()))
	var one sync.Mutex // word at a time
	var group errgroup.Group
	group.SetLimit(side)
	for i := range list {
		t := &list[i]
		o := take.Options{Folder: t.Folder, Now: time.Now,
			Ask: func(s *take.Source) (string, error) {
				one.Lock()
				defer one.Unlock()
				return askSecret(stderr, t.System, s)
			},
			Say: func(format string, args ...any) {
				if terminal {
					one.Lock()
					defer one.Unlock()
					fmt.Fprintf(stderr, "\r\x1b[K%s: %s", t.System, visible.Text(fmt.Sprintf(format, args...)))
				}
			},
		}
		group.Go(func() error {
			started := time.Now()
			t.Taken, t.Err = take.Run(ctx, t.Source, protocols.Find(t.Source.Ask), o)
			t.Took = time.Since(started)
			return nil
		})
	}
	_ = group.Wait()
	if terminal {
		fmt.Fprint(stderr, "\r\x1b[K")
	}
}

// askSecret asks for a password at the terminal, without showing it.
func askSecret(stderr io.Writer, system string, s *take.Source) (string, error) {
	in, err := os.OpenFile("/dev/tty", os.O_RDWR, 0)
	if err != nil {
		return "", errors.New("the password should be asked for, and there is no terminal: say \"secret: env NAME\" or \"secret: file PATH\"")
	}
	defer in.Close()
	fmt.Fprintf(stderr, "\r\x1b[KPassword of %s at %s (%s): ", s.User, s.Address, system)
	line, err := term.ReadPassword(int(in.Fd()))
	fmt.Fprintln(stderr)
	return string(line), err
}
