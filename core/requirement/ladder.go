package requirement

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// A Step is what is asked from a day on; the zero day stands for ever since.
type Step struct {
	From        time.Time
	Requirement Requirement
}

// A Ladder is what is asked of a setting, step by step, the earliest first.
type Ladder []Step

// ParseLadder reads requirements with the days from which they hold:
//
//	PHRASE [from DAY] {; PHRASE from DAY}
//
// Each holds until the next one does. The error is an *Error.
func ParseLadder(s *setting.Setting, text string) (Ladder, error) {
	var l Ladder
	offset := 0
	for n, part := range strings.Split(text, ";") {
		step, err := parseStep(s, part)
		switch {
		case err != nil:
		case n > 0 && step.From.IsZero():
			err = &Error{0, "a step needs the day from which it holds, as in \"at least 12; at least 14 from 2027-01-01\""}
		case n > 0 && !step.From.After(l[n-1].From):
			err = &Error{0, fmt.Sprintf("the steps stand in the order of their days; this one is from %s, and the one before it from %s",
				step.From.Format(time.DateOnly), l[n-1].From.Format(time.DateOnly))}
		}
		if err != nil {
			var at *Error
			if errors.As(err, &at) {
				at.Offset += offset + len([]rune(part)) - len([]rune(strings.TrimLeft(part, " ")))
			}
			return nil, err
		}
		l = append(l, step)
		offset += len([]rune(part)) + 1
	}
	return l, nil
}

// parseStep reads one; what stands behind the last "from" is its day.
func parseStep(s *setting.Setting, text string) (Step, error) {
	text = strings.TrimSpace(text)
	parts := splitWord(text, "from")
	if len(parts) == 1 {
		r, err := Parse(s, text)
		return Step{Requirement: r}, err
	}
	day := parts[len(parts)-1]
	phrase := strings.Join(parts[:len(parts)-1], "from")
	from, err := strictyaml.ParseDate(strings.TrimSpace(day))
	if err != nil {
		return Step{}, &Error{len([]rune(phrase)) + len("from") + 1, "expected the day from which it is asked: " + err.Error()}
	}
	r, err := Parse(s, strings.TrimRight(phrase, " "))
	return Step{From: from, Requirement: r}, err
}

// String writes the ladder as ParseLadder reads it.
func (l Ladder) String() string {
	var parts []string
	for _, s := range l {
		text := s.Requirement.String()
		if !s.From.IsZero() {
			text += " from " + day(s.From)
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, "; ")
}

// day writes a moment as people write the day from which something holds.
func day(at time.Time) string {
	if at.Equal(at.Truncate(24 * time.Hour)) {
		return at.Format(time.DateOnly)
	}
	return at.Format("2006-01-02 15:04")
}

// Day writes from when on the step holds.
func (s *Step) Day() string { return day(s.From) }

// At is the step that holds at a moment; false where none does yet.
func (l Ladder) At(moment time.Time) (Step, bool) {
	n := len(l) - len(l.After(moment))
	if n == 0 {
		return Step{}, false
	}
	return l[n-1], true
}

// After are the steps that begin to hold after a moment.
func (l Ladder) After(moment time.Time) Ladder {
	for i := range l {
		if l[i].From.After(moment) {
			return l[i:]
		}
	}
	return nil
}
