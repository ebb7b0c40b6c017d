package jsonfile

import (
	"encoding/json"
	"fmt"
	"io"

	"yewcone/output/visible"
)

// newEncoder returns an encoder whose output is safe to look at: characters
// that cannot be seen, such as marks of writing direction, are written as
// \u escapes, which mean the same to a reader of JSON.
func newEncoder(w io.Writer) *json.Encoder {
	e := json.NewEncoder(&escaper{w})
	e.SetEscapeHTML(false)
	return e
}

// escaper gets each document whole, since an encoder writes it in one go.
type escaper struct{ w io.Writer }

func (e *escaper) Write(p []byte) (int, error) {
	if _, err := e.w.Write(escape(p)); err != nil {
		return 0, err
	}
	return len(p), nil
}

func escape(p []byte) []byte {
	ascii := true
	for _, b := range p {
		ascii = ascii && b < 0x7f
	}
	if ascii {
		return p
	}
	out := make([]byte, 0, len(p)+16)
	for _, r := range string(p) {
		switch {
		case r == '\n' || !visible.Hidden(r):
			out = append(out, string(r)...)
		case r > 0xffff:
			r -= 0x10000
			out = fmt.Appendf(out, "\\u%04x\\u%04x", 0xd800+r>>10, 0xdc00+r&0x3ff)
		default:
			out = fmt.Appendf(out, "\\u%04x", r)
		}
	}
	return out
}
