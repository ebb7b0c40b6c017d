package condition

import (
	"encoding/binary"
	"math/bits"
	"slices"

	"github.com/expr-lang/expr/ast"

	"yewcone/core/facts"
)

// A leaf is a part of a condition that asks nothing but facts: a flag, or a
// comparison. Leaves that are written alike are alike.
type leaf struct {
	written string
	ask     func(*Subject) facts.Tri
	about   []*Fact                  // all facts that the answer can depend on
	own     []*Fact                  // those that the part itself asks for, without what stands before it
	itself  func(*Subject) facts.Tri // what the part answers, whatever stands before it

	// Where the leaf compares one fact with what is written in the condition,
	// the fact and that.
	fact    *Fact
	numbers []int64
	turns   []int64 // the numbers from which on the answer is another than before
	texts   []string
	plain   bool             // the leaf is a flag that allFlags has
	still   bool             // whether a fact is known, which it is whatever its date
	asks    []facts.Question // of the one text or list that it asks, where they can be put so
}

// leaf notes a part that asks nothing but facts. Where it compares two facts,
// its answer "unknown" does not tell which of them is; then whether each is
// known is noted too.
func (c *compiler) leaf(n ast.Node, ask func(*Subject) facts.Tri, about ...*Fact) value {
	asked := factsIn(n)
	c.leaves = append(c.leaves, leaf{written: n.String(), ask: ask, about: asked, own: asked, itself: ask})
	about = slices.DeleteFunc(about, func(f *Fact) bool { return f == nil })
	if len(about) > 1 {
		for _, f := range about {
			known, one := func(s *Subject) facts.Tri { return facts.TriOf(f.known(s)) }, []*Fact{f}
			c.leaves = append(c.leaves, leaf{written: "known " + f.Name, ask: known, about: one, own: one, itself: known, still: true,
				plain: slices.Contains(plainDates, f.Name)})
		}
	}
	return value{tri: ask}
}

// factsIn lists the facts that stand in a part of a condition.
func factsIn(n ast.Node) []*Fact {
	var list factLister
	ast.Walk(&n, &list)
	return list
}

type factLister []*Fact

func (l *factLister) Visit(n *ast.Node) {
	if id, ok := (*n).(*ast.IdentifierNode); ok {
		if f := FindFact(id.Value); f != nil && !slices.Contains(*l, f) {
			*l = append(*l, f)
		}
	}
}

// A guard is what must hold for the rest of a condition to matter.
type guard struct {
	written string
	ask     func(*Subject) facts.Tri
	about   []*Fact
}

// guardedLeaf is leaf for what takes long to ask, such as a search in a text.
// Where what stands before it answers no, the whole condition is no, and it
// need not be asked.
func (c *compiler) guardedLeaf(n ast.Node, ask func(*Subject) facts.Tri) value {
	before, own := c.guards[len(c.guards)-1], factsIn(n)
	c.leaves = append(c.leaves, leaf{written: before.written + " and " + n.String(), ask: func(s *Subject) facts.Tri {
		if before.ask(s) == facts.No {
			return facts.Unknown
		}
		return ask(s)
	}, about: slices.Concat(before.about, own), own: own, itself: ask})
	return value{tri: ask}
}

// leafOnNumber is leaf for one fact that is compared with a number.
func (c *compiler) leafOnNumber(n ast.Node, ask func(*Subject) facts.Tri, f *Fact, op string, number int64) value {
	l := leaf{written: n.String(), ask: ask, about: []*Fact{f}, own: []*Fact{f}, itself: ask, fact: f, numbers: []int64{number}}
	switch op {
	case ">", "<=":
		l.turns = []int64{number + 1}
	case ">=", "<":
		l.turns = []int64{number}
	default:
		l.turns = []int64{number, number + 1}
	}
	c.leaves = append(c.leaves, l)
	return value{tri: ask}
}

// leafOnTexts is leaf for one fact that is, or is not, one of some texts.
func (c *compiler) leafOnTexts(n ast.Node, ask func(*Subject) facts.Tri, f *Fact, texts []string) value {
	l := leaf{written: n.String(), ask: ask, about: []*Fact{f}, own: []*Fact{f}, itself: ask, fact: f, texts: texts}
	l.asks = question(f, facts.Equals, texts...)
	c.leaves = append(c.leaves, l)
	return value{tri: ask}
}

