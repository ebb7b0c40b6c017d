package password

import (
	"slices"
	"strings"
	"unicode"
)

// calendar are words that people put a year behind.
var calendar = strings.Fields(`spring summer autumn fall winter
	january february march april may june july august september october november december
	monday tuesday wednesday thursday friday saturday sunday`)

// A House is the words of one organisation: its name, its places, its ships.
type House struct{ words []string }

// NewHouse folds the words; those of the calendar are added.
func NewHouse(list []string) *House {
	h := &House{words: slices.Clone(calendar)}
	for _, w := range list {
		for _, part := range words(w, leastName) {
			if !slices.Contains(h.words, part) {
				h.words = append(h.words, part)
			}
		}
	}
	return h
}

// mostWords bounds how many words of the house make up one candidate.
const mostWords = 3

// Decorated reports whether a candidate is nothing but words of the house or
// the calendar, at most three, with their usual decorations: digits and
// symbols before, between and after them, capitals, and substitutions.
func (h *House) Decorated(c *Candidate) bool {
	bare := func(text string) bool {
		left := strings.Map(func(r rune) rune {
			if !unicode.IsLetter(r) {
				return -1
			}
			return r
		}, text)
		return left != "" && h.consists(left, mostWords)
	}
	return bare(c.folded) || undone(c.folded, bare)
}

func (h *House) consists(text string, most int) bool {
	if text == "" {
		return true
	}
	if most == 0 {
		return false
	}
	for _, w := range h.words {
		if rest, ok := strings.CutPrefix(text, w); ok && h.consists(rest, most-1) {
			return true
		}
	}
	return false
}
