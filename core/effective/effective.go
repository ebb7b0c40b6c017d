// Package effective works out which value of each setting holds for an
// account, and keeps the trail: every candidate, where it stood, and why it
// won or lost.
package effective

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// Level says on which level a value stands.
type Level uint8

// The levels.
const (
	OnPolicy  Level = iota // a policy of the system
	OnAccount              // the account itself: a flag or a setting of its own
)

// A Candidate is one value that stood for a setting.
type Candidate struct {
	facts.Sourced
	Level  Level
	Policy string // name of the policy; "" on the account
	Flag   bool   // a mark on the account, such as "password never expires"
	Won    bool
	Why    string // why it won or lost
}

// A Setting is the value that holds, with its trail. From is the candidate
// that won, or nil where nothing says anything.
type Setting struct {
	Value    setting.Value
	ByPolicy setting.Value // what would hold without the account's own value
	From     *Candidate
	Trail    []Candidate
	Unmarked bool // whether a mark on the account switches it off is not visible
}

// Settings are what holds for all accounts with the same policies, flags and
// overrides.
type Settings struct {
	Policy  *facts.Policy   // the policy that comes first; nil for none
	Reach   []*facts.Policy // all policies that reach the account, parents too
	Open    bool            // which policies reach the account is not known; Reach has all that may
	Missing string          // a policy that the account names and the system does not have
	list    []Setting
	undated bool // nothing is said of ages, warnings and grace
}

// Get returns what holds of one setting.
func (s *Settings) Get(id setting.ID) *Setting { return &s.list[id] }

// PolicyName returns the name of the policy that comes first; "" for none.
func (s *Settings) PolicyName() string {
	if s.Policy == nil {
		return ""
	}
	return s.Policy.Name
}

// memoLimit bounds how many combinations are kept, for systems where every
// account has settings of its own.
const memoLimit = 1 << 16

// A Resolver finds the settings of the accounts of one system. Thousands of
// accounts share a few combinations of policies; each is worked out once. It
// is not for use by several goroutines at a time.
type Resolver struct {
	system  *facts.System
	byRole  map[string][]int
	memo    map[string]*Settings
	key     []byte
	matched []int
	before  []byte // the key asked for before, and what holds for it
	last    *Settings
}

// NewResolver returns a resolver for the accounts of one system.
func NewResolver(system *facts.System) *Resolver {
	r := &Resolver{system: system, byRole: map[string][]int{}, memo: map[string]*Settings{}}
	for i, p := range system.Policies {
		for _, role := range p.Roles {
			r.byRole[role] = append(r.byRole[role], i)
		}
	}
	return r
}

// For returns what holds for an account. Accounts with the same combination
// get the same pointer, until very many combinations have been seen. Origins
// of candidates on the account itself are those of the first such account.
func (r *Resolver) For(a *facts.Account) *Settings {
	r.match(a)
	r.makeKey(a)
	if r.last != nil && bytes.Equal(r.key, r.before) {
		return r.last
	}
	s, ok := r.memo[string(r.key)]
	if !ok {
		if len(r.memo) >= memoLimit {
			clear(r.memo)
		}
		s = r.resolve(a)
		r.memo[string(r.key)] = s
	}
	r.before, r.last = append(r.before[:0], r.key...), s
	return s
}

// Asks reports whether what holds for an account can depend on its unit, roles or
// groups, by the fact of a mapping; all other texts but its policy mean nothing.
func (r *Resolver) Asks(fact string) bool {
	switch fact {
	case "unit":
		return slices.ContainsFunc(r.system.Policies, func(p facts.Policy) bool { return p.Unit != "" })
	case "groups", "roles":
		return len(r.byRole) > 0
	}
	return false
}

// match finds the policies that name a role, group or unit of the account.
func (r *Resolver) match(a *facts.Account) {
	r.matched = r.matched[:0]
	if len(r.byRole) > 0 {
		for _, lists := range [2][]string{a.Roles, a.Groups} {
			for _, role := range lists {
				for _, i := range r.byRole[role] {
					if !slices.Contains(r.matched, i) {
						r.matched = append(r.matched, i)
					}
				}
			}
		}
	}
	for i := range r.system.Policies {
		if unit := r.system.Policies[i].Unit; unit != "" && a.Unit != "" && facts.Under(a.Unit, unit) {
			r.matched = append(r.matched, i)
		}
	}
	slices.Sort(r.matched)
}

