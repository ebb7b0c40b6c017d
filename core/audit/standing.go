package audit

import (
	"cmp"
	"maps"
	"slices"

	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// A Standing is what the clauses of a system together ask of one setting, of one kind
// of account, and how far the accounts are from it.
type Standing struct {
	Who      string // "privileged", a kind of account, or "of unknown kind"
	Setting  setting.ID
	By       []AskedBy // the clauses, in their order
	Accounts int       // of whom it is asked, and that a password lets in
	Below    int
	Unknown  int           // of whom the value is not known, or whether it is asked of them
	Today    setting.Value // the weakest that is below, else the weakest that holds; unknown where nothing is known
	Limit    string        // what the system can do at all; "" where nothing is said
	Nearest  setting.Value // where the system cannot do what is asked: the nearest that it can
	Beyond   bool          // it cannot
}

// AskedBy is one clause that asks it.
type AskedBy struct {
	Rule        rules.Rule
	Requirement requirement.Requirement
}

// State is how it stands, as package finding names it, or Beyond.
func (a *Standing) State() string {
	switch {
	case a.Below > 0 && a.Beyond:
		return Beyond
	case a.Below > 0:
		return finding.Broken
	case a.Unknown > 0:
		return finding.Open
	}
	return finding.Met
}

// NearestText is the nearest that the system can do, where it cannot do what is asked;
// "" elsewhere.
func (a *Standing) NearestText() string {
	if !a.Beyond {
		return ""
	}
	return setting.At(a.Setting).Text(a.Nearest)
}

// LimitText is what the system can do, with the nearest where that is not what is
// asked; "" where nothing is said of it.
func (a *Standing) LimitText() string {
	if a.Limit == "" || !a.Beyond {
		return a.Limit
	}
	return a.Limit + ", nearest " + a.NearestText()
}

// Asks are the requirements, each once, without those that another implies.
func (a *Standing) Asks() (phrases []string) {
	for i, by := range a.By {
		implied := slices.ContainsFunc(a.By, func(o AskedBy) bool {
			return o.Requirement.Implies(by.Requirement) && !by.Requirement.Implies(o.Requirement)
		})
		again := slices.ContainsFunc(a.By[:i], func(o AskedBy) bool { return o.Requirement.String() == by.Requirement.String() })
		if !implied && !again {
			phrases = append(phrases, by.Requirement.String())
		}
	}
	return phrases
}

// Clauses are those that ask it.
func (a *Standing) Clauses() (names []string) {
	for _, by := range a.By {
		names = append(names, by.Rule.String())
	}
	return names
}

// Beyond is the state of what is asked and the system cannot do.
const Beyond = "beyond the system"

// askedKey is a setting that is asked of some accounts.
type askedKey struct {
	who     string
	setting setting.ID
}

// askedSum counts accounts by the value that holds for them.
type askedSum struct {
	Standing
	seen     map[int]bool // rules that are among By
	beyondBy int          // the first rule that the system cannot meet
	values   map[setting.Value]int
	below    map[setting.Value]int
}

// WhatIsAsked tells, by kind of account, what the rules of a system ask once those
// that replace others are taken off. It agrees with what a check finds: accounts
// that no password lets in, and settings that others switch off, count for nothing.
func WhatIsAsked(s *Subject, o Options) ([]Standing, error) {
	e, err := newEngine(s, &o)
	if err != nil {
		return nil, err
	}
	sums := map[askedKey]*askedSum{}
	alike := map[askedAlike]int{}
	var reach []byte
	err = s.Export.Accounts(func(a *facts.Account) error {
		holds := e.resolve(a)
		if a.WithoutPassword() {
			return nil
		}
		reach = reach[:0]
		for _, i := range e.clauses {
			reach = append(reach, byte(e.rules[i].clause.For.Test(&e.about)))
		}
		alike[askedAlike{holds, whoIs(a), string(reach)}]++
		if len(alike) >= outcomesKept {
			e.askedOf(sums, alike)
			clear(alike)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	e.askedOf(sums, alike)
	var list []Standing
	for _, sum := range sums {
		list = append(list, sum.settle())
	}
	slices.SortFunc(list, func(a, b Standing) int {
		return cmp.Or(cmp.Compare(orderOf(a.Who), orderOf(b.Who)), cmp.Compare(a.Setting, b.Setting))
	})
	return list, nil
}

// askedAlike are accounts of which the same is asked, and that have the same.
type askedAlike struct {
	holds *effective.Settings
	who   string
	reach string // of the clauses, each a facts.Tri
}

// askedOf counts accounts that are alike together.
func (e *engine) askedOf(sums map[askedKey]*askedSum, alike map[askedAlike]int) {
	for x, accounts := range alike {
		for n, i := range e.clauses {
			e.reach[i] = facts.Tri(x.reach[n])
		}
		var asked [setting.Len]outcomeOfOne
		for _, i := range e.clauses {
			if reach := e.afterReplacing(i); reach != facts.No {
				e.addAsked(sums, i, x.who, reach, x.holds, &asked)
			}
		}
		for id := range asked {
			if asked[id].asked {
				sums[askedKey{x.who, setting.ID(id)}].add(x.holds.Get(setting.ID(id)).Value, asked[id], accounts)
			}
		}
	}
}

// whoIs is the kind of account that rules mostly tell apart.
func whoIs(a *facts.Account) string {
	if a.Privileged == facts.Yes {
		return gap.Privileged.String()
	}
	return cmp.Or(a.Kind, gap.Unsorted.String())
}

func orderOf(who string) int {
	all := append([]string{gap.Privileged.String()}, facts.Kinds...)
	if i := slices.Index(all, who); i >= 0 {
		return i
	}
	return len(all)
}

// outcomeOfOne is how one account stands to all clauses that ask a setting of it.
type outcomeOfOne struct{ asked, below, unknown bool }

// addAsked notes what a clause asks of an account, and how it comes out.
func (e *engine) addAsked(sums map[askedKey]*askedSum, i int, who string, reach facts.Tri, holds *effective.Settings,
	asked *[setting.Len]outcomeOfOne) {
	r := &e.rules[i]
	for n := range r.expect {
		x := &r.expect[n]
		if e.moot(holds, x.setting) {
			continue
		}
		key := askedKey{who, x.setting}
		sum := sums[key]
		if sum == nil {
			sum = &askedSum{Standing: Standing{Who: who, Setting: x.setting}, values: map[setting.Value]int{}, below: map[setting.Value]int{},
				seen: map[int]bool{}}
			sum.Limit = e.system.Limits[x.setting].Phrase
			sums[key] = sum
		}
		if !sum.seen[i] {
			sum.seen[i] = true
			sum.By = append(sum.By, AskedBy{r.id, x.requirement})
		}
		if x.beyond && (!sum.Beyond || i <= sum.beyondBy) {
			sum.Beyond, sum.Nearest, sum.beyondBy = true, x.nearest, i
		}
		one := &asked[x.setting]
		one.asked = true
		switch out := x.requirement.Test(holds.Get(x.setting).Value); {
		case reach == facts.Unknown:
			one.unknown = one.unknown || out != requirement.Meets
		case out == requirement.FallsShort:
			one.below = true
		case out == requirement.Unknown:
			one.unknown = true
		}
	}
}

// add counts accounts that have the same value.
func (s *askedSum) add(value setting.Value, o outcomeOfOne, accounts int) {
	s.Accounts += accounts
	s.values[value] += accounts
	switch {
	case o.below:
		s.Below += accounts
		s.below[value] += accounts
	case o.unknown:
		s.Unknown += accounts
	}
}

// settle picks the value that is told.
func (s *askedSum) settle() Standing {
	def, from := setting.At(s.Setting), s.values
	if len(s.below) > 0 {
		from = s.below
	}
	for _, v := range slices.SortedFunc(maps.Keys(from), func(a, b setting.Value) int { return cmp.Compare(def.Text(a), def.Text(b)) }) {
		if order, comparable := def.Compare(v, s.Today); v.Known() && (!s.Today.Known() || comparable && order < 0) {
			s.Today = v
		}
	}
	slices.SortFunc(s.By, func(a, b AskedBy) int { return cmp.Compare(a.Rule.String(), b.Rule.String()) })
	return s.Standing
}

// AskedOf is what is asked of the accounts of a system.
type AskedOf struct {
	System    string
	Title     string
	Rules     []string
	Standings []Standing
}

// AskedOfAll tells what the rules ask on each system, and how it stands.
func AskedOfAll(subjects []Subject, o Options) ([]AskedOf, error) {
	list := make([]AskedOf, len(subjects))
	for i := range subjects {
		s := &subjects[i]
		system := s.Export.System()
		list[i] = AskedOf{System: system.Name, Title: system.Title}
		for _, set := range s.Rules {
			list[i].Rules = append(list[i].Rules, set.Name)
		}
		var err error
		if list[i].Standings, err = WhatIsAsked(s, o); err != nil {
			return nil, err
		}
	}
	return list, nil
}
