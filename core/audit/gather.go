package audit

import (
	"encoding/binary"
	"slices"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/gap"
	"yewcone/core/setting"
)

// gather has a part counted by the engine that holds its accounts; false where they
// must be handed over one by one.
func (e *engine) gather(part facts.Part, place *int64) (bool, error) {
	p, ok := part.(facts.Gatherer)
	if !ok || !e.alike() || e.options.register != nil {
		return false, nil
	}
	var likeness condition.Likeness
	single := condition.NewSinglePattern()
	for _, c := range e.conditions() {
		likeness.Add(c)
		single.Add(c)
	}
	g := facts.Gathering{Joint: likeness.Joint(), Examples: e.options.Examples}
	g.Asks = func(fact string) ([]facts.Question, bool) {
		if e.resolver.Asks(fact) {
			return nil, false
		}
		return likeness.Questions(fact)
	}
	members := map[int]int{} // of what accounts are entered into
	var tried facts.Account
	var key []byte
	settingsOf := func(a *facts.Account) *effective.Settings {
		kinds, privileged := slices.Clone(e.kindMatched), e.privilegedMatched
		tried.CopyFrom(a)
		settings := e.resolve(&tried)
		e.kindMatched, e.privilegedMatched = kinds, privileged // nobody need be like this
		return settings
	}
	g.Key = func(a *facts.Account) string {
		v := e.judge(settingsOf(a))
		if tried.WithoutPassword() {
			v = e.empty
		}
		key = binary.LittleEndian.AppendUint32(key[:0], v.number)
		key = append(key, byte(tried.Privileged), byte(tried.Enabled), byte(gap.AudienceOf(&tried)), byte(tried.SecondFactor))
		key = append(append(key, tried.Kind...), 0)
		return string(single.AppendAnswers(key, &e.about))
	}
	g.MaxAge = func(a *facts.Account) setting.Value { return settingsOf(a).Get(setting.MaxAge).Value }
	g.Lacks = func(r int) int { return min(e.options.Examples, members[r]) - len(e.reaches[r].reach.Examples) }
	g.Count = func(a *facts.Account, n int) ([]int, error) {
		*place++
		e.place = *place
		settings := e.resolve(a)
		v := e.judge(settings)
		e.count(a, v, n)
		if a.WithoutPassword() {
			v = e.empty
		}
		o := e.outcomeOf(a, v)
		o.accounts += n
		if e.options.Progress != nil {
			e.options.Progress.Add(int64(n) - 1) // one is counted for each place
		}
		var reached []int
		for _, r := range o.reaches {
			reached = append(reached, int(r))
			members[int(r)] += n
		}
		if !o.kept {
			e.ledger.sumUp(o)
		}
		return reached, nil
	}
	g.Example = func(a *facts.Account) error {
		*place++
		e.place = *place
		v := e.judge(e.resolve(a))
		if a.WithoutPassword() {
			v = e.empty
		}
		o := e.outcomeOf(a, v)
		for _, n := range o.reaches {
			e.example(&e.reaches[n], a)
		}
		return nil
	}
	return p.Gather(&g)
}

// alike reports whether accounts that come out alike may be counted together in this
// run: nothing wants to see each of them.
func (e *engine) alike() bool {
	o := e.options
	return !o.Singly && o.Each == nil && e.summary.Spread == nil && e.signins.digest == nil && e.names.twice == nil
}

// conditions are all that are asked of an account.
func (e *engine) conditions() []*condition.Condition {
	var list []*condition.Condition
	for _, k := range e.subject.Kinds {
		list = append(list, k.If)
	}
	list = append(list, e.subject.Privileged)
	for i := range e.rules {
		if c := e.rules[i].clause; c != nil {
			list = append(list, c.For, c.Forbid)
		}
	}
	for _, use := range e.exceptions {
		list = append(list, use.exception.Accounts)
	}
	for i := range e.since {
		list = append(list, e.since[i].reaches)
	}
	return list
}
