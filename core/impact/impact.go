// Package impact holds settings that are only proposed against the accounts of
// today: who is expired at once and who on which day, whose lock or second
// factor changes, what no longer holds, and what cannot be known.
package impact

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"yewcone/core/audit"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/nearword"
	"yewcone/core/setting"
)

// A Proposal is a value that a policy does not have yet.
type Proposal struct {
	System, Policy string
	Setting        setting.ID
	Value          setting.Value
	From           setting.Value // as it is; filled by Apply
}

// ParseProposal reads "SYSTEM/POLICY.setting=value". The policy "*" stands for
// every policy that says the setting.
func ParseProposal(text string) (Proposal, error) {
	left, value, ok := strings.Cut(text, "=")
	system, rest, ok2 := strings.Cut(left, "/")
	at := strings.LastIndexByte(rest, '.')
	if !ok || !ok2 || at < 1 {
		// It is not shown: a file that is named by mistake may hold anything.
		return Proposal{}, errors.New("this is no proposal: write SYSTEM/POLICY.setting=value, such as rota/service.min_length=16")
	}
	name := strings.TrimSpace(rest[at+1:])
	id, found := setting.Find(name)
	if !found {
		return Proposal{}, fmt.Errorf("no setting is named %q%s", name, nearword.Advice(name, setting.Names()))
	}
	v, err := setting.At(id).Parse(strings.TrimSpace(value))
	if err == nil && !v.Known() {
		err = fmt.Errorf("\"unknown\" cannot be proposed")
	}
	return Proposal{System: strings.TrimSpace(system), Policy: strings.TrimSpace(rest[:at]), Setting: id, Value: v}, err
}

// Apply sets proposed values in the policies of systems, and returns them with
// what they were, one for each policy. Systems are found by their names.
func Apply(systems map[string]*facts.System, list []Proposal) ([]Proposal, error) {
	var applied []Proposal
	for _, p := range list {
		system := systems[p.System]
		if system == nil {
			names := slices.Sorted(maps.Keys(systems))
			return nil, fmt.Errorf("no system is named %q%s", p.System, nearword.Advice(p.System, names))
		}
		var names []string
		found := false
		for i := range system.Policies {
			policy := &system.Policies[i]
			names = append(names, policy.Name)
			if p.Policy != policy.Name && !(p.Policy == "*" && policy.Value(p.Setting).Known()) {
				continue
			}
			found = true
			one := p
			one.Policy, one.From = policy.Name, policy.Value(p.Setting).Value
			applied = append(applied, one)
			origin := policy.Value(p.Setting).Origin
			origin.Text = "proposed: " + p.Setting.String() + " " + setting.At(p.Setting).Text(p.Value)
			policy.Set(p.Setting, p.Value, origin)
		}
		if !found && p.Policy == "*" {
			return nil, fmt.Errorf("no policy of %s says %s; name one of %s", p.System, p.Setting, strings.Join(names, ", "))
		}
		if !found {
			return nil, fmt.Errorf("%s has no policy %q%s; it has %s", p.System, p.Policy, nearword.Advice(p.Policy, names), strings.Join(names, ", "))
		}
	}
	return applied, nil
}

// An Effect is what a proposal does to an account.
type Effect string

// The effects; an account may have several.
const (
	ExpiredNow   Effect = "expired at once"
	ShutNow      Effect = "shut at once"
	EndsOn       Effect = "ends on another day"
	NoLongerEnds Effect = "no longer ends"
	FactorAsked  Effect = "second factor asked, none there"
	FactorOpen   Effect = "second factor asked, perhaps none"
	LockedNow    Effect = "locked"
	FreedNow     Effect = "no longer locked"
	NextPassword Effect = "more asked of the next password"
	Overruled    Effect = "overruled by a mark of its own"
	Undated      Effect = "no date of its password"
	OwnEnd       Effect = "the export gives its end"
)

// Effects lists all, in the order in which they are told.
var Effects = []Effect{ShutNow, ExpiredNow, EndsOn, NoLongerEnds, FactorAsked, FactorOpen, LockedNow, FreedNow, NextPassword, Overruled, Undated,
	OwnEnd}