func (r *Resolver) makeKey(a *facts.Account) {
	k := append(r.key[:0], byte(a.NeverExpires), byte(a.CannotChange), byte(a.BlankAllowed), r.doubt(a))
	k = append(k, a.Policy...)
	for _, other := range a.Reaching {
		k = append(append(k, 1), other...)
	}
	k = append(k, 0)
	for _, i := range r.matched {
		k = binary.AppendUvarint(k, uint64(i)+1)
	}
	k = append(k, 0)
	for _, o := range a.Overrides {
		k = binary.AppendUvarint(k, uint64(o.Setting))
		if k = o.Value.AppendKey(k); o.Hidden {
			k = append(k, 1)
		}
	}
	r.key = k
}

// Why it is not known which policies reach an account.
const (
	noDoubt byte = iota
	ownHidden
	rolesHidden
)

// doubt tells whether it is known which policies reach an account: not where it
// may name one that the export does not show, nor where policies go by role or
// group and the export does not show those of the account.
func (r *Resolver) doubt(a *facts.Account) byte {
	byRole := r.system.Chooses != facts.ChooseSingle && r.system.Chooses != facts.ChooseAssigned && r.system.Chooses != ""
	switch {
	case a.PolicyOpen && len(r.system.Policies) > 1:
		return ownHidden
	case byRole && len(r.byRole) > 0 && !a.RolesKnown && !a.GroupsKnown:
		return rolesHidden
	}
	return noDoubt
}

// inDoubt is what holds where that is not known: what stands on the account
// itself, and of all else nothing.
func (r *Resolver) inDoubt(a *facts.Account, why byte) *Settings {
	s := &Settings{Open: true, list: make([]Setting, setting.Len)}
	reason := "which policy the account names is not visible in the export"
	if why == rolesHidden {
		reason = "the account's roles and groups are not visible in the export"
	}
	for i := range r.system.Policies {
		s.Reach = append(s.Reach, &r.system.Policies[i])
	}
	for id := range setting.Len {
		out := &s.list[id]
		if own := r.fromAccount(a, id); own != nil {
			*out = r.settle(own, plan{}, id)
		}
		for i := range r.system.Policies {
			if v := r.system.Policies[i].Value(id); v.Known() {
				out.Trail = append(out.Trail, Candidate{Sourced: v, Policy: r.system.Policies[i].Name, Why: reason})
			}
		}
		if out.From != nil {
			out.From = &out.Trail[0]
		}
	}
	return s
}

// plan is the order in which policies are asked. Within a tier the values are
// merged; the first tier that says anything about a setting decides.
type plan struct {
	tiers     [][]*facts.Policy
	strictest bool // within a tier; otherwise the loosest
	whole     bool // a policy that comes first decides also by what it does not say
	missing   string
}

func (r *Resolver) plan(a *facts.Account) plan {
	sys := r.system
	var p plan
	add := func(policies ...*facts.Policy) {
		policies = slices.DeleteFunc(policies, func(x *facts.Policy) bool { return x == nil })
		if len(policies) > 0 {
			p.tiers = append(p.tiers, policies)
		}
	}
	var matched []*facts.Policy
	for _, i := range r.matched {
		matched = append(matched, &sys.Policies[i])
	}
	fallback := sys.Policy(sys.Default)
	var named *facts.Policy
	if a.Policy != "" && (sys.NoPolicy == nil || a.Policy != sys.NoPolicy.Name) {
		if named = sys.Policy(a.Policy); named == nil {
			p.missing = a.Policy
		}
	}
	switch sys.Chooses {
	case facts.ChooseAssigned:
		p.whole = true
		switch {
		case named != nil:
			add(named)
			if sys.WhyFirst != "" {
				for _, other := range a.Reaching {
					add(sys.Policy(other))
				}
				add(fallback)
			}
		case a.Policy == "" && fallback != nil:
			add(fallback)
		default:
			add(sys.NoPolicy)
		}
	case facts.ChoosePriority:
		p.whole = true
		slices.SortStableFunc(matched, func(x, y *facts.Policy) int { return x.Priority - y.Priority })
		for _, m := range matched {
			add(m)
		}
		add(fallback)
	case facts.ChooseNearest:
		for _, unit := range nearest(matched) {
			add(unit...)
		}
		add(fallback)
	case facts.ChooseOwn, facts.ChooseOwnStrict:
		p.strictest = sys.Chooses == facts.ChooseOwnStrict
		add(named)
		add(matched...)
		add(fallback)
	case facts.ChooseStrictest, facts.ChooseLoosest:
		p.strictest = sys.Chooses == facts.ChooseStrictest
		all := append(matched, named)
		if !slices.Contains(all, fallback) {
			all = append(all, fallback)
		}
		add(all...)
	case facts.ChooseSingle, "":
		p.whole = true
		if fallback == nil && len(sys.Policies) == 1 {
			fallback = &sys.Policies[0]
		}
		add(fallback)
	default:
		p.strictest = slices.Contains(sys.Chooses.Order(), facts.StrictestRoleKind)
		byUnit, byRole := kinds(matched)
		for _, kind := range sys.Chooses.Order() {
			switch kind {
			case facts.OwnKind:
				add(named)
			case facts.UnitKind:
				for _, unit := range nearest(byUnit) {
					add(unit...)
				}
			case facts.DefaultKind:
				add(fallback)
			default:
				add(byRole...)
			}
		}
	}
	return p
}

