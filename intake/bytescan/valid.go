package bytescan

import (
	"unicode/utf8"
	"unsafe"
)

// Valid reports whether a text is UTF-8, sooner than utf8.ValidString where it is mostly
// ASCII.
func Valid(text string) bool {
	if blocks := len(text) / 128; vectors && blocks > 0 && !beyond(unsafe.StringData(text), blocks) {
		text = text[blocks*128:]
	}
	return utf8.ValidString(text)
}
