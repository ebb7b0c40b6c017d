package facts

import "strings"

// Under reports whether a unit's path is another's or lies below it.
func Under(path, above string) bool {
	rest, ok := strings.CutPrefix(path, strings.TrimSuffix(above, "/"))
	return ok && (rest == "" || rest[0] == '/')
}
