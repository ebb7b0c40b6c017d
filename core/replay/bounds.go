package replay

import (
	"fmt"
	"slices"
	"strings"

	"yewcone/core/audit"
	"yewcone/core/facts"
	"yewcone/core/gap"
	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// bounds are what a lockout must heed: what the system can do, what the rules
// ask, and what linked systems have.
type bounds struct {
	limits map[setting.ID]requirement.Requirement
	asked  []asked
	linked []Linked
}

type asked struct {
	rule        string
	setting     setting.ID
	requirement requirement.Requirement
}

// Linked is a value of a setting on a linked system, which must be equal.
type Linked struct {
	System  string
	Setting setting.ID
	Value   setting.Value
}

func boundsOf(system *facts.System, judge *audit.Judge, links []Linked) (*bounds, error) {
	b := &bounds{linked: links, limits: map[setting.ID]requirement.Requirement{}}
	for _, id := range taken {
		limit, ok := system.Limits[id]
		if !ok {
			continue
		}
		r, err := requirement.Parse(setting.At(id), limit.Phrase)
		if err != nil {
			return nil, fmt.Errorf("%s: limits of %s: %w", limit.Origin, system.Name, err)
		}
		b.limits[id] = r
	}
	for _, clause := range judge.Asked() {
		for _, x := range clause.Expect {
			if Takes(x.Setting) {
				b.asked = append(b.asked, asked{clause.Rule.String(), x.Setting, x.Requirement})
			}
		}
	}
	return b, nil
}

// LinkedTo is what linked systems have of the settings that a link says must be
// equal, for most people there.
func LinkedTo(system string, links []*gap.LinkResult) []Linked {
	var list []Linked
	for _, l := range links {
		end := slices.Index(l.Between[:], system)
		if end < 0 {
			continue
		}
		for _, id := range l.Same {
			if v := l.Ends[1-end].Usual(id).Value; Takes(id) && v.Known() {
				list = append(list, Linked{l.Between[1-end], id, v})
			}
		}
	}
	return list
}

// can reports whether the system can do what is proposed.
func (b *bounds) can(t *Try) bool {
	for i, v := range t.values {
		if limit, ok := b.limits[taken[i]]; ok && v.Known() && limit.Test(v) == requirement.FallsShort {
			return false
		}
	}
	return true
}

// against says which rules a proposal falls short of, and which linked systems
// have something else.
func (b *bounds) against(t *Try) []string {
	var list []string
	for i, v := range t.values {
		if !v.Known() {
			continue
		}
		for _, x := range b.asked {
			if x.setting == taken[i] && x.requirement.Test(v) == requirement.FallsShort && !slices.Contains(list, x.rule) {
				list = append(list, x.rule)
			}
		}
	}
	var systems []string
	other := map[string][]string{}
	for i, v := range t.values {
		for _, l := range b.linked {
			if l.Setting != taken[i] || !v.Known() || l.Value == v {
				continue
			}
			if other[l.System] == nil {
				systems = append(systems, l.System)
			}
			other[l.System] = append(other[l.System], setting.At(l.Setting).Text(l.Value))
		}
	}
	for _, name := range systems {
		list = append(list, name+" ("+strings.Join(other[name], ", ")+")")
	}
	return list
}
