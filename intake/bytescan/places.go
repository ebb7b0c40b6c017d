package bytescan

import (
	"encoding/binary"
	"math/bits"
	"slices"
	"unsafe"
)

// Places lists where one of two bytes stands, some way ahead, in a text that is gone
// through from its beginning on. Places with the bytes set is ready for any text of less
// than four GB.
type Places struct {
	A, B     byte
	list     []uint32
	next     int // in the list
	wanted   int // the last time: mostly all that is passed over the next time
	from, to int // of what is listed
}

// Begin forgets the text, for another.
func (p *Places) Begin() { *p = Places{A: p.A, B: p.B, list: p.list[:0]} }

// ahead is how many bytes are looked through at a time: few enough to stay near until
// they are looked at.
const ahead = 1 << 12

// From returns places from one on, in rising order: as many as are wanted or more, fewer
// where the text ends. They are good until the next call.
func (p *Places) From(text string, at, want int) []uint32 {
	p.begin(at)
	p.wanted = want
	for len(p.list)-p.next < want && p.to < len(text) {
		p.add(text)
	}
	return p.list[p.next:]
}

// Through returns all places from one on before another. They are good until the next
// call.
func (p *Places) Through(text string, at, end int) []uint32 {
	p.begin(at)
	for p.to < end {
		p.add(text)
	}
	found := p.list[p.next:]
	n, _ := slices.BinarySearch(found, uint32(end))
	return found[:n]
}

// begin passes over what is before a place.
func (p *Places) begin(at int) {
	if at < p.from || at > p.to {
		p.list, p.next, p.from, p.to = p.list[:0], 0, at, at
	}
	if n := p.next + p.wanted; p.wanted > 0 && n <= len(p.list) && p.list[n-1] < uint32(at) {
		p.next = n
	}
	for p.next < len(p.list) && p.list[p.next] < uint32(at) {
		p.next++
	}
	p.from = at
}

// add looks further, and lets go of what was passed.
func (p *Places) add(text string) {
	if p.next > 0 {
		p.list, p.next = append(p.list[:0], p.list[p.next:]...), 0
	}
	to := min(p.to+ahead, len(text))
	p.list = appendPlaces(p.list, text[p.to:to], uint32(p.to), p.A, p.B)
	p.to = to
}

// appendPlaces appends the places of two bytes, of a text that begins at some place.
func appendPlaces(list []uint32, text string, at uint32, a, b byte) []uint32 {
	if whole := len(text) / 64; vectors && whole > 0 {
		n := len(list)
		list = slices.Grow(list, whole*64+8) // eight are written together
		n += places(unsafe.SliceData(list[:n+1][n:]), unsafe.StringData(text), whole, at, a, b)
		list = list[:n]
		text, at = text[whole*64:], at+uint32(whole)*64
	}
	return appendEach(list, text, at, a, b)
}

// appendEach looks at eight bytes at a time.
func appendEach(list []uint32, text string, at uint32, a, b byte) []uint32 {
	allA, allB := 0x0101010101010101*uint64(a), 0x0101010101010101*uint64(b)
	bytes := unsafe.Slice(unsafe.StringData(text), len(text)) // only read
	for ; len(bytes) >= 8; bytes, at = bytes[8:], at+8 {
		word := binary.LittleEndian.Uint64(bytes)
		for found := same(word, allA) | same(word, allB); found != 0; found &= found - 1 {
			list = append(list, at+uint32(bits.TrailingZeros64(found)))
		}
	}
	for i, c := range bytes {
		if c == a || c == b {
			list = append(list, at+uint32(i))
		}
	}
	return list
}
