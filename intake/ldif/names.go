package ldif

import (
	"slices"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"
)

// NormalDN writes a distinguished name so that equal names are equal texts.
func NormalDN(dn string) string {
	if !strings.ContainsAny(dn, "\\\"+ ;#<>") {
		return strings.ToLower(dn)
	}
	parsed, err := ldap.ParseDN(dn)
	if err != nil {
		return strings.ToLower(dn)
	}
	return strings.ToLower(parsed.String())
}

// UnitOf is the path of a DN's organizational units, widest first.
func UnitOf(dn string) string {
	if !strings.Contains(strings.ToLower(dn), "ou=") {
		return ""
	}
	parsed, err := ldap.ParseDN(dn)
	if err != nil {
		return ""
	}
	var units []string
	for _, rdn := range parsed.RDNs[min(1, len(parsed.RDNs)):] {
		for _, a := range rdn.Attributes {
			if strings.EqualFold(a.Type, "ou") {
				units = append(units, a.Value)
			}
		}
	}
	slices.Reverse(units)
	return strings.Join(units, "/")
}

// Stamp reads a generalized time in UTC such as 20260902064800Z, with or
// without a fraction of a second.
func Stamp(text string) (time.Time, bool) {
	if len(text) < 15 || text[len(text)-1] != 'Z' {
		return time.Time{}, false
	}
	n := [6]int{}
	for i, width := range [...]int{4, 2, 2, 2, 2, 2} {
		start := []int{0, 4, 6, 8, 10, 12}[i]
		for _, c := range text[start : start+width] {
			if c < '0' || c > '9' {
				return time.Time{}, false
			}
			n[i] = n[i]*10 + int(c-'0')
		}
	}
	if n[1] < 1 || n[1] > 12 || n[2] < 1 || n[2] > 31 || n[3] > 23 || n[4] > 59 || n[5] > 60 {
		return time.Time{}, false
	}
	return time.Date(n[0], time.Month(n[1]), n[2], n[3], n[4], n[5], 0, time.UTC), true
}
