// Package change works out, from what a check found, what to do: which value
// of which policy, or what on which accounts, in what order, and what that
// ends. It states what follows from the findings; package impact asks the
// accounts.
package change

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"yewcone/core/finding"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// A Change is what one visit to a system does: its policies with all their
// settings, or one thing done to some accounts.
type Change struct {
	ID         string // the same in each run, for what is done to policies as long as the system is
	System     string
	Owner      string   // of the system; "" for nobody
	Policies   []string // none for what is done to accounts, or to the system
	Steps      []Step   // in the order in which to take them
	First      []string
	Ends       []int // findings that it ends, as indexes of Result.Findings, worst first
	Helps      []int // that other changes have to help to end
	Beyond     []int // that no value within the system's limits ends: each needs an exception
	Accounts   int   // whom it reaches, at least
	Privileged int
	Opens      bool // it shuts what is open to anybody
	Worth      float64
}

// A Step is one value to set, or one thing to do; several findings may have
// the one cause.
type Step struct {
	Policy     string
	IsSetting  bool
	Setting    setting.ID
	From, To   setting.Value // of a setting
	Nearest    bool          // the system can do no more
	Mark       string        // the mark to take off accounts; "" for other steps
	Do         string        // what to do, as a clause; for all steps
	Findings   []int         // that it ends or helps to end
	Beyond     []int         // that it cannot end
	Enough     []Enough      // gentler values that end a part
	Accounts   int
	Privileged int
	AtLeast    bool // there may be more accounts than that
	Wants      []finding.Want

	key key
}

// Enough is a value that falls short of a step's and ends some of its findings.
type Enough struct {
	To       setting.Value
	Findings []int
}

// Of works out the changes that a result asks for, the most worthwhile first.
func Of(r *finding.Result) []Change {
	b := builder{result: r, steps: map[key]*Step{}}
	for i := range r.Findings {
		b.enter(i)
	}
	return b.changes()
}

// key is what steps are told apart by.
type key struct {
	system, policy string
	setting        setting.ID // -1 for none
	what           string
}

const noSetting setting.ID = -1

type builder struct {
	result *finding.Result
	steps  map[key]*Step
	order  []key
	of     [][]key // by finding
}

func (b *builder) step(k key) *Step {
	s, ok := b.steps[k]
	if !ok {
		s = &Step{key: k, Policy: k.policy, Setting: k.setting, IsSetting: k.setting != noSetting && k.what == ""}
		b.steps[k] = s
		b.order = append(b.order, k)
	}
	return s
}

// enter adds a finding to the steps that it takes.
func (b *builder) enter(i int) {
	f := &b.result.Findings[i]
	var keys []key
	switch {
	case f.Mark != "":
		keys = []key{{f.System, "", noSetting, "mark " + f.Mark}}
		b.step(keys[0]).Mark = f.Mark
	case len(f.Wants) > 0:
		for j := range f.Wants {
			w := &f.Wants[j]
			if len(f.Wants) > 1 && holds(w) {
				continue // one of several that is as it is wanted already
			}
			k := key{f.System, w.Policy, w.Setting, ""}
			switch {
			case w.Mark != "":
				k = key{f.System, "", noSetting, "mark " + w.Mark}
			case w.OnAccount:
				k = key{f.System, "", w.Setting, "own"}
			}
			s := b.step(k)
			s.Mark = w.Mark
			s.Wants = append(s.Wants, *w)
			keys = append(keys, k)
		}
	}
	switch {
	case len(keys) > 0:
	case f.Between || f.Policy != "":
		keys = []key{{f.System, "", noSetting, f.Fingerprint}}
	default:
		keys = []key{{f.System, "", noSetting, f.Rule.String()}}
	}
	for j := range f.Also {
		if w := &f.Also[j]; !w.OnAccount && w.Mark == "" {
			s := b.step(key{f.System, w.Policy, w.Setting, ""})
			s.Wants = append(s.Wants, *w)
		}
	}
	for _, k := range keys {
		s := b.step(k)
		if !slices.Contains(s.Findings, i) {
			s.Findings = append(s.Findings, i)
		}
		if !s.IsSetting {
			if s.Accounts > 0 && f.Reach.Accounts != s.Accounts {
				s.AtLeast = true
			}
			s.Accounts, s.Privileged = max(s.Accounts, f.Reach.Accounts), max(s.Privileged, f.Reach.Privileged)
		}
	}
	b.of = append(b.of, keys)
}

func holds(w *finding.Want) bool { return met(w, w.Now) }

func (b *builder) changes() []Change {
	var list []Change
	at := map[key]int{}
	for _, k := range b.order {
		s := b.steps[k]
		b.settle(k, s)
		of := key{system: k.system, setting: noSetting, what: "policies"}
		if !s.IsSetting {
			of = k
		}
		n, ok := at[of]
		if !ok {
			n = len(list)
			at[of] = n
			list = append(list, Change{System: k.system})
			list[n].ID = finding.Fingerprint("change", of.system, of.what, fmt.Sprint(of.setting))
		}
		list[n].Steps = append(list[n].Steps, *s)
	}
	for i := range list {
		b.together(&list[i])
		b.sumUp(&list[i])
	}
	list = slices.DeleteFunc(list, func(c Change) bool { return len(c.Steps) == 0 })
	slices.SortStableFunc(list, func(x, y Change) int {
		return cmp.Or(cmp.Compare(y.Worth, x.Worth), cmp.Compare(y.Accounts, x.Accounts), strings.Compare(x.System, y.System),
			strings.Compare(x.ID, y.ID))
	})
	return list
}

