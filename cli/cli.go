// Package cli is the command line: each command turns its flags into one call
// of the core and one of the output.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime"
	"runtime/debug"
	"strings"
	"syscall"
	"time"
	_ "time/tzdata" // mappings name time zones, and not every host has the list

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"yewcone/core/nearword"
	"yewcone/core/strictyaml"
	"yewcone/output"
	"yewcone/output/atomicfile"
	"yewcone/output/visible"
)

// The exit statuses.
const (
	ExitClean    = 0 // nothing at or above the threshold
	ExitFindings = 1
	ExitUsage    = 2 // the call or a configuration file is wrong
	ExitPartial  = 3 // an export could not be read, or not to its end
)

// status is an error that carries only an exit status: everything there is to
// say has been said.
type status int

func (s status) Error() string { return fmt.Sprintf("exit status %d", int(s)) }

// A release is stamped by the linker with what it was built from: its version, the
// revision and the day of that.
var stampVersion, stampRevision, stampDay string

// Version is the version of a release, else that from the build information.
func Version() string {
	if stampVersion != "" {
		return stampVersion
	}
	info, ok := debug.ReadBuildInfo()
	if !ok || info.Main.Version == "" || info.Main.Version == "(devel)" {
		return "development"
	}
	return strings.TrimPrefix(info.Main.Version, "v")
}

// Main runs the tool and returns the exit status.
func Main(args []string, stdin io.Reader, stdout, stderr io.Writer) int {
	defer tidyWhenStopped()()
	defer atomicfile.Tidy()
	defer boundMemory(stderr)()
	app := newApp(stdout, stderr)
	app.Reader = stdin
	err := app.Run(context.Background(), args)
	var s status
	switch {
	case err == nil:
		return ExitClean
	case errors.As(err, &s):
		return int(s)
	}
	fmt.Fprintln(stderr, "yewcone: "+shown(err))
	return ExitUsage
}

// tidyWhenStopped takes files that are not whole away when the program is told to
// end; the function it returns undoes that.
func tidyWhenStopped() (undo func()) {
	told := make(chan os.Signal, 1)
	signal.Notify(told, os.Interrupt, syscall.SIGTERM)
	done := make(chan struct{})
	go func() {
		select {
		case s := <-told:
			atomicfile.Abandon()
			code := 128 // and the number of the signal, as shells have it
			if n, ok := s.(syscall.Signal); ok {
				code += int(n)
			}
			os.Exit(code)
		case <-done:
		}
	}()
	return func() { signal.Stop(told); close(done) }
}

// shown makes an error safe for a terminal; its own line breaks stay.
func shown(err error) string {
	lines := strings.Split(err.Error(), "\n")
	for i := range lines {
		lines[i] = visible.Text(strings.ReplaceAll(lines[i], "\t", "    "))
	}
	return strings.Join(lines, "\n")
}

func newApp(stdout, stderr io.Writer) *cli.Command {
	commands := []*cli.Command{demoCommand(), initCommand(), takeCommand(), intakeCommand(), checkCommand(), gapsCommand(),
		changesCommand(), remedyCommand(), impactCommand(), replayCommand(), dueCommand(), keepCommand(), historyCommand(),
		driftCommand(), trendCommand(), reportCommand(), whyCommand(), tryCommand(), deriveCommand(), mintCommand(), spaceCommand(), acceptCommand(),
		checksCommand(), rulesCommand(), settingsCommand(), factsCommand(), manualCommand(), versionCommand()}
	for _, c := range commands {
		c.OnUsageError = usageError
		c.CustomHelpTemplate = commandHelp
	}
	return &cli.Command{
		Name:  "yewcone",
		Usage: "check the password settings of many systems against your rules",
		Description: "Write down what must hold for passwords on each system, bring the systems' exports,\nand " +
			"see what falls short, account by account, and what the exports do not say.",
		Version:               Version(),
		EnableShellCompletion: true,
		Commands:              commands,
		Writer:                stdout,
		ErrWriter:             stderr,
		ExitErrHandler: func(context.Context, *cli.Command, error) {
			// Main decides on the exit status.
		},
		OnUsageError:                  usageError,
		CustomRootCommandHelpTemplate: rootHelp,
		Action: func(_ context.Context, c *cli.Command) error {
			if name := c.Args().First(); name != "" {
				var names []string
				for _, sub := range commands {
					names = append(names, sub.Name)
				}
				return fmt.Errorf("no command is named %q%s", name, nearword.Advice(name, names))
			}
			return cli.ShowRootCommandHelp(c)
		},
	}
}

