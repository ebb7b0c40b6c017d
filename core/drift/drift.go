// Package drift holds two records of checks against one another: what is new,
// worse, better, fixed or back among findings, which values changed and whether
// somebody asked for it, and what became of accounts. What the later record did
// not look at is never fixed.
package drift

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"yewcone/core/finding"
	"yewcone/core/record"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// A State is what became of a finding.
type State string

// The states, in the order in which they are told.
const (
	New        State = "new"
	CameBack   State = "came back"
	Worse      State = "worse"
	NoLonger   State = "no longer accepted"
	FirstSeen  State = "not looked at then"
	Better     State = "better"
	Fixed      State = "fixed"
	Accepted   State = "accepted since"
	NotLooked  State = "not looked at now"
	Same       State = "same"
	StillTaken State = "still accepted"
)

// States lists all.
var States = []State{New, CameBack, Worse, NoLonger, FirstSeen, Better, Fixed, Accepted, NotLooked, Same, StillTaken}

// Told reports whether findings of a state are told where not everything is.
func (s State) Told() bool { return s != Same && s != StillTaken }

// Bad reports whether a state is a step back.
func (s State) Bad() bool { return s == New || s == CameBack || s == Worse || s == NoLonger }

// A Finding is what became of one.
type Finding struct {
	State  State
	Before *record.Finding // nil where it was not there
	After  *record.Finding // nil where it is not there
	Why    []string        // what is worse or better, or why it cannot be told
	LastIn string          // of what came back: when it was last there
}

// At is the later of the two.
func (f *Finding) At() *record.Finding {
	if f.After != nil {
		return f.After
	}
	return f.Before
}

// A Value is what became of a setting of a policy.
type Value struct {
	System, Policy, Setting string
	Before, After           string // "" where it was or is not said
	PlaceBefore, PlaceAfter string
	Stricter, Weaker        bool
	Asked                   string // what a change asked for then; "" for nothing
	AsAsked                 bool   // and it is so now
}

// A Drift is all of it.
type Drift struct {
	Before, After *record.Record
	Findings      []Finding // by state, then the worst first
	Values        []Value   // those that nobody asked for first
	NotYet        []Value   // asked for, and not so
	Accounts      []Accounts
	OtherRules    []string // systems that were judged by other rules than now
	OtherMappings []string // systems that were read by another mapping

	then, now looked // Before and After, by what is looked up in them
}

// Between holds a later record against an earlier one. seen tells when a
// finding, by its key, was last there before the earlier record; it may be nil. An error is
// one of reading the accounts of a record.
func Between(before, after *record.Record, seen func(key string) (string, bool)) (*Drift, error) {
	d := &Drift{Before: before, After: after, then: lookedAt(before), now: lookedAt(after)}
	d.findings(seen)
	d.values()
	if err := d.accounts(); err != nil {
		return nil, err
	}
	for i := range after.Systems {
		now := &after.Systems[i]
		was := d.then.systems[now.Name]
		if was == nil {
			continue
		}
		if len(was.Sources.Rules) > 0 && len(now.Sources.Rules) > 0 && !maps.Equal(was.Sources.Rules, now.Sources.Rules) {
			d.OtherRules = append(d.OtherRules, now.Name)
		}
		if was.Sources.Mapping != "" && now.Sources.Mapping != "" && was.Sources.Mapping != now.Sources.Mapping {
			d.OtherMappings = append(d.OtherMappings, now.Name)
		}
	}
	return d, nil
}

// Keys are the findings of a record, by what makes them the same in another:
// rule, setting and where it stands, and not the value. Findings on accounts
// themselves are taken together.
func Keys(r *record.Record) map[string]*record.Finding {
	count := map[string]int{}
	for i := range r.Findings {
		count[key(&r.Findings[i])]++
	}
	by, merged := map[string]*record.Finding{}, map[string]bool{}
	for i := range r.Findings {
		f := &r.Findings[i]
		k := key(f)
		if count[k] > 1 && f.Setting == "" {
			k += "|" + f.Fingerprint
		}
		old, there := by[k]
		switch {
		case !there:
			by[k] = f
		case (old.Accepted == "") == (f.Accepted == ""):
			if !merged[k] {
				own := *old
				old = &own
				by[k], merged[k] = old, true
			}
			merge(old, f)
		case old.Accepted != "": // what is open counts
			by[k], merged[k] = f, false
		}
	}
	return by
}

func key(f *record.Finding) string {
	where := f.Policy
	if f.OnAccount {
		where = "\x00account"
	}
	return strings.Join([]string{f.System, f.Rule, f.Setting, where, f.Split}, "|")
}

// merge takes two findings of one key together.
func merge(into, other *record.Finding) {
	into.Accounts += other.Accounts
	into.Privileged += other.Privileged
	into.Unranked += other.Unranked
	if other.Rank() > into.Rank() {
		into.Severity = other.Severity
	}
	if id, ok := setting.Find(into.Setting); ok {
		def := setting.At(id)
		a, _ := def.Parse(into.Value)
		b, _ := def.Parse(other.Value)
		if order, ok := def.Compare(b, a); ok && order < 0 {
			into.Value, into.Sentence = other.Value, other.Sentence
		}
	}
}

