// Package estatefolder reads an estate: the folder with estate.yaml, the rule
// sets and the exports.
package estatefolder

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/audit"
	"yewcone/core/check"
	"yewcone/core/condition"
	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/signin"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/formats"
	"yewcone/intake/mapping"
)

// FileName is the file that makes a folder an estate.
const FileName = "estate.yaml"

type estateFile struct {
	Estate  strictyaml.Text                    `yaml:"estate,required"`
	AsOf    *strictyaml.Text                   `yaml:"as_of"`
	Checks  []strictyaml.Pair[strictyaml.Text] `yaml:"checks"`
	Words   []string                           `yaml:"words"`
	Outside bool                               `yaml:"outside"` // exports may lie outside of the folder
	Lists   *listsFile                         `yaml:"lists"`
	People  *peopleFile                        `yaml:"people"`
	Links   []linkFile                         `yaml:"links"`
	History *historyFile                       `yaml:"history"`
	Systems []strictyaml.Pair[systemFile]      `yaml:"systems,required"`
}

type systemFile struct {
	Title      string                             `yaml:"title"`
	Owner      string                             `yaml:"owner"`
	Depends    []string                           `yaml:"depends"`      // what breaks when a password changes
	Lasting    []strictyaml.Pair[strictyaml.Text] `yaml:"irreversible"` // by setting, what to save before it is changed
	Labels     []string                           `yaml:"labels"`
	AsOf       *strictyaml.Text                   `yaml:"as_of"`
	Export     exportFile                         `yaml:"export,required"`
	Source     *sourceFile                        `yaml:"source"`
	Chooses    *strictyaml.Text                   `yaml:"chooses"`
	Default    string                             `yaml:"default"`
	Kinds      []strictyaml.Pair[strictyaml.Text] `yaml:"kinds"`
	Privileged *strictyaml.Text                   `yaml:"privileged"`
	Rules      []strictyaml.Text                  `yaml:"rules"`
	Limits     []strictyaml.Pair[strictyaml.Text] `yaml:"limits"`
	Known      []strictyaml.Pair[strictyaml.Text] `yaml:"known"`
	Lists      *listsFile                         `yaml:"lists"`
	MaxRefused *strictyaml.Text                   `yaml:"bear"`
	Match      *[]strictyaml.Text                 `yaml:"match"`
	Signins    *signinsFile                       `yaml:"signins"`
}

type exportFile struct {
	Read    strictyaml.Text   `yaml:"read,required"`
	From    []strictyaml.Text `yaml:"from,required"`
	Mapping *strictyaml.Text  `yaml:"mapping"`
	View    *strictyaml.Text  `yaml:"view"`
}

// An Estate is an estate folder that was found sound.
type Estate struct {
	Name    string
	Folder  string
	Systems []System
	Rules   []*rules.Set // by file name
	Checks  map[string]check.Adjustment
	History History
	Words   []string // of the house, which candidates should not consist of
	// Connect signs in to the database that a system names; nil where none is asked.
	Connect func(*System) (intake.Database, error)

	lists      *listsFile
	across     audit.Relations
	exceptions []*rules.Exception
}

// InPlace reports whether the accounts of the system are judged where they lie.
func (s *System) InPlace() bool { return s.Format.Name == mapping.SQL.Name }

// A System is one system as the estate file describes it.
type System struct {
	Name       string
	Request    intake.Request
	Format     intake.Format
	Kinds      []audit.KindCondition
	Privileged *condition.Condition
	Rules      []*rules.Set
	Named      condition.Named // conditions that rule sets have names for

	limits       map[setting.ID]facts.Limit
	known        map[setting.ID]facts.Sourced
	owner        string
	depends      []string
	irreversible map[setting.ID]string
	lists        *listsFile
	maxRefused   int
	match        *[]strictyaml.Text
	signins      *signinsFile
	signinZone   *time.Location
	// Source is where the export is taken from; nil where that is done by hand.
	Source *intake.Source
}

