package trial

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"

	"yewcone/core/password"
	"yewcone/core/setting"
)

// Wish is what minted passwords shall be like.
type Wish struct {
	Bits   float64 // the least, where the systems allow it
	Length int     // characters, or words of a phrase; 0 for as many as the bits need
	Aloud  bool    // without characters that look or sound alike
	Phrase bool    // words instead of characters
}

// A Mint makes passwords that nothing known of its targets refuses.
type Mint struct {
	Targets []*Target
	Bits    float64 // of what it makes; a ceiling where Exact is false
	Exact   bool
	Short   bool // fewer bits than were wished for, because of a ceiling on the length
	Length  int  // characters, or words of a phrase
	Phrase  bool
	make    func() (string, error)
	open    map[*Target][]setting.ID
}

// Make returns one password.
func (m *Mint) Make() (string, error) { return m.make() }

// A Collision means that nothing satisfies all of the targets.
type Collision struct {
	Sets [][]password.Claim // claims that cannot be met together
}

func (c *Collision) Error() string {
	if len(c.Sets) == 0 {
		return "no password of this kind satisfies all that is asked"
	}
	text := "no password satisfies all that is asked:"
	for _, set := range c.Sets {
		text += "\n  " + password.Clash(set)
	}
	return text
}

//go:embed words.txt
var wordList string

// aloud are characters that neither look nor sound alike, in turn with those
// that are only used where capitals or symbols are asked for.
const (
	aloudPlain    = "abcdefghijkmnpqrstuvwxyz23456789"
	aloudCapitals = "ABCDEFGHJKLMNPQRSTUVWXYZ"
	aloudSymbols  = "+-=?!"
)

// Collide reports whether no password can satisfy all of the targets.
func Collide(targets []*Target) bool {
	var claims []password.Claim
	for _, t := range targets {
		claims = append(claims, password.ClaimsOf(t.Name(), t.Value)...)
	}
	return len(password.Collisions(claims, &password.Printable)) > 0
}

// NewMint prepares a mint for targets. The error is *Collision where nothing
// satisfies them all. What rules ask gives way to what systems can do, and then
// has a note.
func NewMint(targets []*Target, w Wish) (*Mint, error) {
	var claims []password.Claim
	for {
		claims = nil
		for _, t := range targets {
			claims = append(claims, password.ClaimsOf(t.Name(), t.Value)...)
		}
		sets := password.Collisions(claims, &password.Printable)
		if len(sets) == 0 {
			break
		}
		// What systems do cannot be helped; what is asked of them can wait.
		if !slices.ContainsFunc(targets, func(t *Target) bool { return t.giveWay(sets) }) {
			return nil, &Collision{sets}
		}
	}
	m := &Mint{Targets: targets, Phrase: w.Phrase, open: map[*Target][]setting.ID{}}
	c := password.Together(claims)
	if w.Phrase {
		return m, m.phrases(&c, w)
	}
	return m, m.characters(&c, w)
}

// accept asks every target.
func (m *Mint) accept(text string) (bool, error) {
	c := password.NewCandidate(text)
	for _, t := range m.Targets {
		j, err := password.Judge(c, t.Against(nil))
		if err != nil || len(j.Refused) > 0 {
			return false, err
		}
		for _, r := range j.Open {
			if !t.OfRules() && !slices.Contains(m.open[t], r.Setting) {
				m.open[t] = append(m.open[t], r.Setting)
			}
		}
	}
	return true, nil
}

// Open are the settings of a target that could not be judged of what was made.
func (m *Mint) Open(t *Target) []setting.ID { return m.open[t] }