func (d *Drift) findings(seen func(string) (string, bool)) {
	was, is := Keys(d.Before), Keys(d.After)
	for k, b := range was {
		if a, there := is[k]; there {
			d.Findings = append(d.Findings, d.both(b, a))
		} else {
			d.Findings = append(d.Findings, d.gone(b))
		}
	}
	for k, a := range is {
		if was[k] == nil {
			d.Findings = append(d.Findings, d.fresh(k, a, seen))
		}
	}
	slices.SortFunc(d.Findings, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(slices.Index(States, a.State), slices.Index(States, b.State)), cmp.Compare(b.At().Rank(), a.At().Rank()),
			strings.Compare(a.At().System, b.At().System), strings.Compare(key(a.At()), key(b.At())),
			strings.Compare(a.At().Fingerprint, b.At().Fingerprint))
	})
}

// both tells of a finding that is in both records.
func (d *Drift) both(b, a *record.Finding) Finding {
	f := Finding{State: Same, Before: b, After: a}
	switch {
	case b.Accepted == "" && a.Accepted != "":
		f.State = Accepted
		return f
	case b.Accepted != "" && a.Accepted == "":
		f.State = NoLonger
		return f
	case a.Accepted != "":
		f.State = StillTaken
		return f
	}
	notNow, notThen := d.now.cannotTell(a) != "", d.then.cannotTell(b) != ""
	var worse, better []string
	note := func(isWorse bool, format string, args ...any) {
		if text := fmt.Sprintf(format, args...); isWorse {
			worse = append(worse, text)
		} else {
			better = append(better, text)
		}
	}
	if a.Rank() != b.Rank() {
		note(a.Rank() > b.Rank(), "%s, was %s", a.Severity, b.Severity)
	}
	if a.Value != b.Value {
		switch order, ok := stricter(a.Setting, a.Value, b.Value); {
		case !ok || order == 0:
		case order < 0 && notThen || order > 0 && notNow:
			f.Why = append(f.Why, "whether the value changed for everybody is not known")
		default:
			note(order < 0, "%s, was %s", a.Value, b.Value)
		}
	}
	for _, n := range []struct {
		what      string
		now, then int
	}{{"privileged", a.Privileged, b.Privileged}, {"", a.Accounts, b.Accounts}} {
		switch {
		case n.now > n.then && (notThen || n.what != "" && b.Unranked > 0):
			f.Why = append(f.Why, reach(n.now, n.what, n.then)+" of those that could be told")
		case n.now > n.then:
			note(true, "%s", reach(n.now, n.what, n.then))
		case n.now < n.then && !notNow && !(n.what != "" && a.Unranked > 0):
			note(false, "%s", reach(n.now, n.what, n.then))
		case n.now < n.then:
			if text := "whether fewer accounts are reached is not known"; !slices.Contains(f.Why, text) {
				f.Why = append(f.Why, text)
			}
		}
	}
	switch {
	case len(worse) > 0:
		f.State, f.Why = Worse, append(append(worse, better...), f.Why...)
	case len(better) > 0:
		f.State, f.Why = Better, append(better, f.Why...)
	}
	return f
}

// reach says how many accounts there are, and were.
func reach(now int, what string, then int) string {
	word := "accounts"
	if now == 1 {
		word = "account"
	}
	if what != "" {
		word = what + " " + word
	}
	was := "were"
	if then == 1 {
		was = "was"
	}
	return fmt.Sprintf("%d %s, %s %d", now, word, was, then)
}

// stricter orders two values of a setting as they are written.
func stricter(name, a, b string) (int, bool) {
	id, ok := setting.Find(name)
	if !ok {
		return 0, false
	}
	def := setting.At(id)
	x, err := def.Parse(a)
	y, err2 := def.Parse(b)
	if err != nil || err2 != nil {
		return 0, false
	}
	return def.Compare(x, y)
}

// gone tells of a finding that is no longer there.
func (d *Drift) gone(b *record.Finding) Finding {
	f := Finding{State: Fixed, Before: b}
	why := d.now.cannotTell(b)
	if other := unread(d.Before, &d.now); why == "" && b.Between && other != "" {
		why = "it needs other systems too, and " + other + " was not read to its end, or not at all"
	}
	if why != "" {
		f.State, f.Why = NotLooked, []string{why}
	}
	return f
}

// unread is a system that one record read to its end and another did not; ""
// for none.
func unread(one *record.Record, other *looked) string {
	for i := range one.Systems {
		s := &one.Systems[i]
		if o := other.systems[s.Name]; !s.Partial && (o == nil || o.Partial) {
			return s.Name
		}
	}
	return ""
}

// What a record looked at.
type looked struct {
	systems  map[string]*record.System
	unranked map[[2]string]bool // systems and rules that tell the privileged apart, where that is not known of all
}

func lookedAt(r *record.Record) looked {
	l := looked{map[string]*record.System{}, map[[2]string]bool{}}
	for i := range r.Systems {
		l.systems[r.Systems[i].Name] = &r.Systems[i]
	}
	for i := range r.Findings {
		if f := &r.Findings[i]; f.Split != "" && f.Unranked > 0 {
			l.unranked[[2]string{f.System, f.Rule}] = true
		}
	}
	return l
}

