// Package facts models what exports say: systems, their policies, their
// accounts, and where each value stood. It reads no files.
package facts

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/setting"
)

// Tri is a fact that may be unknown.
type Tri uint8

// The three answers to a question of fact.
const (
	Unknown Tri = iota
	No
	Yes
)

// TriOf returns Yes or No.
func TriOf(b bool) Tri {
	if b {
		return Yes
	}
	return No
}

// Not turns yes into no and back; unknown stays.
func (t Tri) Not() Tri {
	switch t {
	case Yes:
		return No
	case No:
		return Yes
	}
	return Unknown
}

// And is yes where both are, and no where one is not.
func (t Tri) And(o Tri) Tri {
	switch {
	case t == No || o == No:
		return No
	case t == Yes && o == Yes:
		return Yes
	}
	return Unknown
}

// Or is yes where one is, and no where both are not.
func (t Tri) Or(o Tri) Tri { return t.Not().And(o.Not()).Not() }

func (t Tri) String() string { return [...]string{"unknown", "no", "yes"}[t] }

// A Moment is an instant, a whole day, "never", or unknown (the zero value).
type Moment struct {
	state momentState
	day   bool
	unix  int64
}

type momentState uint8

const (
	momentUnknown momentState = iota
	momentNever
	momentAt
)

// Never is the moment that did not or will not come.
var Never = Moment{state: momentNever}

// At returns an instant, kept to the second.
func At(t time.Time) Moment { return Moment{state: momentAt, unix: t.Unix()} }

// AtSecond returns the instant so many seconds after the start of 1970 in UTC.
func AtSecond(unix int64) Moment { return Moment{state: momentAt, unix: unix} }

// OnDay returns the whole day, in UTC, that t falls on; what ends on a day
// ends with its last second.
func OnDay(t time.Time) Moment {
	return Moment{state: momentAt, day: true, unix: t.Unix() - (t.Unix()%86400+86400)%86400}
}

// Known reports whether the export says anything.
func (m Moment) Known() bool { return m.state != momentUnknown }

// IsNever reports whether the moment is known not to come.
func (m Moment) IsNever() bool { return m.state == momentNever }

// Dated is yes for an instant or a day and no for never.
func (m Moment) Dated() Tri {
	switch m.state {
	case momentUnknown:
		return Unknown
	case momentNever:
		return No
	}
	return Yes
}

// Time returns the instant, or the first second of the day; false when the
// moment is unknown or never.
func (m Moment) Time() (time.Time, bool) {
	return time.Unix(m.unix, 0).UTC(), m.state == momentAt
}

// Unix is Time in seconds since 1970.
func (m Moment) Unix() (int64, bool) { return m.unix, m.state == momentAt }

// Instant is Unix for what is no whole day.
func (m Moment) Instant() (int64, bool) { return m.unix, m.state == momentAt && !m.day }

// WholeDay reports whether only the day is known.
func (m Moment) WholeDay() bool { return m.day }

// Plus moves a known instant by a span, with the calendar. What is only known
// to the day stays so: an hour after a day lies in a day that begins an hour
// later.
func (m Moment) Plus(s setting.Span) Moment {
	t, ok := m.Time()
	if !ok {
		return m
	}
	return Moment{state: momentAt, day: m.day, unix: s.After(t).Unix()}
}

// Minus moves a known instant back by a span, with the calendar.
func (m Moment) Minus(s setting.Span) Moment {
	t, ok := m.Time()
	if !ok {
		return m
	}
	return Moment{state: momentAt, day: m.day, unix: s.Before(t).Unix()}
}

// Past reports whether the moment is over at the given second. The very
// second of an instant is not over, nor is any second of a whole day.
func (m Moment) Past(at int64) Tri {
	switch m.state {
	case momentUnknown:
		return Unknown
	case momentNever:
		return No
	}
	if m.day {
		return TriOf(at >= m.unix+86400)
	}
	return TriOf(at > m.unix)
}

// Come reports whether the moment is there at the given second: an instant
// from its very second on, a whole day once it is over.
func (m Moment) Come(at int64) Tri {
	if m.state == momentAt && !m.day {
		return TriOf(at >= m.unix)
	}
	return m.Past(at)
}

