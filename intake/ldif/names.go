package ldif

import (
	"encoding/binary"
	"slices"
	"strings"
	"unsafe"

	"github.com/go-ldap/ldap/v3"
)

// NormalDN writes a distinguished name so that equal names are equal texts.
func NormalDN(dn string) string {
	if b, odd := folded(nil, dn); odd&(escapes|loose|beyondASCII) == 0 {
		return string(b)
	} else if odd&(escapes|loose) == 0 {
		return strings.ToLower(dn)
	}
	return parsed(dn)
}

// parsed is NormalDN by the library.
func parsed(dn string) string {
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

// nameByte is what a byte of a name gives cause to look at.
type nameByte uint8

const (
	escapes nameByte = 1 << iota // it is escaped, quoted, or divides what may stand in two orders
	blank
	divider // of the parts of a name
	loose   // a blank beside one of these, or at the end
	beyondASCII
)

var (
	nameBytes  [256]nameByte
	smallBytes [256]byte
)

func init() {
	for i := range smallBytes {
		c := byte(i)
		if smallBytes[i] = c; 'A' <= c && c <= 'Z' {
			smallBytes[i] += 'a' - 'A'
		}
		if c >= 0x80 {
			nameBytes[i] = beyondASCII
		}
	}
	for _, c := range []byte("\\\"+;#<>") {
		nameBytes[c] = escapes
	}
	nameBytes[' '], nameBytes[','], nameBytes['='] = blank, divider, divider
}

// folded adds a name in small letters, and tells what there is to look at in it.
func folded(b []byte, dn string) ([]byte, nameByte) {
	from, odd, before := len(b), nameByte(0), divider
	b = append(b, dn...)
	for name := b[from:]; len(name) > 0; {
		if len(name) >= 8 && before != blank {
			if word := binary.LittleEndian.Uint64(name); simple(word) {
				before = nameBytes[name[7]]
				binary.LittleEndian.PutUint64(name, small(word))
				name = name[8:]
				continue
			}
		}
		n := min(8, len(name))
		for i, c := range name[:n] {
			name[i] = smallBytes[c]
			kind := nameBytes[c]
			if kind|before == blank|divider {
				odd |= loose
			}
			odd, before = odd|kind, kind
		}
		name = name[n:]
	}
	if before == blank {
		odd |= loose
	}
	return b, odd
}

const (
	ones  = 0x0101010101010101
	highs = 0x80 * ones
)

// simple reports whether eight bytes are surely none of which a name gives cause to look
// at: none that is escaped, no blank, nothing beyond ASCII.
func simple(word uint64) bool {
	angle, plus := word&^(2*ones)^'<'*ones, word^'+'*ones // the first is 0 for both angles
	semicolon, escape := word^';'*ones, word^'\\'*ones
	return (word|(word-'$'*ones)&^word|(angle-ones)&^angle|(plus-ones)&^plus|(semicolon-ones)&^semicolon|(escape-ones)&^escape)&highs == 0
}

// small is eight bytes of ASCII in small letters.
func small(word uint64) uint64 {
	capitals := (word + (0x80-'A')*ones) &^ (word + (0x80-'Z'-1)*ones) & highs
	return word | capitals>>2
}

// NormalDN is the name of the entry in normal form, good as long as the entry is.
func (e *Entry) NormalDN() string {
	if len(e.normal) == 0 {
		if e.normal, e.odd = folded(e.normal, e.DN); e.odd&(escapes|loose|beyondASCII) != 0 {
			e.normal = append(e.normal[:0], NormalDN(e.DN)...)
		}
	}
	return unsafe.String(unsafe.SliceData(e.normal), len(e.normal))
}

// units are paths of organizational units, by what stands behind the first part of a
// name: few entries have one that none before them had.
type units map[string]string

// mostUnits are how many paths are kept.
const mostUnits = 1000

// unit is UnitOf the entry's name.
func (e *Entry) unit() string {
	e.NormalDN()
	if e.units == nil || e.odd&escapes != 0 {
		return UnitOf(e.DN)
	}
	_, above, _ := strings.Cut(e.DN, ",")
	unit, known := e.units[above]
	if !known {
		if unit = UnitOf(e.DN); len(e.units) < mostUnits {
			unit = strings.Clone(unit)
			e.units[strings.Clone(above)] = unit
		}
	}
	return unit
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