// ErrNoEstate means that no estate.yaml was found.
var ErrNoEstate = errors.New("no estate.yaml")

// Find returns the estate's folder: dir itself, or with "" this folder or the
// nearest above that has an estate.yaml. The error wraps ErrNoEstate.
func Find(dir string) (string, error) {
	if dir != "" {
		if _, err := os.Stat(filepath.Join(dir, FileName)); err != nil {
			return "", fmt.Errorf("%w in %s; name the folder that has one, or make one with \"yewcone init %s\"", ErrNoEstate, dir, dir)
		}
		return dir, nil
	}
	here, err := os.Getwd()
	if err != nil {
		return "", err
	}
	for folder := here; ; folder = filepath.Dir(folder) {
		if _, err := os.Stat(filepath.Join(folder, FileName)); err == nil {
			if rel, err := filepath.Rel(here, folder); err == nil {
				return rel, nil
			}
			return folder, nil
		}
		if folder == filepath.Dir(folder) {
			return "", fmt.Errorf("%w here or in a folder above; name the folder with --estate, or make one with \"yewcone "+
				"init\"", ErrNoEstate)
		}
	}
}

// Load reads the estate file and the rule sets. What is wrong in them is
// returned together, as strictyaml.Problems.
func Load(folder string) (*Estate, error) { return loadFolder(folder, false) }

func loadFolder(folder string, rulesOnly bool) (*Estate, error) {
	l := &loader{folder: folder}
	e := &Estate{Folder: folder, Rules: l.ruleSets(), Checks: map[string]check.Adjustment{}}
	var raw estateFile
	data, err := os.ReadFile(filepath.Join(folder, FileName))
	if err != nil {
		return nil, strictyaml.Problems{{File: FileName, Message: intake.Reason(err)}}
	}
	if err := strictyaml.Decode(FileName, data, &raw); err != nil {
		l.note(err)
		return nil, l.problems
	}
	asOf, from := l.date(raw.AsOf, time.Time{}, "")
	if rulesOnly {
		for i := range raw.Systems {
			e.Systems = append(e.Systems, l.rulesOnly(e, raw.Systems[i].Key.Value, &raw.Systems[i].Value, asOf))
		}
		e.Name = raw.Estate.Value
		return e, l.problems.Err()
	}
	e.Name, e.Words, e.lists, l.outside = raw.Estate.Value, raw.Words, raw.Lists, raw.Outside
	e.History = l.history(raw.History)
	l.checkLists(raw.Lists)
	for i := range raw.Systems {
		e.Systems = append(e.Systems, l.system(e, &raw.Systems[i], asOf, from))
	}
	l.adjustments(e, raw.Checks)
	l.sameAs(e)
	l.across(e, &raw)
	l.exceptions(e)
	return e, l.problems.Err()
}

type loader struct {
	folder   string
	problems strictyaml.Problems
	outside  bool // files may lie outside of the folder
	badRules bool // a rule file could not be read, so that names may be missing
}

func (l *loader) note(err error) {
	var many strictyaml.Problems
	var one *strictyaml.Problem
	switch {
	case err == nil:
	case errors.As(err, &many):
		l.problems = append(l.problems, many...)
	case errors.As(err, &one):
		l.problems = append(l.problems, one)
	default:
		l.problems = append(l.problems, &strictyaml.Problem{File: l.folder, Message: err.Error()})
	}
}

// noteAsked is note for a condition, which may ask by a name of rules that could not
// be read.
func (l *loader) noteAsked(err error) {
	if !l.badRules {
		l.note(err)
	}
}

