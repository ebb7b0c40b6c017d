package condition

import (
	"regexp"
	"slices"
	"strings"

	"github.com/expr-lang/expr/ast"

	"yewcone/core/strictyaml"
)

// Named are conditions that others may ask by a name.
type Named map[string]*Condition

// With compiles one more, which may ask those that are named already. The error is
// a *strictyaml.Problem.
func (n Named) With(name, text strictyaml.Text) error {
	if err := n.check(name); err != nil {
		return err
	}
	c, err := CompileWith(text, Complete, n)
	if err == nil {
		n[name.Value] = c
	}
	return err
}

var nameOfCondition = regexp.MustCompile(`^[a-z][a-z0-9_]*$`)

// reserved are words of the language that its parser reads as names, or would.
var reserved = []string{"true", "false", "nil", "let", "if", "else"}

func (n Named) check(name strictyaml.Text) error {
	switch {
	case !nameOfCondition.MatchString(name.Value):
		return name.At(0, "%q cannot name a condition: such a name has small letters, digits and underscores, and begins with a letter", name.Value)
	case FindFact(name.Value) != nil:
		return name.At(0, "%q is a fact about accounts already; call the condition otherwise", name.Value)
	case functions[name.Value] != nil, slices.Contains(operators, name.Value), slices.Contains(reserved, name.Value):
		return name.At(0, "%q is a word of the language of conditions; call the condition otherwise", name.Value)
	case n[name.Value] != nil:
		return name.At(0, "a condition named %q stands above", name.Value)
	}
	return nil
}

// an inliner puts the conditions that are named in the place of their names, so
// that parts which ask the same are written alike wherever they come from.
type inliner struct {
	named Named
	stage Stage
	text  strictyaml.Text
	uses  []*Condition
	err   error
}

// Visit is called for each part.
func (in *inliner) Visit(node *ast.Node) {
	id, ok := (*node).(*ast.IdentifierNode)
	if !ok || in.named[id.Value] == nil || in.err != nil {
		return
	}
	c := in.named[id.Value]
	var later []string
	for _, f := range c.asks {
		if f.Stage > in.stage {
			later = append(later, f.Name)
		}
	}
	if later != nil {
		in.err = in.text.At(id.Location().From, "%q asks %s, which is worked out later and cannot be asked here", id.Value, strings.Join(later, ", "))
		return
	}
	in.uses = append(in.uses, c)
	*node = c.node
}