// String writes the moment: a day as 2026-11-20, an instant with hour and
// minute, "never" or "unknown".
func (m Moment) String() string {
	switch {
	case m.state == momentNever:
		return "never"
	case m.state == momentUnknown:
		return "unknown"
	case m.day:
		return time.Unix(m.unix, 0).UTC().Format(time.DateOnly)
	}
	return time.Unix(m.unix, 0).UTC().Format("2006-01-02 15:04")
}

// Origin is where a value stood in an export.
type Origin struct {
	File  string
	Part  string // of the file: a sheet of a workbook, a path in a document of one line; mostly ""
	Line  int    // counted from 1; 0 where lines mean nothing
	Place string // what lines cannot say: an entry and attribute, a column
	Text  string // as it stood there; never a secret
}

// kept is the origin with texts of its own, for who keeps it longer than what it is of.
func (o Origin) kept() Origin {
	o.Place, o.Text = strings.Clone(o.Place), strings.Clone(o.Text)
	return o
}

// Known reports whether there is a place to show.
func (o Origin) Known() bool { return o.File != "" }

func (o Origin) String() string {
	text := o.File
	if o.Part != "" {
		text += " (" + o.Part + ")"
	}
	if o.Line > 0 {
		text += ":" + strconv.Itoa(o.Line)
	}
	return text
}

// FixedInMapping ends the text of an origin that is no place of the export.
const FixedInMapping = " (fixed in the mapping)"

// Sourced is a value of one setting with its origin. The zero Sourced says
// nothing.
type Sourced struct {
	setting.Value
	Origin Origin
	Hidden bool // there may be a value, which the export does not show
	Beyond bool // what stands there is none that the setting can have
}

// A Policy is a set of settings that holds for some accounts. What it does
// not say is unknown, or comes from elsewhere, as the system chooses.
type Policy struct {
	Name     string
	Roles    []string // accounts with one of these roles or groups fall under it
	Unit     string   // accounts in this unit or below fall under it
	Parent   string   // the policy that says what this one does not; "" for none
	Priority int      // for systems that choose by number; the lowest wins
	Changed  Moment   // when the policy was last changed
	Open     bool     // it stands for policies that are not known, and so says nothing
	Origin   Origin

	said  []Sourced          // what it says, in the order in which that was set
	place [setting.Len]uint8 // of each setting there, counted from 1; most policies say little
}

// Value returns what the policy says of a setting.
func (p *Policy) Value(id setting.ID) Sourced {
	if at := p.place[id]; at > 0 {
		return p.said[at-1]
	}
	return Sourced{}
}

// Values goes through what the policy says, in the order of the catalogue.
func (p *Policy) Values(yield func(setting.ID, Sourced) bool) {
	for id, at := range p.place {
		if at > 0 && !yield(setting.ID(id), p.said[at-1]) {
			return
		}
	}
}

// Says reports whether the policy says anything.
func (p *Policy) Says() bool {
	return slices.ContainsFunc(p.said, func(v Sourced) bool { return v.Known() })
}

// Hide notes that the policy may say something of a setting, which the export
// does not show: then no other policy takes its place.
func (p *Policy) Hide(id setting.ID, origin Origin) {
	p.Set(id, setting.Value{}, origin)
	p.said[p.place[id]-1].Hidden = true
}

// Set records what the policy says of a setting. What is none of its values, such as
// twenty million old passwords, is unknown.
func (p *Policy) Set(id setting.ID, v setting.Value, origin Origin) {
	if p.place[id] == 0 {
		p.said = append(p.said, Sourced{})
		p.place[id] = uint8(len(p.said))
	}
	p.said[p.place[id]-1] = sourced(id, v, origin)
}

func sourced(id setting.ID, v setting.Value, origin Origin) Sourced {
	if !setting.At(id).Takes(v) {
		return Sourced{Origin: origin, Hidden: true, Beyond: true}
	}
	return Sourced{Value: v, Origin: origin}
}

// Precedence is how a system picks what holds for an account out of several
// policies. Account flags and overrides come last and win in every way.
type Precedence string

// The ways to choose.
const (
	ChooseSingle   Precedence = "single"   // there is one policy
	ChooseAssigned Precedence = "assigned" // the one that the account names, else the default
	ChoosePriority Precedence = "priority" // the lowest number among those that match, else the default
	ChooseNearest  Precedence = "nearest"  // up the tree of units, setting by setting, then the default
	// the one the account names, its roles' (loosest of several), then the default, setting by setting
	ChooseOwn       Precedence = "own before role"
	ChooseOwnStrict Precedence = "own before strictest role" // as above, but the strictest of several roles
	ChooseStrictest Precedence = "strictest"                 // of all that match and the default, setting by setting
	ChooseLoosest   Precedence = "loosest"                   // of all that match and the default, setting by setting
)