// ruleSets reads rules/*.yaml in the order of their names.
func (l *loader) ruleSets() []*rules.Set {
	names, err := fs.Glob(os.DirFS(l.folder), "rules/*.yaml")
	l.note(err)
	slices.Sort(names)
	var sets []*rules.Set
	for _, name := range names {
		data, err := os.ReadFile(filepath.Join(l.folder, name))
		if err != nil {
			l.note(&strictyaml.Problem{File: name, Message: intake.Reason(err)})
			l.badRules = true
			continue
		}
		set, err := rules.Read(name, data)
		l.note(err)
		if set == nil {
			l.badRules = true
			continue
		}
		if slices.ContainsFunc(sets, func(s *rules.Set) bool { return s.Name == set.Name }) {
			l.note(&strictyaml.Problem{File: name, Message: fmt.Sprintf("another file in rules/ has a rule set named %q too", set.Name)})
		}
		sets = append(sets, set)
	}
	l.note(rules.Circles(sets))
	return sets
}

func (l *loader) date(text *strictyaml.Text, fallback time.Time, from string) (time.Time, string) {
	if text == nil {
		return fallback, from
	}
	at, err := text.Date()
	l.note(err)
	return at, "estate.yaml"
}

func (l *loader) system(e *Estate, raw *strictyaml.Pair[systemFile], asOf time.Time, from string) System {
	var err error
	name, f := raw.Key, &raw.Value
	l.note(rules.CheckName(name))
	s := System{Name: name.Value}
	s.Request = intake.Request{System: name.Value, Title: f.Title, Labels: f.Labels, Folder: l.folder, Outside: l.outside, Default: f.Default}
	s.Request.AsOf, s.Request.AsOfFrom = l.date(f.AsOf, asOf, from)
	for _, path := range f.Export.From {
		path.Value = filepath.ToSlash(path.Value) // as results write it
		l.inside(path)
		s.Request.From = append(s.Request.From, path.Value)
	}
	l.taken(&s.Request, f)
	if view := f.Export.View; view != nil {
		if s.Request.Whole = view.Value == "whole"; !s.Request.Whole && view.Value != "part" {
			l.note(view.At(0, "expected whole (whoever took the export could read everything) or part, found %q%s", view.Value,
				nearword.Advice(view.Value, []string{"whole", "part"})))
		}
	}
	if f.Export.Mapping != nil {
		s.Request.Mapping = filepath.ToSlash(f.Export.Mapping.Value)
		l.inside(*f.Export.Mapping)
		if info, err := os.Stat(s.Request.Path(s.Request.Mapping)); err != nil || info.IsDir() {
			l.note(f.Export.Mapping.At(0, "there is no file %q", s.Request.Mapping))
		}
	}
	format, ok := formats.Find(f.Export.Read.Value)
	if n := len(f.Export.From); ok && n > 0 && !format.From.Takes(n) {
		l.note(f.Export.From[1].At(0, "an export read as %s is %s, and this names %d", format.Name, format.From, n))
	}
	if !ok {
		l.note(f.Export.Read.At(0, "no format is named %q; known are %s%s", f.Export.Read.Value,
			strings.Join(formats.Names(), ", "), nearword.Advice(f.Export.Read.Value, formats.Names())))
	}
	s.Format = format
	s.Source = l.source(f)
	if f.Chooses != nil {
		if !facts.Precedence(f.Chooses.Value).Valid() {
			l.note(f.Chooses.At(0, "%q is no way to choose; it is one of %s%s", f.Chooses.Value,
				facts.ToChoose, nearword.Advice(f.Chooses.Value, facts.Precedences)))
		}
		s.Request.Chooses = facts.Precedence(f.Chooses.Value)
	}
	l.chosenRules(e, &s, f.Rules)
	if s.Named, err = rules.NamedOf(s.Rules, e.Rules); err != nil {
		l.note(name.At(0, "the rules of %s: %s", name.Value, err))
	}
	l.kinds(&s, f)
	l.limitsAndKnown(&s, f)
	s.owner, s.depends = f.Owner, f.Depends
	for _, p := range f.Lasting {
		id, ok := setting.Find(p.Key.Value)
		if !ok {
			l.note(p.Key.At(0, "no setting is named %q%s", p.Key.Value, nearword.Advice(p.Key.Value, setting.Names())))
			continue
		}
		if s.irreversible == nil {
			s.irreversible = map[setting.ID]string{}
		}
		s.irreversible[id] = p.Value.Value
	}
	s.lists, s.match = f.Lists, f.Match
	if bear := f.MaxRefused; bear != nil {
		n, err := strconv.Atoi(bear.Value)
		if s.maxRefused = n; err != nil || n < 0 {
			l.note(bear.At(0, "expected how many refused rows or values are borne, 0 or more, found %q", bear.Value))
		}
	}
	l.checkLists(f.Lists)
	l.checkSignins(&s, f.Signins)
	return s
}

