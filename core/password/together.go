package password

import (
	"slices"
	"strings"

	"yewcone/core/setting"
)

// A Claim is what one system asks by one setting.
type Claim struct {
	System  string
	Setting setting.ID
	Value   setting.Value
}

// ClaimsOf lists what a system asks of the composition of passwords.
func ClaimsOf(system string, s Settings) []Claim {
	var list []Claim
	for _, id := range composing {
		c := Claim{system, id, s(id)}
		var asks Composition
		asks.Ask(id, c.Value)
		if asks != (Composition{}) {
			list = append(list, c)
		}
	}
	return list
}

// Together is the composition that meets all claims.
func Together(claims []Claim) Composition {
	var c Composition
	for _, claim := range claims {
		c.Ask(claim.Setting, claim.Value)
	}
	return c
}

// Shortest returns the least length at which there is a password, over an
// alphabet; false where there is none.
func (c *Composition) Shortest(a *Alphabet) (length int, ok bool) {
	letters := max(c.Letters, c.Of[Lower]+c.Of[Upper]+c.Of[Other])
	from := max(1, c.Least, letters+c.Of[Digit]+c.Of[Symbol], c.Mixed, c.Distinct)
	to := from + slack
	if c.Most > 0 {
		to = min(to, c.Most)
	}
	for length := from; length <= to; length++ {
		if space := c.Count(a, length); !space.None() {
			return length, true
		}
	}
	return 0, false
}

// slack is how many more characters than the counts add up to a password can
// need: for a digit and a symbol inside it, for kinds of characters beside
// those that are counted, and for what keeps runs and repeats apart.
const slack = 8

// Collisions finds what cannot be met together: all pairs of claims, or, where
// every pair can be met, one set of claims of which each is needed for the
// others not to be met. It is empty where all claims can be met.
func Collisions(claims []Claim, a *Alphabet) [][]Claim {
	possible := func(list ...Claim) bool {
		c := Together(list)
		_, ok := c.Shortest(a)
		return ok
	}
	if possible(claims...) {
		return nil
	}
	var pairs [][]Claim
	for i, one := range claims {
		for _, other := range claims[i+1:] {
			if !possible(one, other) {
				pairs = append(pairs, []Claim{one, other})
			}
		}
	}
	if len(pairs) > 0 {
		return pairs
	}
	core := slices.Clone(claims)
	for i := 0; i < len(core); {
		without := slices.Delete(slices.Clone(core), i, i+1)
		if possible(without...) {
			i++
			continue
		}
		core = without
	}
	return [][]Claim{core}
}

// Clash puts claims that cannot be met together into words.
func Clash(claims []Claim) string {
	var asks []string
	for _, c := range claims {
		ask := c.Setting.String() + " " + setting.At(c.Setting).Text(c.Value)
		if c.System != "" {
			ask = c.System + " has " + ask
		}
		asks = append(asks, ask)
	}
	return strings.Join(asks, ", ")
}

// A Price is what one setting takes away, or gives, in bits.
type Price struct {
	Setting setting.ID
	Value   setting.Value
	Bits    float64 // with the setting less those without it
}

// A Measure is how many passwords a composition leaves.
type Measure struct {
	Length  int       // the least at which there is a password; 0 where there is none
	Asked   int       // the least that min_length asks for
	Collide [][]Claim // why there is no password at all
	AtLeast Space     // passwords of that length
	Ceiling int       // 0 for none
	AtMost  Space     // passwords of the greatest length, where there is a ceiling and any password
	Prices  []Price
	Open    bool         // nobody knows the least length, so that there is no figure
	Unknown []setting.ID // that the export does not show, and that count as asking nothing
}

// MeasureOf counts the passwords of the least length at which there are any,
// over the printable characters, and what each demand on them costs. Without
// a least length it counts those of one character; where the least length is not
// known, what it counts is no figure of the system (see Open). The figure is a ceiling for
// random choice: people do not choose at random.
func MeasureOf(s Settings) Measure {
	composition, unknown := CompositionOf(s)
	m := Measure{Asked: composition.Least, Ceiling: composition.Most, Unknown: unknown,
		Open: slices.Contains(unknown, setting.MinLength)}
	claims := ClaimsOf("", s)
	length, ok := composition.Shortest(&Printable)
	m.AtLeast = composition.Count(&Printable, length)
	if !ok {
		m.Collide = Collisions(claims, &Printable)
		return m
	}
	m.Length = length
	if m.Ceiling > 0 {
		m.AtMost = composition.Count(&Printable, m.Ceiling)
	}
	for i, claim := range claims {
		if claim.Setting == setting.MinLength || claim.Setting == setting.MaxLength {
			continue // they are the lengths
		}
		others := Together(slices.Delete(slices.Clone(claims), i, i+1))
		without := others.Count(&Printable, m.Length)
		m.Prices = append(m.Prices, Price{claim.Setting, claim.Value, m.AtLeast.Bits() - without.Bits()})
	}
	return m
}
