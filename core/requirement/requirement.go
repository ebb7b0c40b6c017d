// Package requirement reads what a rule asks of a setting ("at least 14",
// "at most 90 days or never"), writes it back, and tests values against it.
package requirement

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yewcone/core/nearword"
	"yewcone/core/setting"
)

// Outcome is the answer of a test.
type Outcome uint8

// The three answers.
const (
	Unknown    Outcome = iota // the export does not show
	Meets                     // the value is as asked for
	FallsShort                // the value is not as asked for
)

func (o Outcome) String() string {
	return [...]string{"unknown", "meets", "falls short"}[o]
}

type operator uint8

const (
	atLeast operator = iota
	atMost
	between
	exactly
	oneOf
	isSet
	sameAs
)

type alternative struct {
	op     operator
	values []setting.Value
	system string // of "same as", also once it is resolved
}

// A Requirement is a phrase about one setting. Its alternatives, joined by
// "or", are met when one of them is.
type Requirement struct {
	setting *setting.Setting
	any     []alternative
}

// An Error tells what is wrong in a phrase and at which character, counted
// from 0.
type Error struct {
	Offset  int
	Message string
}

func (e *Error) Error() string { return e.Message }

// Parse reads a phrase about setting s:
//
//	at least V | at most V | between V and V | exactly V | one of V, V …
//	| set | same as SYSTEM | V      — alternatives are joined by "or"
//
// V is a value as Setting.Parse reads it. The error is an *Error.
func Parse(s *setting.Setting, phrase string) (Requirement, error) {
	r := Requirement{setting: s}
	offset := 0
	for _, part := range splitWord(phrase, "or") {
		alt, err := parseAlternative(s, part)
		if err != nil {
			var at *Error
			if errors.As(err, &at) {
				at.Offset += offset
			}
			return Requirement{}, err
		}
		r.any = append(r.any, alt)
		offset += len([]rune(part)) + len("or")
	}
	return r, nil
}

// splitWord cuts text at each occurrence of word as a whole word, keeping all
// spaces, so that the parts' lengths and the words' add up to the text's.
func splitWord(text, word string) []string {
	var parts []string
	start := 0
	for i := 0; i+len(word) <= len(text); i++ {
		whole := (i == 0 || text[i-1] == ' ') && (i+len(word) == len(text) || text[i+len(word)] == ' ')
		if whole && strings.EqualFold(text[i:i+len(word)], word) {
			parts = append(parts, text[start:i])
			start = i + len(word)
		}
	}
	return append(parts, text[start:])
}

var openings = []struct {
	words string
	op    operator
}{{"at least", atLeast}, {"at most", atMost}, {"between", between}, {"exactly", exactly}, {"one of", oneOf}, {"same as", sameAs}}

// phraseWords are what an alternative may begin with, for near misses.
var phraseWords = []string{"at least", "at most", "between", "exactly", "one of", "same as", "set", "yes", "no", "never",
	"none", "off", "until unlocked"}

func parseAlternative(s *setting.Setting, text string) (alternative, error) {
	body := strings.TrimLeft(text, " ")
	offset := len([]rune(text)) - len([]rune(body))
	body = strings.TrimSpace(body)
	if body == "" {
		return alternative{}, &Error{offset, fmt.Sprintf("expected a phrase such as \"at least …\" or a value of %s, found "+
			"nothing", s.Name)}
	}
	if strings.EqualFold(body, "set") {
		return alternative{op: isSet}, nil
	}
	for _, o := range openings {
		if len(body) < len(o.words) || !strings.EqualFold(body[:len(o.words)], o.words) ||
			(len(body) > len(o.words) && body[len(o.words)] != ' ') {
			continue
		}
		return o.op.parse(s, body[len(o.words):], offset+len(o.words))
	}
	v, err := s.Parse(body)
	if err != nil {
		return alternative{}, &Error{offset, misread(s, body, err)}
	}
	return alternative{op: exactly, values: []setting.Value{v}}, nil
}

// misread explains a phrase that begins with no known word: a slip in the
// opening words is more likely than a slip in a value.
func misread(s *setting.Setting, body string, err error) string {
	words := strings.Fields(body)
	for n := min(2, len(words)); n > 0; n-- {
		head := strings.Join(words[:n], " ")
		if near, ok := nearword.Of(head, phraseWords); ok && !strings.EqualFold(near, head) &&
			strings.Count(near, " ") == n-1 && len(words) > n {
			return fmt.Sprintf("%q begins no phrase; did you mean %q?", head, near)
		}
	}
	return err.Error()
}

func (op operator) parse(s *setting.Setting, rest string, offset int) (alternative, error) {
	alt := alternative{op: op}
	value := func(text string, at int) error {
		lead := len([]rune(text)) - len([]rune(strings.TrimLeft(text, " ")))
		v, err := s.Parse(strings.TrimSpace(text))
		if err == nil && !v.Known() {
			err = fmt.Errorf("a rule cannot ask for \"unknown\"")
		}
		if err == nil && op <= between && v.State() != setting.Amount && v.State() != setting.Duration && v.State() != setting.Choice {
			err = fmt.Errorf("%q has no size to compare; ask for it alone, as in \"%s\"", strings.TrimSpace(text), strings.TrimSpace(text))
		}
		if err != nil {
			return &Error{at + lead, err.Error()}
		}
		alt.values = append(alt.values, v)
		return nil
	}
	switch op {
	case sameAs:
		alt.system = strings.TrimSpace(rest)
		if alt.system == "" || strings.Contains(alt.system, " ") {
			return alt, &Error{offset, "expected the name of one system after \"same as\""}
		}
		return alt, nil
	case oneOf:
		for part := range strings.SplitSeq(rest, ",") {
			if err := value(part, offset); err != nil {
				return alt, err
			}
			offset += len([]rune(part)) + 1
		}
		return alt, nil
	case between:
		return alt, alt.parseBetween(rest, offset, value)
	}
	return alt, value(rest, offset)
}

