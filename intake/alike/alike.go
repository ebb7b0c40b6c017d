// Package alike puts the texts of a column into classes, so that rows can be told apart
// before accounts are made of them: texts of one class do the same to every account, as
// far as anything in the run asks.
package alike

import (
	"math/bits"

	"yewcone/core/facts"
	"yewcone/intake/stamp"
)

const (
	// None is no class: something must be said of the text each time, and the row is
	// filled in.
	None = ^uint32(0)
	// First is the first class that texts are put into; those below stand for what a
	// reader tells apart itself.
	First = 8
	// MostAsked is how many answers are told apart together.
	MostAsked = 32
	// longestKnown is the longest text, in bytes, of which the class is kept by the text.
	longestKnown = 59

	most      = 1 << 12 // classes of a column
	knownBits = 7
)

// Classes are those of one column.
type Classes struct {
	count int
	keys  map[string]uint32

	asks      []func(*facts.Account) facts.Tri
	questions []question // the same, put to the text as it stands; nil where they cannot be
	field     *string    // where the account that is asked has the text
	answers   []answered
	usual     [16]uint32 // the classes of the first answers; 0 for none yet

	known [1 << knownBits]knownText
}

// answered is a class of texts of which all questions are answered alike.
type answered struct {
	answers uint64
	class   uint32
}

// Ask says what is asked of the texts, at most MostAsked questions, and the same in
// words where questions can be put so; field is where the account that Asked is given
// has the text.
func (c *Classes) Ask(asks []func(*facts.Account) facts.Tri, questions []facts.Question, field *string) {
	c.asks, c.questions, c.field = asks, questionsOf(questions, ""), field
}

// AskItems is Ask for texts that are lists, with split between their items; false where
// some question cannot be put to the text as it stands.
func (c *Classes) AskItems(questions []facts.Question, split string) bool {
	c.questions = questionsOf(questions, split)
	return c.questions != nil
}

// Questions are those about a text that a mapping's fact fills; none where they cannot be
// put so, or are too many to be told apart together.
func Questions(k *facts.Sketching, fact string) []facts.Question {
	questions, ok := k.Questions(fact)
	if !ok || len(questions) > MostAsked {
		return nil
	}
	return questions
}

// InWords reports whether the questions are put to the text as it stands.
func (c *Classes) InWords() bool { return c.questions != nil }

// Asked is the class of a text by the answers to what is asked of it; scratch is
// nobody's account.
func (c *Classes) Asked(text string, scratch *facts.Account) uint32 {
	answers := uint64(0)
	if c.questions != nil {
		for i := range c.questions {
			answers <<= 1
			if c.questions[i].holds(text) {
				answers |= 1
			}
		}
	} else {
		*c.field = text
		for _, ask := range c.asks {
			answers = answers<<2 | uint64(ask(scratch))
		}
	}
	if answers < uint64(len(c.usual)) && c.usual[answers] != 0 {
		return c.usual[answers]
	}
	for i := range c.answers {
		if c.answers[i].answers == answers {
			return c.answers[i].class
		}
	}
	class := c.another()
	c.answers = append(c.answers, answered{answers, class})
	if answers < uint64(len(c.usual)) {
		c.usual[answers] = class
	}
	return class
}

// another is a class that no text was in; None where there are too many.
func (c *Classes) another() uint32 {
	if c.count == most {
		return None
	}
	c.count++
	return uint32(First + c.count - 1)
}

// Of is the class of texts that are told apart by a key.
func (c *Classes) Of(key []byte) uint32 {
	class, ok := c.keys[string(key)]
	if !ok {
		if class = c.another(); class != None {
			if c.keys == nil {
				c.keys = map[string]uint32{}
			}
			c.keys[string(key)] = class
		}
	}
	return class
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

// Known is the class of a text that Learn was told; false for every other.
func (c *Classes) Known(text string) (uint32, bool) {
	first, last := EndsOf(text)
	place := placeOf(first, last, len(text))
	slot := &c.known[place]
	if !slot.is(text, first, last) {
		if slot = &c.known[place^1]; !slot.is(text, first, last) {
			return 0, false
		}
	}
	return slot.class, true
}

// Learn keeps the class of a text.
func (c *Classes) Learn(text string, class uint32) {
	if len(text) > longestKnown {
		return
	}
	first, last := EndsOf(text)
	place := placeOf(first, last, len(text))
	slot := &c.known[place]
	if next := &c.known[place^1]; slot.length > 0 && next.length == 0 {
		slot = next
	}
	slot.length, slot.class, slot.first, slot.last = uint8(len(text)+1), class, first, last
	if len(text) > 16 {
		copy(slot.between[:], text[8:len(text)-8])
	}
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

// EndsOf are the first and the last eight bytes of a text, which overlap in one of
// fewer than sixteen; shorter ones are put into one number.
func EndsOf(s string) (first, last uint64) {
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
