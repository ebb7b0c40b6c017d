package password

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"yewcone/core/facts"
)

// The shortest words that count when a password is searched for them.
const (
	leastName        = 3 // characters of a sign-in name or a part of a name
	leastDescription = 4 // of a word of the description
)

// A Person is what a password is compared with: the account's sign-in name,
// names and description, folded.
type Person struct {
	login       string
	names       []string
	description []string
}

// PersonOf takes the words from an account.
func PersonOf(a *facts.Account) *Person {
	p := &Person{login: fold(a.Login), description: words(a.Description, leastDescription)}
	for _, name := range []string{a.FirstName, a.LastName, a.DisplayName} {
		p.names = append(p.names, words(name, leastName)...)
	}
	return p
}

// words splits a text at everything but letters and digits, and leaves out
// what is shorter than least.
func words(text string, least int) []string {
	var list []string
	for _, w := range strings.FieldsFunc(fold(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		if utf8.RuneCountInString(w) >= least {
			list = append(list, w)
		}
	}
	return list
}

// A match is how much of a comparison holds.
type match uint8

const (
	noMatch   match = iota
	seenMatch       // only with substitutions undone
	fullMatch
)

// contains looks for any of the words in a candidate.
func (c *Candidate) contains(words ...string) match {
	best := noMatch
	for _, w := range words {
		switch {
		case w == "":
		case strings.Contains(c.folded, w):
			return fullMatch
		case strings.Contains(c.seen, undo(w)):
			best = seenMatch
		}
	}
	return best
}

// equals compares a candidate with a word.
func (c *Candidate) equals(word string) match {
	switch {
	case c.folded == word:
		return fullMatch
	case c.seen == undo(word):
		return seenMatch
	}
	return noMatch
}

// long returns a word that is long enough to be searched for; "" otherwise.
func long(word string) string {
	if utf8.RuneCountInString(word) < leastName {
		return ""
	}
	return word
}

func reversed(word string) string {
	runes := []rune(word)
	for i, j := 0, len(runes)-1; i < j; i, j = i+1, j-1 {
		runes[i], runes[j] = runes[j], runes[i]
	}
	return string(runes)
}
