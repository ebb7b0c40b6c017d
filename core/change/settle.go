package change

import (
	"cmp"
	"fmt"
	"slices"

	"yewcone/core/check"
	"yewcone/core/effective"
	"yewcone/core/finding"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// settle works out what a step sets, and for whom.
func (b *builder) settle(k key, s *Step) {
	switch {
	case s.IsSetting:
		b.settleValue(k, s)
	case s.Mark != "":
		s.Do = check.Marks[s.Mark]
	case k.what == "own":
		def := setting.At(k.setting)
		b.settleOwn(s)
		s.Do = "take the " + def.Name + " of their own off these accounts, or set it to what the rules ask"
	default:
		s.Do = b.result.Findings[s.Findings[0]].Remedy
	}
}

func met(w *finding.Want, v setting.Value) bool { return w.Asked.Test(v) == requirement.Meets }

// settleOwn finds the value that all who ask of an account's own one take.
func (b *builder) settleOwn(s *Step) {
	var asked []requirement.Requirement
	for _, w := range s.Wants {
		asked = append(asked, w.Asked)
	}
	s.From = s.Wants[0].Now
	s.To, _ = requirement.Closest(s.From, asked...)
}

// settleValue finds the value that ends the most, beginning with the worst,
// and that is nearest to what stands there.
func (b *builder) settleValue(k key, s *Step) {
	def := setting.At(s.Setting)
	s.From, s.Beyond, s.Enough = s.Wants[0].Now, nil, nil
	asked := make([]requirement.Requirement, 0, len(s.Wants)+1)
	if limit := s.Wants[0].Limit; limit != nil {
		asked = append(asked, *limit)
	}
	// Wants stand in the order of the findings, which is by severity.
	for _, w := range s.Wants {
		with := append(slices.Clone(asked), w.Asked)
		if _, possible := requirement.Together(with...); possible {
			asked = with
		}
	}
	limited := s.Wants[0].Limit != nil
	switch {
	case limited && len(asked) == 1:
		s.To, s.Nearest = s.Wants[0].Asked.Nearest(*s.Wants[0].Limit), true
	default:
		s.To, _ = requirement.Closest(s.From, asked...)
	}
	for _, i := range s.Findings {
		if f := &b.result.Findings[i]; slices.ContainsFunc(f.Wants, func(w finding.Want) bool {
			return w.Setting == s.Setting && w.Policy == s.Policy && !w.OnAccount && !met(&w, s.To)
		}) {
			s.Beyond = append(s.Beyond, i)
		}
	}
	s.Do = fmt.Sprintf("set %s from %s to %s", def.Name, def.Text(s.From), def.Text(s.To))
	if !s.From.Known() {
		s.Do = fmt.Sprintf("set %s to %s", def.Name, def.Text(s.To))
	}
	for i := range b.result.Systems {
		if sys := &b.result.Systems[i]; sys.Name == k.system {
			if held := sys.Holds[k.policy]; held != nil {
				h := held.At(s.Setting)
				s.Accounts, s.Privileged = h.Accounts, h.Privileged
			}
		}
	}
	b.enough(s)
}

// Does reports whether another value would do as well as the one that a step
// sets.
func (s *Step) Does(v setting.Value) bool {
	return !slices.ContainsFunc(s.Wants, func(w finding.Want) bool { return met(&w, s.To) && !met(&w, v) })
}

// enough finds gentler values that would do for some of the findings.
func (b *builder) enough(s *Step) {
	def := setting.At(s.Setting)
	for _, w := range s.Wants {
		list := []requirement.Requirement{w.Asked}
		if w.Limit != nil {
			list = append(list, *w.Limit)
		}
		v, ok := requirement.Closest(s.From, list...)
		if order, compares := def.Compare(v, s.To); !ok || !compares || order >= 0 || v == s.From ||
			slices.ContainsFunc(s.Enough, func(e Enough) bool { return e.To == v }) {
			continue
		}
		e := Enough{To: v}
		for _, i := range s.Findings {
			f := &b.result.Findings[i]
			if !slices.ContainsFunc(f.Wants, func(w finding.Want) bool {
				return w.Setting == s.Setting && w.Policy == s.Policy && !met(&w, v)
			}) {
				e.Findings = append(e.Findings, i)
			}
		}
		if len(e.Findings) > 0 && len(e.Findings) < len(s.Findings) {
			s.Enough = append(s.Enough, e)
		}
	}
	slices.SortStableFunc(s.Enough, func(x, y Enough) int { return -cmp.Compare(len(x.Findings), len(y.Findings)) })
}

// before lists settings of which the first is set before the second: a floor
// above its ceiling, or an age without room for the other, refuses everybody.
var before = [][2]setting.ID{{setting.MaxLength, setting.MinLength}, {setting.MaxAge, setting.MinAge},
	{setting.LockoutWindow, setting.LockoutAttempts}, {setting.LockoutDuration, setting.LockoutAttempts},
	{setting.LockoutLongest, setting.LockoutDuration}, {setting.WarnBefore, setting.MaxAge}}

// inOrder puts the steps of a policy in the order of the catalogue, and then
// what has to come first before what needs it.
func inOrder(steps []Step) []Step {
	var policies []string
	for i := range steps {
		if !slices.Contains(policies, steps[i].Policy) {
			policies = append(policies, steps[i].Policy)
		}
	}
	slices.SortStableFunc(steps, func(a, b Step) int {
		return cmp.Or(cmp.Compare(slices.Index(policies, a.Policy), slices.Index(policies, b.Policy)), cmp.Compare(a.Setting, b.Setting))
	})
	for _, policy := range policies {
		for _, pair := range before {
			at := func(id setting.ID) int {
				return slices.IndexFunc(steps, func(s Step) bool { return s.IsSetting && s.Setting == id && s.Policy == policy })
			}
			if i, j := at(pair[0]), at(pair[1]); i > j && j >= 0 {
				s := steps[i]
				steps = slices.Insert(slices.Delete(steps, i, i+1), j, s)
			}
		}
	}
	return steps
}

// together raises values that would set off a check once all steps of a policy
// are taken: a longer history wants a longer smallest age.
func (b *builder) together(c *Change) {
	for i := range c.Steps {
		s := &c.Steps[i]
		if !s.IsSetting {
			continue
		}
		view := check.SettingsView{Asked: func(setting.ID) []setting.Value { return nil }, Holds: func(id setting.ID) *effective.Setting {
			for j := range c.Steps {
				if o := &c.Steps[j]; o.IsSetting && o.Policy == s.Policy && o.Setting == id {
					return &effective.Setting{Value: o.To}
				}
			}
			return &effective.Setting{}
		}}
		for _, k := range check.All() {
			if k.Settings == nil || k.Wants == nil || k.Settings(&view) == "" {
				continue
			}
			for _, w := range k.Wants(&view) {
				asked, err := requirement.Parse(setting.At(w.Setting), w.Phrase)
				if err == nil && w.Setting == s.Setting && asked.Test(s.To) == requirement.FallsShort {
					s.Wants = append(s.Wants, finding.Want{Setting: w.Setting, Asked: asked, Now: s.From, Policy: s.Policy, Limit: s.Wants[0].Limit})
					b.settleValue(s.key, s)
				}
			}
		}
	}
}

// against says what of weight the steps of a change would set off beside values
// that stay as they are: an age without room for the other.
func (b *builder) against(c *Change) []string {
	var list, policies []string
	for i := range c.Steps {
		if s := &c.Steps[i]; s.IsSetting && !slices.Contains(policies, s.Policy) {
			policies = append(policies, s.Policy)
		}
	}
	for _, policy := range policies {
		present := func(id setting.ID) *effective.Setting {
			for i := range b.result.Systems {
				if sys := &b.result.Systems[i]; sys.Name == c.System && sys.Holds[policy] != nil {
					return &effective.Setting{Value: sys.Holds[policy].At(id).Value}
				}
			}
			return &effective.Setting{}
		}
		none := func(setting.ID) []setting.Value { return nil }
		now, then := check.SettingsView{Asked: none, Holds: present}, check.SettingsView{Asked: none, Holds: func(id setting.ID) *effective.Setting {
			for i := range c.Steps {
				if s := &c.Steps[i]; s.IsSetting && s.Policy == policy && s.Setting == id {
					return &effective.Setting{Value: s.To}
				}
			}
			return present(id)
		}}
		for _, k := range check.All() {
			if k.Settings != nil && k.Severity >= rules.High && k.Settings(&now) == "" {
				if sentence := k.Settings(&then); sentence != "" {
					list = append(list, fmt.Sprintf("decide of %s first: with these values %s; %s", policy, sentence, k.Remedy))
				}
			}
		}
	}
	return list
}

// first says what has to be done before a change, beside the order of its
// steps.
func first(c *Change) []string {
	var list []string
	for i := range c.Steps {
		s := &c.Steps[i]
		if !s.IsSetting {
			continue
		}
		switch s.Setting {
		case setting.SecondFactor:
			if s.To == setting.SecondFactorEveryone || s.To == setting.SecondFactorAdmins {
				list = append(list, "let those enrol a second factor who have none: who is asked for one and has none is shut out")
			}
		case setting.MaxAge:
			if _, timed := s.To.Span(); timed && s.From.State() == setting.Off {
				list = append(list, "tell people: switching expiry on ends older passwords at once (yewcone impact says whose)")
			}
		case setting.LockoutAttempts:
			if s.From.State() == setting.Off {
				list = append(list, "find programs that sign in with an old password: they will lock their accounts")
			}
		case setting.MaxLength:
			if slices.ContainsFunc(c.Steps, func(o Step) bool {
				return o.IsSetting && o.Setting == setting.MinLength && o.Policy == s.Policy
			}) {
				list = append(list, "raise the ceiling before the floor")
			}
		}
	}
	return slices.Compact(slices.Sorted(slices.Values(list)))
}

// Worst is the highest severity among findings.
func Worst(r *finding.Result, list []int) rules.Severity {
	var worst rules.Severity
	for _, i := range list {
		worst = max(worst, r.Findings[i].Severity)
	}
	return worst
}
