package jsonrows

import (
	"math"
	"slices"
	"strings"

	"yewcone/intake/table"
)

// A jsonNode says which members of an object bring columns.
type jsonNode struct {
	path string
	kids []jsonKid
	flat bool // no member is more than a plain value, a list of texts or an object of such

	places [64]uint8 // by the places of names: kids, counted from 1; 0 for none
}

type jsonKid struct {
	name    string
	quoted  string
	columns []int     // that take the member's value as it is
	inner   *jsonNode // members of the member; nil for none
	odd     []oddPath // paths on from it that are more than names
}

type oddPath struct {
	steps  []step
	column int
}

// jsonTree puts paths together; nil when one of them leads to the row itself
// or begins with anything but a name.
func jsonTree(paths [][]step) *jsonNode {
	root := &jsonNode{path: "$"}
	for column, steps := range paths {
		if len(steps) == 0 || steps[0].kind != toMember {
			return nil
		}
		root.add(steps, column)
	}
	root.flatten()
	return root
}

func (n *jsonNode) add(steps []step, column int) {
	kid := n.kid(steps[0].name)
	switch rest := steps[1:]; {
	case len(rest) == 0:
		kid.columns = append(kid.columns, column)
	case rest[0].kind == toMember:
		if kid.inner == nil {
			kid.inner = &jsonNode{path: Member(n.path, kid.name)}
		}
		kid.inner.add(rest, column)
	default:
		kid.odd = append(kid.odd, oddPath{rest, column})
	}
}

func (n *jsonNode) kid(name string) *jsonKid {
	for i := range n.kids {
		if n.kids[i].name == name {
			return &n.kids[i]
		}
	}
	n.kids = append(n.kids, jsonKid{name: name})
	return &n.kids[len(n.kids)-1]
}

// noteUnread notes the members of a value that no column takes.
func (n *jsonNode) noteUnread(node any, left map[string]bool) {
	object, ok := node.(map[string]any)
	if n == nil || !ok {
		return
	}
	for name, value := range object {
		i := slices.IndexFunc(n.kids, func(k jsonKid) bool { return k.name == name })
		switch {
		case i < 0 && len(left) < table.MostUnread:
			left[Member(n.path, name)] = true
		case i >= 0 && len(n.kids[i].columns) == 0:
			n.kids[i].inner.noteUnread(value, left)
		}
	}
}

// placeOf is where a name is looked for first.
func placeOf(name string) int {
	if name == "" {
		return 0
	}
	return (len(name)*11 + int(name[0])*5 + int(name[len(name)-1])) & 63
}

// find returns the kid of a name, looking from where it is expected on; -1 for none. The
// tree is flattened.
func (n *jsonNode) find(name string, guess int) int {
	if at := int(n.places[placeOf(name)]) - 1; at >= 0 && n.kids[at].name == name {
		return at
	}
	for range n.kids {
		if guess >= len(n.kids) {
			guess = 0
		}
		if n.kids[guess].name == name {
			return guess
		}
		guess++
	}
	return -1
}

// flatten settles whether objects may be read the quick way.
func (n *jsonNode) flatten() {
	n.flat = true
	for i := range n.kids {
		k := &n.kids[i]
		k.quoted = `"` + k.name + `"`
		if place := &n.places[placeOf(k.name)]; *place == 0 && i < math.MaxUint8 {
			*place = uint8(i + 1)
		}
		n.flat = n.flat && strings.IndexByte(k.name, '"') < 0 && strings.IndexByte(k.name, '\\') < 0 && plainText(k.name+"  ")
		if k.inner != nil {
			k.inner.flatten()
			n.flat = n.flat && k.inner.flat && len(k.columns) == 0 && len(k.odd) == 0
		}
		for _, o := range k.odd {
			n.flat = n.flat && len(o.steps) == 1 && o.steps[0].kind == toAll
		}
	}
}

// first is a column that the kid brings.
func (k *jsonKid) first() int {
	if len(k.columns) > 0 {
		return k.columns[0]
	}
	return k.odd[0].column
}
