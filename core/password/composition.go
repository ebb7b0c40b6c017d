package password

import (
	"math"
	"math/big"
	"math/bits"
	"slices"
	"strings"
	"unicode"

	"yewcone/core/setting"
)

// An Alphabet is the characters that passwords are counted over and made
// from, by class.
type Alphabet [classes][]rune

// NewAlphabet sorts characters into their classes.
func NewAlphabet(characters string) Alphabet {
	var a Alphabet
	for _, r := range characters {
		if class := ClassOf(r); !slices.Contains(a[class], r) {
			a[class] = append(a[class], r)
		}
	}
	return a
}

// Printable is what keyboards write: the 95 printable characters of ASCII,
// the blank among them.
var Printable = func() Alphabet {
	var all []rune
	for r := ' '; r <= '~'; r++ {
		all = append(all, r)
	}
	return NewAlphabet(string(all))
}()

// Size returns the number of characters.
func (a *Alphabet) Size() int {
	n := 0
	for _, of := range a {
		n += len(of)
	}
	return n
}

// A Composition is what settings ask of the characters of a password. The
// zero Composition asks nothing.
type Composition struct {
	Least, Most   int // length; Most 0 for no ceiling
	Mixed         int // classes
	Letters       int
	Of            [classes]int // of a class; Other is asked for by no setting
	DigitInside   bool
	SymbolInside  bool
	Repeat, Run   int // the most; 0 for no limit
	Distinct      int
	Digits, Plain bool // digits only; letters and digits only
}

// composing are the settings that make up a Composition.
var composing = []setting.ID{setting.MinLength, setting.MaxLength, setting.MinClasses, setting.MinLetters, setting.MinLower,
	setting.MinUpper, setting.MinDigits,
	setting.MinSymbols, setting.DigitInside, setting.SymbolInside, setting.MaxRepeat, setting.MaxRun, setting.MinDistinct, setting.Alphabet}

// Ask adds what one more setting asks; what is unknown or off asks nothing.
// Asking twice keeps what is stricter.
func (c *Composition) Ask(id setting.ID, v setting.Value) {
	n64, _ := v.Count()
	n := int(min(n64, 1<<20))
	yes, _ := v.Flag()
	raise := func(to *int) { *to = max(*to, n) }
	lower := func(to *int) {
		if v.State() == setting.Amount && (*to == 0 || n < *to) {
			*to = max(n, 1)
		}
	}
	switch id {
	case setting.MinLength:
		raise(&c.Least)
	case setting.MaxLength:
		lower(&c.Most)
	case setting.MinClasses:
		raise(&c.Mixed)
	case setting.MinLetters:
		raise(&c.Letters)
	case setting.MinLower:
		raise(&c.Of[Lower])
	case setting.MinUpper:
		raise(&c.Of[Upper])
	case setting.MinDigits:
		raise(&c.Of[Digit])
	case setting.MinSymbols:
		raise(&c.Of[Symbol])
	case setting.DigitInside:
		c.DigitInside = c.DigitInside || yes
	case setting.SymbolInside:
		c.SymbolInside = c.SymbolInside || yes
	case setting.MaxRepeat:
		lower(&c.Repeat)
	case setting.MaxRun:
		lower(&c.Run)
	case setting.MinDistinct:
		raise(&c.Distinct)
	case setting.Alphabet:
		c.Digits = c.Digits || v == setting.AlphabetDigits
		c.Plain = c.Plain || v == setting.AlphabetLettersAndDigits
	}
}

// CompositionOf gathers what settings ask. unknown lists the settings that
// nothing is said of; they count as asking nothing.
func CompositionOf(s Settings) (c Composition, unknown []setting.ID) {
	for _, id := range composing {
		v := s(id)
		if !v.Known() {
			unknown = append(unknown, id)
		}
		c.Ask(id, v)
	}
	return c, unknown
}

// over is the part of an alphabet that is taken.
func (c *Composition) over(a *Alphabet) Alphabet {
	var taken Alphabet
	for class, of := range a {
		if c.Digits && Class(class) != Digit || c.Plain && Class(class) == Symbol {
			continue
		}
		taken[class] = of
	}
	return taken
}