// inside notes a file that lies outside of the estate's folder, where the estate
// does not say that some do: an estate that came from somebody else should not
// read what they could not.
func (l *loader) inside(path strictyaml.Text) {
	if !l.outside && intake.Outside(l.folder, path.Value) {
		l.note(path.At(0, "%s lies outside of the estate's folder; say \"outside: yes\" at the top of %s where that is meant", path.Value, FileName))
	}
}

func (l *loader) kinds(s *System, f *systemFile) {
	for _, k := range f.Kinds {
		if !slices.Contains(facts.Kinds, k.Key.Value) {
			l.note(k.Key.At(0, "%q is no kind of account; it is one of %s%s", k.Key.Value, strings.Join(facts.Kinds, ", "),
				nearword.Advice(k.Key.Value, facts.Kinds)))
		}
		c, err := condition.CompileWith(k.Value, condition.FromExport, s.Named)
		l.noteAsked(err)
		s.Kinds = append(s.Kinds, audit.KindCondition{Kind: k.Key.Value, If: c})
	}
	if f.Privileged != nil {
		c, err := condition.CompileWith(*f.Privileged, condition.WithKind, s.Named)
		l.noteAsked(err)
		s.Privileged = c
	}
}

func (l *loader) chosenRules(e *Estate, s *System, names []strictyaml.Text) {
	var known []string
	for _, set := range e.Rules {
		known = append(known, set.Name)
	}
	for _, name := range names {
		if i := slices.Index(known, name.Value); i >= 0 {
			s.Rules = append(s.Rules, e.Rules[i])
			continue
		}
		if set, ok := rules.Shipped(name.Value); ok {
			s.Rules = append(s.Rules, set)
			continue
		}
		if l.badRules {
			continue
		}
		all := append(slices.Clone(known), rules.ShippedNames()...)
		advice := nearword.Advice(name.Value, all)
		if advice == "" {
			advice = "; there are " + strings.Join(all, ", ")
		}
		l.note(name.At(0, "no rule set is named %q%s", name.Value, advice))
	}
}

// Names lists the systems.
func (e *Estate) Names() []string {
	names := make([]string, len(e.Systems))
	for i := range e.Systems {
		names[i] = e.Systems[i].Name
	}
	return names
}

// Knows returns an error where the estate has no system of a name.
func (e *Estate) Knows(names []string) error {
	for _, name := range names {
		if !slices.Contains(e.Names(), name) {
			advice := nearword.Advice(name, e.Names())
			if advice == "" {
				advice = "; the estate has " + strings.Join(e.Names(), ", ")
			}
			return fmt.Errorf("no system is named %q%s", name, advice)
		}
	}
	return nil
}

// sayBeyond notes where a policy has more of something than any system means: a digit
// too many, or a damaged file.
func sayBeyond(export facts.Export) {
	for i := range export.System().Policies {
		p := &export.System().Policies[i]
		for id, v := range p.Values {
			if v.Beyond {
				export.Notes().Refuse(v.Origin, "%s of the policy %q is more than any system means, and unknown", setting.At(id).Name, p.Name)
			}
		}
	}
}