// kinds parts policies that reach an account into those of its unit and those
// of its roles and groups.
func kinds(matched []*facts.Policy) (byUnit, byRole []*facts.Policy) {
	for _, m := range matched {
		if m.Unit != "" {
			byUnit = append(byUnit, m)
		} else {
			byRole = append(byRole, m)
		}
	}
	return byUnit, byRole
}

// nearest orders policies up the tree of units; those of one unit stay together.
func nearest(matched []*facts.Policy) [][]*facts.Policy {
	matched = slices.Clone(matched)
	slices.SortStableFunc(matched, func(x, y *facts.Policy) int { return len(y.Unit) - len(x.Unit) })
	var units [][]*facts.Policy
	for i, m := range matched {
		if i == 0 || m.Unit != matched[i-1].Unit {
			units = append(units, nil)
		}
		units[len(units)-1] = append(units[len(units)-1], m)
	}
	return units
}

func (r *Resolver) resolve(a *facts.Account) *Settings {
	if why := r.doubt(a); why != noDoubt {
		return r.inDoubt(a, why)
	}
	p := r.plan(a)
	s := &Settings{Missing: p.missing, list: make([]Setting, setting.Len)}
	if len(p.tiers) > 0 && p.tiers[0][0] != r.system.NoPolicy {
		s.Policy = p.tiers[0][0]
	}
	for _, tier := range p.tiers {
		for _, policy := range tier {
			s.Reach = append(s.Reach, r.line(policy)...)
		}
	}
	for i := range s.list {
		id := setting.ID(i)
		s.list[i] = r.settle(r.fromAccount(a, id), p, id)
	}
	s.list[setting.MaxAge].Unmarked = a.NeverExpires == facts.Unknown
	s.undated = true
	for _, id := range []setting.ID{setting.MaxAge, setting.MinAge, setting.WarnBefore, setting.GracePeriod, setting.GraceSignIns} {
		s.undated = s.undated && !s.list[id].Value.Known()
	}
	return s
}

// line is a policy and those it inherits from, nearest first; a circle is
// walked once.
func (r *Resolver) line(p *facts.Policy) []*facts.Policy {
	var line []*facts.Policy
	for p != nil && !slices.Contains(line, p) {
		line = append(line, p)
		p = r.system.Policy(p.Parent)
	}
	return line
}

// inherited returns what a policy says of a setting, itself or through those
// it inherits from, and which of them says it.
func (r *Resolver) inherited(p *facts.Policy, id setting.ID) (facts.Sourced, *facts.Policy) {
	if p.Parent == "" {
		return p.Value(id), p
	}
	for _, above := range r.line(p) {
		if v := above.Value(id); v.Known() || v.Hidden {
			return v, above
		}
	}
	return facts.Sourced{}, p
}

// fromAccount returns what the account itself says of a setting: its own
// value, or what one of its flags means.
func (r *Resolver) fromAccount(a *facts.Account, id setting.ID) *Candidate {
	flag := func(v setting.Value, text string) *Candidate {
		origin := a.Origin
		origin.Text = text
		return &Candidate{Sourced: facts.Sourced{Value: v, Origin: origin}, Level: OnAccount, Flag: true}
	}
	switch {
	case id == setting.MaxAge && a.NeverExpires == facts.Yes:
		return flag(setting.OffValue, "password never expires")
	case id == setting.SelfChange && a.CannotChange == facts.Yes:
		return flag(setting.No, "may not change the password")
	case id == setting.BlankAllowed && a.BlankAllowed == facts.Yes:
		return flag(setting.Yes, "empty password permitted")
	}
	for i := range a.Overrides {
		if a.Overrides[i].Setting == id && (a.Overrides[i].Known() || a.Overrides[i].Hidden) {
			return &Candidate{Sourced: a.Overrides[i].Sourced, Level: OnAccount}
		}
	}
	return nil
}

