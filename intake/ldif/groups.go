package ldif

import "slices"

// Groups knows who is in which group, also through other groups.
type Groups struct {
	parents map[string][]string // of a member: its groups
	names   map[string]string   // of a group: its name
	closure map[string][]string // of a group: names of it and of all above
	closed  bool
}

// NewGroups returns an empty list.
func NewGroups() *Groups {
	return &Groups{parents: map[string][]string{}, names: map[string]string{}, closure: map[string][]string{}}
}

// Name records the name of a group, by its normal DN.
func (g *Groups) Name(group, name string) { g.names[group] = name }

// Known reports whether a group's name is recorded.
func (g *Groups) Known(group string) bool {
	_, ok := g.names[group]
	return ok
}

// Add records a member of a group, both by normal DN; for members that are
// known by sign-in name only, the member is "uid:" and the name.
func (g *Groups) Add(member, group string) {
	if !slices.Contains(g.parents[member], group) {
		g.parents[member] = append(g.parents[member], group)
	}
}

// Of appends the names of all groups of the given members, also through other
// groups; circles are walked once. It is for use after the last Add.
func (g *Groups) Of(names []string, members ...string) []string {
	for _, member := range members {
		for _, group := range g.parents[member] {
			for _, name := range g.Above(group) {
				if !slices.Contains(names, name) {
					names = append(names, name)
				}
			}
		}
	}
	return names
}

// Direct reports whether a group has a member itself, not through others.
func (g *Groups) Direct(member, group string) bool { return slices.Contains(g.parents[member], group) }

// Close works out what is above each group, so that the groups can be asked
// from several sides at the same time. Nothing may be added afterwards.
func (g *Groups) Close() {
	for _, groups := range g.parents {
		for _, group := range groups {
			g.Above(group)
		}
	}
	g.closed = true
}

// Above returns the names of a group and of all groups that it is in.
func (g *Groups) Above(group string) []string {
	if names, ok := g.closure[group]; ok {
		return names
	}
	var names []string
	seen := map[string]bool{}
	for queue := []string{group}; len(queue) > 0; queue = queue[1:] {
		if next := queue[0]; !seen[next] {
			seen[next] = true
			if g.Known(next) {
				names = append(names, g.names[next])
			}
			queue = append(queue, g.parents[next]...)
		}
	}
	if !g.closed {
		g.closure[group] = names
	}
	return names
}

// DNs returns the normal DNs of all groups of the given members, also through
// other groups; members that are groups themselves are in the list.
func (g *Groups) DNs(members []string) []string {
	var all []string
	seen := map[string]bool{}
	for queue := members; len(queue) > 0; queue = queue[1:] {
		if next := queue[0]; !seen[next] {
			seen[next] = true
			if g.Known(next) {
				all = append(all, next)
			}
			queue = append(queue, g.parents[next]...)
		}
	}
	return all
}
