package text

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
)

// of encoding/json, what errors have in them beside the character that is wrong, and
// what is said.
var jsonTexts = []struct{ has, said string }{
	{"looking for beginning of value", "something else stands where a value should begin"},
	{"looking for beginning of object key", "something else stands where the name of a member should begin"},
	{"after object key:value pair", "neither a comma nor a brace follows a member"},
	{"after object key", "no colon follows the name of a member"},
	{"after array element", "neither a comma nor a bracket follows an element"},
	{"after top-level value", "something follows the value"},
	{"in string literal", "a control character stands in a text"},
	{"escape", "a backslash in a text begins nothing that JSON knows"},
	{"numeric literal", "a number is not written as JSON writes them"},
	{"in literal", "a word is neither true nor false nor null"},
	{"unexpected end", "it ends too early"},
}

// ToldJSON is an error of encoding/json without any text of the file, which may be a
// part of a secret: the library shows the character that is wrong, and numbers.
func ToldJSON(err error) error {
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	switch {
	case errors.As(err, &syntax):
		for _, t := range jsonTexts {
			if strings.Contains(syntax.Error(), t.has) {
				return errors.New(t.said)
			}
		}
		return errors.New("it is not JSON")
	case errors.As(err, &kind):
		what, _, _ := strings.Cut(kind.Value, " ")
		if kind.Field == "" {
			return fmt.Errorf("%s stands where another kind of value belongs", withArticle(what))
		}
		return fmt.Errorf("%q is %s, where another kind of value belongs", kind.Field, withArticle(what))
	}
	return err
}

func withArticle(kind string) string {
	if strings.ContainsRune("aeiou", rune(kind[0])) {
		return "an " + kind
	}
	return "a " + kind
}
