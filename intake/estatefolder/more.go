package estatefolder

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// ExceptionsFile holds the accepted risks of an estate.
const ExceptionsFile = "exceptions.yaml"

// limitsAndKnown reads what a system can do, and what is known of it though
// its export does not say it.
func (l *loader) limitsAndKnown(s *System, f *systemFile) {
	s.limits, s.known = map[setting.ID]facts.Limit{}, map[setting.ID]facts.Sourced{}
	for _, pair := range f.Limits {
		id, ok := l.setting(pair.Key)
		if !ok {
			continue
		}
		_, err := requirement.Parse(setting.At(id), pair.Value.Value)
		if err != nil {
			offset := 0
			var at *requirement.Error
			if errors.As(err, &at) {
				offset = at.Offset
			}
			l.note(pair.Value.At(offset, "%s", err))
		}
		s.limits[id] = facts.Limit{Phrase: pair.Value.Value, Origin: facts.Origin{File: FileName, Line: pair.Value.Line}}
	}
	for _, pair := range f.Known {
		id, ok := l.setting(pair.Key)
		if !ok {
			continue
		}
		v, err := setting.At(id).Parse(pair.Value.Value)
		if err != nil {
			l.note(pair.Value.At(0, "%s", err))
			continue
		}
		s.known[id] = facts.Sourced{Value: v, Origin: facts.Origin{File: FileName, Line: pair.Key.Line,
			Text: pair.Key.Value + ": " + pair.Value.Value}}
	}
}

func (l *loader) setting(key strictyaml.Text) (setting.ID, bool) {
	id, ok := setting.Find(key.Value)
	if !ok {
		l.note(key.At(0, "no setting is named %q%s", key.Value, nearword.Advice(key.Value, setting.Names())))
	}
	return id, ok
}

// adjustments reads what the estate changes in the checks: off, a severity,
// or the length of time after which one hits.
func (l *loader) adjustments(e *Estate, pairs []strictyaml.Pair[strictyaml.Text]) {
	for _, pair := range pairs {
		id, value := pair.Key.Value, pair.Value.Value
		i := slices.Index(check.IDs(), id)
		if i < 0 {
			l.note(pair.Key.At(0, "no check is named %q%s", id, nearword.Advice(id, check.IDs())))
			continue
		}
		var a check.Adjustment
		severity, notSeverity := rules.ParseSeverity(value)
		span, notSpan := setting.ParseSpan(value)
		switch {
		case value == "off":
			a.Off = true
		case notSeverity == nil:
			a.Severity = severity
		case notSpan == nil && check.All()[i].Limit != setting.Span{}:
			a.Limit = &span
		case notSpan == nil:
			l.note(pair.Value.At(0, "the check %s has no length of time; write off or a severity", id))
		default:
			l.note(pair.Value.At(0, "expected off, a severity, or a length of time such as \"60 days\", found %q", value))
		}
		e.Checks[id] = a
	}
}

// sameAs refuses "same as" with a system that does not exist.
func (l *loader) sameAs(e *Estate) {
	for _, set := range e.Rules {
		for i := range set.Clauses {
			c := &set.Clauses[i]
			for _, x := range slices.Concat(append(slices.Clone(c.AnyOf), c.Expect)...) {
				for _, name := range x.Requirement.Systems() {
					if !slices.Contains(e.Names(), name) {
						l.note(x.Written.At(strings.Index(x.Written.Value, name), "no system is named %q%s", name,
							nearword.Advice(name, e.Names())))
					}
				}
			}
		}
	}
}

// exceptions reads exceptions.yaml, if there is one.
func (l *loader) exceptions(e *Estate) {
	data, err := os.ReadFile(filepath.Join(l.folder, ExceptionsFile))
	if errors.Is(err, fs.ErrNotExist) {
		return
	}
	if err != nil {
		l.note(err)
		return
	}
	e.exceptions, err = rules.ReadExceptions(ExceptionsFile, data, func(system, rule strictyaml.Text) error {
		i := slices.Index(e.Names(), system.Value)
		if i < 0 {
			return system.At(0, "no system is named %q%s", system.Value, nearword.Advice(system.Value, e.Names()))
		}
		known := e.Systems[i].RuleNames()
		if !slices.Contains(known, rule.Value) && !l.badRules {
			return rule.At(0, "no rule of %s is named %q%s", system.Value, rule.Value, nearword.Advice(rule.Value, known))
		}
		return nil
	})
	l.note(err)
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

// ValueOf returns what a system has of a setting, for comparison with others:
// what its default policy says, or without one the loosest of its policies.
// Exports are opened once; one that cannot be read says nothing.
func (e *Estate) ValueOf(asOf time.Time) func(string, setting.ID) setting.Value {
	opened := map[string]*facts.System{}
	return func(name string, id setting.ID) setting.Value {
		system, ok := opened[name]
		if !ok {
			if subjects, err := e.Subjects([]string{name}, asOf); err == nil && len(subjects) == 1 {
				system = subjects[0].Export.System()
			}
			opened[name] = system
		}
		if system == nil {
			return setting.Value{}
		}
		if p := system.Policy(system.Default); p != nil {
			return p.Value(id).Value
		}
		var loosest setting.Value
		for i := range system.Policies {
			v := system.Policies[i].Value(id).Value
			if i > 0 {
				v = setting.At(id).Loosest(loosest, v)
			}
			loosest = v
		}
		return loosest
	}
}
