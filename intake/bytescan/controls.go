package bytescan

import "encoding/binary"

// Control reports whether a byte is a control character that no text has; an escape
// begins colours, which some commands print.
func Control(c byte) bool { return c < ' ' && (c < '\t' || c > '\r') && c != 0x1b }

// Controls returns the place of the first control character, -1 for none, and where there
// is none that of the last byte that is below a blank and no line feed, -1 for none.
func Controls(text []byte) (first, low int) {
	whole := 0
	if first, low = -1, -1; vectors && len(text) >= 32 {
		whole = len(text) / 32 * 32
		if first, low = odd(&text[0], whole/32); first >= 0 {
			return first, low
		}
	}
	rest, lowest := controls(text[whole:])
	if rest >= 0 {
		first = whole + rest
	}
	if lowest >= 0 {
		low = whole + lowest
	}
	return first, low
}

// controls looks at eight bytes at a time for one below a blank.
func controls(text []byte) (first, low int) {
	low = -1
	for i := 0; i < len(text); {
		end := min(i+8, len(text))
		if end == i+8 {
			word := binary.LittleEndian.Uint64(text[i:])
			below := (word - 0x2020202020202020) &^ word & 0x8080808080808080
			if below == 0 || below&noLineFeed(word) == 0 {
				i = end
				continue
			}
		}
		for ; i < end; i++ {
			if c := text[i]; Control(c) {
				return i, i
			} else if c < ' ' && c != '\n' {
				low = i
			}
		}
	}
	return -1, low
}

// noLineFeed has the highest bit of each byte that is no line feed.
func noLineFeed(word uint64) uint64 {
	const low = 0x7f7f7f7f7f7f7f7f
	x := word ^ 0x0a0a0a0a0a0a0a0a
	return x&low + low | x
}