// Bounds on the work of counting.
const (
	maxCounted = 256     // characters; longer passwords are counted without their composition
	maxSteps   = 1 << 18 // from a state with one character more; see weight
)

// A Space is how many passwords there are. Where it is not Exact, some of the
// demands were left out, and there are at most so many.
type Space struct {
	Number *big.Int
	Exact  bool
}

// Bits is the logarithm to base 2; 0 for one password and for none.
func (s Space) Bits() float64 {
	if s.Number.Sign() <= 0 {
		return 0
	}
	shift := max(0, s.Number.BitLen()-60)
	top, _ := new(big.Float).SetInt(new(big.Int).Rsh(s.Number, uint(shift))).Float64()
	return math.Log2(top) + float64(shift)
}

// None reports whether there is no password at all.
func (s Space) None() bool { return s.Number.Sign() == 0 }

// Count returns how many passwords of one length, over an alphabet, the
// composition takes. It is exact, unless that would take too long: then it
// leaves out demands, the least costly first.
func (c *Composition) Count(a *Alphabet, length int) Space {
	taken := c.over(a)
	zero := Space{new(big.Int), true}
	if length < c.Least || c.Most > 0 && length > c.Most || c.asksMore(length) {
		return zero
	}
	if length == 0 {
		return Space{big.NewInt(1), true}
	}
	less := *c
	for _, without := range []*int{nil, &less.Distinct, &less.Run, &less.Repeat} {
		if without != nil && *without == 0 || length > maxCounted {
			continue
		}
		if without != nil {
			*without = 0
		}
		if n, ok := less.count(&taken, length); ok {
			return Space{n, without == nil}
		}
	}
	n := new(big.Int).Exp(big.NewInt(int64(taken.Size())), big.NewInt(int64(length)), nil)
	return Space{n, *c == Composition{Least: c.Least, Most: c.Most, Digits: c.Digits, Plain: c.Plain}}
}

// asksMore reports whether the least counts together exceed a length.
func (c *Composition) asksMore(length int) bool {
	letters := max(c.Letters, c.Of[Lower]+c.Of[Upper]+c.Of[Other])
	return letters+c.Of[Digit]+c.Of[Symbol] > length || c.Mixed > length || c.Distinct > length
}

// count picks the way to count: by classes, or by characters where runs must
// be followed.
func (c *Composition) count(a *Alphabet, length int) (*big.Int, bool) {
	if c.Run > 0 {
		return c.countCharacters(a, length)
	}
	return c.countClasses(a, length)
}

// needs is how far the characters of each class must be counted.
func (c *Composition) needs() [classes]uint8 {
	var n [classes]uint8
	for class := range classes {
		need := c.Of[class]
		if class == Lower || class == Upper || class == Other {
			need = max(need, c.Letters)
		}
		if c.Mixed > 0 {
			need = max(need, 1)
		}
		n[class] = uint8(min(need, maxCounted-1))
	}
	return n
}

// A tally is what must be known of the beginning of a password to say whether
// what follows makes it one that is taken.
type tally struct {
	of           [classes]uint8 // characters of each class, up to what is needed
	digitInside  bool
	symbolInside bool
}

func (t tally) plus(class Class, need *[classes]uint8, last bool, c *Composition) tally {
	if t.of[class] < need[class] {
		t.of[class]++
	}
	t.digitInside = t.digitInside || c.DigitInside && class == Digit && !last
	t.symbolInside = t.symbolInside || c.SymbolInside && class == Symbol && !last
	return t
}

// takes reports whether a whole password with the tally has what is asked.
func (c *Composition) takes(t *tally) bool {
	mixed := 0
	for class, n := range t.of {
		if n > 0 {
			mixed++
		}
		if int(n) < c.Of[class] {
			return false
		}
	}
	letters := int(t.of[Lower]) + int(t.of[Upper]) + int(t.of[Other])
	return mixed >= c.Mixed && letters >= c.Letters && (t.digitInside || !c.DigitInside) && (t.symbolInside || !c.SymbolInside)
}

