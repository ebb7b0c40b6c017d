package mapping

import (
	"math/bits"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/stamp"
)

// textQuestion is a question that is put to a text as it stands.
type textQuestion struct {
	op      facts.QuestionOp
	texts   []string
	lengths uint64    // a bit for each length that one of the texts has; the last for all longer
	first   [256]bool // bytes that a text of which it holds may begin with
}

func newQuestions(list []facts.Question) []textQuestion {
	var out []textQuestion
	for _, q := range list {
		if q.Op == facts.HasItem {
			return nil
		}
		t := textQuestion{op: q.Op, texts: q.Texts}
		for _, text := range q.Texts {
			t.lengths |= lengthBit(text)
			for c := range t.first {
				t.first[c] = t.first[c] || text == "" || text[0] == byte(c) || q.Op == facts.Ends || q.Op == facts.Holds
			}
		}
		out = append(out, t)
	}
	return out
}

func lengthBit(s string) uint64 { return 1 << min(len(s), 63) }

// holds answers it. It may tell more texts apart than the condition does.
func (q *textQuestion) holds(text string) bool {
	if text != "" && !q.first[text[0]] {
		return false
	}
	switch q.op {
	case facts.Equals:
		return q.lengths&lengthBit(text) != 0 && slices.Contains(q.texts, text)
	case facts.NameOnly:
		if at := strings.IndexByte(text, '@'); at >= 0 {
			text = text[:at]
		}
		return q.lengths&lengthBit(text) != 0 && slices.Contains(q.texts, text)
	}
	for _, t := range q.texts {
		switch q.op {
		case facts.Begins:
			if strings.HasPrefix(text, t) {
				return true
			}
		case facts.Ends:
			if strings.HasSuffix(text, t) {
				return true
			}
		default:
			if strings.Contains(text, t) {
				return true
			}
		}
	}
	return false
}

// knownText is a text of which the class is known: its first and its last eight bytes,
// and what is between them.
type knownText struct {
	first   uint64
	last    uint64
	class   uint32
	length  uint8 // and one more; 0 for none
	between [longestKnown - 16]byte
}

const (
	knownBits    = 7
	longestKnown = 43
)

// known is the class of a text that was met before, else of one that is tried.
func (s *sketcher) known(c *sketchColumn, text string, row int) uint32 {
	first, last := endsOf(text)
	place := placeOf(first, last, len(text))
	if slot := &c.known[place]; slot.is(text, first, last) {
		return slot.class
	}
	if slot := &c.known[place^1]; slot.is(text, first, last) {
		return slot.class
	}
	return s.learn(c, text, row)
}

// placeOf spreads texts over the places of those that are known.
func placeOf(first, last uint64, n int) uint64 {
	return (first ^ bits.RotateLeft64(last, 29) ^ uint64(n)<<56) * 0x9e3779b97f4a7c15 >> (64 - knownBits)
}

func (k *knownText) is(text string, first, last uint64) bool {
	if k.first != first || k.last != last || int(k.length) != len(text)+1 {
		return false
	}
	return len(text) <= 16 || k.holds(text)
}

func (k *knownText) holds(text string) bool {
	return string(k.between[:len(text)-16]) == text[8:len(text)-8]
}

// learn tries a text that is not known.
func (s *sketcher) learn(c *sketchColumn, text string, row int) uint32 {
	class := s.try(c, trimmed(text), s.rows.Row(row))
	if len(text) > longestKnown {
		return class
	}
	first, last := endsOf(text)
	place := placeOf(first, last, len(text))
	slot := &c.known[place]
	if next := &c.known[place^1]; slot.length > 0 && next.length == 0 {
		slot = next
	}
	slot.length, slot.class, slot.first, slot.last = uint8(len(text)+1), class, first, last
	if len(text) > 16 {
		copy(slot.between[:], text[8:len(text)-8])
	}
	return class
}

// endsOf are the first and the last eight bytes of a text, which overlap in one of
// fewer than sixteen; shorter ones are put into one number.
func endsOf(s string) (first, last uint64) {
	n := len(s)
	if n >= 8 {
		return stamp.Eight(s), stamp.Eight(s[n-8:])
	}
	if n >= 4 {
		return uint64(stamp.Four(s)) | uint64(stamp.Four(s[n-4:]))<<32, 0
	}
	if n > 0 {
		return uint64(s[0]) | uint64(s[n>>1])<<8 | uint64(s[n-1])<<16, 0
	}
	return 0, 0
}
