package check

import (
	"slices"
	"strings"
	"time"

	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/setting"
)

// A SettingsView is what a check of settings sees. It notes where the values
// that were looked at stand.
type SettingsView struct {
	Holds func(setting.ID) *effective.Setting
	Asked func(setting.ID) []setting.Value // what rules ask at least

	First    *effective.Candidate // where the first known value that was looked at stands
	FirstOf  setting.ID           // the setting of which that is the value
	Policies []string             // where the values that were looked at stand
	Personal bool                 // a value that was looked at stands on the account itself
	Unknown  bool                 // a value that was looked at is not known
}

// get returns the value of a setting.
func (v *SettingsView) get(id setting.ID) setting.Value {
	s := v.Holds(id)
	if s.From != nil {
		v.Personal = v.Personal || s.From.Level == effective.OnAccount
		if !slices.Contains(v.Policies, s.From.Policy) {
			v.Policies = append(v.Policies, s.From.Policy)
		}
		if v.First == nil {
			v.First, v.FirstOf = s.From, id
		}
	}
	v.Unknown = v.Unknown || !s.Value.Known()
	return s.Value
}

// count returns an amount; false when it is off, unknown or no amount.
func (v *SettingsView) count(id setting.ID) (int64, bool) { return v.get(id).Count() }

// seconds returns a length of time in seconds; false as for count.
func (v *SettingsView) seconds(id setting.ID) (int64, bool) {
	span, ok := v.get(id).Span()
	return span.Length(), ok
}

func (v *SettingsView) text(id setting.ID) string { return setting.At(id).Counted(v.Holds(id).Value) }

func (v *SettingsView) off(id setting.ID) bool { return v.get(id).State() == setting.Off }

func (v *SettingsView) yes(id setting.ID) bool {
	yes, ok := v.get(id).Flag()
	return ok && yes
}

func (v *SettingsView) no(id setting.ID) bool {
	yes, ok := v.get(id).Flag()
	return ok && !yes
}

// A SystemView is what a check of a system sees.
type SystemView struct {
	System       *facts.System
	Accounts     int
	PolicyReach  map[string]int  // accounts by policy that reaches them
	PolicyWon    map[string]bool // policies of which some value holds for somebody
	Expiring     int             // accounts whose passwords expire in effect
	AgeUnknown   int             // accounts of which that is not known
	SecondFactor map[facts.Tri]int
	Optional     int // accounts for which a second factor is optional
}

// NewSystemView returns the view of a system of which no account was seen.
func NewSystemView(system *facts.System) SystemView {
	return SystemView{System: system, PolicyReach: map[string]int{}, PolicyWon: map[string]bool{}, SecondFactor: map[facts.Tri]int{}}
}

// openPolicies reports whether the policy of some account is not known: then
// none of the others can be said to reach nobody.
func (v *SystemView) openPolicies() bool {
	return slices.ContainsFunc(v.System.Policies, func(p facts.Policy) bool { return p.Open && v.PolicyReach[p.Name] > 0 })
}

// Add adds what was counted in other accounts of the same export.
func (v *SystemView) Add(o *SystemView) {
	for name, n := range o.PolicyReach {
		v.PolicyReach[name] += n
	}
	for name := range o.PolicyWon {
		v.PolicyWon[name] = true
	}
	for answer, n := range o.SecondFactor {
		v.SecondFactor[answer] += n
	}
	v.Expiring += o.Expiring
	v.AgeUnknown += o.AgeUnknown
	v.Optional += o.Optional
}

// A PersonView is one enabled account of a person, with what the person has
// elsewhere.
type PersonView struct {
	gap.Person
	Account *facts.Account
	Own     uint8 // facts about the account, as bits of package gap
	Known   bool  // the account has a key that people are matched by
	Shared  bool  // its sign-in name belongs to different people

	System  int      // its place among the systems
	From    int      // the system that knows all people; -1 for none
	Systems []string // all names
	Limit   setting.Span
}

// matched reports whether the account's person was found for certain.
func (v *PersonView) matched() bool { return v.Known && !v.Ambiguous }

// elsewhere lists the other systems for whose facts a test holds; "" for none,
// and where the person is not certain.
func (v *PersonView) elsewhere(test func(bits uint8) bool) string {
	if !v.matched() {
		return ""
	}
	var names []string
	for i, bits := range v.Facts {
		if i != v.System && bits&gap.Present != 0 && test(bits) {
			names = append(names, v.Systems[i])
		}
	}
	return strings.Join(names, " and ")
}

// TheEstate stands for the number of a system where a check finds something
// about the estate itself.
const TheEstate = -1

// An EstateView is what a check between systems sees.
type EstateView struct {
	*finding.Gaps
	Systems []SystemInEstate
	// Limit is the length of time of the check at hand, as it is set for a
	// system.
	Limit func(system int) setting.Span
}

// A SystemInEstate is one system among others.
type SystemInEstate struct {
	Name string
	AsOf time.Time // zero when not known
}

// at is the number of a system by its name.
func (v *EstateView) at(name string) int {
	return slices.IndexFunc(v.Systems, func(s SystemInEstate) bool { return s.Name == name })
}
