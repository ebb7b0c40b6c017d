// Package visible makes text that comes from exports safe to show: control
// characters, which could move a terminal's cursor, and invisible or
// direction-changing characters, which could make a text look like another,
// are written out as \u{…}.
package visible

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Text returns s with everything that cannot be seen written out. Line feeds
// and tabs are written out too.
func Text(s string) string {
	if plain(s) {
		return s
	}
	var b strings.Builder
	for i, r := range s {
		switch {
		case r == utf8.RuneError && !strings.HasPrefix(s[i:], "\uFFFD"):
			fmt.Fprintf(&b, "\\x{%02x}", s[i])
		case Hidden(r):
			fmt.Fprintf(&b, "\\u{%x}", r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

func plain(s string) bool {
	for i := range len(s) {
		if s[i] < 0x20 || s[i] >= 0x7f {
			return strings.IndexFunc(s, func(r rune) bool { return Hidden(r) || r == utf8.RuneError }) < 0
		}
	}
	return true
}

// Hidden reports whether a character cannot be seen: control and format characters (which include the marks of writing
// direction), line and paragraph separators, private and unassigned ones.
func Hidden(r rune) bool {
	return unicode.IsControl(r) || unicode.In(r, unicode.Cf, unicode.Zl, unicode.Zp, unicode.Co, unicode.Cs)
}
