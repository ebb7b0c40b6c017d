// Package gap compares systems with one another: setting by setting for each
// audience, over links between them, and person by person.
package gap

import (
	"cmp"
	"slices"
	"strings"

	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/setting"
)

// An Audience is the accounts that are compared with one another.
type Audience uint8

// The audiences. An account that is privileged is in that audience whatever
// its kind.
const (
	People Audience = iota
	Privileged
	Service
	Unsorted // of a kind that is not known; it stands for people where a system has none that are known to be
	Rest     // of other kinds; compared with nothing
	audiences
)

// Audiences are those that are compared.
var Audiences = []Audience{People, Privileged, Service}

func (a Audience) String() string {
	return [...]string{"people", "privileged", "service", "of unknown kind", "rest"}[a]
}

// ParseAudience finds an audience by its name.
func ParseAudience(name string) (Audience, bool) {
	for _, a := range Audiences {
		if a.String() == name {
			return a, true
		}
	}
	return Rest, false
}

// AudienceOf says where an account belongs.
func AudienceOf(a *facts.Account) Audience {
	switch {
	case a.Privileged == facts.Yes:
		return Privileged
	case a.Kind == facts.Person:
		return People
	case a.Kind == facts.Service:
		return Service
	case a.Kind == "":
		return Unsorted
	}
	return Rest
}

// A Held value is one that holds for some accounts of an audience.
type Held struct {
	Value    setting.Value
	Accounts int
	Policy   string // where it stands; "" on the account itself or where nothing says it
	Origin   facts.Origin
}

// before orders places, so that of two places of one value every merge keeps
// the same.
func (h *Held) before(o *Held) bool {
	return cmp.Or(strings.Compare(h.Origin.File, o.Origin.File), cmp.Compare(h.Origin.Line, o.Origin.Line),
		strings.Compare(h.Policy, o.Policy), strings.Compare(h.Origin.Text, o.Origin.Text)) < 0
}

// audience is what holds on one system for one audience.
type audience struct {
	accounts int
	values   []map[setting.Value]*Held // by setting.ID
	worst    *Guesses                  // of all its accounts' settings together
}

// A Profile is what holds on one system, by audience. Accounts that are
// switched off, and those that no password lets in, are not in it.
type Profile struct {
	System    string
	audiences [audiences]audience
}

// NewProfile returns an empty profile.
func NewProfile(system string) *Profile {
	p := &Profile{System: system}
	for i := range p.audiences {
		p.audiences[i].values = make([]map[setting.Value]*Held, setting.Len)
	}
	return p
}

// Add counts accounts that share settings. With no accounts it notes what
// would hold.
func (p *Profile) Add(to Audience, s *effective.Settings, accounts int) {
	a := &p.audiences[to]
	a.accounts += accounts
	for id := range a.values {
		holds := s.Get(setting.ID(id))
		h := Held{Value: holds.Value, Accounts: accounts}
		if holds.From != nil {
			h.Origin = holds.From.Origin
			if holds.From.Level == effective.OnPolicy {
				h.Policy = holds.From.Policy
			}
		}
		a.hold(id, &h)
	}
	g := GuessesOf(func(id setting.ID) setting.Value { return s.Get(id).Value })
	a.guess(&g)
}

func (a *audience) hold(id int, h *Held) {
	if a.values[id] == nil {
		a.values[id] = map[setting.Value]*Held{}
	}
	mine, ok := a.values[id][h.Value]
	if !ok {
		kept := *h
		a.values[id][h.Value] = &kept
		return
	}
	mine.Accounts += h.Accounts
	if h.before(mine) {
		mine.Policy, mine.Origin = h.Policy, h.Origin
	}
}

// guess keeps the larger budget. One that is not known never counts as less.
func (a *audience) guess(g *Guesses) {
	if a.worst == nil || g.more(a.worst) {
		kept := *g
		a.worst = &kept
	}
}

// Merge adds what another profile of the same system counted.
func (p *Profile) Merge(o *Profile) {
	for i := range p.audiences {
		mine, other := &p.audiences[i], &o.audiences[i]
		mine.accounts += other.accounts
		for id := range other.values {
			for _, h := range other.values[id] {
				mine.hold(id, h)
			}
		}
		if other.worst != nil {
			mine.guess(other.worst)
		}
	}
}

// standIn is the audience itself, or the accounts of unknown kind in the place
// of people where nobody is known to be one.
func (p *Profile) standIn(a Audience) Audience {
	if a == People && p.audiences[People].accounts == 0 && p.audiences[Unsorted].accounts > 0 {
		return Unsorted
	}
	return a
}

// KindsUnknown reports whether accounts of unknown kind stand for people.
func (p *Profile) KindsUnknown() bool { return p.standIn(People) != People }

// Accounts counts the accounts of an audience.
func (p *Profile) Accounts(a Audience) int { return p.audiences[p.standIn(a)].accounts }

