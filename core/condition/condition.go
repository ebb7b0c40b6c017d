// Package condition compiles questions about accounts, such as
//
//	kind == "person" and idle > days(90)
//
// and answers them with yes, no or unknown. The expression language's own
// parser and type checker read a condition; what it means is decided here,
// because a fact that the export does not show must make the answer unknown
// unless the rest settles it ("unknown and no" is no).
package condition

import (
	"maps"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/checker"
	"github.com/expr-lang/expr/conf"
	"github.com/expr-lang/expr/parser"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/strictyaml"
)

// maxLength bounds a condition, in bytes.
const maxLength = 4000

// A Condition is a compiled question. The zero *Condition (nil) is met by
// every account.
type Condition struct {
	text   strictyaml.Text
	node   ast.Node // with the conditions that it names in place of their names
	uses   []*Condition
	asks   []*Fact
	leaves []leaf
	eval   func(*Subject) facts.Tri
}

// Test answers the question.
func (c *Condition) Test(s *Subject) facts.Tri {
	if c == nil {
		return facts.Yes
	}
	return c.eval(s)
}

// String is the condition as it was written; "" for nil.
func (c *Condition) String() string {
	if c == nil {
		return ""
	}
	return c.text.Value
}

// Expanded is the condition with those that it names in place of their names; "" for
// nil.
func (c *Condition) Expanded() string {
	switch {
	case c == nil:
		return ""
	case len(c.uses) == 0:
		return c.text.Value
	}
	return c.node.String()
}

// Place is where the condition stands; "" for one that stands in no file.
func (c *Condition) Place() (file string, line int) { return c.text.File(), c.text.Line }

var literal = regexp.MustCompile(`"((?:[^"\\]|\\.)*)"|'((?:[^'\\]|\\.)*)'`)

// Literals lists the texts that stand in the condition.
func (c *Condition) Literals() []string {
	var list []string
	for _, m := range literal.FindAllStringSubmatch(c.text.Value, -1) {
		list = append(list, m[1]+m[2])
	}
	for _, named := range c.uses {
		list = append(list, named.Literals()...)
	}
	return list
}

// UnknownFacts appends the names of the facts that the condition asks for and
// the subject does not have.
func (c *Condition) UnknownFacts(s *Subject, names []string) []string {
	if c == nil {
		return names
	}
	for _, f := range c.asks {
		if !f.known(s) && !slices.Contains(names, f.Name) {
			names = append(names, f.Name)
		}
	}
	return names
}

// Uses reports whether the condition asks for a fact.
func (c *Condition) Uses(fact string) bool {
	return c != nil && slices.ContainsFunc(c.asks, func(f *Fact) bool { return f.Name == fact })
}

// Derived reports whether the condition asks for what is worked out from settings,
// such as dates.
func (c *Condition) Derived() bool {
	return c != nil && slices.ContainsFunc(c.asks, func(f *Fact) bool { return f.Stage > WithKind && f.Name != "privileged" })
}

var functions = map[string]any{
	"days":   func(int) time.Duration { return 0 },
	"hours":  func(int) time.Duration { return 0 },
	"months": func(int) time.Duration { return 0 },
	"years":  func(int) time.Duration { return 0 },
	"date":   func(string) time.Time { return time.Time{} },
	"under":  func(string, string) bool { return false },
}

// functionSeconds are the lengths of one of each unit, as lengths of time are
// compared everywhere: a month is 30 days, a year 365.
var functionSeconds = map[string]int64{"hours": 3600, "days": 86400, "months": 30 * 86400, "years": 365 * 86400}

// configurations are made once for each stage. The checker writes to them, so
// that one condition is compiled at a time.
var configurations struct {
	sync.Mutex
	made  [Complete + 1]*conf.Config
	names [Complete + 1][]string
}

// configFor allows the facts of a stage and nothing else of the language's
// own functions. The caller holds the lock.
func configFor(stage Stage) (*conf.Config, []string) {
	all := &configurations
	if all.made[stage] == nil {
		all.made[stage], all.names[stage] = newConfig(stage, nil)
	}
	return all.made[stage], all.names[stage]
}