// A Group counts the accounts that an effect reaches.
type Group struct {
	Accounts   int
	Privileged int
	Kinds      map[string]int      // by kind; "" for those of whom it is not known
	Names      map[string][]string // the first of each kind that is no person, and of privileged people under "privileged"
}

// mostNames is how many names of a kind are kept.
const mostNames = 12

func (g *Group) add(a *facts.Account) {
	if g.Kinds == nil {
		g.Kinds, g.Names = map[string]int{}, map[string][]string{}
	}
	g.Accounts++
	g.Kinds[a.Kind]++
	name := a.Kind
	if a.Privileged == facts.Yes {
		g.Privileged++
		name = "privileged"
	}
	if name != facts.Person && name != "" && len(g.Names[name]) < mostNames {
		g.Names[name] = append(g.Names[name], strings.Clone(a.Login))
	}
}

// A System is the impact on one system.
type System struct {
	Name, Title string
	AsOf        time.Time
	Partial     bool
	Accounts    int // that a password lets in and that are not switched off
	Proposals   []Proposal
	Effects     map[Effect]*Group
	Days        map[string]*Group // accounts whose password ends on another day than today's settings say, by that day
	Ended, New  []finding.Finding // of the whole system
	Depends     []string          // what breaks when a password changes
	Save        []Saved           // what to save first, of the settings that are proposed
}

// Saved is what cannot be taken back.
type Saved struct {
	Setting setting.ID
	Text    string
}

// Touched tells of one account and one effect; it is only good until the call
// returns.
type Touched struct {
	System  string
	Effect  Effect
	Day     string // of EndsOn
	Account *facts.Account
}

// Run holds proposals against the accounts. Both lists of subjects are of the
// same systems, opened twice; Apply was called on the second.
func Run(name string, before, after []audit.Subject, proposals []Proposal, o audit.Options, each func(*Touched) error) ([]System, error) {
	was, err := audit.Run(name, before, o)
	if err != nil {
		return nil, err
	}
	is, err := audit.Run(name, after, o)
	if err != nil {
		return nil, err
	}
	var list []System
	for i := range before {
		s := System{Name: before[i].Export.System().Name, Title: before[i].Export.System().Title, AsOf: before[i].Export.System().AsOf,
			Effects: map[Effect]*Group{}, Days: map[string]*Group{}, Depends: before[i].Depends, Partial: was.Systems[i].Partial}
		for _, p := range proposals {
			if p.System != s.Name {
				continue
			}
			s.Proposals = append(s.Proposals, p)
			saved := Saved{p.Setting, before[i].Irreversible[p.Setting]}
			if saved.Text != "" && !slices.Contains(s.Save, saved) {
				s.Save = append(s.Save, saved)
			}
		}
		s.Ended, s.New = differ(was, is, s.Name), differ(is, was, s.Name)
		if len(s.Proposals) == 0 && len(s.Ended) == 0 && len(s.New) == 0 {
			continue
		}
		if len(s.Proposals) > 0 {
			if err := s.accounts(&before[i], &after[i], o, each); err != nil {
				return nil, err
			}
		}
		list = append(list, s)
	}
	return list, nil
}

// differ are the findings of a system in one result that are not in another.
func differ(in, notIn *finding.Result, system string) []finding.Finding {
	var list []finding.Finding
	for _, f := range in.Findings {
		if f.System == system && !slices.ContainsFunc(notIn.Findings, func(o finding.Finding) bool { return o.Fingerprint == f.Fingerprint }) {
			list = append(list, f)
		}
	}
	return list
}

