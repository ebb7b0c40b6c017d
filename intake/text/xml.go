package text

import (
	"encoding/xml"
	"errors"
	"strings"
)

// of encoding/xml, what begins errors that show text of the file, and what is said.
var xmlTexts = []struct{ begin, said string }{
	{"unexpected end element", "an element ends that has not begun"},
	{"element <", "an element is closed by the end of another"},
	{"invalid characters between", "the end of an element has more in it than its name"},
	{"invalid character entity", "an & stands there that begins no character that XML knows"},
	{"invalid XML name", "a name has characters that XML does not allow in one"},
	{"xml: unsupported version", "the version of XML is not 1.0"},
	{"xml: opening charset", "the encoding that it names is not known"},
	{"xml: encoding", "the encoding that it names is not known"},
}

// ToldXML is an error of encoding/xml without its line, and without any text of the
// file, which may be a part of a secret.
func ToldXML(err error) error {
	message := ""
	var syntax *xml.SyntaxError
	if errors.As(err, &syntax) {
		message = syntax.Msg
	} else if message = err.Error(); !strings.HasPrefix(message, "xml: ") {
		return err
	}
	for _, t := range xmlTexts {
		if strings.HasPrefix(message, t.begin) {
			return errors.New(t.said)
		}
	}
	return errors.New(message)
}