// byClass is a state of countClasses. used is how many different characters
// of each class occur, until there are enough.
type byClass struct {
	tally
	used   [classes]uint8
	enough bool
	last   Class // only where repeats count
	repeat uint8
}

// states are the ways to come to each state.
type states[S comparable] map[S]*big.Int

// add counts n times as many ways to come to a state.
func (m states[S]) add(s S, ways *big.Int, times int) {
	if times <= 0 {
		return
	}
	sum := m[s]
	if sum == nil {
		sum = new(big.Int)
		m[s] = sum
	}
	sum.Add(sum, new(big.Int).Mul(ways, big.NewInt(int64(times))))
}

// total adds up the ways to the states that are taken.
func (m states[S]) total(takes func(*S) bool) *big.Int {
	n := new(big.Int)
	for s, ways := range m {
		if takes(&s) {
			n.Add(n, ways)
		}
	}
	return n
}

// weight is what a step costs with so many characters before it: the numbers grow
// by some seven bits with each.
func weight(before int) int { return 1 + before/16 }

// countClasses counts by classes: characters of a class are as good as one
// another. ok is false when there are too many states.
func (c *Composition) countClasses(a *Alphabet, length int) (n *big.Int, ok bool) {
	need := c.needs()
	now := states[byClass]{{enough: c.Distinct == 0, last: classes}: big.NewInt(1)}
	steps := 0
	for i := range length {
		next := states[byClass]{}
		for s, ways := range now {
			for class := range classes {
				if len(a[class]) > 0 {
					c.extend(next, &s, class, len(a[class]), ways, s.plus(class, &need, i == length-1, c))
				}
			}
		}
		now = next
		if steps += len(now) * weight(i); steps > maxSteps {
			return nil, false
		}
	}
	return now.total(func(s *byClass) bool { return s.enough && c.takes(&s.tally) }), true
}

// extend adds the ways to go on from a state with a character of one class.
func (c *Composition) extend(next states[byClass], s *byClass, class Class, size int, ways *big.Int, t tally) {
	to := byClass{tally: t, used: s.used, enough: s.enough, last: classes}
	old, same := size, 0 // ways to take a character that occurs already, or any where that is the same
	if !s.enough {
		old = int(s.used[class])
	}
	if c.Repeat > 0 {
		if s.last == class { // the last character is one of those
			old--
			same = 1
		}
		to.last = class
	}
	if same > 0 && int(s.repeat) < c.Repeat {
		again := to
		again.repeat = s.repeat + 1
		next.add(again, ways, same)
	}
	if c.Repeat > 0 {
		to.repeat = 1
	}
	next.add(to, ways, old)
	if !s.enough {
		to.used[class]++
		total := 0
		for _, n := range to.used {
			total += int(n)
		}
		if total >= c.Distinct {
			to.used, to.enough = [classes]uint8{}, true
		}
		next.add(to, ways, size-int(s.used[class]))
	}
}

// A unit is a character, or several of one class that are in no run and so as
// good as one another.
type unit struct {
	r     rune
	class Class
	size  int
}

// byCharacter is a state of countCharacters.
type byCharacter struct {
	tally
	used   uint32 // units that occur, until there are enough
	enough bool
	trail
}

// A beginning is all that matters of a password's beginning apart from the
// trail that it ends in.
type beginning struct {
	tally
	used   uint32
	enough bool
}

// following counts passwords character by character.
type following struct {
	*Composition
	units  []unit
	linked map[rune][]int // the units that may go on with a character's trail
	need   [classes]uint8
	length int
}

