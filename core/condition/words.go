package condition

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"yewcone/core/nearword"
	"yewcone/core/onuse"
	"yewcone/core/strictyaml"

	"github.com/expr-lang/expr/file"
)

// explain turns the checker's error into a problem with its place, and says
// which fact was probably meant.
func explain(text strictyaml.Text, err error, names []string, stage Stage, places []int) error {
	var at *file.Error
	if !errors.As(err, &at) {
		return text.At(0, "%s", inWords(plainTypes.Replace(err.Error())))
	}
	message := at.Message
	if unknown, ok := strings.CutPrefix(message, "unknown name "); ok {
		unknown = strings.Fields(unknown)[0]
		message = fmt.Sprintf("no fact about accounts is named %q", unknown)
		if later := FindFact(unknown); later != nil && later.Stage > stage {
			message = fmt.Sprintf("%q is worked out later and cannot be asked here", unknown)
		} else if advice := nearword.Advice(unknown, append(names, functionNames()...)); advice != "" {
			message += advice
		} else {
			message += "; known are " + strings.Join(names, ", ")
		}
	}
	message = plainTypes.Replace(message)
	if strings.Contains(message, "types time and number") {
		message += "; write a length of time as days(90), hours(8) or months(3)"
	}
	return text.At(places[min(max(at.Column, 0), len(places)-1)], "%s", inWords(message))
}

// plainTypes are the words for types of the expression language.
var plainTypes = strings.NewReplacer("time.Duration", "time", "time.Time", "date", "[]string", "list", "bool", "yes or no", "string", "text", "int", "number")

var (
	unexpected = onuse.Regexp(`^unexpected token (\w+)(?:\("(.*)"\))?`)
	mismatched = onuse.Regexp(`^invalid operation: (\S+) \(mismatched types? ([^;)]+)\)`)
)

// operators are those that conditions have; meant are others that people write for
// them.
var (
	operators = []string{"and", "or", "not", "==", "!=", "<", "<=", ">", ">=", "in", "startsWith", "endsWith", "contains", "matches"}
	meant     = map[string]string{"is": "==", "equals": "==", "eq": "==", "has": "contains", "includes": "contains", "like": "matches",
		"begins": "startsWith", "beginswith": "startsWith", "ends": "endsWith", "starts": "startsWith"}
)

// inWords tells what the parser or the type checker found wrong as somebody would
// say it who knows conditions.
func inWords(message string) string {
	if m := mismatched().FindStringSubmatch(message); m != nil {
		rest := message[len(m[0]):]
		left, right, two := strings.Cut(m[2], " and ")
		switch {
		case !two && m[1] == "-":
			return "a sign stands before a number or a length of time, as in -days(5)"
		case left == "date" && right == "time":
			return "a date is compared with a date: write account_ends < date(\"2026-11-20\")"
		case !two:
			return fmt.Sprintf("%s does not go with a %s: it takes what is yes or no", m[1], left)
		case slices.Contains([]string{"and", "or", "&&", "||"}, m[1]):
			if left == "yes or no" {
				left = right
			}
			return fmt.Sprintf("%s joins what is yes or no, and one of its sides is a %s", m[1], left)
		case left == "list" && (m[1] == "contains" || m[1] == "=="):
			return "this is a list: write \"x\" in groups for what is in it"
		case m[1] == "in" && right == "text":
			return "what stands behind in is a list: write login in [\"ada\", \"berit\"], or contains for a part of a text"
		}
		return fmt.Sprintf("a %s and a %s cannot be compared by %s", left, right, m[1]) + rest
	}
	if got, is := strings.CutPrefix(message, "expected yes or no, but got "); is {
		return "the condition must answer yes or no; this is a " + got
	}
	m := unexpected().FindStringSubmatch(message)
	if m == nil {
		return message
	}
	switch kind, word := m[1], m[2]; {
	case kind == "EOF":
		return "the condition ends too early"
	case word == "=":
		return "write == to compare"
	case word == "between":
		return "write two comparisons, such as idle >= days(30) and idle < days(90)"
	case slices.Contains([]string{"day", "days", "hour", "hours", "month", "months", "year", "years"}, word):
		return fmt.Sprintf("write a length of time as %ss(5)", strings.TrimSuffix(word, "s"))
	case kind == "Identifier" && meant[strings.ToLower(word)] != "":
		return fmt.Sprintf("%q is no operator; did you mean %s?", word, meant[strings.ToLower(word)])
	case kind == "Identifier":
		if near, ok := nearword.Of(word, operators); ok {
			return fmt.Sprintf("%q is no operator; did you mean %s?", word, near)
		}
		return fmt.Sprintf("%q is no operator; there are %s", word, strings.Join(operators, ", "))
	case kind == "Operator":
		return fmt.Sprintf("something is missing before %q", word)
	case word != "":
		return fmt.Sprintf("%q was not expected here: an operator is missing before it, or something else", word)
	}
	return message
}

func functionNames() []string {
	var names []string
	for name := range functions {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