// leafOnFlag is leaf for a fact of yes or no.
func (c *compiler) leafOnFlag(n ast.Node, f *Fact) {
	c.leaves = append(c.leaves, leaf{written: n.String(), ask: f.tri, about: []*Fact{f}, own: []*Fact{f}, itself: f.tri, plain: slices.Contains(plainFlags, f.Name)})
}

// plainFlags are the facts that follow from allFlags.
var plainFlags = []string{
	"enabled", "locked", "must_change", "never_expires", "cannot_change", "blank_allowed", "blank", "password_usable",
	"second_factor", "privileged",
	"overdue", "shut", "older_than_policy", "older_than_rules", "policy_missing", "overdue_open", "never_signed_in", "lasts_for_ever",
}

// plainDates are those of which allFlags tells whether they are known.
var plainDates = []string{"last_sign_in", "password_expires", "password_set", "created"}

// allFlags are the answers of all plain flags at once, which is much quicker
// than to ask for them one by one.
func allFlags(s *Subject) uint64 {
	a, d := s.Account, &s.Derived
	return uint64(a.Enabled) | uint64(a.Locked)<<2 | uint64(a.MustChange)<<4 | uint64(a.NeverExpires)<<6 | uint64(a.CannotChange)<<8 |
		uint64(a.BlankAllowed)<<10 | uint64(a.Blank)<<12 | uint64(a.PasswordUsable)<<14 | uint64(a.SecondFactor)<<16 | uint64(a.Privileged)<<18 |
		uint64(d.Overdue)<<20 | uint64(d.Shut)<<22 | uint64(d.OlderPolicy)<<24 | uint64(d.OlderRules)<<26 | uint64(d.Missing)<<28 |
		uint64(a.LastSignIn.Dated())<<30 | uint64(d.Expires.Dated())<<32 | uint64(a.PasswordSet.Dated())<<34 | uint64(a.Created.Dated())<<36 |
		uint64(d.Lasts)<<38
}

// A Pattern is what several conditions ask, each question once. Subjects that
// answer alike come out alike in all the conditions, and lack the same facts.
type Pattern struct {
	seen    map[string]bool
	datedOf bool // only what depends on dates
	singly  bool // only what compares no two dates
	flags   bool // whether a plain flag is asked for
	leaves  []leaf
	numbers []numberQuestion
	texts   []textQuestion
}

// A numberQuestion asks a fact where it lies among all numbers that it is
// compared with, in rising order.
type numberQuestion struct {
	fact    *Fact
	numbers []int64
	turns   []int64 // see leaf
	width   int     // in bits, of its answer
}

// A textQuestion asks a fact which of some texts it is.
type textQuestion struct {
	fact    *Fact
	texts   []string
	lengths uint64 // a bit for each length that one of them has; the last for all longer
}

func lengthBit(s string) uint64 { return 1 << min(len(s), 63) }

// Add takes in the questions of a condition; nil asks none.
func (p *Pattern) Add(c *Condition) {
	if c == nil {
		return
	}
	if p.seen == nil {
		p.seen = map[string]bool{}
	}
	for _, l := range c.leaves {
		if p.seen[l.written] {
			continue
		}
		p.seen[l.written] = true
		if p.datedOf && !l.plain && !slices.ContainsFunc(l.about, (*Fact).dated) {
			continue
		}
		if p.singly && len(l.joint()) > 0 {
			continue
		}
		switch {
		case l.plain:
			p.flags = true
		case l.numbers != nil:
			p.addNumber(l)
		case l.texts != nil:
			p.addTexts(l)
		default:
			p.leaves = append(p.leaves, l)
		}
	}
}

func (p *Pattern) addNumber(l leaf) {
	i := slices.IndexFunc(p.numbers, func(q numberQuestion) bool { return q.fact == l.fact })
	if i < 0 {
		i = len(p.numbers)
		p.numbers = append(p.numbers, numberQuestion{fact: l.fact})
	}
	q := &p.numbers[i]
	q.numbers, q.turns = append(q.numbers, l.numbers...), append(q.turns, l.turns...)
	slices.Sort(q.numbers)
	q.numbers = slices.Compact(q.numbers)
	q.width = bits.Len(uint(2*len(q.numbers) + 1))
}

