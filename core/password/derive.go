package password

import (
	"math/bits"
	"slices"

	"yewcone/core/setting"
)

// An Example is a candidate that must be refused or accepted.
type Example struct {
	Candidate *Candidate
	Person    *Person // whose password it would be; nil for nobody in particular
	Old       *Candidate
	Good      bool
}

// A Switch is a setting with the value that it is set to.
type Switch struct {
	Setting setting.ID
	Value   setting.Value
	Refuses []int // the bad examples, by their place, that it refuses
}

// A Derivation tells which settings refuse all bad examples and no good one.
type Derivation struct {
	// Sets are the smallest sets of switches, at most maxSets of them, each with
	// values none of which can be lowered. More tells that there are others.
	Sets [][]Switch
	More bool
	// Standing are the bad examples that no switch refuses without refusing a
	// good one too, or leaving what the system can do. When there are any, there
	// are no Sets.
	Standing []Standing
}

// A Standing is a bad example that cannot be refused.
type Standing struct {
	Example int
	Would   []Would // what would refuse it
}

// A Would is a switch that refuses an example and may not be used: it refuses
// good examples too, or the system cannot be set so.
type Would struct {
	Switch Switch
	Good   []int // good examples that it refuses
	Beyond bool  // beyond what the system can do
}

// maxSets bounds how many smallest sets are listed.
const maxSets = 12

// derivable are the settings that a derivation uses. A ceiling on the length
// and a narrow alphabet are not among them, since they only weaken.
var derivable = []setting.ID{setting.MinLength, setting.MinClasses, setting.MinLetters, setting.MinLower, setting.MinUpper,
	setting.MinDigits, setting.MinSymbols,
	setting.DigitInside, setting.SymbolInside, setting.MaxRepeat, setting.MaxRun, setting.MinDistinct, setting.MinChanged,
	setting.LoginBarred,
	setting.LoginReversedBarred, setting.NamesBarred, setting.DescriptionBarred, setting.CommonBarred,
	setting.DictionaryBarred, setting.BreachedBarred}

// a set of examples, by their place.
type examples []uint64

func (e examples) has(i int) bool { return e[i/64]>>(i%64)&1 == 1 }
func (e examples) add(i int)      { e[i/64] |= 1 << (i % 64) }
func (e examples) size() (n int) {
	for _, w := range e {
		n += bits.OnesCount64(w)
	}
	return n
}

func (e examples) list() (list []int) {
	for i := range len(e) * 64 {
		if e.has(i) {
			list = append(list, i)
		}
	}
	return list
}

func (e examples) union(o examples) examples {
	u := slices.Clone(e)
	for i := range u {
		u[i] |= o[i]
	}
	return u
}

// holds reports whether all of o are in e.
func (e examples) holds(o examples) bool {
	for i := range e {
		if o[i]&^e[i] != 0 {
			return false
		}
	}
	return true
}

// a lever is a setting with the values that may be used, weakest first, each
// refusing more than the one before.
type lever struct {
	setting setting.ID
	values  []setting.Value
	refuses []examples
}

func (l *lever) most() examples { return l.refuses[len(l.refuses)-1] }

// A deriver works on one question.
type deriver struct {
	examples []Example
	lists    Lists
	takes    func(id setting.ID, v setting.Value) bool
	sees     setting.Value // substitutions_seen
	bad      examples
}

// Derive finds the smallest sets of switches that refuse every bad example and
// accept every good one. takes tells which values the system can be set to;
// nil for all. What cannot be judged refuses nothing. The error is one of a
// list.
func Derive(list []Example, lists Lists, takes func(id setting.ID, v setting.Value) bool) (*Derivation, error) {
	d := &deriver{examples: list, lists: lists, takes: takes, bad: make(examples, len(list)/64+1)}
	if takes == nil {
		d.takes = func(setting.ID, setting.Value) bool { return true }
	}
	for i, e := range list {
		if !e.Good {
			d.bad.add(i)
		}
	}
	var best [][]Switch
	for _, sees := range []setting.Value{setting.No, setting.Yes} {
		if sees == setting.Yes && !d.takes(setting.SubstitutionsSeen, sees) {
			continue
		}
		d.sees = sees
		levers, err := d.levers()
		if err != nil {
			return nil, err
		}
		sets := d.smallest(levers)
		if sees == setting.Yes {
			for i := range sets {
				sets[i] = append(sets[i], Switch{Setting: setting.SubstitutionsSeen, Value: setting.Yes})
			}
		}
		if len(sets) > 0 && (len(best) == 0 || len(sets[0]) < len(best[0])) {
			best = sets
		}
	}
	if len(best) == 0 {
		d.sees = setting.Yes
		if !d.takes(setting.SubstitutionsSeen, setting.Yes) {
			d.sees = setting.No
		}
		standing, err := d.standing()
		return &Derivation{Standing: standing}, err
	}
	out := &Derivation{Sets: best}
	if len(best) > maxSets {
		out.Sets, out.More = best[:maxSets], true
	}
	return out, nil
}