func (m *Mint) characters(c *password.Composition, w Wish) error {
	alphabet := password.Printable
	if w.Aloud {
		text := aloudPlain
		if c.Of[password.Upper] > 0 || c.Mixed > 2 {
			text += aloudCapitals
		}
		if c.Of[password.Symbol] > 0 || c.SymbolInside || c.Mixed > 3 {
			text += aloudSymbols
		}
		alphabet = password.NewAlphabet(text)
	} else {
		alphabet[password.Symbol] = alphabet[password.Symbol][1:] // a blank is easily lost
	}
	shortest, ok := c.Shortest(&alphabet)
	if !ok {
		return &Collision{}
	}
	length := w.Length
	if length == 0 {
		length = m.lengthFor(c, &alphabet, shortest, w.Bits)
	}
	minter, err := password.NewMinter(c, &alphabet, length)
	if err == password.ErrNone {
		return fmt.Errorf("no password of %d characters is taken; the shortest has %d", length, shortest)
	}
	if err != nil {
		return err
	}
	minter.Accept = m.accept
	m.Length, m.Bits, m.Exact = length, minter.Space.Bits(), minter.Space.Exact
	m.Short = w.Length == 0 && m.Bits < w.Bits
	m.make = minter.Make
	return nil
}

// longest bounds the length that is chosen for bits.
const longest = 64

// lengthFor is the least length with so many bits, or the greatest there is.
func (m *Mint) lengthFor(c *password.Composition, a *password.Alphabet, shortest int, bits float64) int {
	length := shortest
	for length < longest && (c.Most == 0 || length < c.Most) {
		if space := c.Count(a, length); space.Bits() >= bits {
			break
		}
		length++
	}
	return length
}

func (m *Mint) phrases(c *password.Composition, w Wish) error {
	p := &password.Phrases{Words: strings.Fields(wordList), Separator: "-", Number: max(1, w.Length)}
	p.Capitals = c.Of[password.Upper] > 0 || c.Mixed > 1
	if c.Of[password.Digit] > 0 || c.DigitInside || c.Mixed > 2 {
		p.Digits = max(2, c.Of[password.Digit])
	}
	if c.Of[password.Symbol] > 0 || c.Mixed > 3 {
		p.Symbols = "!?+=."
	}
	if c.Plain {
		p.Separator, p.Symbols, p.Capitals = "", "", true
	}
	if w.Length == 0 {
		for p.Number < 20 && (p.Space().Bits() < w.Bits || p.Number*4 < c.Least) {
			p.Number++
		}
	}
	made, tries := 0, 0
	m.Length, m.Bits, m.Exact = p.Number, p.Space().Bits(), true
	m.make = func() (string, error) {
		text, n, err := p.Make(m.accept)
		made, tries = made+1, tries+n
		m.Exact = m.Exact && n == 1
		return text, err
	}
	if _, err := m.make(); err != nil { // to find out before any is promised
		return fmt.Errorf("no passphrase of %d words is taken by all: %w; leave out --phrase, or ask for another number "+
			"with --length", p.Number, err)
	}
	return nil
}

// spelling are the words of the international spelling alphabet (ICAO, ITU).
var spelling = strings.Fields("alfa bravo charlie delta echo foxtrot golf hotel india juliett kilo lima mike november oscar " +
	"papa quebec romeo sierra tango uniform victor whiskey x-ray yankee zulu")

var digitNames = strings.Fields("zero one two three four five six seven eight nine")

var symbolNames = map[rune]string{'+': "plus", '-': "dash", '=': "equals", '?': "question-mark", '!': "exclamation-mark",
	'.': "dot", ' ': "blank"}

// Spelled writes a password as it is read aloud: small letters by their
// spelling word, capitals by the same in capitals.
func Spelled(text string) string {
	var words []string
	for _, r := range text {
		switch {
		case r >= 'a' && r <= 'z':
			words = append(words, spelling[r-'a'])
		case r >= 'A' && r <= 'Z':
			words = append(words, strings.ToUpper(spelling[r-'A']))
		case r >= '0' && r <= '9':
			words = append(words, digitNames[r-'0'])
		case symbolNames[r] != "":
			words = append(words, symbolNames[r])
		default:
			words = append(words, string(r))
		}
	}
	return strings.Join(words, " ")
}