// settle picks the winner of one setting and explains the others.
func (r *Resolver) settle(own *Candidate, p plan, id setting.ID) Setting {
	def := setting.At(id)
	var out Setting
	if own != nil {
		if own.Why = "stands on the account itself, which comes last and wins"; !own.Known() {
			if own.Why = "the account may have a value of its own, which is not visible in the export"; own.Beyond {
				own.Why = "what stands on the account itself is more than any system means, and unknown"
			}
		}
		out.Trail = append(out.Trail, *own)
	}
	winner, decided := -1, false
	for n, tier := range p.tiers {
		first, hidden := len(out.Trail), false
		for _, policy := range tier {
			v, from := r.inherited(policy, id)
			if v.Known() || v.Hidden && !decided {
				out.Trail = append(out.Trail, Candidate{Sourced: v, Policy: from.Name})
			}
			hidden = hidden || v.Hidden && !decided
		}
		said := out.Trail[first:]
		switch {
		case hidden && !decided:
			why := "what a policy says of it, which has its turn here, is not visible in the export"
			if slices.ContainsFunc(said, func(c Candidate) bool { return c.Beyond }) {
				why = "what a policy says of it, which has its turn here, is more than any system means, and unknown"
			}
			explain(said, why)
			decided = true
		case decided:
			explain(said, lostTo(p, out.Trail, winner))
		case len(said) > 0:
			winner = first + r.pick(def, said, p.strictest)
			explain(said, r.mergeReason(p))
			out.Trail[winner].Why = r.wonReason(p, n, len(said))
			decided = true
		case p.whole:
			decided = true // the policy that comes first does not say it
		}
	}
	if winner >= 0 {
		out.ByPolicy = out.Trail[winner].Value
	}
	if own != nil {
		if winner >= 0 {
			out.Trail[winner].Why = "would hold, if the account had no value of its own"
		}
		winner = 0
	}
	if winner >= 0 {
		out.Trail[winner].Won = true
		out.From = &out.Trail[winner]
		out.Value = out.From.Value
	}
	return out
}

func explain(list []Candidate, why string) {
	for i := range list {
		list[i].Why = why
	}
}

func lostTo(p plan, trail []Candidate, winner int) string {
	if winner < 0 {
		return fmt.Sprintf("the policy %q comes first and does not say this", p.tiers[0][0].Name)
	}
	return fmt.Sprintf("the policy %q comes first", trail[winner].Policy)
}

func (r *Resolver) pick(def *setting.Setting, said []Candidate, strictest bool) int {
	best := 0
	for i := 1; i < len(said); i++ {
		merged := def.Loosest(said[best].Value, said[i].Value)
		if strictest {
			merged = def.Strictest(said[best].Value, said[i].Value)
		}
		if merged != said[best].Value && merged == said[i].Value {
			best = i
		}
	}
	return best
}

func (r *Resolver) mergeReason(p plan) string {
	if p.strictest {
		return "a stricter value holds"
	}
	return "a looser value holds"
}

func (r *Resolver) wonReason(p plan, tier, among int) string {
	if among > 1 {
		if p.strictest {
			return "the strictest of those that reach the account"
		}
		return "the loosest of those that reach the account"
	}
	switch r.system.Chooses {
	case facts.ChooseAssigned:
		switch first := p.tiers[0][0]; {
		case first == r.system.NoPolicy && p.missing != "":
			return "what the system does without a policy, since the one that the account names does not exist"
		case first == r.system.NoPolicy:
			return "what the system does without a policy, since none reaches the account"
		case first.Name == r.system.Default && r.system.WhyFirst != "":
			return "the system's own, since no other reaches the account"
		case first.Name == r.system.Default:
			return "the default policy, since the account names none"
		case r.system.WhyFirst != "":
			return r.system.WhyFirst
		}
		return "the policy that the account names"
	case facts.ChoosePriority:
		return "the policy with the lowest number among those that match"
	case facts.ChooseNearest:
		return "the nearest unit that says it"
	case facts.ChooseOwn, facts.ChooseOwnStrict:
		if tier == len(p.tiers)-1 {
			return "the system's own value, since nothing nearer says it"
		}
		return "the account's or its role's own value comes before the system's"
	}
	if r.system.Chooses.Order() != nil {
		return "the first that says it, in the order " + string(r.system.Chooses)
	}
	return "the only policy that reaches the account"
}

// Describe names where a value stands, for sentences.
func (c *Candidate) Describe() string {
	if c.Level == OnAccount {
		return "on the account itself"
	}
	return "policy " + strings.TrimSpace(c.Policy)
}