// Subjects opens the exports of the named systems, or of all. asOf, when not
// zero, counts before what the estate file and the exports say. A system
// whose export cannot be read becomes an empty subject whose notes say why; a
// mapping that is wrong is an error, as strictyaml.Problems.
func (e *Estate) Subjects(names []string, asOf time.Time) ([]audit.Subject, error) {
	if err := e.Knows(names); err != nil {
		return nil, err
	}
	var subjects []audit.Subject
	l := &loader{folder: e.Folder}
	for i := range e.Systems {
		s := &e.Systems[i]
		if len(names) > 0 && !slices.Contains(names, s.Name) {
			continue
		}
		request := s.Request
		if !asOf.IsZero() {
			request.AsOf, request.AsOfFrom = asOf, "--as-of"
		}
		if s.Source != nil && e.Connect != nil && s.InPlace() {
			request.Database = func() (intake.Database, error) { return e.Connect(s) }
		}
		export, err := s.Format.Open(&request)
		var unreadable *intake.Unreadable
		switch {
		case errors.As(err, &unreadable):
			export = intake.Failed(&request, err)
		case err != nil:
			l.note(err)
			continue
		}
		sayBeyond(export)
		s.complete(export.System())
		e.sayOutside(s, export.Notes())
		subject := audit.Subject{Export: export, Kinds: s.Kinds, Privileged: s.Privileged, Rules: s.Rules, Checks: e.Checks,
			Owner: s.owner, Depends: s.depends, Irreversible: s.irreversible, MaxRefused: s.maxRefused, Unmatched: e.unmatched(s)}
		if s.signins != nil {
			subject.Record = &signin.Record{
				Name: e.recordName(s),
				AsOf: unix(export.System().AsOf),
				Read: func(book *signin.Book, do func(*signin.Event)) error {
					return e.Signins(s.Name, export, book, do)
				},
			}
		}
		for _, x := range e.exceptions {
			if x.System == s.Name {
				subject.Exceptions = append(subject.Exceptions, x)
			}
		}
		subjects = append(subjects, subject)
	}
	return subjects, l.problems.Err()
}

// complete adds to what the export says what the estate file knows.
func (s *System) complete(system *facts.System) {
	system.Limits = s.limits
	if system.ToKnow == nil { // the export knows no better
		system.ToKnow = s.Format.ToKnow
	}
	if len(s.known) == 0 {
		return
	}
	if len(system.Policies) == 0 {
		system.Policies = []facts.Policy{{Name: "known", Origin: facts.Origin{File: FileName}}}
		system.Default = "known"
	}
	for i := range system.Policies {
		p := &system.Policies[i]
		for id, v := range s.known {
			inherits := p.Parent != "" || (system.Chooses == facts.ChooseOwn || system.Chooses == facts.ChooseNearest ||
				system.Chooses.Order() != nil) && p.Name != system.Default
			if !p.Value(id).Known() && !inherits {
				p.Set(id, v.Value, v.Origin)
			}
		}
	}
}

// Schema describes estate.yaml as JSON Schema does; formats are the names of
// the readers.
func Schema(formats []string) map[string]any {
	settings := setting.Names()
	return strictyaml.Schema("estate.yaml: systems, how their exports are read, and what is asked of them", reflect.TypeFor[estateFile](),
		strictyaml.Hints{
			Words: map[string][]string{"exportFile.read": formats, "systemFile.chooses": facts.Precedences, "exportFile.view": {"whole", "part"},
				"signinsFile.read": recordForms,
				"linkFile.same":    settings, "linkFile.password": {"shared", "own"}},
			Forms: map[string]string{"systemFile.chooses": facts.OrderPattern},
			Keys: map[string][]string{
				"systemFile.kinds":        facts.Kinds,
				"systemFile.limits":       settings,
				"systemFile.irreversible": settings,
				"systemFile.known":        settings,
			},
		})
}
