// Package rules reads rule sets: what must hold for the passwords and
// accounts of a system, clause by clause.
package rules

import (
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"time"

	"yewcone/core/condition"
	"yewcone/core/nearword"
	"yewcone/core/requirement"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// A Set is a named list of clauses.
type Set struct {
	Name    string
	File    string // that it was read from
	Title   string
	InForce time.Time // zero when not said
	Source  string    // the standard or decision that it comes from
	Who     []Named   // conditions that clauses ask by a name
	Clauses []Clause
}

// Named is a condition with a name.
type Named struct {
	Name string
	If   *condition.Condition
}

// A Clause asks something of the settings, or forbids something, of the
// accounts that it reaches.
type Clause struct {
	Rule         Rule
	For          *condition.Condition
	Expect       []Expectation
	AnyOf        [][]Expectation // one of these lists must hold whole
	Forbid       *condition.Condition
	Says         string // what is so when the clause is broken; for Forbid
	Severity     Severity
	IfPrivileged Severity // for privileged accounts; as Severity where not said
	Because      string
	Remedy       string
	Replaces     []string // rules that do not count for accounts this one reaches
	Coming       []Coming // of a set as it holds at a moment: what is asked later
	replaces     []strictyaml.Text
}

// An Expectation is what a clause asks of one setting.
type Expectation struct {
	Setting     setting.ID
	Requirement requirement.Requirement // the first step's, where no moment was asked for
	Since       time.Time               // when that began to hold; zero where it always did
	Ladder      requirement.Ladder      // all steps; one where there are no steps
	Written     strictyaml.Text         // as it stands in the file of rules
}

type setFile struct {
	Rules   strictyaml.Text                    `yaml:"rules,required"`
	Title   string                             `yaml:"title"`
	InForce *strictyaml.Text                   `yaml:"in_force"`
	Source  string                             `yaml:"source"`
	Who     []strictyaml.Pair[strictyaml.Text] `yaml:"who"`
	Clauses []clauseFile                       `yaml:"clauses,required"`
}

type clauseFile struct {
	Place        strictyaml.Text
	ID           strictyaml.Text                      `yaml:"id,required"`
	For          *strictyaml.Text                     `yaml:"for"`
	Expect       []strictyaml.Pair[strictyaml.Text]   `yaml:"expect"`
	AnyOf        [][]strictyaml.Pair[strictyaml.Text] `yaml:"any_of"`
	Forbid       *strictyaml.Text                     `yaml:"forbid"`
	Says         string                               `yaml:"says"`
	Severity     *strictyaml.Text                     `yaml:"severity"`
	IfPrivileged *strictyaml.Text                     `yaml:"if_privileged"`
	Because      string                               `yaml:"because"`
	Remedy       string                               `yaml:"remedy"`
	Replaces     []strictyaml.Text                    `yaml:"replaces"`
}

var plainName = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]*$`)

// CheckName returns an error unless text can name a system, a rule set or a
// clause: letters, digits, dots, hyphens and underscores.
func CheckName(text strictyaml.Text) error {
	if !plainName.MatchString(text.Value) {
		return text.At(0, "%q is no name; a name has letters, digits, dots, hyphens and underscores only", text.Value)
	}
	return nil
}

// Read reads a rule file. The error holds everything that is wrong in it, as
// strictyaml.Problems. file is how errors call the file.
func Read(file string, data []byte) (*Set, error) {
	var raw setFile
	if err := strictyaml.Decode(file, data, &raw); err != nil {
		return nil, err
	}
	r := reader{}
	set := &Set{Name: raw.Rules.Value, File: file, Title: raw.Title, Source: raw.Source}
	r.note(CheckName(raw.Rules))
	if raw.InForce != nil {
		var err error
		set.InForce, err = raw.InForce.Date()
		r.note(err)
	}
	r.named = condition.Named{}
	for _, p := range raw.Who {
		if err := r.named.With(p.Key, p.Value); err != nil {
			r.note(err)
			continue
		}
		set.Who = append(set.Who, Named{p.Key.Value, r.named[p.Key.Value]})
	}
	seen := map[string]bool{}
	for i := range raw.Clauses {
		c := &raw.Clauses[i]
		if seen[c.ID.Value] {
			r.note(c.ID.At(0, "a clause with the id %q stands above", c.ID.Value))
		}
		seen[c.ID.Value] = true
		set.Clauses = append(set.Clauses, r.clause(set.Name, c))
	}
	r.checkReplaces(set, raw.Clauses)
	return set, r.problems.Err()
}

type reader struct {
	named    condition.Named
	problems strictyaml.Problems
}

func (r *reader) note(err error) {
	switch e := err.(type) {
	case nil:
	case *strictyaml.Problem:
		r.problems = append(r.problems, e)
	default:
		r.problems = append(r.problems, &strictyaml.Problem{Message: err.Error()})
	}
}

func (r *reader) clause(set string, raw *clauseFile) Clause {
	c := Clause{Rule: Rule{Set: set, Clause: raw.ID.Value}, Says: raw.Says, Severity: Medium, Because: raw.Because, Remedy: raw.Remedy}
	r.note(CheckName(raw.ID))
	if len(raw.Expect) == 0 && len(raw.AnyOf) == 0 && raw.Forbid == nil {
		r.note(raw.Place.At(0, "the clause %q asks for nothing; give it \"expect\", \"any_of\" or \"forbid\"", raw.ID.Value))
	}
	c.For = r.condition(raw.For)
	c.Forbid = r.condition(raw.Forbid)
	c.Expect = r.expectations(raw.Expect)
	for _, list := range raw.AnyOf {
		any := r.expectations(list)
		for _, x := range any {
			if len(x.Ladder) > 1 || !x.Ladder[0].From.IsZero() {
				r.note(x.Written.At(0, "what has steps stands under \"expect\", not under \"any_of\""))
			}
		}
		c.AnyOf = append(c.AnyOf, any)
	}
	c.Severity = r.severity(raw.Severity, Medium)
	c.IfPrivileged = r.severity(raw.IfPrivileged, c.Severity)
	for _, other := range raw.Replaces {
		name := other.Value
		if !slices.Contains([]byte(name), '/') {
			name = set + "/" + name
		}
		c.Replaces, c.replaces = append(c.Replaces, name), append(c.replaces, other)
	}
	return c
}

func (r *reader) condition(text *strictyaml.Text) *condition.Condition {
	if text == nil {
		return nil
	}
	c, err := condition.CompileWith(*text, condition.Complete, r.named)
	r.note(err)
	return c
}

func (r *reader) severity(text *strictyaml.Text, fallback Severity) Severity {
	if text == nil {
		return fallback
	}
	s, err := ParseSeverity(text.Value)
	if err != nil {
		r.note(text.At(0, "%s", err))
	}
	return s
}

func (r *reader) expectations(list []strictyaml.Pair[strictyaml.Text]) []Expectation {
	var out []Expectation
	for _, pair := range list {
		out = r.expect(out, pair)
	}
	return out
}

func (r *reader) expect(list []Expectation, pair strictyaml.Pair[strictyaml.Text]) []Expectation {
	id, ok := setting.Find(pair.Key.Value)
	if !ok {
		advice := nearword.Advice(pair.Key.Value, setting.Names())
		if advice == "" {
			advice = "; \"yewcone settings\" lists them"
		}
		r.note(pair.Key.At(0, "no setting is named %q%s", pair.Key.Value, advice))
		return list
	}
	ladder, err := requirement.ParseLadder(setting.At(id), pair.Value.Value)
	if err != nil {
		offset := 0
		if at, ok := err.(*requirement.Error); ok {
			offset = at.Offset
		}
		r.note(pair.Value.At(offset, "%s", err))
		return list
	}
	return append(list, Expectation{Setting: id, Requirement: ladder[0].Requirement, Ladder: ladder, Written: pair.Value})
}

// checkReplaces refuses names of clauses of this set that do not exist, and a
// clause that replaces itself.
func (r *reader) checkReplaces(set *Set, raw []clauseFile) {
	for i := range raw {
		for j, name := range set.Clauses[i].Replaces {
			place := raw[i].Replaces[j]
			if name == set.Clauses[i].Rule.String() {
				r.note(place.At(0, "the clause replaces itself"))
				continue
			}
			if prefix := set.Name + "/"; len(name) > len(prefix) && name[:len(prefix)] == prefix && set.Clause(name) == nil {
				r.note(place.At(0, "no clause here has the id %q%s", place.Value, nearword.Advice(place.Value, set.ids())))
			}
		}
	}
}

// Circles finds clauses that replace each other, so that for accounts which both
// reach neither would count. The error is strictyaml.Problems.
func Circles(sets []*Set) error {
	clauses := map[string]*Clause{}
	for _, s := range sets {
		for i := range s.Clauses {
			clauses[s.Clauses[i].Rule.String()] = &s.Clauses[i]
		}
	}
	var problems strictyaml.Problems
	for _, s := range sets {
		for i := range s.Clauses {
			c := &s.Clauses[i]
			for n, name := range c.Replaces {
				if name != c.Rule.String() && replaces(clauses, name, c.Rule.String(), map[string]bool{}) {
					problems = append(problems, c.replaces[n].At(0, "%s replaces %s, which replaces it in turn: for accounts that both reach neither would count; "+
						"take one of the two out", c.Rule, name))
				}
			}
		}
	}
	return problems.Err()
}

// replaces reports whether a clause replaces another, itself or by others.
func replaces(clauses map[string]*Clause, name, other string, seen map[string]bool) bool {
	c := clauses[name]
	if c == nil || seen[name] {
		return false
	}
	seen[name] = true
	return slices.ContainsFunc(c.Replaces, func(next string) bool { return next == other || replaces(clauses, next, other, seen) })
}

// NamedOf gathers the conditions that sets have names for: those that hold on a system
// count before the others of the estate. The error tells of a name that means one
// thing in one set that holds and another in the next.
func NamedOf(hold, all []*Set) (condition.Named, error) {
	named, from, unsure := condition.Named{}, map[string]string{}, map[string]bool{}
	for _, s := range hold {
		for _, n := range s.Who {
			if known := named[n.Name]; known != nil && known.String() != n.If.String() {
				return named, fmt.Errorf("%q means one thing in %s and another in %s; name one of the two otherwise", n.Name, from[n.Name], s.Name)
			}
			named[n.Name], from[n.Name] = n.If, s.Name
		}
	}
	others := condition.Named{}
	for _, s := range all {
		for _, n := range s.Who {
			if known := others[n.Name]; known != nil && known.String() != n.If.String() {
				unsure[n.Name] = true
			}
			others[n.Name] = n.If
		}
	}
	for name, c := range others {
		if named[name] == nil && !unsure[name] {
			named[name] = c
		}
	}
	return named, nil
}

// Clause returns the clause with a name such as house/length, or nil.
func (s *Set) Clause(rule string) *Clause {
	for i := range s.Clauses {
		if s.Clauses[i].Rule.String() == rule {
			return &s.Clauses[i]
		}
	}
	return nil
}

func (s *Set) ids() []string {
	var ids []string
	for _, c := range s.Clauses {
		ids = append(ids, c.Rule.Clause)
	}
	return ids
}

// String names the clause and what it is about.
func (c *Clause) String() string { return fmt.Sprintf("clause %s", c.Rule) }

// Schema describes a rule set as JSON Schema does.
func Schema() map[string]any {
	settings, severities := setting.Names(), []string{"critical", "high", "medium", "low", "info"}
	return strictyaml.Schema("a rule set: clauses that ask something of accounts", reflect.TypeFor[setFile](), strictyaml.Hints{
		Words: map[string][]string{"clauseFile.severity": severities, "clauseFile.if_privileged": severities},
		Keys:  map[string][]string{"clauseFile.expect": settings, "clauseFile.any_of": settings},
	})
}
