package password

import (
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"math/big"
	"unicode"
)

// A Minter makes random passwords of one length that a composition takes, each
// as likely as any other. What the composition does not tell, such as the
// lists and names of a system, is asked of Accept.
type Minter struct {
	Space  Space // how many passwords it can make, but for what Accept refuses
	Length int
	Accept func(string) (bool, error) // may be nil

	random      io.Reader
	composition Composition
	alphabet    Alphabet
	ways        []states[tally] // by how many characters are made: the ways to go on
}

// ErrNone means that no password is taken.
var ErrNone = errors.New("no password is taken")

// maxTries bounds how often a made password may be refused.
const maxTries = 1 << 16

// NewMinter prepares for passwords of a length over an alphabet. The error is
// ErrNone where there is none; a length beyond 256 characters is an error too.
func NewMinter(c *Composition, a *Alphabet, length int) (*Minter, error) {
	if length > maxCounted {
		return nil, fmt.Errorf("%d characters are more than are made here; %d are the most", length, maxCounted)
	}
	m := &Minter{Space: c.Count(a, length), Length: length, random: rand.Reader, composition: *c, alphabet: c.over(a)}
	if m.Space.None() || length == 0 {
		return nil, ErrNone
	}
	m.ways = make([]states[tally], length+1)
	forward := make([]map[tally]bool, length+1)
	forward[0] = map[tally]bool{{}: true}
	need := c.needs()
	for i := range length {
		forward[i+1] = map[tally]bool{}
		for t := range forward[i] {
			for class := range classes {
				forward[i+1][t.plus(class, &need, i == length-1, c)] = true
			}
		}
	}
	for i := length; i >= 0; i-- {
		m.ways[i] = states[tally]{}
		for t := range forward[i] {
			if i == length {
				if c.takes(&t) {
					m.ways[i].add(t, big.NewInt(1), 1)
				}
				continue
			}
			for class := range classes {
				if n := m.ways[i+1][t.plus(class, &need, i == length-1, c)]; n != nil {
					m.ways[i].add(t, n, len(m.alphabet[class]))
				}
			}
		}
	}
	return m, nil
}

// Make returns one password. It fails when nearly all that it makes are
// refused, or the source of randomness does.
func (m *Minter) Make() (string, error) {
	for range maxTries {
		made, err := m.once()
		if err != nil {
			return "", err
		}
		c := &m.composition
		if repeat, run := longest(made); c.Repeat > 0 && repeat > c.Repeat || c.Run > 0 && max(run, longestOf(made, codeNeighbours)) > c.Run || c.Distinct > different(made) {
			continue
		}
		text := string(made)
		if m.Accept != nil {
			if ok, err := m.Accept(text); err != nil {
				return "", err
			} else if !ok {
				continue
			}
		}
		return text, nil
	}
	return "", fmt.Errorf("of %d random passwords of %d characters none was taken; ask for a longer one", maxTries, m.Length)
}

// once makes a password that has the characters of each class that are asked
// for. It goes from character to character, to each class as often as there
// are ways to end that way.
func (m *Minter) once() ([]rune, error) {
	need := m.composition.needs()
	made := make([]rune, 0, m.Length)
	var t tally
	for i := range m.Length {
		at, err := rand.Int(m.random, m.ways[i][t])
		if err != nil {
			return nil, err
		}
		for class := range classes {
			to := t.plus(class, &need, i == m.Length-1, &m.composition)
			ways := m.ways[i+1][to]
			if ways == nil || len(m.alphabet[class]) == 0 {
				continue
			}
			all := new(big.Int).Mul(ways, big.NewInt(int64(len(m.alphabet[class]))))
			if at.Cmp(all) < 0 {
				which := new(big.Int).Div(at, ways)
				made, t = append(made, m.alphabet[class][which.Int64()]), to
				break
			}
			at.Sub(at, all)
		}
	}
	return made, nil
}

func different(runes []rune) int {
	seen := map[rune]bool{}
	for _, r := range runes {
		seen[r] = true
	}
	return len(seen)
}

// Phrases makes passphrases: words of a list in random order, each as likely
// as any other, with a separator between them. Where capitals, digits or
// symbols are asked for, all words begin with a capital, and a digit or symbol
// follows one of the words.
type Phrases struct {
	Words     []string
	Separator string
	Number    int // of words
	Capitals  bool
	Digits    int    // how many digits follow a word that is chosen at random
	Symbols   string // one of these follows the last word; "" for none

	random io.Reader
}

// Space is how many passphrases there are before any is refused.
func (p *Phrases) Space() Space {
	n := new(big.Int).Exp(big.NewInt(int64(len(p.Words))), big.NewInt(int64(p.Number)), nil)
	if p.Digits > 0 {
		n.Mul(n, new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(p.Digits)), nil))
		n.Mul(n, big.NewInt(int64(p.Number)))
	}
	if p.Symbols != "" {
		n.Mul(n, big.NewInt(int64(len([]rune(p.Symbols)))))
	}
	return Space{n, true}
}

// Make returns one passphrase that accept takes; nil takes all. tries is how
// many were made for it.
func (p *Phrases) Make(accept func(string) (bool, error)) (phrase string, tries int, err error) {
	for tries = 1; tries <= maxTries; tries++ {
		phrase, err := p.once()
		if err != nil {
			return "", tries, err
		}
		if accept == nil {
			return phrase, tries, nil
		}
		if ok, err := accept(phrase); ok || err != nil {
			return phrase, tries, err
		}
	}
	return "", tries, fmt.Errorf("of %d random passphrases of %d words none was taken", maxTries, p.Number)
}

func (p *Phrases) pick(n int) (int, error) {
	source := p.random
	if source == nil {
		source = rand.Reader
	}
	at, err := rand.Int(source, big.NewInt(int64(n)))
	if err != nil {
		return 0, err
	}
	return int(at.Int64()), nil
}

func (p *Phrases) once() (string, error) {
	var b []byte
	after, err := p.pick(p.Number)
	if err != nil {
		return "", err
	}
	for i := range p.Number {
		if i > 0 {
			b = append(b, p.Separator...)
		}
		which, err := p.pick(len(p.Words))
		if err != nil {
			return "", err
		}
		word := []rune(p.Words[which])
		if p.Capitals {
			word[0] = unicode.ToUpper(word[0])
		}
		b = append(b, string(word)...)
		for range p.Digits {
			if i != after {
				break
			}
			digit, err := p.pick(10)
			if err != nil {
				return "", err
			}
			b = append(b, byte('0'+digit))
		}
	}
	if symbols := []rune(p.Symbols); len(symbols) > 0 {
		which, err := p.pick(len(symbols))
		if err != nil {
			return "", err
		}
		b = append(b, string(symbols[which])...)
	}
	return string(b), nil
}
