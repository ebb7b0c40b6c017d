package condition

import (
	"slices"

	"github.com/expr-lang/expr/ast"

	"yewcone/core/estate"
)

// A leaf is a part of a condition that asks nothing but facts: a flag, or a
// comparison. Leaves that are written alike are alike.
type leaf struct {
	written string
	ask     func(*Subject) estate.Tri
}

// leaf notes a part that asks nothing but facts. Where it compares two facts,
// its answer "unknown" does not tell which of them is; then whether each is
// known is noted too.
func (c *compiler) leaf(n ast.Node, ask func(*Subject) estate.Tri, facts ...*Fact) value {
	c.leaves = append(c.leaves, leaf{n.String(), ask})
	facts = slices.DeleteFunc(facts, func(f *Fact) bool { return f == nil })
	if len(facts) > 1 {
		for _, f := range facts {
			c.leaves = append(c.leaves, leaf{"known " + f.Name, func(s *Subject) estate.Tri { return estate.TriOf(f.known(s)) }})
		}
	}
	return value{tri: ask}
}

// A Pattern is what several conditions ask, each question once. Subjects that
// answer alike come out alike in all the conditions, and lack the same facts.
type Pattern struct {
	seen   map[string]bool
	leaves []leaf
}

// Add takes in the questions of a condition; nil asks none.
func (p *Pattern) Add(c *Condition) {
	if c == nil {
		return
	}
	if p.seen == nil {
		p.seen = map[string]bool{}
	}
	for _, l := range c.leaves {
		if !p.seen[l.written] {
			p.seen[l.written] = true
			p.leaves = append(p.leaves, l)
		}
	}
}

// AppendAnswers appends the subject's answers to all questions, four to a
// byte.
func (p *Pattern) AppendAnswers(key []byte, s *Subject) []byte {
	packed := byte(0)
	for i := range p.leaves {
		packed = packed<<2 | byte(p.leaves[i].ask(s))
		if i&3 == 3 {
			key = append(key, packed)
			packed = 0
		}
	}
	return append(key, packed)
}
