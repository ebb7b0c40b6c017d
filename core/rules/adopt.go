package rules

import (
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// What a set would do to what is asked already.
const (
	Adds      = "adds"
	Tightens  = "tightens"
	SameAsNow = "same"
	AsksLess  = "less" // what is asked today goes beyond it
	Crosses   = "cannot both be met"
	Depends   = "depends" // on the value of another system
	Drops     = "drops"   // it asks nothing of it; where it takes the place of what holds
)

// An Adoption is what a rule set would change on systems on which the same sets
// hold today.
type Adoption struct {
	Set     string
	Systems []string
	Rules   []string // that hold there
	Items   []Adopted
	Apart   []string // clauses of the set that are no requirements on settings
}

// Adopted is what it would change for one setting and some audiences.
type Adopted struct {
	Audiences []string
	Setting   setting.ID
	Today     []string // what is asked; none for nothing
	Asks      []string // what the set asks; none for nothing
	Does      string
}

// Adopt tells what a set would change on a system.
func Adopt(set *Set, system *facts.System, today []*Set) *Adoption {
	out := &Adoption{Set: set.Name, Systems: []string{system.Name}}
	for _, s := range today {
		out.Rules = append(out.Rules, s.Name)
	}
	for i := range set.Clauses {
		if c := &set.Clauses[i]; c.Forbid != nil || len(c.AnyOf) > 0 {
			out.Apart = append(out.Apart, c.Rule.String())
		}
	}
	for i := range Audiences {
		a := &Audiences[i]
		now, then := asksOf(a.ClausesFor(today, system)), asksOf(a.ClausesFor([]*Set{set}, system))
		for id := range setting.Len {
			if len(now[id])+len(then[id]) == 0 {
				continue
			}
			x := Adopted{Audiences: []string{a.Name}, Setting: id, Today: phrases(now[id]), Asks: phrases(then[id]), Does: does(now[id], then[id])}
			at := slices.IndexFunc(out.Items, func(o Adopted) bool {
				return o.Setting == id && slices.Equal(o.Today, x.Today) && slices.Equal(o.Asks, x.Asks)
			})
			if at >= 0 {
				out.Items[at].Audiences = append(out.Items[at].Audiences, a.Name)
				continue
			}
			out.Items = append(out.Items, x)
		}
	}
	slices.SortStableFunc(out.Items, func(a, b Adopted) int { return int(a.Setting) - int(b.Setting) })
	return out
}

// Alike puts systems together on which a set would change the same.
func Alike(each []*Adoption) (list []*Adoption) {
	for _, a := range each {
		if same := slices.IndexFunc(list, a.asIn); same >= 0 {
			list[same].Systems = append(list[same].Systems, a.Systems...)
			continue
		}
		list = append(list, a)
	}
	return list
}

// asIn reports whether a set would change the same on other systems.
func (a *Adoption) asIn(o *Adoption) bool {
	return slices.Equal(a.Rules, o.Rules) && slices.EqualFunc(a.Items, o.Items, func(x, y Adopted) bool {
		return x.Setting == y.Setting && slices.Equal(x.Audiences, y.Audiences) && slices.Equal(x.Today, y.Today) && slices.Equal(x.Asks, y.Asks)
	})
}

// askedHere is what a clause asks, perhaps not of all of an audience.
type askedHere struct {
	requirement requirement.Requirement
	where       string
}

func asksOf(clauses []ForAudience) (bySetting [setting.Len][]askedHere) {
	for _, c := range clauses {
		where := ""
		if !c.Sure {
			where = c.Clause.For.String()
		}
		for _, x := range c.Clause.Expect {
			bySetting[x.Setting] = append(bySetting[x.Setting], askedHere{x.Requirement, where})
		}
	}
	return bySetting
}

// phrases are what is asked, each once, without what another asks of all too.
func phrases(list []askedHere) (out []string) {
	for i, a := range list {
		implied := slices.ContainsFunc(list, func(o askedHere) bool {
			return o.where == "" && o.requirement.Implies(a.requirement) && !a.requirement.Implies(o.requirement)
		})
		text := a.requirement.String()
		if a.where != "" {
			text += " where " + a.where
		}
		if !implied && !slices.Contains(out, text) && i == slices.IndexFunc(list, func(o askedHere) bool { return same(o, a) }) {
			out = append(out, text)
		}
	}
	return out
}

func same(a, b askedHere) bool {
	return a.where == b.where && a.requirement.Implies(b.requirement) && b.requirement.Implies(a.requirement)
}

// does tells what asking then beside now would change.
func does(now, then []askedHere) string {
	switch {
	case len(now) == 0:
		return Adds
	case len(then) == 0:
		return Drops
	}
	if slices.ContainsFunc(slices.Concat(now, then), func(a askedHere) bool { return !a.requirement.Plain() }) {
		return Depends
	}
	covered, covers := true, true
	for _, t := range then {
		if !slices.ContainsFunc(now, func(n askedHere) bool { return n.where == "" && n.requirement.Implies(t.requirement) }) {
			covered = false
		}
		for _, n := range now {
			if _, together := requirement.Together(n.requirement, t.requirement); !together {
				return Crosses
			}
		}
	}
	for _, n := range now {
		if !slices.ContainsFunc(then, func(t askedHere) bool { return t.where == "" && t.requirement.Implies(n.requirement) }) {
			covers = false
		}
	}
	switch {
	case covered && covers:
		return SameAsNow
	case covered:
		return AsksLess
	}
	return Tightens
}

// Words are the audiences of an item in words.
func (a *Adopted) Words() string {
	if len(a.Audiences) == len(Audiences) {
		return "all"
	}
	return strings.Join(a.Audiences, ", ")
}