// countCharacters follows the runs from character to character. ok is false
// when there are too many states.
func (c *Composition) countCharacters(a *Alphabet, length int) (n *big.Int, ok bool) {
	f := &following{Composition: c, units: unitsOf(a, c.Distinct == 0), need: c.needs(), length: length}
	if c.Distinct > 0 && len(f.units) > 16 {
		return nil, false
	}
	f.linked = c.linkedUnits(f.units)
	now := states[byCharacter]{}
	for i, u := range f.units {
		now.add(f.fresh(beginning{enough: c.Distinct == 0}, i, 0), big.NewInt(1), u.size)
	}
	steps := 0
	for at := 1; at < length; at++ {
		now = f.step(now, at)
		if steps += len(now) * weight(at); steps > maxSteps {
			return nil, false
		}
	}
	return now.total(func(s *byCharacter) bool { return s.enough && c.takes(&s.tally) }), true
}

// then is a beginning with one more character, of a unit, at a place.
func (f *following) then(b beginning, i, at int) beginning {
	b.tally = b.plus(f.units[i].class, &f.need, at == f.length-1, f.Composition)
	if !b.enough {
		b.used |= 1 << i
		if bits.OnesCount32(b.used) >= f.Distinct {
			b.used, b.enough = 0, true
		}
	}
	return b
}

// fresh is the state after a character that goes on with no trail.
func (f *following) fresh(b beginning, i, at int) byCharacter {
	to := f.then(b, i, at)
	return byCharacter{to.tally, to.used, to.enough, f.cut(startTrail(f.units[i].r))}
}

// step goes on by one character from all states. Few characters go on with a
// trail; all others follow on any, so that the ways to what they follow on
// are added up first, and those whose last character is linked taken off.
func (f *following) step(now states[byCharacter], at int) states[byCharacter] {
	next := states[byCharacter]{}
	all := states[beginning]{}
	less := map[beginning][]*big.Int{}
	for s, ways := range now {
		b := beginning{s.tally, s.used, s.enough}
		all.add(b, ways, 1)
		if less[b] == nil {
			less[b] = make([]*big.Int, len(f.units))
		}
		for _, i := range f.linked[s.last] {
			if less[b][i] == nil {
				less[b][i] = new(big.Int)
			}
			u := &f.units[i]
			less[b][i].Add(less[b][i], ways)
			if grown := s.trail.then(u.r); (f.Repeat == 0 || int(grown.repeat) <= f.Repeat) && grown.run() <= f.Run {
				to := f.then(b, i, at)
				next.add(byCharacter{to.tally, to.used, to.enough, f.cut(grown)}, ways, 1)
			}
			if u.size > 1 { // another character of the unit
				next.add(f.fresh(b, i, at), ways, u.size-1)
			}
		}
	}
	for b, ways := range all {
		for i, u := range f.units {
			rest := new(big.Int).Set(ways)
			if less[b][i] != nil {
				rest.Sub(rest, less[b][i])
			}
			if rest.Sign() > 0 {
				next.add(f.fresh(b, i, at), rest, u.size)
			}
		}
	}
	return next
}

// cut forgets what a trail need not know.
func (c *Composition) cut(t trail) trail {
	if c.Repeat == 0 {
		t.repeat = 0
	}
	return t
}

// linkedUnits lists, for each character, the units that may go on with its trail:
// itself and its neighbours in a row.
func (c *Composition) linkedUnits(units []unit) map[rune][]int {
	of := map[rune][]int{}
	for _, from := range units {
		for i, to := range units {
			if links(from.r, to.r) != [len(rows)]link{} || c.Repeat > 0 && from.r == to.r {
				of[from.r] = append(of[from.r], i)
			}
		}
	}
	return of
}

// unitsOf lists the characters, those without neighbours together if that is
// wanted.
func unitsOf(a *Alphabet, together bool) []unit {
	var units []unit
	for class, of := range a {
		alone := -1
		for _, r := range of {
			switch {
			case inRow(r) || !together:
				units = append(units, unit{r, Class(class), 1})
			case alone < 0:
				alone = len(units)
				units = append(units, unit{r, Class(class), 1})
			default:
				units[alone].size++
			}
		}
	}
	return units
}

func inRow(r rune) bool {
	r = unicode.ToLower(r)
	return slices.ContainsFunc(rows[:], func(row string) bool { return strings.ContainsRune(row, r) })
}
