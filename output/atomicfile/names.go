package atomicfile

import (
	"fmt"
	"path"
	"regexp"
	"runtime"
	"strings"
)

// devices are names that Windows gives to no file, whatever their ending.
var devices = regexp.MustCompile(`(?i)^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?$`)

// CheckName is an error for a path that no file of this system can have.
func CheckName(name string) error { return checkName(runtime.GOOS, name) }

func checkName(system, name string) error {
	if system != "windows" {
		return nil
	}
	rest := strings.ReplaceAll(name, `\`, "/")
	if len(rest) > 1 && rest[1] == ':' {
		rest = rest[2:] // a drive
	}
	for _, part := range strings.Split(rest, "/") {
		if devices.MatchString(part) || strings.ContainsAny(part, `<>:"|?*`) || part != path.Clean(part) && part != "" || len(part) > 2 && strings.HasSuffix(part, ".") ||
			strings.HasSuffix(part, " ") {
			return fmt.Errorf("cannot write %s: no file can be called %q on Windows; name another", name, part)
		}
	}
	return nil
}
