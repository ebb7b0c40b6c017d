package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"yewcone/core/blocklist"
	"yewcone/core/password"
	"yewcone/core/trial"
	"yewcone/output"
	"yewcone/output/jsonfile"
	"yewcone/output/text"
)

func tryCommand() *cli.Command {
	return &cli.Command{
		Name:      "try",
		Usage:     "hold candidate passwords against systems",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Tells for each candidate and system whether it would be refused, with all reasons at once, and
what could not be judged. Candidates are typed at a prompt that shows nothing, or come one a
line from standard input or a file; never from the command line. The result names them by
number only. Without --as or --policy they are held against what reaches an account that is
nobody in particular. Beside what the systems do stands which rules each would break: those
for the account of --as, else for a person who is no administrator.

  yewcone try rota tills
  yewcone try directory --as neze < candidates/tries.txt
  yewcone try --trials`,
		Flags: []cli.Flag{estateFlag(), asFlag(), policyFlag(),
			&cli.StringFlag{Name: "file", Usage: "read the candidates from a file, one a line", TakesFile: true},
			&cli.StringFlag{Name: "settings", Usage: "a file with settings that stand in no export yet, to hold candidates " +
				"against", TakesFile: true},
			&cli.BoolFlag{Name: "empty", Usage: "try the empty password too, behind the others"},
			&cli.BoolFlag{Name: "old", Usage: "the first candidate is the present password, which the others are compared with"},
			&cli.BoolFlag{Name: "trials", Usage: "run the trial files of the estate, trials/*.yaml; exit status 1 when one " +
				"comes out otherwise than it should, 3 when one cannot be told"},
			&cli.BoolFlag{Name: "bear-open", Usage: "with --trials: count a candidate as accepted when nothing refuses it, " +
				"though not all could be judged"},
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text or json"},
			asOfFlag(), outFlag(), colorFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			if err := oneOf("format", c.String("format"), []string{"text", "json"}); err != nil {
				return err
			}
			if c.Bool("trials") {
				return runTrials(c)
			}
			return tryCandidates(c)
		},
	}
}

func asFlag() cli.Flag {
	return &cli.StringFlag{Name: "as", Usage: "the account whose password it would be, by its sign-in name"}
}

func policyFlag() cli.Flag {
	return &cli.StringFlag{Name: "policy", Usage: "the policy of the system to hold against, by its name"}
}

// A triedEstate is an estate opened to try candidates on.
type triedEstate struct {
	*opened
	systems trial.Systems
	common  password.Lookup
	house   *password.House
}

// openTried opens systems with their lists. Without an estate it is empty,
// which is enough for settings that are only proposed.
func openTried(c *cli.Command, names []string) (*triedEstate, error) {
	opened, err := openEstate(c, names)
	if err != nil {
		return nil, err
	}
	e := &triedEstate{opened: opened, house: password.NewHouse(opened.estate.Words)}
	for i := range opened.subjects {
		s := trial.Subject{Export: opened.subjects[i].Export}
		if s.Lists, err = opened.estate.Lists(s.Export.System().Name); err != nil {
			return nil, err
		}
		e.systems = append(e.systems, s)
	}
	e.common = blocklist.Common()
	return e, nil
}

func whom(c *cli.Command) (trial.Whom, error) {
	w := trial.Whom{Account: c.String("as"), Policy: c.String("policy")}
	if w.Account != "" && w.Policy != "" {
		return w, errors.New("--as and --policy cannot be given together: the policies of an account follow from its export")
	}
	return w, nil
}

func tryCandidates(c *cli.Command) error {
	who, err := whom(c)
	if err != nil {
		return err
	}
	var targets []*trial.Target
	names := c.Args().Slice()
	e := &triedEstate{common: blocklist.Common(), house: password.NewHouse(nil)}
	if c.String("settings") == "" || len(names) > 0 {
		if e, err = openTried(c, names); err != nil {
			return err
		}
		if targets, err = e.systems.Targets(who, names); err != nil {
			return err
		}
	}
	if file := c.String("settings"); file != "" {
		t, err := proposed(file)
		if err != nil {
			return err
		}
		if i := slices.IndexFunc(targets, func(t *trial.Target) bool { return t.Account != "" }); i >= 0 {
			t.For(targets[i])
		}
		targets = append(targets, t)
	}
	candidates, err := candidatesOf(c)
	if err != nil {
		return err
	}
	var asked []*trial.Target
	if e.opened != nil && c.String("policy") == "" {
		asked = e.asked(c.String("as"), targets)
	}
	old := ""
	if c.Bool("old") {
		old, candidates = candidates[0], candidates[1:]
	}
	if len(candidates) == 0 {
		return errors.New("there is no candidate; type one a line, or name a file with --file")
	}
	table, err := trial.Try(candidates, old, targets, asked, e.common, e.house)
	if err != nil {
		return err
	}
	err = showAs(c, func(w io.Writer, o output.Options) error { return text.Try(w, table, o) },
		func(w io.Writer, o output.Options) error { return jsonfile.Try(w, table, o) })
	if err != nil {
		return err
	}
	if table.Refusals() > 0 {
		return status(ExitFindings)
	}
	return nil
}

// proposed reads settings that stand in no export.
func proposed(file string) (*trial.Target, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	name, values, err := trial.ReadProposal(file, data)
	if err != nil {
		return nil, err
	}
	return trial.Proposed(name, values, password.Lists{Common: password.List{Lookup: blocklist.Common()}}), nil
}

// candidatesOf reads candidates from a file, standard input or a prompt.
// Errors name the place and never what stands there.
func candidatesOf(c *cli.Command) ([]string, error) {
	list, err := writtenCandidates(c)
	if c.Bool("empty") && (err == nil || errors.Is(err, trial.ErrNone)) {
		return append(list, ""), nil
	}
	return list, err
}

func writtenCandidates(c *cli.Command) ([]string, error) {
	if file := c.String("file"); file != "" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		return trial.ReadCandidates(f, file)
	}
	if f, ok := c.Root().Reader.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		return prompted(c, f)
	}
	return trial.ReadCandidates(c.Root().Reader, "standard input")
}

// prompted asks for candidates without showing them, until an empty line.
func prompted(c *cli.Command, f *os.File) ([]string, error) {
	var list []string
	for {
		fmt.Fprintf(c.Root().ErrWriter, "candidate %d (not shown; an empty line ends): ", len(list)+1)
		line, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(c.Root().ErrWriter)
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, err
		}
		if len(line) == 0 {
			return list, nil
		}
		list = append(list, string(line))
	}
}

// trialFiles reads trials/*.yaml of an estate, or the file that is named.
func trialFiles(folder string) ([]*trial.File, error) {
	names, err := fs.Glob(os.DirFS(folder), "trials/*.yaml")
	if err != nil {
		return nil, err
	}
	if len(names) == 0 {
		return nil, fmt.Errorf("%s has no trial files; write candidates that must pass or be refused into trials/NAME.yaml", folder)
	}
	var files []*trial.File
	for _, name := range names {
		f, err := readTrial(folder, name)
		if err != nil {
			return nil, err
		}
		files = append(files, f)
	}
	return files, nil
}

func readTrial(folder, name string) (*trial.File, error) {
	data, err := os.ReadFile(filepath.Join(folder, name))
	if err != nil {
		return nil, err
	}
	return trial.ReadFile(name, data)
}

func runTrials(c *cli.Command) error {
	for _, name := range []string{"file", "settings", "as", "policy"} {
		if c.String(name) != "" {
			return fmt.Errorf("--%s does not go with --trials: trial files say what they try, on what and as whom", name)
		}
	}
	e, err := openTried(c, nil)
	if err != nil {
		return err
	}
	files, err := trialFiles(e.estate.Folder)
	if err != nil {
		return err
	}
	results, err := e.systems.Run(files, c.Args().Slice())
	if err != nil {
		return err
	}
	wrong, open := trial.Count(results)
	err = showAs(c, func(w io.Writer, o output.Options) error { return text.Trials(w, results, o) },
		func(w io.Writer, o output.Options) error { return jsonfile.Trials(w, results, o) })
	switch {
	case err != nil:
		return err
	case wrong > 0:
		return status(ExitFindings)
	case open > 0 && !c.Bool("bear-open"):
		return status(ExitPartial)
	}
	return nil
}
