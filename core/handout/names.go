package handout

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Name is what the systems are called.
func (p *Part) Name() string {
	var names []string
	for _, s := range p.Systems {
		names = append(names, cmp.Or(s.Title, s.Name))
	}
	return strings.Join(names, ", ")
}

// Short is Name where that is short, else the first systems of it.
func (p *Part) Short() string {
	const few = 3
	if len(p.Systems) <= few {
		return p.Name()
	}
	first := Part{Systems: p.Systems[:few-1]}
	return fmt.Sprintf("%s and %d more", first.Name(), len(p.Systems)-few+1)
}

// From names the rule sets, and since when they hold.
func (p *Part) From() string {
	var sets []string
	for _, s := range p.Systems[0].Rules {
		text := cmp.Or(s.Title, s.Name)
		if !s.InForce.IsZero() {
			text += ", since " + s.InForce.Format(time.DateOnly)
		}
		sets = append(sets, text)
	}
	if sets == nil {
		return "Nobody has said which rules hold here."
	}
	return "From: " + strings.Join(sets, "; ") + "."
}

// Rest says of whom nothing is asked; "" where it is nobody, or nothing is asked of
// anybody.
func (p *Part) Rest() string {
	if len(p.Nothing) == 0 || len(p.Sections) == 0 {
		return ""
	}
	return "Nothing is asked of " + strings.Join(p.Nothing, ", ") + "."
}

// Name is whom the section is for.
func (s *Section) Name() string {
	names := strings.Join(s.Audiences, ", ")
	return strings.ToUpper(names[:1]) + names[1:]
}

// When is what stands before the sentence: from when on, and on what it depends.
func (l *Line) When() string {
	var parts []string
	if l.Later {
		parts = append(parts, "From "+l.Since.Format(time.DateOnly)+" on")
	}
	if l.If != "" {
		parts = append(parts, "Where "+l.If)
	}
	if parts == nil {
		return ""
	}
	return strings.Join(parts, ", ") + ":"
}

// Why is the reason, behind the last line of each clause, with the day of a step.
func (s *Section) Why(k int) string {
	l := &s.Lines[k]
	if last := slices.IndexFunc(s.Lines[k+1:], func(o Line) bool { return o.Rule == l.Rule && o.Later == l.Later }) < 0; !last || l.Later {
		return ""
	}
	if l.Because == "" {
		return ""
	}
	return Finished(strings.TrimSuffix(l.Because, "."))
}