func newConfig(stage Stage, named Named) (*conf.Config, []string) {
	env := map[string]any{}
	var names []string
	for i := range allFacts {
		if allFacts[i].Stage <= stage {
			env[allFacts[i].Name] = allFacts[i].env
			names = append(names, allFacts[i].Name)
		}
	}
	for name, f := range functions {
		env[name] = f
	}
	for _, name := range slices.Sorted(maps.Keys(named)) {
		env[name] = false
		names = append(names, name)
	}
	c := conf.New(env)
	for _, option := range []expr.Option{expr.DisableAllBuiltins(), expr.AsBool()} {
		option(c)
	}
	return c, names
}

// Compile reads a condition. The error is a *strictyaml.Problem at the word
// that is wrong.
func Compile(text strictyaml.Text, stage Stage) (*Condition, error) {
	return CompileWith(text, stage, nil)
}

// CompileWith is as Compile, for a condition that may ask others by their names.
func CompileWith(text strictyaml.Text, stage Stage, named Named) (*Condition, error) {
	if len(text.Value) > maxLength {
		return nil, text.At(0, "the condition has %d characters; at most %d are read", len(text.Value), maxLength)
	}
	configurations.Lock()
	defer configurations.Unlock()
	config, names := configFor(stage)
	if len(named) > 0 {
		config, names = newConfig(stage, named)
	}
	spelled, places := rewritten(text.Value)
	tree, err := parser.ParseWithConfig(spelled, config)
	if err == nil {
		ast.Walk(&tree.Node, speller{})
		_, err = checker.Check(tree, config)
	}
	if err != nil {
		return nil, explain(text, err, names, stage, places)
	}
	ast.Walk(&tree.Node, placer{places, map[ast.Node]bool{}})
	in := inliner{named: named, stage: stage, text: text}
	if ast.Walk(&tree.Node, &in); in.err != nil {
		return nil, in.err
	}
	c := &compiler{text: text, stage: stage}
	root, err := c.compile(tree.Node)
	if err != nil {
		return nil, err
	}
	if root.tri == nil {
		return nil, text.At(0, "the condition must answer yes or no")
	}
	return &Condition{text: text, node: tree.Node, uses: in.uses, asks: c.asks, leaves: c.leaves, eval: root.tri}, nil
}

// FindFact returns the fact of a name, or nil.
func FindFact(name string) *Fact {
	for i := range allFacts {
		if allFacts[i].Name == name {
			return &allFacts[i]
		}
	}
	return nil
}

// value is a compiled piece; exactly one of the functions is set.
type value struct {
	text  func(*Subject) (string, bool)
	list  func(*Subject) ([]string, bool)
	tri   func(*Subject) facts.Tri
	num   func(*Subject) (int64, bool)
	fact  *Fact
	fixed string   // of a text written in the condition
	items []string // of a list written in the condition
	whole *int64   // of a number written in the condition
	at    int
}

type compiler struct {
	text   strictyaml.Text
	stage  Stage
	asks   []*Fact
	leaves []leaf
	guards []guard // what stands before the part that is compiled, joined by "and" all the way up
	inside int     // how many other operators are around the part
}

func (c *compiler) fail(node ast.Node, format string, args ...any) error {
	return c.text.At(node.Location().From, format, args...)
}