// Precedences lists all ways.
var Precedences = []string{string(ChooseSingle), string(ChooseAssigned), string(ChoosePriority), string(ChooseNearest),
	string(ChooseOwn), string(ChooseOwnStrict), string(ChooseStrictest), string(ChooseLoosest)}

// The kinds of policies that an order of kinds names.
const (
	OwnKind           = "own"            // the one that the account names
	UnitKind          = "unit"           // those of its unit and of the units above, nearest first
	RoleKind          = "role"           // those of its roles and groups; the loosest of several
	StrictestRoleKind = "strictest role" // as above, but the strictest of several
	DefaultKind       = "default"
)

// Order is the order of kinds of policies where a system goes by one, such as
// "own, unit, role, default", setting by setting; nil for every other way.
func (p Precedence) Order() []string {
	if !strings.Contains(string(p), ",") {
		return nil
	}
	var kinds []string
	for kind := range strings.SplitSeq(string(p), ",") {
		kind = strings.TrimSpace(kind)
		if !slices.Contains([]string{OwnKind, UnitKind, RoleKind, StrictestRoleKind, DefaultKind}, kind) || slices.Contains(kinds, kind) ||
			kind == RoleKind && slices.Contains(kinds, StrictestRoleKind) || kind == StrictestRoleKind && slices.Contains(kinds, RoleKind) {
			return nil
		}
		kinds = append(kinds, kind)
	}
	return kinds
}

// OrderPattern is the form of an order of kinds, as a regular expression.
const OrderPattern = "^(own|unit|role|strictest role|default)(, *(own|unit|role|strictest role|default))+$"

// ToChoose lists the ways to choose, for people.
var ToChoose = strings.Join(Precedences, ", ") + ", or an order of kinds such as \"own, unit, role, default\""

// Valid reports whether it is a way to choose.
func (p Precedence) Valid() bool { return slices.Contains(Precedences, string(p)) || p.Order() != nil }

// A System is what an export says of one system, apart from its accounts.
type System struct {
	Name     string
	Title    string
	Labels   []string
	AsOf     time.Time // the moment the export speaks for; zero when not known
	AsOfFrom string    // who says so, for people
	Chooses  Precedence
	Policies []Policy
	Default  string // name of the policy for accounts without another; "" for none
	// WhyFirst tells why the policy that an account names comes first, where the
	// system chooses it out of several.
	WhyFirst string
	// NoPolicy is what the system does where no policy reaches an account, or
	// the one that it names does not exist; nil where that is not known. Only
	// systems that go by assigned policies ask for it.
	NoPolicy *Policy

	// View tells what the export was able to show; nil where a reader has no
	// question of it: then what is absent is what it is in the format.
	View *View
	// Limits are what the system can do at all, by setting; see the rules that
	// ask for more.
	Limits map[setting.ID]Limit
	// ToKnow says, for a setting or fact that the export left out, what to
	// export to know it; under "" what is said of all others.
	ToKnow map[string]string
}

// A Limit is the range that a system can take of a setting. Its phrase is
// read by package requirement.
type Limit struct {
	Phrase string
	Origin Origin
}

// LeaveDefaultOpen makes a policy that says nothing the default, for exports
// that do not tell what holds for accounts without a policy of their own: these
// then lack settings, which is not the same as falling under no policy.
func (s *System) LeaveDefaultOpen(name string, origin Origin) {
	s.Policies = append(s.Policies, Policy{Name: name, Origin: origin, Open: true})
	s.Default = name
}

// AllPolicies calls yield for each policy, and last for NoPolicy.
func (s *System) AllPolicies(yield func(*Policy) bool) {
	for i := range s.Policies {
		if !yield(&s.Policies[i]) {
			return
		}
	}
	if s.NoPolicy != nil {
		yield(s.NoPolicy)
	}
}

// Policy returns the policy of a name, or nil.
func (s *System) Policy(name string) *Policy {
	if name == "" {
		return nil
	}
	for i := range s.Policies {
		if s.Policies[i].Name == name {
			return &s.Policies[i]
		}
	}
	return nil
}