func (p *Pattern) addTexts(l leaf) {
	i := slices.IndexFunc(p.texts, func(q textQuestion) bool { return q.fact == l.fact })
	if i < 0 {
		i = len(p.texts)
		p.texts = append(p.texts, textQuestion{fact: l.fact})
	}
	q := &p.texts[i]
	for _, t := range l.texts {
		if !slices.Contains(q.texts, t) {
			q.texts = append(q.texts, t)
			q.lengths |= lengthBit(t)
		}
	}
}

// AppendAnswers appends the subject's answers to all questions.
func (p *Pattern) AppendAnswers(key []byte, s *Subject) []byte {
	if p.flags {
		key = binary.LittleEndian.AppendUint64(key, allFlags(s))
	}
	packed := byte(0)
	for i := range p.leaves {
		packed = packed<<2 | byte(p.leaves[i].ask(s))
		if i&3 == 3 { // four to a byte
			key = append(key, packed)
			packed = 0
		}
	}
	key = append(key, packed)
	for i := range p.numbers {
		key = binary.AppendUvarint(key, p.numbers[i].place(s))
	}
	for i := range p.texts {
		key = binary.AppendUvarint(key, p.texts[i].which(s))
	}
	return key
}

// datedFlags are those of allFlags that depend on dates.
func datedFlags(s *Subject) uint64 {
	a, d := s.Account, &s.Derived
	return uint64(d.Overdue) | uint64(d.Shut)<<2 | uint64(d.OlderPolicy)<<4 | uint64(d.OlderRules)<<6 | uint64(a.LastSignIn.Dated())<<8 |
		uint64(d.Expires.Dated())<<10 | uint64(a.PasswordSet.Dated())<<12 | uint64(a.Created.Dated())<<14 | uint64(d.Lasts)<<16
}

const flagBits = 18

// Packs reports whether the answers to all questions that depend on dates fit into
// a Packed.
func (p *Pattern) Packs() bool {
	room := [len(Packed{})]int{0, 1} // the highest bit is left to whoever keeps them
	at := 0
	need := func(width int) bool {
		if room[at]+width > 64 {
			at++
		}
		if at == len(room) {
			return false
		}
		room[at] += width
		return true
	}
	fits := len(p.texts) == 0 && need(flagBits)
	for range p.leaves {
		fits = fits && need(2)
	}
	for i := range p.numbers {
		fits = fits && need(p.numbers[i].width)
	}
	return fits
}

// Packed are answers in a form that is quick to compare; the highest bit of the last
// is not set.
type Packed [2]uint64

// Pack are the subject's answers to all questions that depend on dates, where they
// fit.
func (p *Pattern) Pack(s *Subject) Packed {
	var out Packed
	at, used := 0, flagBits
	word := datedFlags(s)
	put := func(width int, answer uint64) {
		if used+width > 64 {
			out[at], word, used = word, 0, 0
			at++
		}
		word |= answer << used
		used += width
	}
	for i := range p.leaves {
		put(2, uint64(p.leaves[i].ask(s)))
	}
	for i := range p.numbers {
		put(p.numbers[i].width, p.numbers[i].place(s))
	}
	out[at] = word
	return out
}

// place is 0 where the fact is not known; it differs for each number that is
// asked for and for each space between them.
func (q *numberQuestion) place(s *Subject) uint64 {
	n, ok := q.fact.num(s)
	if !ok {
		return 0
	}
	place := uint64(1)
	for _, number := range q.numbers { // without a branch that depends on the fact
		if n >= number {
			place++
		}
		if n > number {
			place++
		}
	}
	return place
}

// which is 0 where the fact is not known and 1 where it is none of the texts.
func (q *textQuestion) which(s *Subject) uint64 {
	text, ok := q.fact.text(s)
	switch {
	case !ok:
		return 0
	case q.lengths&lengthBit(text) == 0:
		return 1
	}
	return uint64(slices.Index(q.texts, text) + 2)
}