func (c *compiler) compile(node ast.Node) (value, error) {
	if n, ok := node.(*ast.BinaryNode); !ok || n.Operator != "and" && n.Operator != "&&" {
		c.inside++
		defer func() { c.inside-- }()
	}
	switch n := node.(type) {
	case *ast.IdentifierNode:
		f := FindFact(n.Value)
		if f == nil {
			return value{}, c.fail(n, "%q is a function; write %s(…)", n.Value, n.Value)
		}
		if !slices.Contains(c.asks, f) {
			c.asks = append(c.asks, f)
		}
		if f.tri != nil {
			c.leafOnFlag(n, f)
		}
		return value{text: f.text, list: f.list, tri: f.tri, num: f.num, fact: f}, nil
	case *ast.StringNode:
		fixed := n.Value
		return value{text: func(*Subject) (string, bool) { return fixed, true }, fixed: fixed, at: n.Location().From}, nil
	case *ast.IntegerNode:
		return number(int64(n.Value)), nil
	case *ast.BoolNode:
		answer := facts.TriOf(n.Value)
		return value{tri: func(*Subject) facts.Tri { return answer }}, nil
	case *ast.UnaryNode:
		return c.unary(n)
	case *ast.BinaryNode:
		return c.binary(n)
	case *ast.CallNode:
		return c.call(n)
	case *ast.ArrayNode:
		return c.array(n)
	}
	return value{}, c.fail(node, "this part of the expression language is not used in conditions")
}

func number(n int64) value {
	return value{num: func(*Subject) (int64, bool) { return n, true }, whole: &n}
}

func (c *compiler) unary(n *ast.UnaryNode) (value, error) {
	inner, err := c.compile(n.Node)
	if err != nil {
		return value{}, err
	}
	switch {
	case (n.Operator == "not" || n.Operator == "!") && inner.tri != nil:
		return value{tri: func(s *Subject) facts.Tri { return inner.tri(s).Not() }}, nil
	case n.Operator == "-" && inner.num != nil:
		return value{num: func(s *Subject) (int64, bool) {
			v, ok := inner.num(s)
			return -v, ok
		}}, nil
	}
	return value{}, c.fail(n, "%q is not used in conditions here", n.Operator)
}

func (c *compiler) array(n *ast.ArrayNode) (value, error) {
	var items []string
	for _, item := range n.Nodes {
		s, ok := item.(*ast.StringNode)
		if !ok {
			return value{}, c.fail(item, "a list holds texts in quotes only")
		}
		items = append(items, s.Value)
	}
	return value{list: func(*Subject) ([]string, bool) { return items, true }, items: items}, nil
}

func (c *compiler) call(n *ast.CallNode) (value, error) {
	name := ""
	if id, ok := n.Callee.(*ast.IdentifierNode); ok {
		name = id.Value
	}
	switch {
	case functionSeconds[name] != 0:
		sign, argument := int64(1), n.Arguments[0]
		if minus, ok := argument.(*ast.UnaryNode); ok && minus.Operator == "-" { // a time ahead
			sign, argument = -1, minus.Node
		}
		count, ok := argument.(*ast.IntegerNode)
		if !ok || count.Value < 0 || count.Value > 1e6 {
			return value{}, c.fail(n, "%s takes a whole number between -1000000 and 1000000", name)
		}
		return number(sign * int64(count.Value) * functionSeconds[name]), nil
	case name == "date":
		text, ok := n.Arguments[0].(*ast.StringNode)
		if !ok {
			return value{}, c.fail(n, "date takes a text in quotes")
		}
		at, err := strictyaml.ParseDate(text.Value)
		if err != nil {
			return value{}, c.fail(text, "%s", err)
		}
		return number(at.Unix()), nil
	case name == "under":
		return c.under(n)
	}
	return value{}, c.fail(n, "this function is not used in conditions")
}

// under asks whether one path is another or lies below it.
func (c *compiler) under(n *ast.CallNode) (value, error) {
	path, err := c.compile(n.Arguments[0])
	if err != nil {
		return value{}, err
	}
	above, err := c.compile(n.Arguments[1])
	if err != nil {
		return value{}, err
	}
	answer := c.leaf(n, func(s *Subject) facts.Tri {
		p, ok := path.text(s)
		a, ok2 := above.text(s)
		if !ok || !ok2 {
			return facts.Unknown
		}
		return facts.TriOf(facts.Under(p, a))
	}, path.fact, above.fact)
	if path.fact != nil && above.fact == nil {
		unit := strings.TrimSuffix(above.fixed, "/")
		c.leaves[len(c.leaves)-1].asks = slices.Concat(question(path.fact, facts.Equals, unit), question(path.fact, facts.Begins, unit+"/"))
	}
	return answer, nil
}

