package estatefolder

import (
	"errors"
	"time"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/requirement"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// limitsAndKnown reads what a system can do, and what is known of it though
// its export does not show it.
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
