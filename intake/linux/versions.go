package linux

import (
	"strconv"
	"strings"
	"yewcone/core/facts"
)

// versions settles what differs between releases.
func (e *export) versions() {
	switch version, known := e.libpam(); {
	case !known:
		e.Noted.Remark(facts.Origin{File: e.root + "/versions.txt"},
			"the export does not tell the version of libpam (dpkg-query -W > versions.txt): whether a password is due when its last day "+
				"begins or when it is over is unknown on that day")
	case !older(version, "1.7.0"):
		e.newer = facts.Yes
	case older(version, "1.5.3"):
		e.newer = facts.No
	}
}

// older reports whether a version such as 1.5.2-6+deb12u2 comes before one of
// three numbers.
func older(version, than string) bool {
	a := strings.FieldsFunc(version, func(r rune) bool { return r < '0' || r > '9' })
	for i, number := range strings.Split(than, ".") {
		if i >= len(a) {
			return true
		}
		n, _ := strconv.Atoi(a[i])
		if m, _ := strconv.Atoi(number); n != m {
			return n < m
		}
	}
	return false
}

// libpam is the version that the export names.
func (e *export) libpam() (string, bool) {
	lines, _ := e.lines("versions.txt")
	for _, l := range lines {
		f := strings.Fields(l.text)
		if len(f) == 2 && (strings.HasPrefix(f[0], "libpam-modules") && !strings.Contains(f[0], "-bin") || f[0] == "pam") {
			return f[1], true
		}
	}
	return "", false
}
