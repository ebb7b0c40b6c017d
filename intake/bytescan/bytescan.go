// Package bytescan finds all places of a byte in a text at once: a bit for each. Fields
// are short, so that a search for each of them is mostly spent on beginning to search.
package bytescan

import (
	"math/bits"
	"strings"
	"unsafe"
)

// A Finder finds one place of a byte after the other in a text that is gone through
// from its beginning on. The zero Finder with a byte is ready for any text.
type Finder struct {
	Byte byte
	// Marks are of the text from From to To, a bit for each byte.
	Marks    [Stretch / 64]uint64
	From, To int
}

// Stretch is how many bytes are marked at a time: few enough to stay near until they
// are looked at.
const Stretch = 1 << 13

// Begin forgets the text, for another.
func (f *Finder) Begin() { f.From, f.To = 0, 0 }

// Next returns the first place of the byte from one on, the length of the text where
// there is none.
func (f *Finder) Next(text string, at int) int {
	for {
		if at >= f.From && at < f.To {
			for word, rest := (at-f.From)/64, ^uint64(0)<<((at-f.From)%64); word < len(f.Marks); word, rest = word+1, ^uint64(0) {
				if found := f.Marks[word] & rest; found != 0 {
					return f.From + word*64 + bits.TrailingZeros64(found)
				}
			}
			at = f.To
		}
		if at >= len(text) {
			return len(text)
		}
		f.Mark(text, at)
	}
}

// Count is how often the byte stands between two places, of which the second comes not
// more than a stretch behind the first.
func (f *Finder) Count(text string, from, to int) int {
	if from < f.From || to > f.To {
		f.Mark(text, from)
	}
	from, to = from-f.From, to-f.From
	first, last := from/64, to/64
	if first == last {
		return bits.OnesCount64(f.Marks[first] >> (from % 64) << (from % 64) & (1<<(to%64) - 1))
	}
	n := bits.OnesCount64(f.Marks[first] >> (from % 64))
	for _, word := range f.Marks[first+1 : last] {
		n += bits.OnesCount64(word)
	}
	if to%64 > 0 {
		n += bits.OnesCount64(f.Marks[last] & (1<<(to%64) - 1))
	}
	return n
}

// Mark marks the text from a place on.
func (f *Finder) Mark(text string, from int) {
	f.From, f.To = from, min(from+Stretch, len(text))
	Mark(f.Marks[:], text[f.From:f.To], f.Byte)
	clear(f.Marks[(f.To-f.From+63)/64:])
}

// Mark sets the bits of marks for the places of text, from the lowest of the first on,
// where the byte stands, and clears those of all others. There must be one of marks for
// each 64 bytes of text, or begun 64.
func Mark(marks []uint64, text string, b byte) {
	whole := 0
	if vectors {
		if whole = len(text) / 64; whole > 0 {
			_ = marks[whole-1]
			mark(&marks[0], unsafe.StringData(text), whole, b)
		}
	}
	markEach(marks[whole:], text[whole*64:], b)
}

// markEach searches for one after the other.
func markEach(marks []uint64, text string, b byte) {
	clear(marks[:(len(text)+63)/64])
	for from := 0; ; from++ {
		at := strings.IndexByte(text[from:], b)
		if at < 0 {
			return
		}
		from += at
		marks[from/64] |= 1 << (from % 64)
	}
}

// same has a bit for each of eight bytes that is the same in both.
func same(bytes, as uint64) uint64 {
	const low = 0x7f7f7f7f7f7f7f7f
	x := bytes ^ as
	return ^(x&low + low | x | low) >> 7 * 0x0102040810204080 >> 56
}
