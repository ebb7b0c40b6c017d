package ldif

import (
	"slices"
	"strings"

	"github.com/go-ldap/ldap/v3"
)

// NormalDN writes a distinguished name so that equal names are equal texts.
func NormalDN(dn string) string {
	if isPlain(dn) {
		return strings.ToLower(dn)
	}
	parsed, err := ldap.ParseDN(dn)
	if err != nil {
		return strings.ToLower(dn)
	}
	var b strings.Builder
	for i, rdn := range parsed.RDNs {
		if i > 0 {
			b.WriteByte(',')
		}
		parts := make([]string, len(rdn.Attributes))
		for j, a := range rdn.Attributes {
			parts[j] = strings.ToLower(a.Type + "=" + escaped(a.Value))
		}
		slices.Sort(parts)
		b.WriteString(strings.Join(parts, "+"))
	}
	return b.String()
}

// Below reports whether a name is of an entry below another; both in normal form.
func Below(dn, above string) bool {
	n := len(dn) - len(above)
	return n > 0 && dn[n-1] == ',' && dn[n:] == above
}

// isPlain reports whether a name has nothing that is escaped or may be written in
// two ways, such as spaces beside a comma.
func isPlain(dn string) bool {
	before := byte(',')
	for i := 0; i < len(dn); i++ {
		c := dn[i]
		switch c {
		case '\\', '"', '+', ';', '#', '<', '>':
			return false
		case ' ':
			if before == ',' || before == '=' {
				return false
			}
		case ',', '=':
			if before == ' ' {
				return false
			}
		}
		before = c
	}
	return before != ' '
}

// escaped writes a value as it stands in a distinguished name (RFC 4514, 2.4).
func escaped(value string) string {
	var b strings.Builder
	for i := 0; i < len(value); i++ {
		c := value[i]
		end := i == 0 || i == len(value)-1
		if strings.IndexByte("\\\"+,;<>", c) >= 0 || c == ' ' && end || c == '#' && i == 0 {
			b.WriteByte('\\')
		}
		b.WriteByte(c)
	}
	return b.String()
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
