package ldif

import (
	"slices"
	"strings"

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

// FirstName is the value of the first part of a distinguished name: "ann" of
// "uid=ann,ou=deck"; "" for what is no name.
func FirstName(dn string) string {
	parsed, err := ldap.ParseDN(dn)
	if err != nil || len(parsed.RDNs) == 0 || len(parsed.RDNs[0].Attributes) == 0 {
		return ""
	}
	return parsed.RDNs[0].Attributes[0].Value
}
