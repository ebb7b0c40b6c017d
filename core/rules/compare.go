package rules

import (
	"slices"
	"strings"

	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// A Comparison sets rule sets side by side.
type Comparison struct {
	Sets     []string
	Settings []ComparedSetting
	Apart    []string // clauses that cannot be compared setting by setting
}

// A ComparedSetting is what the sets ask of one setting, for one kind of
// account.
type ComparedSetting struct {
	Setting  string
	For      string   // the condition under which it is asked; "" for everybody
	Asked    []string // by set; "" where a set asks nothing
	Verdict  string
	Alone    bool   // only one set asks
	Conflict bool   // two sets ask what no value meets
	Together string // the loosest value that meets all
}

// asked is what one set asks of a setting.
type asked struct {
	requirement requirement.Requirement
	scope       string
}

// Compare sets rule sets side by side, setting by setting. A clause that
// reaches some accounts only is compared as such; clauses that forbid facts or
// leave a choice of settings are listed apart.
func Compare(sets []*Set) *Comparison {
	c := &Comparison{}
	bySetting := make([][][]asked, setting.Len)
	for n, set := range sets {
		c.Sets = append(c.Sets, set.Name)
		for i := range set.Clauses {
			clause := &set.Clauses[i]
			for _, x := range clause.Expect {
				if bySetting[x.Setting] == nil {
					bySetting[x.Setting] = make([][]asked, len(sets))
				}
				bySetting[x.Setting][n] = append(bySetting[x.Setting][n], asked{x.Requirement, clause.For.String()})
			}
			if clause.Forbid != nil || len(clause.AnyOf) > 0 {
				c.Apart = append(c.Apart, clause.Rule.String())
			}
		}
	}
	for id, list := range bySetting {
		if list != nil {
			c.Settings = append(c.Settings, compareSetting(setting.At(setting.ID(id)), c.Sets, list))
		}
	}
	return c
}

func compareSetting(def *setting.Setting, names []string, list [][]asked) ComparedSetting {
	out := ComparedSetting{Setting: def.Name, Asked: make([]string, len(list))}
	var all []requirement.Requirement
	var from []int
	for n, several := range list {
		var texts []string
		for _, a := range several {
			text := a.requirement.String()
			if a.scope != "" {
				text += " where " + a.scope
			}
			texts = append(texts, text)
			all, from = append(all, a.requirement), append(from, n)
		}
		out.Asked[n] = strings.Join(texts, "; ")
	}
	if v, ok := requirement.Together(all...); ok {
		out.Together = def.Text(v)
	}
	for i := range all {
		for j := range i {
			if _, ok := requirement.Together(all[i], all[j]); !ok && from[i] != from[j] {
				out.Conflict = true
			}
		}
	}
	out.Verdict = verdict(names, all, from, !out.Conflict)
	out.Alone = !slices.ContainsFunc(from, func(n int) bool { return n != from[0] })
	return out
}

// verdict says in words how what the sets ask relates.
func verdict(names []string, all []requirement.Requirement, from []int, together bool) string {
	strictest, same := -1, true
	for i, a := range all {
		impliesAll := true
		for _, b := range all {
			impliesAll = impliesAll && a.Implies(b)
			same = same && a.Implies(b) && b.Implies(a)
		}
		if impliesAll && strictest < 0 {
			strictest = i
		}
	}
	switch {
	case same:
		return "all ask the same"
	case !together:
		return "cannot be met for an account that all of them reach"
	case strictest >= 0:
		return names[from[strictest]] + " implies the others"
	}
	return "overlap: neither implies the other"
}
