// Package nearword finds the word somebody meant when they wrote another.
package nearword

import (
	"strings"
	"unicode/utf8"
)

// Of returns the candidate nearest to word by edit distance (letter case
// ignored), and false when none is near enough to be a likely slip: more than
// a third of the letters, and at least two, would have to change. Of equally
// near candidates the first one wins.
func Of(word string, candidates []string) (string, bool) {
	best, bestDistance := "", max(2, utf8.RuneCountInString(word)/3)+1
	lower := []rune(strings.ToLower(word))
	for _, candidate := range candidates {
		letters := utf8.RuneCountInString(candidate)
		if apart := len(lower) - letters; max(apart, -apart) >= bestDistance+2 { // two, for letters that are two in the other case
			continue
		}
		d := distance(lower, []rune(strings.ToLower(candidate)))
		if d < bestDistance && d < letters {
			best, bestDistance = candidate, d
		}
	}
	return best, best != ""
}

// Advice returns `; did you mean "x"?` for the nearest candidate, or "".
func Advice(word string, candidates []string) string {
	if near, ok := Of(word, candidates); ok {
		return "; did you mean \"" + near + "\"?"
	}
	return ""
}

// distance counts insertions, deletions, substitutions and swaps of
// neighbours (optimal string alignment).
func distance(a, b []rune) int {
	before, above := make([]int, len(b)+1), make([]int, len(b)+1)
	row := make([]int, len(b)+1)
	for j := range above {
		above[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(above[j]+1, row[j-1]+1, above[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, above, row = above, row, before
	}
	return above[len(b)]
}