func usageError(_ context.Context, c *cli.Command, err error, _ bool) error {
	text := err.Error()
	if name, ok := strings.CutPrefix(text, "flag provided but not defined: "); ok {
		var names []string
		for _, f := range c.Flags {
			names = append(names, "--"+f.Names()[0])
		}
		written := "--" + strings.TrimLeft(name, "-")
		text = fmt.Sprintf("%s has no option %s%s", c.Name, written, nearword.Advice(written, names))
	}
	return fmt.Errorf("%s\nyewcone: \"yewcone help %s\" lists the options", text, c.Name)
}

// Options that several commands have.
func estateFlag() cli.Flag {
	return &cli.StringFlag{Name: "estate", Usage: "the folder with estate.yaml; else this one or the nearest above", TakesFile: true}
}

func asOfFlag() cli.Flag {
	return &cli.StringFlag{Name: "as-of", Usage: "the moment to judge ages and locks by, such as 2026-11-20 or \"2026-11-20 06:00\""}
}

func maxRefusedFlag() cli.Flag {
	return &cli.IntFlag{Name: "bear", Usage: "how many refused rows or values a system may have and still count as read",
		Validator: func(n int) error {
			if n < 0 {
				return fmt.Errorf("how many refused rows or values are borne is 0 or more, not %d", n)
			}
			return nil
		}}
}

func jobsFlag() cli.Flag {
	return &cli.IntFlag{Name: "jobs", Value: runtime.NumCPU(), Usage: "how many systems to check at a time", HideDefault: true}
}

func colorFlag() cli.Flag {
	return &cli.StringFlag{Name: "color", Value: "auto", Usage: "auto, always or never; auto heeds NO_COLOR"}
}

func outFlag() cli.Flag {
	return &cli.StringFlag{Name: "out", Usage: "write the result to a file instead of the terminal", TakesFile: true}
}

// optionsFor says how wide and whether in colour to write.
func optionsFor(c *cli.Command, w io.Writer) (output.Options, error) {
	o := output.Options{Width: 100, Version: Version()}
	f, isFile := w.(*os.File)
	terminal := isFile && term.IsTerminal(int(f.Fd()))
	if terminal {
		if width, _, err := term.GetSize(int(f.Fd())); err == nil && width > 0 {
			o.Width = width
		}
	}
	switch mode := c.String("color"); mode {
	case "always":
		o.Color = true
	case "never", "": // the command has no such option
	case "auto":
		o.Color = terminal && os.Getenv("NO_COLOR") == ""
	default:
		return o, fmt.Errorf("--color is auto, always or never, not %q", mode)
	}
	return o, nil
}

// show writes a result to the terminal, or to the file that --out names.
func show(c *cli.Command, write func(io.Writer, output.Options) error) error {
	stdout := c.Root().Writer
	o, err := optionsFor(c, stdout)
	if err != nil {
		return err
	}
	out := c.String("out")
	if out == "" {
		return write(stdout, o)
	}
	o.Color = o.Color && c.String("color") == "always"
	return atomicfile.Write(out, func(w io.Writer) error { return write(w, o) })
}

// showAs writes a result as --format asks: as text, or as JSON.
func showAs(c *cli.Command, asText, asJSON func(io.Writer, output.Options) error) error {
	if c.String("format") == "json" {
		return show(c, asJSON)
	}
	return show(c, asText)
}

func oneOf(option, value string, allowed []string) error {
	for _, a := range allowed {
		if value == a {
			return nil
		}
	}
	return fmt.Errorf("--%s is one of %s, not %q%s", option, strings.Join(allowed, ", "), value, nearword.Advice(value, allowed))
}

func parseAsOf(text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	at, err := strictyaml.ParseDate(text)
	if err != nil {
		return at, fmt.Errorf("--as-of: %w", err)
	}
	return at, nil
}
