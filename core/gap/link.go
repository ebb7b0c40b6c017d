package gap

import (
	"fmt"

	"yewcone/core/password"
	"yewcone/core/setting"
)

// A Link is a pair of systems that share verification or passwords.
type Link struct {
	Between [2]string
	Because string
	Same    []setting.ID // settings that must be equal
	Shared  bool         // one password serves both
}

// An Unequal setting differs between the ends of a link.
type Unequal struct {
	ID    setting.ID
	Cells [2]Cell
}

// A LinkResult is what is to be said of one link.
type LinkResult struct {
	Link
	Ends    [2]*Profile
	Unequal []Unequal
	Open    []Unequal // one end or both do not say it
	Locks   string    // which end locks first, and what the person sees; "" where both alike, or not known

	// For a shared password:
	Common  password.Space // passwords of the least length that both take
	Length  int
	Collide [][]password.Claim // where there is none
	Ages    []string           // what of ages and history does not make sense together

	LengthOpen bool // the least length of an end is not known, and so Length and Common are no figures
}

// Agrees reports whether nothing is wrong with the link, as far as is known.
func (l *LinkResult) Agrees() bool {
	return len(l.Unequal) == 0 && len(l.Collide) == 0 && len(l.Ages) == 0
}

// Check holds the ends of a link against one another, by what holds for most
// people; for most of another audience where a system has none.
func (l *Link) Check(ends [2]*Profile) *LinkResult {
	r := &LinkResult{Link: *l, Ends: ends}
	of := func(id setting.ID) [2]Cell {
		return [2]Cell{ends[0].Usual(id), ends[1].Usual(id)}
	}
	for _, id := range l.Same {
		cells := of(id)
		a, b := cells[0].Value, cells[1].Value
		def := setting.At(id)
		switch {
		case !a.Known() || !b.Known():
			r.Open = append(r.Open, Unequal{id, cells})
		case !equal(def, a, b):
			r.Unequal = append(r.Unequal, Unequal{id, cells})
		}
	}
	r.Locks = locksFirst(ends, of(setting.LockoutAttempts))
	if l.Shared {
		for _, c := range of(setting.MinLength) {
			r.LengthOpen = r.LengthOpen || !c.Value.Known()
		}
		r.shared(of)
	}
	return r
}

// Usual is the value that holds for most people, or for most of the first
// audience that the system has.
func (p *Profile) Usual(id setting.ID) Cell {
	for a := range audiences {
		list := p.Held(a, id)
		if len(list) == 0 {
			continue
		}
		h := list[0]
		c := Cell{System: p.System, Value: h.Value, Accounts: h.Accounts, Of: p.audiences[a].accounts, Policy: h.Policy, Origin: h.Origin}
		if !h.Value.Known() {
			c.Unknown = h.Accounts
		}
		return c
	}
	return Cell{System: p.System, None: true}
}

func locksFirst(ends [2]*Profile, cells [2]Cell) string {
	first, second := 0, 1
	limit := func(i int) (int64, bool) {
		n, ok := cells[i].Value.Count()
		if cells[i].Value.State() == setting.Off {
			return 1 << 40, true
		}
		return n, ok
	}
	a, ok := limit(0)
	b, ok2 := limit(1)
	if !ok || !ok2 || a == b {
		return ""
	}
	if b < a {
		first, second, a, b = 1, 0, b, a
	}
	after := fmt.Sprintf("after %d", b)
	if b == 1<<40 {
		after = "never"
	}
	return fmt.Sprintf("%s locks after %d failures and %s %s: whoever fails %d times is locked out by %s while %s still answers",
		ends[first].System, a, ends[second].System, after, a, ends[first].System, ends[second].System)
}

// shared asks whether one password can serve both ends, and what becomes of
// their ages and histories.
func (r *LinkResult) shared(of func(setting.ID) [2]Cell) {
	var claims []password.Claim
	for i, p := range r.Ends {
		claims = append(claims, password.ClaimsOf(p.System, func(id setting.ID) setting.Value { return of(id)[i].Value })...)
	}
	composition := password.Together(claims)
	var ok bool
	if r.Length, ok = composition.Shortest(&password.Printable); !ok {
		r.Collide = password.Collisions(claims, &password.Printable)
	}
	r.Common = composition.Count(&password.Printable, r.Length)
	ages := of(setting.MaxAge)
	def := setting.At(setting.MaxAge)
	if a, b := ages[0].Value, ages[1].Value; a.Known() && b.Known() && !equal(def, a, b) {
		short, long := 0, 1
		if def.Strictest(a, b) == b {
			short, long = 1, 0
		}
		r.Ages = append(r.Ages, fmt.Sprintf("the shorter life wins: %s ends the password after %s, and what %s allows (%s) "+
			"is never reached",
			r.Ends[short].System, def.Text(ages[short].Value), r.Ends[long].System, def.Text(ages[long].Value)))
	}
	histories := of(setting.History)
	def = setting.At(setting.History)
	if a, b := histories[0].Value, histories[1].Value; a.Known() && b.Known() && !equal(def, a, b) {
		long, short := 0, 1
		if def.Strictest(a, b) == b {
			long, short = 1, 0
		}
		kept := "none"
		if n, ok := histories[short].Value.Count(); ok && n > 0 {
			kept = fmt.Sprintf("the last %d", n)
		}
		r.Ages = append(r.Ages, fmt.Sprintf("the longer history is useless: %s bars the last %s, and %s, where the same "+
			"password can be set, %s",
			r.Ends[long].System, def.Text(histories[long].Value), r.Ends[short].System, kept))
	}
}
