package estatefolder

import (
	"slices"
	"strings"

	"yewcone/core/audit"
	"yewcone/core/check"
	"yewcone/core/gap"
	"yewcone/core/nearword"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// peopleFile says how accounts of one person are found.
type peopleFile struct {
	Match []strictyaml.Text `yaml:"match,required"`
	From  *strictyaml.Text  `yaml:"from"`
}

// linkFile is two systems that share verification or passwords.
type linkFile struct {
	Between  []strictyaml.Text `yaml:"between,required"`
	Because  string            `yaml:"because,required"`
	Same     []strictyaml.Text `yaml:"same"`
	Password *strictyaml.Text  `yaml:"password"`
	Place    strictyaml.Text
}

// sameUnlessSaid are the settings that linked systems must have alike where
// the file does not name any.
var sameUnlessSaid = []setting.ID{setting.LockoutAttempts, setting.LockoutWindow, setting.LockoutDuration}

// across reads what the estate says of its systems together.
func (l *loader) across(e *Estate, raw *estateFile) {
	known := func(text strictyaml.Text) {
		if !slices.Contains(e.Names(), text.Value) {
			l.note(text.At(0, "no system is named %q%s", text.Value, nearword.Advice(text.Value, e.Names())))
		}
	}
	if p := raw.People; p != nil {
		for _, key := range p.Match {
			if !slices.Contains(gap.Keys, key.Value) {
				l.note(key.At(0, "people are not matched by %q; the keys are %s%s", key.Value, strings.Join(gap.Keys, ", "),
					nearword.Advice(key.Value, gap.Keys)))
			}
			if slices.Contains(e.across.Match, key.Value) {
				l.note(key.At(0, "%s stands here twice", key.Value))
			}
			e.across.Match = append(e.across.Match, key.Value)
		}
		if p.From != nil {
			known(*p.From)
			e.across.From = p.From.Value
		}
	}
	for i := range raw.Links {
		e.across.Links = append(e.across.Links, l.link(&raw.Links[i], known))
	}
	for i := range e.Systems {
		if s := &e.Systems[i]; s.match != nil {
			for _, key := range *s.match {
				if !slices.Contains(e.across.Match, key.Value) && key.Value != "none" {
					l.note(key.At(0, "%q is none of the keys that people are matched by; they are %s, or none", key.Value,
						strings.Join(e.across.Match, ", ")))
				}
			}
		}
	}
	for _, set := range e.Rules {
		if !slices.ContainsFunc(e.Systems, func(s System) bool { return slices.Contains(s.Rules, set) }) {
			e.across.Unused = append(e.across.Unused, set.Name)
		}
	}
}

func (l *loader) link(f *linkFile, known func(strictyaml.Text)) gap.Link {
	link := gap.Link{Because: f.Because}
	switch {
	case len(f.Between) != 2:
		l.note(f.Place.At(0, "a link is between two systems, not %d", len(f.Between)))
	case f.Between[0].Value == f.Between[1].Value:
		l.note(f.Between[1].At(0, "a link is between two different systems"))
	default:
		known(f.Between[0])
		known(f.Between[1])
		link.Between = [2]string{f.Between[0].Value, f.Between[1].Value}
	}
	for _, key := range f.Same {
		if id, ok := l.setting(key); ok {
			link.Same = append(link.Same, id)
		}
	}
	if len(f.Same) == 0 {
		link.Same = sameUnlessSaid
	}
	if f.Password != nil {
		if link.Shared = f.Password.Value == "shared"; !link.Shared && f.Password.Value != "own" {
			l.note(f.Password.At(0, "expected shared (one password serves both) or own, found %q", f.Password.Value))
		}
	}
	return link
}

// unmatched are the keys that say nothing on a system.
func (e *Estate) unmatched(s *System) (without [3]bool) {
	if s.match == nil {
		return without
	}
	for i, key := range e.across.Match {
		without[i] = !slices.ContainsFunc(*s.match, func(t strictyaml.Text) bool { return t.Value == key })
	}
	return without
}

// Across is what to look for between systems; of the named systems only, or
// of all. Rule sets without systems are told only when all are looked at.
func (e *Estate) Relations(names []string) *audit.Relations {
	a := e.across
	if len(names) > 0 {
		a.Unused = nil
		if !slices.Contains(names, a.From) {
			a.From = ""
		}
	}
	return &a
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
				var names []string
				for _, step := range x.Ladder {
					names = append(names, step.Requirement.Systems()...)
				}
				for _, name := range names {
					if !slices.Contains(e.Names(), name) {
						l.note(x.Written.At(strings.Index(x.Written.Value, name), "no system is named %q%s", name,
							nearword.Advice(name, e.Names())))
					}
				}
			}
		}
	}
}
