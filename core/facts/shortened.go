package facts

import "strings"

// LongestName is how long the name of an account may be, in bytes; distinguished
// names are the longest that systems have.
const LongestName = 4096

// shownOfName is how many bytes of a name are shown.
const shownOfName = 200

// Shortened is a copy of a name as it is shown: whole where it is short.
func Shortened(name string) string {
	if len(name) <= shownOfName {
		return strings.Clone(name)
	}
	return strings.ToValidUTF8(name[:shownOfName], "") + "…"
}