// parseBetween tries each "and" as the middle, since a choice may contain one.
func (alt *alternative) parseBetween(rest string, offset int, value func(string, int) error) error {
	parts := splitWord(rest, "and")
	if len(parts) < 2 {
		return &Error{offset, "expected \"between … and …\", found no \"and\""}
	}
	var first error
	for i := 1; i < len(parts); i++ {
		left, right := strings.Join(parts[:i], "and"), strings.Join(parts[i:], "and")
		alt.values = alt.values[:0]
		err := value(left, offset)
		if err == nil {
			err = value(right, offset+len([]rune(left))+len("and"))
		}
		if err == nil {
			return nil
		}
		if first == nil {
			first = err
		}
	}
	return first
}

// String writes the requirement as Parse reads it; after Resolve, with the
// other system's value in brackets.
func (r Requirement) String() string {
	var parts []string
	for _, alt := range r.any {
		parts = append(parts, alt.text(r.setting))
	}
	return strings.Join(parts, " or ")
}

func (alt alternative) text(s *setting.Setting) string {
	var texts []string
	for _, v := range alt.values {
		texts = append(texts, s.Text(v))
	}
	switch alt.op {
	case atLeast:
		return "at least " + texts[0]
	case atMost:
		return "at most " + texts[0]
	case between:
		return "between " + texts[0] + " and " + texts[1]
	case oneOf:
		return "one of " + strings.Join(texts, ", ")
	case isSet:
		return "set"
	case sameAs:
		return "same as " + alt.system
	}
	if alt.system != "" {
		return "same as " + alt.system + " (" + texts[0] + ")"
	}
	return texts[0]
}

// Plain reports whether it asks for no value of another system.
func (r Requirement) Plain() bool { return len(r.Systems()) == 0 }

// Or is met where either of two requirements on one setting is.
func (r Requirement) Or(o Requirement) Requirement {
	return Requirement{setting: r.setting, any: append(slices.Clone(r.any), o.any...)}
}

// The forms of an alternative.
const (
	AtLeast = "at least"
	AtMost  = "at most"
	Between = "between"
	Exactly = "exactly"
	OneOf   = "one of"
	SameAs  = "same as"
	IsSet   = "set"
)

// An Alternative is one part of a requirement, for who words it otherwise.
type Alternative struct {
	Form   string
	Values []setting.Value // one, two for Between, several for OneOf, none for SameAs and IsSet
	System string          // of SameAs
}

// Alternatives are the parts of which one must hold.
func (r Requirement) Alternatives() []Alternative {
	forms := [...]string{atLeast: AtLeast, atMost: AtMost, between: Between, exactly: Exactly, oneOf: OneOf, isSet: IsSet, sameAs: SameAs}
	var list []Alternative
	for _, alt := range r.any {
		list = append(list, Alternative{forms[alt.op], alt.values, alt.system})
	}
	return list
}

// Setting returns what the requirement is about.
func (r Requirement) Setting() *setting.Setting { return r.setting }

// Systems returns the names after "same as".
func (r Requirement) Systems() []string {
	var names []string
	for _, alt := range r.any {
		if alt.op == sameAs {
			names = append(names, alt.system)
		}
	}
	return names
}

// Test tells whether v is as asked for. An unknown value is never met and
// never falls short. "same as" must have been resolved; unresolved it is
// unknown.
func (r Requirement) Test(v setting.Value) Outcome {
	if !v.Known() {
		return Unknown
	}
	result := FallsShort
	for _, alt := range r.any {
		switch alt.test(r.setting, v) {
		case Meets:
			return Meets
		case Unknown:
			result = Unknown
		}
	}
	return result
}

func (alt alternative) test(s *setting.Setting, v setting.Value) Outcome {
	ok := false
	switch alt.op {
	case atLeast:
		ok = s.CompareAmounts(v, alt.values[0]) >= 0
	case atMost:
		ok = s.CompareAmounts(v, alt.values[0]) <= 0
	case between:
		ok = s.CompareAmounts(v, alt.values[0]) >= 0 && s.CompareAmounts(v, alt.values[1]) <= 0
	case isSet:
		yes, isFlag := v.Flag()
		ok = v.State() != setting.Off && (!isFlag || yes)
	case sameAs:
		return Unknown
	default:
		for _, want := range alt.values {
			ok = ok || s.CompareAmounts(v, want) == 0
		}
	}
	if ok {
		return Meets
	}
	return FallsShort
}

// Resolve returns the requirement with each "same as SYSTEM" replaced by the
// value that the system has; a value that is unknown stays unresolved.
func (r Requirement) Resolve(valueOf func(system string) setting.Value) Requirement {
	out := Requirement{setting: r.setting}
	for _, alt := range r.any {
		if alt.op == sameAs {
			if v := valueOf(alt.system); v.Known() {
				alt = alternative{op: exactly, values: []setting.Value{v}, system: alt.system}
			}
		}
		out.any = append(out.any, alt)
	}
	return out
}