// outcomes tells what a value of a setting does with the examples.
func (d *deriver) outcomes(demand *Demand, v setting.Value) (bad, good examples, err error) {
	bad, good = make(examples, len(d.bad)), make(examples, len(d.bad))
	for i := range d.examples {
		e := &d.examples[i]
		a := &Against{Person: e.Person, Old: e.Old, Lists: d.lists, Settings: func(id setting.ID) setting.Value {
			if id == setting.SubstitutionsSeen {
				return d.sees
			}
			return setting.Value{}
		}}
		o, _, err := demand.judge(e.Candidate, v, a)
		switch {
		case err != nil:
			return nil, nil, err
		case o == refuses && e.Good:
			good.add(i)
		case o == refuses:
			bad.add(i)
		}
	}
	return bad, good, nil
}

// values lists the values of a setting that may differ in what they refuse,
// weakest first.
func (d *deriver) values(id setting.ID) []setting.Value {
	def := setting.At(id)
	var list []setting.Value
	switch def.Kind {
	case setting.FlagKind:
		return []setting.Value{setting.Yes}
	case setting.ChoiceKind:
		for i := 1; i < len(def.Choices); i++ {
			list = append(list, setting.ChoiceAt(i))
		}
		return list
	}
	longest := 0
	for i := range d.examples {
		longest = max(longest, d.examples[i].Candidate.Length())
	}
	for n := int64(1); n <= int64(longest)+1; n++ {
		if v := setting.Count(n); def.Takes(v) {
			list = append(list, v)
		}
	}
	if def.Order == setting.Lower {
		slices.Reverse(list)
	}
	return list
}

func demandOf(id setting.ID) *Demand {
	return &demands[slices.IndexFunc(demands, func(d Demand) bool { return d.Setting == id })]
}

func (d *deriver) levers() ([]lever, error) {
	var list []lever
	for _, id := range derivable {
		l := lever{setting: id}
		for _, v := range d.values(id) {
			if !d.takes(id, v) {
				continue
			}
			bad, good, err := d.outcomes(demandOf(id), v)
			if err != nil {
				return nil, err
			}
			if good.size() > 0 {
				break // what is stricter refuses it too
			}
			if bad.size() > 0 && (len(l.refuses) == 0 || !l.most().holds(bad)) {
				l.values, l.refuses = append(l.values, v), append(l.refuses, bad)
			}
		}
		if len(l.values) > 0 {
			list = append(list, l)
		}
	}
	return list, nil
}

// smallest tries all sets of one lever, of two, and so on, until some refuse
// all bad examples.
func (d *deriver) smallest(levers []lever) [][]Switch {
	all := make(examples, len(d.bad))
	for i := range levers {
		all = all.union(levers[i].most())
	}
	if !all.holds(d.bad) {
		return nil
	}
	var found [][]Switch
	var chosen []int
	var choose func(from, left int, covered examples)
	choose = func(from, left int, covered examples) {
		if covered.holds(d.bad) {
			if left == 0 {
				found = append(found, d.lowered(levers, chosen))
			}
			return
		}
		for i := from; left > 0 && i <= len(levers)-left; i++ {
			chosen = append(chosen, i)
			choose(i+1, left-1, covered.union(levers[i].most()))
			chosen = chosen[:len(chosen)-1]
		}
	}
	for size := 0; len(found) == 0; size++ {
		choose(0, size, make(examples, len(d.bad)))
	}
	return found
}

// lowered gives each lever the least value with which all bad examples are
// still refused. The last is lowered first, so that of two demands that can
// stand in for one another the length stays and the composition goes.
func (d *deriver) lowered(levers []lever, chosen []int) []Switch {
	at := make([]int, len(chosen))
	for i, l := range chosen {
		at[i] = len(levers[l].values) - 1
	}
	covered := func() bool {
		sum := make(examples, len(d.bad))
		for i, l := range chosen {
			sum = sum.union(levers[l].refuses[at[i]])
		}
		return sum.holds(d.bad)
	}
	set := make([]Switch, len(chosen))
	for i := len(chosen) - 1; i >= 0; i-- {
		for at[i] > 0 {
			at[i]--
			if !covered() {
				at[i]++
				break
			}
		}
		l := &levers[chosen[i]]
		set[i] = Switch{Setting: l.setting, Value: l.values[at[i]], Refuses: l.refuses[at[i]].list()}
	}
	return set
}

// standing explains each bad example that no lever refuses.
func (d *deriver) standing() ([]Standing, error) {
	levers, err := d.levers()
	if err != nil {
		return nil, err
	}
	var list []Standing
	for _, i := range d.bad.list() {
		if slices.ContainsFunc(levers, func(l lever) bool { return l.most().has(i) }) {
			continue
		}
		s := Standing{Example: i}
		for _, id := range derivable {
			would, ok, err := d.would(id, i)
			if err != nil {
				return nil, err
			}
			if ok {
				s.Would = append(s.Would, would)
			}
		}
		list = append(list, s)
	}
	return list, nil
}

// would finds the weakest value of a setting that refuses an example, and what
// stands in its way; a value that the system takes, where there is one.
func (d *deriver) would(id setting.ID, example int) (w Would, ok bool, err error) {
	for _, v := range d.values(id) {
		bad, good, err := d.outcomes(demandOf(id), v)
		if err != nil {
			return w, false, err
		}
		if takes := d.takes(id, v); bad.has(example) && (!ok || w.Beyond && takes) {
			w, ok = Would{Switch{id, v, bad.list()}, good.list(), !takes}, true
		}
	}
	return w, ok, nil
}
