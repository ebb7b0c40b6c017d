// Package review finds what is wrong with rules as an estate uses them.
package review

import (
	"fmt"
	"slices"

	"yewcone/core/audit"
	"yewcone/core/condition"
	"yewcone/core/facts"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// A RuleProblem is something wrong with rules as an estate uses them.
type RuleProblem struct {
	System string
	Rule   rules.Rule
	Text   string
}

// Rules finds clauses that no account can meet, clauses that contradict or
// repeat each other on accounts of this estate, and clauses that reach nobody.
func Rules(subjects []audit.Subject, o audit.Options) ([]RuleProblem, error) {
	var list []RuleProblem
	for i := range subjects {
		judge, err := audit.NewJudge(&subjects[i], o)
		if err != nil {
			return nil, err
		}
		v := &reviewer{system: subjects[i].Export.System().Name, judge: judge, clauses: judge.Asked(), both: map[[2]int]int{}}
		v.reached = make([]int, len(v.clauses))
		if err := subjects[i].Export.Accounts(v.account); err != nil {
			return nil, err
		}
		list = append(list, v.problems()...)
	}
	return list, nil
}

type reviewer struct {
	system   string
	judge    *audit.Judge
	clauses  []audit.Asked
	accounts int
	reached  []int          // accounts by clause; unknown reach counts
	both     map[[2]int]int // accounts by pair of clauses that ask for the same setting
}

func (v *reviewer) account(a *facts.Account) error {
	v.accounts++
	v.judge.Resolve(a)
	var mine []int
	for i := range v.clauses {
		if v.judge.Reaches(&v.clauses[i]) != facts.No {
			v.reached[i]++
			mine = append(mine, i)
		}
	}
	for n, i := range mine {
		for _, j := range mine[n+1:] {
			if v.overlap(i, j) {
				v.both[[2]int{i, j}]++
			}
		}
	}
	return nil
}

// overlap reports whether two clauses ask for the same setting.
func (v *reviewer) overlap(i, j int) bool {
	return slices.ContainsFunc(v.clauses[i].Expect, func(x audit.AskedSetting) bool {
		return slices.ContainsFunc(v.clauses[j].Expect, func(y audit.AskedSetting) bool { return x.Setting == y.Setting })
	})
}

func (v *reviewer) problems() []RuleProblem {
	var list []RuleProblem
	add := func(i int, format string, args ...any) {
		list = append(list, RuleProblem{System: v.system, Rule: v.clauses[i].Rule, Text: fmt.Sprintf(format, args...)})
	}
	for i := range v.clauses {
		s := &v.clauses[i]
		if v.accounts > 0 && v.reached[i] == 0 {
			add(i, "reaches no account here%s", condText(s.For))
		}
		for j := range s.Expect {
			x := &s.Expect[j]
			def := setting.At(x.Setting)
			if _, possible := requirement.Together(x.Requirement); !possible {
				add(i, "%s %q can be met by no value", def.Name, x.Requirement)
			} else if x.Beyond {
				add(i, "%s %q is beyond what the system can do (%s); the nearest is %s", def.Name, x.Requirement,
					x.Limit, def.Text(x.Nearest))
			}
		}
		v.crossed(i, add)
		for j := i + 1; j < len(v.clauses); j++ {
			if n := v.both[[2]int{i, j}]; n > 0 {
				v.pair(i, j, n, add)
			}
		}
	}
	return list
}

func condText(c *condition.Condition) string {
	if c == nil {
		return ""
	}
	return ": " + c.String() + " is never so"
}

// pair compares two clauses that reach the same accounts.
func (v *reviewer) pair(i, j, accounts int, add func(int, string, ...any)) {
	for _, x := range v.clauses[i].Expect {
		for _, y := range v.clauses[j].Expect {
			if x.Setting != y.Setting {
				continue
			}
			name, other := setting.At(x.Setting).Name, v.clauses[j].Rule
			_, possible := requirement.Together(x.Requirement, y.Requirement)
			switch {
			case !possible:
				add(i, "contradicts %s on %d accounts: %s %q and %q", other, accounts, name, x.Requirement, y.Requirement)
			case x.Requirement.Implies(y.Requirement) && y.Requirement.Implies(x.Requirement):
				add(i, "asks the same as %s on %d accounts: %s %q", other, accounts, name, x.Requirement)
			case y.Requirement.Implies(x.Requirement):
				add(i, "is shadowed by %s on %d accounts: %s %q says more than %q; let the one replace the other", other,
					accounts, name, y.Requirement, x.Requirement)
			case x.Requirement.Implies(y.Requirement):
				add(j, "is shadowed by %s on %d accounts: %s %q says more than %q; let the one replace the other",
					v.clauses[i].Rule, accounts, name, x.Requirement, y.Requirement)
			}
		}
	}
}

// crossed finds demands of one clause that no password or account can meet at
// once: a length above the ceiling, an age below the smallest.
func (v *reviewer) crossed(i int, add func(int, string, ...any)) {
	for _, pair := range [][2]setting.ID{{setting.MinLength, setting.MaxLength}, {setting.MinAge, setting.MaxAge}} {
		low, high := v.wanted(i, pair[0]), v.wanted(i, pair[1])
		if low == nil || high == nil {
			continue
		}
		least, ok := requirement.Together(*low)
		most, ok2 := requirement.Together(*high)
		def := setting.At(pair[1])
		if ok && ok2 && least.State() == most.State() && def.CompareAmounts(least, most) > 0 && !high.Implies(mustParse(def, "off")) {
			add(i, "can be met by no account: %s %q and %s %q", pair[0], *low, pair[1], *high)
		}
	}
}

func (v *reviewer) wanted(i int, id setting.ID) *requirement.Requirement {
	for _, x := range v.clauses[i].Expect {
		if x.Setting == id {
			return &x.Requirement
		}
	}
	return nil
}

func mustParse(def *setting.Setting, phrase string) requirement.Requirement {
	r, err := requirement.Parse(def, phrase)
	if err != nil {
		panic(err)
	}
	return r
}
