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
	if !strings.ContainsAny(dn, "\\\"+;#<>") {
		return plainUnit(dn)
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

// plainUnit is UnitOf for a name without anything escaped.
func plainUnit(dn string) string {
	unit := ""
	_, rest, _ := strings.Cut(dn, ",")
	for rest != "" {
		var part string
		part, rest, _ = strings.Cut(rest, ",")
		kind, name, _ := strings.Cut(part, "=")
		if !strings.EqualFold(strings.TrimSpace(kind), "ou") {
			continue
		}
		if name = strings.TrimSpace(name); unit == "" {
			unit = name
		} else {
			unit = name + "/" + unit
		}
	}
	return unit
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