// Held lists the values that hold of a setting for an audience, the most
// common first.
func (p *Profile) Held(a Audience, id setting.ID) []Held {
	var list []Held
	for _, h := range p.audiences[p.standIn(a)].values[id] {
		list = append(list, *h)
	}
	def := setting.At(id)
	slices.SortFunc(list, func(x, y Held) int {
		if c := cmp.Compare(y.Accounts, x.Accounts); c != 0 {
			return c
		}
		return strings.Compare(def.Text(x.Value), def.Text(y.Value))
	})
	return list
}

// A Cell is what one system has of one setting for one audience.
type Cell struct {
	System   string
	None     bool          // the system has nobody of the audience
	Value    setting.Value // the weakest that holds for anybody; the most common where neither is weaker; unknown where nothing is said
	Accounts int           // that have it
	Of       int           // accounts of the audience
	Unknown  int           // accounts for which nothing says it
	Policy   string
	Origin   facts.Origin

	Below     bool // below what the rules ask
	Strictest bool // of all systems, where they differ
	Loosest   bool
	Odd       bool // all other systems agree on another value
}

// Mixed reports whether other accounts of the audience have other values.
func (c *Cell) Mixed() bool { return c.Accounts < c.Of }

// Weakest returns the weakest value that holds for an audience.
func (p *Profile) Weakest(a Audience, id setting.ID) Cell {
	c := Cell{System: p.System, Of: p.Accounts(a)}
	list := p.Held(a, id)
	if c.None = len(list) == 0; c.None {
		return c
	}
	def := setting.At(id)
	for i := range list {
		h := &list[i]
		if !h.Value.Known() {
			c.Unknown = h.Accounts
			continue
		}
		if !c.Value.Known() || def.Order != setting.NoOrder && def.Loosest(c.Value, h.Value) != c.Value {
			c.Value, c.Accounts, c.Policy, c.Origin = h.Value, h.Accounts, h.Policy, h.Origin
		}
	}
	if !c.Value.Known() {
		c.Accounts = c.Unknown
	}
	return c
}

// A Row is one setting on all systems.
type Row struct {
	ID      setting.ID
	Setting *setting.Setting
	Cells   []Cell // in the order of the profiles
	Differs bool   // two systems have different values
}

// Told reports whether any system says the setting.
func (r *Row) Told() bool {
	return slices.ContainsFunc(r.Cells, func(c Cell) bool { return c.Value.Known() })
}

// Compare sets systems side by side for an audience. below tells whether a
// value is below what the rules of a system ask; it may be nil.
func Compare(profiles []*Profile, a Audience, below func(system, name string, v setting.Value) bool) []Row {
	rows := make([]Row, setting.Len)
	for i := range rows {
		id := setting.ID(i)
		rows[i] = Row{ID: id, Setting: setting.At(id)}
		for _, p := range profiles {
			c := p.Weakest(a, id)
			c.Below = c.Value.Known() && below != nil && below(p.System, rows[i].Setting.Name, c.Value)
			rows[i].Cells = append(rows[i].Cells, c)
		}
		rows[i].mark()
	}
	return rows
}

// mark finds the strictest, the loosest and the odd one out among the known
// values.
func (r *Row) mark() {
	def := r.Setting
	var known []int
	for i := range r.Cells {
		if r.Cells[i].Value.Known() {
			known = append(known, i)
		}
	}
	same := func(i, j int) bool {
		a, b := r.Cells[i].Value, r.Cells[j].Value
		return equal(def, a, b)
	}
	for _, i := range known {
		alike := 0
		for _, j := range known {
			if same(i, j) {
				alike++
			} else {
				r.Differs = true
			}
		}
		if alike == 1 && len(known) >= 3 {
			others := slices.DeleteFunc(slices.Clone(known), func(j int) bool { return j == i })
			r.Cells[i].Odd = !slices.ContainsFunc(others, func(j int) bool { return !same(j, others[0]) })
		}
	}
	if !r.Differs || def.Order == setting.NoOrder {
		return
	}
	strictest, loosest := r.Cells[known[0]].Value, r.Cells[known[0]].Value
	for _, i := range known[1:] {
		strictest, loosest = def.Strictest(strictest, r.Cells[i].Value), def.Loosest(loosest, r.Cells[i].Value)
	}
	for _, i := range known {
		r.Cells[i].Strictest = equal(def, r.Cells[i].Value, strictest) && r.Cells[i].Unknown == 0 // else some may be weaker
		r.Cells[i].Loosest = equal(def, r.Cells[i].Value, loosest)
	}
}

// equal reports whether neither of two known values is stricter; where a
// setting has no order, whether they are the same.
func equal(def *setting.Setting, a, b setting.Value) bool {
	order, ok := def.Compare(a, b)
	if !ok {
		return a == b
	}
	return order == 0
}