// sumUp works out what the steps of a change do together.
func (b *builder) sumUp(c *Change) {
	c.Steps = inOrder(c.Steps)
	mine := func(k key) bool {
		return slices.ContainsFunc(c.Steps, func(s Step) bool { return s.key == k })
	}
	for i := range c.Steps {
		s := &c.Steps[i]
		for _, f := range s.Beyond {
			add(&c.Beyond, f)
		}
		for _, f := range s.Findings {
			switch {
			case !slices.ContainsFunc(b.of[f], func(k key) bool { return !mine(k) || slices.Contains(b.steps[k].Beyond, f) }):
				add(&c.Ends, f)
			case slices.ContainsFunc(b.of[f], func(k key) bool { return slices.Contains(b.steps[k].Beyond, f) }):
			default:
				add(&c.Helps, f)
			}
			c.Opens = c.Opens || b.result.Findings[f].Opens != ""
		}
	}
	slices.Sort(c.Ends) // findings are sorted, the worst first
	slices.Sort(c.Helps)
	slices.Sort(c.Beyond)
	// What the system can do no more of is no step.
	c.Steps = slices.DeleteFunc(c.Steps, func(s Step) bool { return s.IsSetting && s.To == s.From && len(s.Findings) == len(s.Beyond) })
	for i := range c.Steps {
		if s := &c.Steps[i]; s.IsSetting && !slices.Contains(c.Policies, s.Policy) {
			c.Policies = append(c.Policies, s.Policy)
		}
	}
	c.First = append(first(c), b.against(c)...)
	for i := range b.result.Systems {
		if s := &b.result.Systems[i]; s.Name == c.System {
			c.Owner = s.Owner
			c.reach(s)
		}
	}
	c.Worth = b.worth(c)
}

// reach adds up whom the steps reach; a policy's steps reach much the same
// accounts, and several policies no more than there are.
func (c *Change) reach(s *finding.SystemResult) {
	accounts, privileged := map[string]int{}, map[string]int{}
	for i := range c.Steps {
		p := c.Steps[i].Policy
		accounts[p], privileged[p] = max(accounts[p], c.Steps[i].Accounts), max(privileged[p], c.Steps[i].Privileged)
	}
	for p := range accounts {
		c.Accounts += accounts[p]
		c.Privileged += privileged[p]
	}
	if s.Accounts > 0 {
		c.Accounts, c.Privileged = min(c.Accounts, s.Accounts), min(c.Privileged, s.Privileged)
	}
}

func add(list *[]int, i int) {
	if !slices.Contains(*list, i) {
		*list = append(*list, i)
	}
}

// weights are what ending a finding is worth.
var weights = map[rules.Severity]float64{rules.Critical: 16, rules.High: 6, rules.Medium: 2, rules.Low: 0.7, rules.Info: 0.1}

// worth sets what a change ends, and whom that reaches, against what it costs:
// a policy is one visit whatever it holds, accounts are visited one by one.
func (b *builder) worth(c *Change) float64 {
	gain := 0.0
	for _, i := range c.Ends {
		f := &b.result.Findings[i]
		one := weights[f.Severity] * (1 + math.Log10(1+float64(f.Reach.Accounts))/10)
		if f.Opens != "" {
			one *= 2
		}
		gain += one
	}
	for _, i := range append(slices.Clone(c.Helps), c.Beyond...) {
		gain += weights[b.result.Findings[i].Severity] / 10
	}
	cost := 1.0
	for i := range c.Steps {
		if s := &c.Steps[i]; s.IsSetting {
			cost += 0.03
		} else {
			cost += math.Log10(1 + float64(s.Accounts))
		}
	}
	return gain / cost
}

// Def is the setting of a step; nil for other steps.
func (s *Step) Def() *setting.Setting {
	if !s.IsSetting {
		return nil
	}
	return setting.At(s.Setting)
}

// Ended are the findings of a step that its change ends.
func (s *Step) Ended(c *Change) []int {
	return slices.DeleteFunc(slices.Clone(s.Findings), func(i int) bool { return !slices.Contains(c.Ends, i) })
}

// Fingerprints are those of findings.
func Fingerprints(r *finding.Result, list []int) []string {
	out := []string{}
	for _, i := range list {
		out = append(out, r.Findings[i].Fingerprint)
	}
	return out
}

// BySeverity counts findings by how bad they are.
func BySeverity(r *finding.Result, list []int) map[rules.Severity]int {
	counts := map[rules.Severity]int{}
	for _, i := range list {
		counts[r.Findings[i].Severity]++
	}
	return counts
}
