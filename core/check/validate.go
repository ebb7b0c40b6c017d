package check

import (
	"fmt"
	"slices"

	"yewcone/core/condition"
	"yewcone/core/estate"
	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// A RuleProblem is something wrong with rules as an estate uses them.
type RuleProblem struct {
	System string
	Rule   string
	Text   string
}

// Validate finds clauses that no account can meet, clauses that contradict or
// repeat each other on accounts of this estate, and clauses that reach nobody.
func Validate(subjects []Subject, o Options) ([]RuleProblem, error) {
	var list []RuleProblem
	for i := range subjects {
		subjects[i].Checks = nil
		e, err := newEngine(&subjects[i], &o)
		if err != nil {
			return nil, err
		}
		e.sources = slices.DeleteFunc(e.sources, func(s source) bool {
			return s.clause == nil ||
				s.rule[:min(len(s.rule), len(Prefix))] == Prefix
		})
		v := &validator{engine: e, reached: make([]int, len(e.sources)), both: map[[2]int]int{}}
		if err := subjects[i].Export.Accounts(v.account); err != nil {
			return nil, err
		}
		list = append(list, v.problems()...)
	}
	return list, nil
}

type validator struct {
	*engine
	accounts int
	reached  []int          // accounts by clause; unknown reach counts
	both     map[[2]int]int // accounts by pair of clauses that ask for the same setting
}

func (v *validator) account(a *estate.Account) error {
	v.accounts++
	v.meet(a)
	for i := range v.sources {
		v.reach[i] = v.sources[i].clause.For.Test(&v.about)
	}
	var mine []int
	for i := range v.sources {
		if v.afterReplacing(i) != estate.No {
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
func (v *validator) overlap(i, j int) bool {
	return slices.ContainsFunc(v.sources[i].expect, func(x expectation) bool {
		return slices.ContainsFunc(v.sources[j].expect, func(y expectation) bool { return x.setting == y.setting })
	})
}

func (v *validator) problems() []RuleProblem {
	var list []RuleProblem
	add := func(i int, format string, args ...any) {
		list = append(list, RuleProblem{System: v.system.Name, Rule: v.sources[i].rule, Text: fmt.Sprintf(format, args...)})
	}
	for i := range v.sources {
		s := &v.sources[i]
		if v.accounts > 0 && v.reached[i] == 0 {
			add(i, "reaches no account here%s", condText(s.clause.For))
		}
		for j := range s.expect {
			x := &s.expect[j]
			def := setting.At(x.setting)
			if _, possible := requirement.Together(x.requirement); !possible {
				add(i, "%s %q can be met by no value", def.Name, x.requirement)
			} else if x.beyond {
				add(i, "%s %q is beyond what the system can do (%s); the nearest is %s", def.Name, x.requirement,
					v.limits[x.setting], def.Text(x.nearest))
			}
		}
		v.crossed(i, add)
		for j := i + 1; j < len(v.sources); j++ {
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
func (v *validator) pair(i, j, accounts int, add func(int, string, ...any)) {
	for _, x := range v.sources[i].expect {
		for _, y := range v.sources[j].expect {
			if x.setting != y.setting {
				continue
			}
			name, other := setting.At(x.setting).Name, v.sources[j].rule
			_, possible := requirement.Together(x.requirement, y.requirement)
			switch {
			case !possible:
				add(i, "contradicts %s on %d accounts: %s %q and %q", other, accounts, name, x.requirement, y.requirement)
			case x.requirement.Implies(y.requirement) && y.requirement.Implies(x.requirement):
				add(i, "asks the same as %s on %d accounts: %s %q", other, accounts, name, x.requirement)
			case y.requirement.Implies(x.requirement):
				add(i, "is shadowed by %s on %d accounts: %s %q says more than %q; let the one replace the other", other,
					accounts, name, y.requirement, x.requirement)
			case x.requirement.Implies(y.requirement):
				add(j, "is shadowed by %s on %d accounts: %s %q says more than %q; let the one replace the other",
					v.sources[i].rule, accounts, name, x.requirement, y.requirement)
			}
		}
	}
}

// crossed finds demands of one clause that no password or account can meet at
// once: a length above the ceiling, an age below the smallest.
func (v *validator) crossed(i int, add func(int, string, ...any)) {
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

func (v *validator) wanted(i int, id setting.ID) *requirement.Requirement {
	for _, x := range v.sources[i].expect {
		if x.setting == id {
			return &x.requirement
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
