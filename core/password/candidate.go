// Package password judges candidate passwords by the settings of systems,
// counts how many passwords settings leave, makes random ones that settings
// accept, and finds the fewest settings that tell good examples from bad. It
// never writes a candidate into a message.
//
// Characters are Unicode code points after normalisation to NFC, so that an é
// is one character however it was typed. Comparisons with names and lists
// fold the case after normalisation to NFKC.
package password

import (
	"math"
	"strings"
	"unicode"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// A Class is a kind of characters, as the setting min_classes counts them.
type Class uint8

// The classes. Every character is of exactly one.
const (
	Lower  Class = iota // small letters (Unicode category Ll)
	Upper               // capital letters (Lu)
	Digit               // decimal digits (Nd)
	Symbol              // everything else, blanks too
	Other               // letters without case, and marks that stay apart (Lm, Lo, Lt, M)
	classes
)

// ClassOf returns the class of a character.
func ClassOf(r rune) Class {
	switch {
	case r >= 'a' && r <= 'z':
		return Lower
	case r >= 'A' && r <= 'Z':
		return Upper
	case r >= '0' && r <= '9':
		return Digit
	case r < 0x80:
		return Symbol
	case unicode.IsLower(r) && unicode.IsLetter(r):
		return Lower
	case unicode.IsUpper(r) && unicode.IsLetter(r):
		return Upper
	case unicode.Is(unicode.Nd, r):
		return Digit
	case unicode.IsLetter(r), unicode.IsMark(r):
		return Other
	}
	return Symbol
}

// A Candidate is a password that somebody thinks of using, measured.
type Candidate struct {
	text   string // NFC
	runes  []rune
	counts [classes]int

	distinct     int // different characters
	repeat       int // most equal characters in a row
	run          int // longest run of neighbours, by what any system takes for one
	surely       int // the same, by what all of them do
	digitInside  bool
	symbolInside bool

	folded string // for comparisons
	seen   string // folded, with substitutions undone to one character of each group
}

// NewCandidate measures a candidate.
func NewCandidate(text string) *Candidate {
	c := &Candidate{text: norm.NFC.String(text)}
	c.runes = []rune(c.text)
	different := map[rune]bool{}
	for i, r := range c.runes {
		class := ClassOf(r)
		c.counts[class]++
		different[r] = true
		if i < len(c.runes)-1 {
			c.digitInside = c.digitInside || class == Digit
			c.symbolInside = c.symbolInside || class == Symbol
		}
	}
	c.distinct = len(different)
	c.repeat, c.run = longest(c.runes)
	c.surely = longestOf(c.runes, alikeNeighbours)
	c.run = max(c.run, longestOf(c.runes, codeNeighbours))
	c.folded = fold(text)
	c.seen = undo(c.folded)
	return c
}

// Length returns the number of characters.
func (c *Candidate) Length() int { return len(c.runes) }

// letters counts characters that are letters of any kind.
func (c *Candidate) letters() int { return c.counts[Lower] + c.counts[Upper] + c.counts[Other] }

// mixed counts the classes that occur.
func (c *Candidate) mixed() int {
	n := 0
	for _, count := range c.counts {
		if count > 0 {
			n++
		}
	}
	return n
}

var folder = cases.Fold()

// fold makes texts comparable without regard to case.
func fold(text string) string { return folder.String(norm.NFKC.String(text)) }

// substitutes are the groups of characters that stand for one another; the
// first of each is written for all. A group that holds both i and l is what
// keeps a 1 from having two meanings.
var substitutes = []string{"o0", "a@4", "e3€", "s$5", "il1!|", "t7+", "b8", "g9", "z2"}

var undoing = func() map[rune]rune {
	to := map[rune]rune{}
	for _, group := range substitutes {
		all := []rune(group)
		for _, r := range all {
			to[r] = all[0]
		}
	}
	return to
}()

// undo writes one character of each group for all of them.
func undo(folded string) string {
	return strings.Map(func(r rune) rune {
		if to, ok := undoing[r]; ok {
			return to
		}
		return r
	}, folded)
}

// undone calls back with the texts that a folded candidate may stand for when
// each substitute is read as itself or as a letter of its group, until one is
// accepted, and reports whether one was. It tries no more than maxReadings.
func undone(folded string, accept func(string) bool) bool {
	all := []rune(folded)
	tried, found := 0, false
	var try func(i int)
	try = func(i int) {
		for i < len(all) && lettersOf[all[i]] == "" {
			i++
		}
		switch {
		case found || tried >= maxReadings:
			return
		case i == len(all):
			tried++
			found = accept(string(all))
			return
		}
		was := all[i]
		for _, r := range string(was) + lettersOf[was] {
			all[i] = r
			try(i + 1)
		}
		all[i] = was
	}
	try(0)
	return found
}

// maxReadings bounds how many readings of a candidate are looked up.
const maxReadings = 256

// lettersOf lists the letters that a digit or symbol may stand for.
var lettersOf = func() map[rune]string {
	of := map[rune]string{}
	for _, group := range substitutes {
		letters := strings.TrimFunc(group, func(r rune) bool { return !unicode.IsLetter(r) })
		for _, r := range group {
			if !unicode.IsLetter(r) {
				of[r] = letters
			}
		}
	}
	return of
}()

// rows are the sequences that runs follow, up or down: digits, letters, and
// the rows of a keyboard. Capitals count as their small letters.
var rows = [...]string{"0123456789", "abcdefghijklmnopqrstuvwxyz", "1234567890", "qwertyuiop", "asdfghjkl", "zxcvbnm"}

// A link tells how a character follows another in a row: 1 for the next, -1
// for the one before, 0 for neither.
type link = int8

// links lists, for two characters, how the second follows the first in each
// row.
func links(a, b rune) (of [len(rows)]link) {
	a, b = unicode.ToLower(a), unicode.ToLower(b)
	for i, row := range rows {
		at, to := strings.IndexRune(row, a), strings.IndexRune(row, b)
		if at >= 0 && to >= 0 && (to-at == 1 || to-at == -1) {
			of[i] = link(to - at)
		}
	}
	return of
}

// A trail is the ends of the repeat and the runs that a text ends in.
type trail struct {
	last   rune
	repeat uint16
	runs   [len(rows)]struct {
		way    link
		length uint8 // no row is longer
	}
}

// startTrail is the trail of a single character.
func startTrail(r rune) trail {
	t := trail{last: r, repeat: 1}
	for i := range t.runs {
		t.runs[i].length = 1
	}
	return t
}

// then is the trail after one more character.
func (t trail) then(r rune) trail {
	next := startTrail(r)
	if r == t.last {
		next.repeat = min(t.repeat+1, math.MaxUint16-1)
	}
	for i, way := range links(t.last, r) {
		if way == 0 {
			continue
		}
		next.runs[i].way, next.runs[i].length = way, 2
		if t.runs[i].way == way {
			next.runs[i].length = t.runs[i].length + 1
		}
	}
	return next
}

// run is the longest run that the trail ends in.
func (t *trail) run() int {
	most := 0
	for i := range t.runs {
		most = max(most, int(t.runs[i].length))
	}
	return most
}

// codeNeighbours are characters of ASCII that stand beside one another in its
// table: what libpwquality goes by, of which 9 and a colon are two, and z and Y
// are none.
func codeNeighbours(a, b rune) link {
	if a < unicode.MaxASCII && b < unicode.MaxASCII && (b-a == 1 || b-a == -1) {
		return link(b - a)
	}
	return 0
}

// alikeNeighbours are two digits, two small letters or two capitals that follow one
// another.
func alikeNeighbours(a, b rune) link {
	if ClassOf(a) != ClassOf(b) || ClassOf(a) == Symbol {
		return 0
	}
	return codeNeighbours(a, b)
}

// longestOf is the longest run, up or down, of characters that follow one another.
func longestOf(runes []rune, follow func(a, b rune) link) int {
	most, now, way := min(1, len(runes)), 1, link(0)
	for i := 1; i < len(runes); i++ {
		switch next := follow(runes[i-1], runes[i]); {
		case next == 0:
			now = 1
		case next == way:
			now++
		default:
			now = 2
		}
		way = follow(runes[i-1], runes[i])
		most = max(most, now)
	}
	return most
}

// longest returns the most equal characters in a row and the longest run.
func longest(runes []rune) (repeat, run int) {
	var t trail
	for i, r := range runes {
		if i == 0 {
			t = startTrail(r)
		} else {
			t = t.then(r)
		}
		repeat, run = max(repeat, int(t.repeat)), max(run, t.run())
	}
	return repeat, run
}
