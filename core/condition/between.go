package condition

import (
	"regexp"
	"strings"
	"unicode"

	"github.com/expr-lang/expr/ast"
)

// infix is "idle between days(30) and days(90)", which the parser does not know. It is
// written as a comparison with a call, which the tree then spells out.
var infix = regexp.MustCompile(`(?:^|[\s)])(not\s+)?between\s`)

// rewritten puts calls in the place of "between", and tells from which place of the
// text, counted in characters, each of its characters comes.
func rewritten(text string) (string, []int) {
	runes := []rune(text)
	from := make([]int, 0, len(runes)+1)
	var out []rune
	put := func(s string, at int) {
		for _, r := range s {
			out, from = append(out, r), append(from, at)
		}
	}
	at := 0
	for at < len(runes) {
		word, negated := betweenAt(runes, at)
		if word == 0 {
			put(string(runes[at]), at)
			at++
			continue
		}
		and := endOf(runes, at+word, true)
		if and < 0 {
			put(string(runes[at:at+word]), at)
			at += word
			continue
		}
		end := endOf(runes, and+len("and"), false)
		put(map[bool]string{false: "== between(", true: "!= between("}[negated], at)
		for i := at + word; i < and; i++ {
			put(string(runes[i]), i)
		}
		put(", ", and)
		for i := and + len("and"); i < end; i++ {
			put(string(runes[i]), i)
		}
		put(") ", end-1)
		at = end
	}
	return string(out), append(from, len(runes))
}

// betweenAt is how many characters "between", or "not between", takes here; 0 where
// there is another thing, or a text in quotes.
func betweenAt(runes []rune, at int) (length int, negated bool) {
	if runes[at] != 'b' && runes[at] != 'n' { // to look closer takes long
		return 0, false
	}
	if at > 0 && (unicode.IsLetter(runes[at-1]) || unicode.IsDigit(runes[at-1]) || runes[at-1] == '_') || quoted(runes, at) {
		return 0, false
	}
	m := infix.FindStringSubmatch(" " + string(runes[at:min(len(runes), at+80)]))
	if m == nil || !strings.HasPrefix(" "+string(runes[at:min(len(runes), at+80)]), m[0]) {
		return 0, false
	}
	return len([]rune(m[0])) - 2, m[1] != ""
}

// quoted reports whether a place lies in a text in quotes.
func quoted(runes []rune, at int) bool {
	var open rune
	for i := 0; i < at; i++ {
		switch r := runes[i]; {
		case open != 0 && r == '\\':
			i++
		case open != 0 && r == open:
			open = 0
		case open == 0 && (r == '"' || r == '\''):
			open = r
		}
	}
	return open != 0
}

// endOf is where an operand ends: at the next "and" for the first of two, at -1 where
// there is none; at what joins it to others, a bracket that closes or the end for the
// second.
func endOf(runes []rune, from int, first bool) int {
	depth := 0
	for i := from; i < len(runes); i++ {
		if quoted(runes, i) {
			continue
		}
		switch r := runes[i]; {
		case r == '(' || r == '[':
			depth++
		case depth > 0 && (r == ')' || r == ']'):
			depth--
		case depth > 0:
		case r == ')' || r == ']' || r == ',' || r == '&' || r == '|':
			if first {
				return -1
			}
			return i
		case i > 0 && unicode.IsSpace(runes[i-1]) || i > 0 && runes[i-1] == ')':
			word := strings.FieldsFunc(string(runes[i:min(len(runes), i+4)]), func(r rune) bool { return !unicode.IsLetter(r) })
			if len(word) > 0 && strings.HasPrefix(string(runes[i:]), word[0]) && (word[0] == "and" || word[0] == "or") {
				if first == (word[0] == "and") || !first {
					return i
				}
				return -1
			}
		}
	}
	if first {
		return -1
	}
	return len(runes)
}

// placer moves parts to where they stand in the text as it was written.
type placer struct {
	places []int
	moved  map[ast.Node]bool
}

// Visit is called for each part; what "between" is spelled out with has some twice.
func (p placer) Visit(node *ast.Node) {
	if p.moved[*node] {
		return
	}
	p.moved[*node] = true
	at := (*node).Location()
	at.From = p.places[min(at.From, len(p.places)-1)]
	(*node).SetLocation(at)
}

// speller spells out "between" and lengths of time with a sign in front.
type speller struct{}

// Visit is called for each part, inner ones first.
func (speller) Visit(node *ast.Node) {
	switch n := (*node).(type) {
	case *ast.UnaryNode:
		call, ok := n.Node.(*ast.CallNode)
		if !ok || n.Operator != "-" || len(call.Arguments) != 1 {
			return
		}
		if id, ok := call.Callee.(*ast.IdentifierNode); ok && functionSeconds[id.Value] != 0 {
			if _, whole := call.Arguments[0].(*ast.IntegerNode); whole {
				minus := &ast.UnaryNode{Operator: "-", Node: call.Arguments[0]}
				minus.SetLocation(call.Arguments[0].Location())
				call.Arguments[0] = minus
				*node = call
			}
		}
	case *ast.BinaryNode:
		call, ok := n.Right.(*ast.CallNode)
		if !ok || n.Operator != "==" && n.Operator != "!=" || len(call.Arguments) != 2 {
			return
		}
		if id, ok := call.Callee.(*ast.IdentifierNode); !ok || id.Value != "between" {
			return
		}
		least, most, join := ">=", "<=", "and"
		if n.Operator == "!=" {
			least, most, join = "<", ">", "or"
		}
		part := func(op string, right ast.Node) ast.Node {
			b := &ast.BinaryNode{Operator: op, Left: n.Left, Right: right}
			b.SetLocation(n.Location())
			return b
		}
		whole := &ast.BinaryNode{Operator: join, Left: part(least, call.Arguments[0]), Right: part(most, call.Arguments[1])}
		whole.SetLocation(n.Location())
		*node = whole
	}
}
