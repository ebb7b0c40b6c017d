package estatefolder

import (
	"errors"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"yewcone/core/audit"
	"yewcone/core/check"
	"yewcone/core/condition"
	"yewcone/core/nearword"
	"yewcone/core/rules"
	"yewcone/core/strictyaml"
	"yewcone/intake"
)

// ExceptionsFile holds the accepted risks of an estate.
const ExceptionsFile = "exceptions.yaml"

// exceptions reads exceptions.yaml, if there is one.
func (l *loader) exceptions(e *Estate) {
	data, err := os.ReadFile(filepath.Join(l.folder, ExceptionsFile))
	if errors.Is(err, fs.ErrNotExist) {
		return
	}
	if err != nil {
		l.note(&strictyaml.Problem{File: ExceptionsFile, Message: intake.Reason(err)})
		return
	}
	e.exceptions, err = rules.ReadExceptions(ExceptionsFile, data, func(system, rule strictyaml.Text) (condition.Named, error) {
		i := slices.Index(e.Names(), system.Value)
		if i < 0 {
			return nil, system.At(0, "no system is named %q%s", system.Value, nearword.Advice(system.Value, e.Names()))
		}
		known := e.Systems[i].RuleNames()
		if !slices.Contains(known, rule.Value) && !l.badRules {
			return nil, rule.At(0, "no rule of %s is named %q%s", system.Value, rule.Value, nearword.Advice(rule.Value, known))
		}
		return e.Systems[i].Named, nil
	})
	l.note(err)
}

// NamedOn are the conditions that may be asked by a name on a system, or with "" on
// any.
func (e *Estate) NamedOn(system string) condition.Named {
	if i := slices.Index(e.Names(), system); i >= 0 {
		return e.Systems[i].Named
	}
	all := condition.Named{}
	for i := range e.Systems {
		maps.Copy(all, e.Systems[i].Named)
	}
	return all
}

// RuleNames lists the clauses that hold on the system, and the checks.
func (s *System) RuleNames() []string {
	var names []string
	for _, set := range s.Rules {
		for i := range set.Clauses {
			names = append(names, set.Clauses[i].Rule.String())
		}
	}
	for _, id := range check.IDs() {
		names = append(names, rules.Check(id).String())
	}
	return names
}

// AsIf lets rule sets hold on systems beside those that the estate names, or in
// their place. Exceptions of rules that then do not hold are put aside.
func AsIf(subjects []audit.Subject, sets []*rules.Set, instead bool) {
	for i := range subjects {
		s := &subjects[i]
		if instead {
			s.Rules = nil
		}
		s.Rules = slices.Clone(s.Rules)
		for _, set := range sets {
			if !slices.Contains(s.Rules, set) {
				s.Rules = append(s.Rules, set)
			}
		}
		known := (&System{Rules: s.Rules}).RuleNames()
		s.Exceptions = slices.DeleteFunc(slices.Clone(s.Exceptions), func(x *rules.Exception) bool {
			return !slices.Contains(known, x.Rule)
		})
	}
}