// cannotTell says why a record cannot tell that a finding is not there; "" where
// it can.
func (l *looked) cannotTell(f *record.Finding) string {
	if f.System == finding.TheEstate {
		return ""
	}
	s := l.systems[f.System]
	if s == nil {
		return "the system was not looked at"
	}
	if f.Privileged > 0 && l.unranked[[2]string{f.System, f.Rule}] {
		return "which of the accounts that break the rule are privileged is not known"
	}
	state, asked := s.Outcomes[f.Rule]
	switch {
	case s.Partial:
		return "its export was not read to its end"
	case !asked:
		return "the rule was not asked"
	case state == finding.NotForIt:
		return "the rule was asked of nobody"
	case state == finding.Open, strings.HasSuffix(state, "unsure"):
		return "what the rule asks is not known for everybody"
	}
	return ""
}

// fresh tells of a finding that was not there.
func (d *Drift) fresh(k string, a *record.Finding, seen func(string) (string, bool)) Finding {
	f := Finding{State: New, After: a}
	switch why := d.then.cannotTell(a); {
	case a.Accepted != "":
		f.State = Accepted
	case why != "" && why != "the rule was not asked":
		f.State, f.Why = FirstSeen, []string{why + " then"}
	default:
		if why != "" {
			f.Why = []string{"the rule was not asked then"}
		}
		if a.Between {
			if other := unread(d.After, &d.then); other != "" {
				f.State, f.Why = FirstSeen, []string{"it needs other systems too, and " + other + " was not read to its end then, or not at all"}
				return f
			}
			if other := unread(d.Before, &d.now); other != "" {
				f.Why = append(f.Why, "perhaps only since "+other+" was not read to its end, or not at all")
			}
		}
		if seen != nil {
			if at, ok := seen(k); ok {
				f.State, f.LastIn = CameBack, at
			}
		}
	}
	return f
}

type valueKey struct{ policy, setting string }

func valuesOf(s *record.System) map[valueKey]*record.Value {
	by := make(map[valueKey]*record.Value, len(s.Values))
	for i := range s.Values {
		v := &s.Values[i]
		by[valueKey{v.Policy, v.Setting}] = v
	}
	return by
}

// values compares those of the systems that both records looked at.
func (d *Drift) values() {
	asked := map[string]map[valueKey]string{}
	for _, x := range d.Before.Asked {
		if asked[x.System] == nil {
			asked[x.System] = map[valueKey]string{}
		}
		asked[x.System][valueKey{x.Policy, x.Setting}] = x.To
	}
	for name, now := range d.now.systems {
		old := d.then.systems[name]
		if old == nil || !old.Valued || !now.Valued {
			continue
		}
		was, is := valuesOf(old), valuesOf(now)
		keys := map[valueKey]bool{}
		for k := range was {
			keys[k] = true
		}
		for k := range is {
			keys[k] = true
		}
		for k := range asked[name] {
			keys[k] = true
		}
		for k := range keys {
			d.value(&Value{System: name, Policy: k.policy, Setting: k.setting, Asked: asked[name][k]}, was[k], is[k], old, now)
		}
	}
	order := func(a, b Value) int {
		rank := func(v *Value) int {
			switch {
			case v.Asked == "" && v.Weaker:
				return 0
			case v.Asked == "":
				return 1
			case !v.AsAsked:
				return 2
			}
			return 3
		}
		return cmp.Or(cmp.Compare(rank(&a), rank(&b)), strings.Compare(a.System, b.System), strings.Compare(a.Policy, b.Policy),
			strings.Compare(a.Setting, b.Setting))
	}
	slices.SortFunc(d.Values, order)
	slices.SortFunc(d.NotYet, order)
}

// value tells what became of one of a system, which a record may lack.
func (d *Drift) value(v *Value, before, after *record.Value, old, now *record.System) {
	if before != nil {
		v.Before, v.PlaceBefore = before.Value, before.Place
	}
	if after != nil {
		v.After, v.PlaceAfter = after.Value, after.Place
	}
	if v.Before != "" && v.After == "" && now.Partial || v.After != "" && v.Before == "" && old.Partial {
		return // not looked at
	}
	if order, ok := stricter(v.Setting, v.After, v.Before); ok {
		v.Stricter, v.Weaker = order > 0, order < 0
	}
	if v.Asked != "" {
		order, ok := stricter(v.Setting, v.After, v.Asked)
		v.AsAsked = v.After == v.Asked || ok && order >= 0
	}
	switch {
	case v.Before != v.After:
		d.Values = append(d.Values, *v)
	case v.Asked != "" && !v.AsAsked:
		d.NotYet = append(d.NotYet, *v)
	}
}

// Worst is the highest severity among findings that are a step back; 0 for none.
func (d *Drift) Worst() rules.Severity {
	var worst rules.Severity
	for i := range d.Findings {
		if f := &d.Findings[i]; f.State.Bad() {
			worst = max(worst, f.After.Rank())
		}
	}
	return worst
}