func (c *compiler) binary(n *ast.BinaryNode) (value, error) {
	left, err := c.compile(n.Left)
	if err != nil {
		return value{}, err
	}
	if (n.Operator == "and" || n.Operator == "&&") && c.inside == 0 {
		c.guards = append(c.guards, guard{n.Left.String(), left.tri, factsIn(n.Left)})
		defer func() { c.guards = c.guards[:len(c.guards)-1] }()
	}
	right, err := c.compile(n.Right)
	if err != nil {
		return value{}, err
	}
	if err := c.checkWords(n, left, right); err != nil {
		return value{}, err
	}
	switch n.Operator {
	case "and", "&&":
		return value{tri: func(s *Subject) facts.Tri { return and(left.tri(s), s, right.tri) }}, nil
	case "or", "||":
		return value{tri: func(s *Subject) facts.Tri { return and(left.tri(s).Not(), s, right.notTri()).Not() }}, nil
	}
	left, right = left.graded(right), right.graded(left)
	switch {
	case left.text != nil && right.text != nil:
		return c.texts(n, left, right)
	case left.text != nil && right.list != nil && n.Operator == "in":
		ask := func(s *Subject) facts.Tri {
			t, ok := left.text(s)
			list, ok2 := right.list(s)
			if !ok || !ok2 {
				return facts.Unknown
			}
			return facts.TriOf(slices.Contains(list, t))
		}
		if left.fact != nil && right.items != nil {
			return c.leafOnTexts(n, ask, left.fact, right.items), nil
		}
		answer := c.leaf(n, ask, left.fact, right.fact)
		if left.fact == nil && left.items == nil && right.fact != nil {
			c.leaves[len(c.leaves)-1].asks = question(right.fact, facts.HasItem, left.fixed)
		}
		return answer, nil
	case left.num != nil && left.fact != nil && left.fact.Type == "grade" && right.items != nil && n.Operator == "in":
		return c.grades(n, left, right.items), nil
	case left.num != nil && right.num != nil:
		return c.numbers(n, left, right)
	case left.tri != nil && right.tri != nil && (n.Operator == "==" || n.Operator == "!="):
		same := n.Operator == "=="
		return value{tri: func(s *Subject) facts.Tri {
			a, b := left.tri(s), right.tri(s)
			if a == facts.Unknown || b == facts.Unknown {
				return facts.Unknown
			}
			return facts.TriOf((a == b) == same)
		}}, nil
	}
	return value{}, c.fail(n, "%q does not fit what stands on its two sides", n.Operator)
}

// checkWords refuses kinds and grades that do not exist: they would make the
// condition false for ever.
func (c *compiler) checkWords(n *ast.BinaryNode, left, right value) error {
	for _, pair := range [][2]value{{left, right}, {right, left}} {
		f, text := pair[0].fact, pair[1]
		if f == nil || f.Words == nil || text.fact != nil {
			continue
		}
		written := []string{text.fixed}
		if text.list != nil {
			written, _ = text.list(nil)
		} else if text.text == nil || (n.Operator != "==" && n.Operator != "!=" && f.Type != "grade") {
			continue
		}
		for _, w := range written {
			if !slices.Contains(f.Words, w) {
				return c.fail(n.Right, "%q is no %s; it is one of %s%s", w, f.Name, strings.Join(f.Words, ", "),
					nearword.Advice(w, f.Words))
			}
		}
	}
	return nil
}

// graded turns a text beside a grade into the grade's place.
func (v value) graded(other value) value {
	if v.text == nil || other.fact == nil || other.fact.Type != "grade" {
		return v
	}
	return number(int64(slices.Index(other.fact.Words, v.fixed)))
}

