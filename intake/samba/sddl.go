package samba

import (
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"strings"

	"yewcone/intake/ldif"
)

// binaryIDs writes identifiers as text that a general search tool gives in
// binary, as a controller's own tools do.
func binaryIDs(x *ldif.Entry) {
	for i := range x.Attrs {
		switch a := &x.Attrs[i]; a.Name {
		case "objectsid":
			a.Value = sidText(a.Value)
		case "objectguid":
			a.Value = guidText(a.Value)
		}
	}
}

// sidText is the text of a security identifier: its revision, its authority
// (six bytes, big-endian) and its parts (four bytes each, little-endian).
func sidText(raw string) string {
	if len(raw) < 8 || raw[0] != 1 || len(raw) != 8+4*int(raw[1]) {
		return raw
	}
	b := []byte(raw)
	var b8 [8]byte
	copy(b8[2:], b[2:8])
	text := fmt.Sprintf("S-1-%d", binary.BigEndian.Uint64(b8[:]))
	for at := 8; at < len(b); at += 4 {
		text += fmt.Sprintf("-%d", binary.LittleEndian.Uint32(b[at:]))
	}
	return text
}

// guidText is the text of a GUID, whose first three groups are stored
// little-endian.
func guidText(raw string) string {
	if len(raw) != 16 {
		return raw
	}
	b := []byte(raw)
	return fmt.Sprintf("%08x-%04x-%04x-%s-%s", binary.LittleEndian.Uint32(b), binary.LittleEndian.Uint16(b[4:]),
		binary.LittleEndian.Uint16(b[6:]),
		hex.EncodeToString(b[8:10]), hex.EncodeToString(b[10:]))
}

// resetRight is the right to set a password without knowing the present one.
const resetRight = "00299570-246d-11d0-a768-00aa006e0529"

// delegated gathers to whom the access list of a unit gives others' passwords:
// the reset right, all extended rights, or everything. Entries for the account
// itself and for those that rule anyway are none.
func (e *export) delegated(x *ldif.Entry) {
	_, list, ok := strings.Cut(x.Text("ntsecuritydescriptor"), "D:")
	if !ok {
		return
	}
	list, _, _ = strings.Cut(list, "S:")
	for entry := range strings.SplitSeq(list, "(") {
		entry, _, _ = strings.Cut(entry, ")")
		f := strings.Split(entry, ";")
		if len(f) < 6 || f[0] != "A" && f[0] != "OA" || !strings.HasPrefix(f[5], "S-1-5-21-") {
			continue
		}
		all := strings.Contains(f[2], "GA") || strings.Contains(f[2], "WD") || strings.Contains(f[2], "WO")
		control := strings.Contains(f[2], "CR") && (f[3] == "" || strings.EqualFold(f[3], resetRight))
		if all || control {
			e.resets[f[5]] = true
		}
	}
}