// accounts goes through the accounts of a system once more.
func (s *System) accounts(before, after *audit.Subject, o audit.Options, each func(*Touched) error) error {
	judge, err := audit.NewJudge(before, o)
	if err != nil {
		return err
	}
	system := after.Export.System()
	resolver := effective.NewResolver(system)
	noted := before.Export.Notes().Clone()
	defer func() { *before.Export.Notes() = noted }()
	changed := map[[2]*effective.Settings][]setting.ID{}
	return before.Export.Accounts(func(a *facts.Account) error {
		b := *a
		was, about := judge.Resolve(a)
		b.Kind, b.Privileged = a.Kind, a.Privileged
		is := resolver.For(&b)
		effective.SettleLock(&b, is, system)
		if a.Enabled == facts.No || a.WithoutPassword() {
			return nil
		}
		s.Accounts++
		both := [2]*effective.Settings{was, is}
		ids, ok := changed[both]
		if !ok {
			for _, p := range s.Proposals {
				if w, i := was.Get(p.Setting), is.Get(p.Setting); (w.Value != i.Value || w.ByPolicy != i.ByPolicy) && !slices.Contains(ids, p.Setting) {
					ids = append(ids, p.Setting)
				}
			}
			changed[both] = ids
		}
		if len(ids) == 0 {
			return nil
		}
		d := facts.Derived{AsOf: about.Derived.AsOf, AsOfKnown: about.Derived.AsOfKnown}
		effective.DatesOf(&d, &b, is, system, 0)
		return s.touch(a, &b, was, is, &about.Derived, &d, ids, each)
	})
}

// touch enters an account into all effects that it has.
func (s *System) touch(a, b *facts.Account, was, is *effective.Settings, before, after *facts.Derived, ids []setting.ID,
	each func(*Touched) error) error {
	var failed error
	enter := func(e Effect, day string) {
		if s.Effects[e] == nil {
			s.Effects[e] = &Group{}
		}
		s.Effects[e].add(a)
		if day != "" {
			if s.Days[day] == nil {
				s.Days[day] = &Group{}
			}
			s.Days[day].add(a)
		}
		if each != nil && failed == nil {
			failed = each(&Touched{System: s.Name, Effect: e, Day: day, Account: a})
		}
	}
	overruled, more := false, false
	for _, id := range ids {
		w, i, def := was.Get(id), is.Get(id), setting.At(id)
		overruled = overruled || w.Value == i.Value
		order, ok := def.Compare(i.Value, w.Value)
		more = more || (def.Group == "complexity" || def.Group == "history") && (!ok && w.Value != i.Value || order > 0)
	}
	if more {
		enter(NextPassword, "")
	}
	if overruled {
		enter(Overruled, "")
	}
	ages := slices.ContainsFunc(ids, func(id setting.ID) bool {
		return (id == setting.MaxAge || id == setting.GracePeriod || id == setting.GraceSignIns) && was.Get(id).Value != is.Get(id).Value
	})
	if ages {
		s.endings(a, before, after, enter)
	}
	if slices.Contains(ids, setting.SecondFactor) && demands(is, a) && !demands(was, a) {
		switch a.SecondFactor {
		case facts.No:
			enter(FactorAsked, "")
		case facts.Unknown:
			enter(FactorOpen, "")
		}
	}
	switch {
	case a.Locked != facts.Yes && b.Locked == facts.Yes:
		enter(LockedNow, "")
	case a.Locked == facts.Yes && b.Locked == facts.No:
		enter(FreedNow, "")
	}
	return failed
}

func (s *System) endings(a *facts.Account, before, after *facts.Derived, enter func(Effect, string)) {
	switch {
	case a.PasswordExpires.Known() && !a.PasswordExpires.IsNever():
		enter(OwnEnd, "")
	case after.Shut == facts.Yes && before.Shut != facts.Yes:
		enter(ShutNow, "")
	case after.Overdue == facts.Yes && before.Overdue != facts.Yes:
		enter(ExpiredNow, "")
	case after.Expires.IsNever() && !before.Expires.IsNever():
		enter(NoLongerEnds, "")
	case after.Overdue == facts.Unknown && !after.Expires.Known():
		enter(Undated, "")
	case after.Overdue == facts.No && after.Expires != before.Expires && after.Expires.Known():
		day, _ := after.Expires.Time()
		enter(EndsOn, day.UTC().Format(time.DateOnly))
	}
}

// demands reports whether a second factor is asked of an account.
func demands(s *effective.Settings, a *facts.Account) bool {
	v := s.Get(setting.SecondFactor).Value
	return v == setting.SecondFactorEveryone || v == setting.SecondFactorAdmins && a.Privileged == facts.Yes
}

// Ends lists the days on which passwords end, in their order.
func (s *System) Ends() []string { return slices.SortedFunc(maps.Keys(s.Days), cmp.Compare[string]) }