// grades asks whether a grade is one of several.
func (c *compiler) grades(n *ast.BinaryNode, left value, items []string) value {
	var places []int64
	for _, item := range items {
		places = append(places, int64(slices.Index(left.fact.Words, item)))
	}
	ask := func(s *Subject) facts.Tri {
		at, ok := left.num(s)
		if !ok {
			return facts.Unknown
		}
		return facts.TriOf(slices.Contains(places, at))
	}
	c.leaves = append(c.leaves, leaf{written: n.String(), ask: ask, fact: left.fact, numbers: places})
	return value{tri: ask}
}

func (v value) notTri() func(*Subject) facts.Tri {
	return func(s *Subject) facts.Tri { return v.tri(s).Not() }
}

// and answers no when either side does, and asks the right side only if it
// still matters.
func and(left facts.Tri, s *Subject, right func(*Subject) facts.Tri) facts.Tri {
	if left == facts.No {
		return facts.No
	}
	return left.And(right(s))
}

func (c *compiler) numbers(n *ast.BinaryNode, left, right value) (value, error) {
	var holds func(a, b int64) bool
	switch n.Operator {
	case "==":
		holds = func(a, b int64) bool { return a == b }
	case "!=":
		holds = func(a, b int64) bool { return a != b }
	case "<":
		holds = func(a, b int64) bool { return a < b }
	case "<=":
		holds = func(a, b int64) bool { return a <= b }
	case ">":
		holds = func(a, b int64) bool { return a > b }
	case ">=":
		holds = func(a, b int64) bool { return a >= b }
	default:
		return value{}, c.fail(n, "%q is not used between numbers, times and dates here", n.Operator)
	}
	ask := func(s *Subject) facts.Tri {
		a, ok := left.num(s)
		b, ok2 := right.num(s)
		if !ok || !ok2 {
			return facts.Unknown
		}
		return facts.TriOf(holds(a, b))
	}
	switch {
	case left.fact != nil && right.whole != nil:
		return c.leafOnNumber(n, ask, left.fact, n.Operator, *right.whole), nil
	case left.whole != nil && right.fact != nil:
		return c.leafOnNumber(n, ask, right.fact, turned[n.Operator], *left.whole), nil
	}
	return c.leaf(n, ask, left.fact, right.fact), nil
}

// turned are comparisons as they are written from the other side.
var turned = map[string]string{"==": "==", "!=": "!=", "<": ">", "<=": ">=", ">": "<", ">=": "<="}

func (c *compiler) texts(n *ast.BinaryNode, left, right value) (value, error) {
	var holds func(a, b string) bool
	switch n.Operator {
	case "==":
		holds = func(a, b string) bool { return a == b }
	case "!=":
		holds = func(a, b string) bool { return a != b }
	case "startsWith":
		holds = strings.HasPrefix
	case "endsWith":
		holds = strings.HasSuffix
	case "contains":
		holds = strings.Contains
	case "matches":
		pattern, err := regexp.Compile(right.fixed)
		if err != nil || right.fact != nil {
			return value{}, c.text.At(right.at, "%q is no pattern that can be matched", right.fixed)
		}
		holds = func(a, _ string) bool { return pattern.MatchString(a) }
	default:
		return value{}, c.fail(n, "%q is not used between texts here", n.Operator)
	}
	ask := func(s *Subject) facts.Tri {
		a, ok := left.text(s)
		b, ok2 := right.text(s)
		if !ok || !ok2 {
			return facts.Unknown
		}
		return facts.TriOf(holds(a, b))
	}
	if left.fact != nil && right.fact == nil && (n.Operator == "==" || n.Operator == "!=") {
		return c.leafOnTexts(n, ask, left.fact, []string{right.fixed}), nil
	}
	var answer value
	if left.fact != nil && right.fact == nil && c.inside == 1 && len(c.guards) > 0 {
		answer = c.guardedLeaf(n, ask)
	} else {
		answer = c.leaf(n, ask, left.fact, right.fact)
	}
	if op, ok := textOps[n.Operator]; ok && left.fact != nil && right.fact == nil {
		c.leaves[len(c.leaves)-1].asks = question(left.fact, op, right.fixed)
	}
	return answer, nil
}
