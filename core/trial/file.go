package trial

import (
	"errors"
	"fmt"
	"reflect"
	"slices"

	"yewcone/core/nearword"
	"yewcone/core/password"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// A File is a list of candidates that must pass or be refused, with on which
// systems and for whom.
type File struct {
	Name    string // of the file
	Title   string
	Systems []strictyaml.Text // all when empty
	Whom    Whom
	Wants   []Want

	whomLine int // where the file says whom
}

// A Want is one candidate with what must become of it.
type Want struct {
	Password string
	Accepted bool
	Because  []setting.ID // settings that must be among the reasons for refusing it
	As       string       // whose password it would be, where that differs from the file's
	Line     int
}

type trialFile struct {
	Title    strictyaml.Text   `yaml:"trials,required"`
	Systems  []strictyaml.Text `yaml:"systems"`
	As       *strictyaml.Text  `yaml:"as"`
	Policy   *strictyaml.Text  `yaml:"policy"`
	Refused  []wantFile        `yaml:"refused"`
	Accepted []wantFile        `yaml:"accepted"`
}

type wantFile struct {
	Password strictyaml.Text   `yaml:"password,required,short,empty"`
	Because  []strictyaml.Text `yaml:"because"`
	As       string            `yaml:"as"`
}

// problem adds the place of what is said about a candidate, or about whose it
// would be.
func (f *File) problem(w *Want, err error) error {
	line := w.Line
	if w.As == "" && f.whomLine > 0 {
		line = f.whomLine
	}
	return fmt.Errorf("%s:%d: %w", f.Name, line, err)
}

// ReadFile reads a trial file. The error is strictyaml.Problems, which never
// show a line of the file, since candidates stand there.
func ReadFile(name string, data []byte) (*File, error) {
	var raw trialFile
	if err := strictyaml.Decode(name, data, &raw); err != nil {
		return nil, withoutLines(err)
	}
	f := &File{Name: name, Title: raw.Title.Value, Systems: raw.Systems}
	if raw.Policy != nil {
		f.Whom.Policy, f.whomLine = raw.Policy.Value, raw.Policy.Line
	}
	if raw.As != nil {
		f.Whom.Account, f.whomLine = raw.As.Value, raw.As.Line
	}
	var problems strictyaml.Problems
	add := func(list []wantFile, accepted bool) {
		for i := range list {
			w := Want{Password: list[i].Password.Value, Accepted: accepted, As: list[i].As, Line: list[i].Password.Line}
			for _, because := range list[i].Because {
				id, _ := setting.Find(because.Value)
				w.Because = append(w.Because, id)
				if !slices.Contains(demandNames(), because.Value) && because.Value != setting.BlankAllowed.String() {
					problems = append(problems, hidden(because.At(0, "no setting of this name judges candidates%s",
						nearword.Advice(because.Value, demandNames()))))
				}
			}
			if accepted && len(w.Because) > 0 {
				problems = append(problems, hidden(list[i].Because[0].At(0,
					"a candidate that must be accepted has no reason; \"because\" belongs to refused ones")))
			}
			f.Wants = append(f.Wants, w)
		}
	}
	add(raw.Refused, false)
	add(raw.Accepted, true)
	if len(f.Wants) == 0 {
		problems = append(problems, &strictyaml.Problem{File: name, Line: raw.Title.Line, Column: raw.Title.Column,
			Message: "the file has no candidates under \"refused\" or \"accepted\""})
	}
	return f, problems.Err()
}

func demandNames() []string {
	var names []string
	for _, d := range password.Demands() {
		names = append(names, d.Setting.String())
	}
	return names
}

// hidden takes the line out of a problem.
func hidden(p *strictyaml.Problem) *strictyaml.Problem {
	p.Source = ""
	return p
}

// withoutLines keeps the places of problems and nothing that stood there.
func withoutLines(err error) error {
	var problems strictyaml.Problems
	if !errors.As(err, &problems) {
		return errors.New("the file cannot be read")
	}
	var safe strictyaml.Problems
	for _, p := range problems {
		message := "this cannot be read as part of a trial file (its text is not shown, since it may be a password); " +
			"expected the keys trials, systems, as, policy, refused and accepted, and under the last two passwords, or " +
			"password, because and as; quote passwords with single quotes"
		if p.Line == 0 {
			message = "the file is empty, too large or no UTF-8 text"
			p.Line, p.Column = 1, 1
		}
		safe = append(safe, &strictyaml.Problem{File: p.File, Line: p.Line, Column: p.Column, Message: message})
	}
	return safe
}

// A ProposalFile is settings that somebody thinks of.
type proposalFile struct {
	Settings strictyaml.Text                    `yaml:"settings,required"`
	Values   []strictyaml.Pair[strictyaml.Text] `yaml:"values,required"`
}

// ReadProposal reads settings that stand in no export: a name, and values by
// setting. The error is strictyaml.Problems.
func ReadProposal(file string, data []byte) (name string, values map[setting.ID]setting.Value, err error) {
	var raw proposalFile
	if err := strictyaml.Decode(file, data, &raw); err != nil {
		return "", nil, err
	}
	var problems strictyaml.Problems
	values = map[setting.ID]setting.Value{}
	for _, pair := range raw.Values {
		id, ok := setting.Find(pair.Key.Value)
		if !ok {
			problems = append(problems, pair.Key.At(0, "no setting is named %q%s", pair.Key.Value,
				nearword.Advice(pair.Key.Value, setting.Names())))
			continue
		}
		v, err := setting.At(id).Parse(pair.Value.Value)
		if err != nil {
			problems = append(problems, pair.Value.At(0, "%s", err))
			continue
		}
		values[id] = v
	}
	return raw.Settings.Value, values, problems.Err()
}

// A Result is what became of a trial file.
type Result struct {
	File     *File
	Lines    []Line
	Resemble []Resemblance
}

// A Line is one candidate on one target.
type Line struct {
	Number   int // of the candidate in its file, counted from 1
	Want     *Want
	Target   *Target
	Outcome  Outcome
	AsWanted bool
	Open     bool         // what was wanted rests on what could not be judged
	Missing  []setting.ID // wanted reasons that were not given
	Judged   *password.Judgement
}

// Run tries a file on targets; targets gives those for a system as somebody.
func (f *File) Run(targets func(whom Whom) ([]*Target, error)) (*Result, error) {
	r := &Result{File: f}
	for i := range f.Wants {
		w := &f.Wants[i]
		whom := f.Whom
		if w.As != "" {
			whom = Whom{Account: w.As}
		}
		on, err := targets(whom)
		if err != nil {
			return nil, f.problem(w, err)
		}
		for _, t := range on {
			j, err := password.Judge(password.NewCandidate(w.Password), t.Against(nil))
			if err != nil {
				return nil, f.problem(w, err)
			}
			l := Line{Number: i + 1, Want: w, Target: t, Outcome: OutcomeOf(j), Judged: j}
			l.AsWanted = w.Accepted == (l.Outcome != Refused)
			l.Open = l.AsWanted && l.Outcome == Open
			for _, id := range w.Because {
				if !j.Refuses(id) {
					l.Missing, l.AsWanted = append(l.Missing, id), false
				}
			}
			r.Lines = append(r.Lines, l)
		}
	}
	return r, nil
}

// Schema describes a file of trials as JSON Schema does.
func Schema() map[string]any {
	return strictyaml.Schema("trials: candidates that must be refused or accepted", reflect.TypeFor[trialFile](),
		strictyaml.Hints{Words: map[string][]string{"wantFile.because": setting.Names()}})
}
