package bytescan

import (
	"math"
	"strings"
	"unsafe"
)

// A Frame is what stands between the values of rows that are alike. A value stands behind
// each of its parts, and ends where the next part may begin. The zero Frame has no parts.
type Frame struct {
	parts []part
	ends  []string // the bytes that end their values
	long  []int    // those of which the vectors compare only the beginning
}

// A part is laid out as frame takes it.
type part struct {
	begin [block]byte // its first bytes
	mask  [block]byte // 255 for each of these
	ends  [block]byte // bytes that end its value, by their lowest four bits, twice; others for none
	size  int
	_     int // the length of the value before, which frame keeps
	text  string
}

// block is how many bytes are compared at a time.
const block = 32

// A Span is where a value stands in a text.
type Span struct{ From, To uint32 }

// Clear takes all parts away.
func (f *Frame) Clear() { f.parts, f.ends, f.long = f.parts[:0], f.ends[:0], f.long[:0] }

// Add adds a part, and the bytes of which the first that comes ends the value behind it:
// characters of ASCII of which no two have the same lowest four bits, that which mostly
// ends it before the others.
func (f *Frame) Add(text, ends string) {
	p := part{size: len(text), text: text}
	for i := range copy(p.begin[:], text) {
		p.mask[i] = math.MaxUint8
	}
	p.ends[0], p.ends[block/2] = 1, 1 // 0 would be the byte 0
	for _, c := range []byte(ends) {
		p.ends[c%16], p.ends[c%16+block/2] = c, c
	}
	if len(text) > block {
		f.long = append(f.long, len(f.parts))
	}
	f.parts, f.ends = append(f.parts, p), append(f.ends, ends)
}

// endAt returns the place of the first of some bytes; -1 for none.
func endAt(value, ends string) int {
	size := -1
	for i := range len(ends) {
		if at := strings.IndexByte(value, ends[i]); at >= 0 {
			value, size = value[:at], at
		}
	}
	return size
}

// MostParts is how many parts Values goes through together.
const MostParts = 64

// Values finds the values behind the parts with the numbers from (included) to to (not
// included), at most MostParts, of which the first should stand at a place of text. Where
// one does not stand, those behind it are tried, up to as many as gap. It puts the values
// into spans, by the numbers of their parts, with a bit in met for each, the lowest for
// the part from, and returns the number of the first part for which neither it nor one
// behind it stands where it should, or whose value has no end, and where it should stand;
// to, and where the last value ends, where there is none.
func (f *Frame) Values(text string, at, from, to, gap int, spans []Span) (done, end int, met uint64) {
	if from >= to || int64(len(text)) > math.MaxUint32 {
		return from, at, 0
	}
	parts, _ := f.parts[from:to], spans[to-1]
	if !vectors {
		return f.each(text, at, from, to, gap, spans)
	}
	done, end, met, short := frame(unsafe.StringData(text), at, len(text)-block, &parts[0], len(parts), gap, &spans[from])
	done += from
	for _, k := range f.long {
		if k < from || k >= done || met>>(k-from)&1 == 0 {
			continue
		}
		behind := int(spans[k].From)
		if p := &f.parts[k]; text[behind-p.size+block:behind] != p.text[block:] {
			done, end, met = k, behind-p.size, met&(1<<(k-from)-1)
			for done > from && met>>(done-1-from)&1 == 0 { // those before were passed over for it
				done--
			}
			short = true
			break
		}
	}
	if short {
		k, at, more := f.each(text, end, done, to, gap, spans)
		return k, at, met | more<<(done-from)
	}
	return done, end, met
}

// each is Values for any processor, and where a text ends.
func (f *Frame) each(text string, at, from, to, gap int, spans []Span) (done, end int, met uint64) {
	for k := from; k < to; k++ {
		first := k
		for !strings.HasPrefix(text[at:], f.parts[k].text) {
			if k++; k == to || k-first > gap {
				return first, at, met
			}
		}
		p := &f.parts[k]
		size := endAt(text[at+p.size:], f.ends[k])
		if size < 0 {
			return first, at, met
		}
		spans[k] = Span{uint32(at + p.size), uint32(at + p.size + size)}
		at += p.size + size
		met |= 1 << (k - from)
	}
	return to, at, met
}
