// Package replay joins a record of sign-ins with the accounts of a system, and
// holds lockouts against it: those in force for each account, and proposed ones.
package replay

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"yewcone/core/audit"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/core/signin"
)

// taken are the settings that a lockout is made of.
var taken = []setting.ID{setting.LockoutAttempts, setting.LockoutWindow, setting.LockoutDuration}

// Takes reports whether a setting can be proposed.
func Takes(id setting.ID) bool { return slices.Contains(taken, id) }

// Names are the settings that can be proposed.
func Names() []string {
	var names []string
	for _, id := range taken {
		names = append(names, setting.At(id).Name)
	}
	return names
}

// A Try is a proposed lockout; what it does not say stays as it is in force.
type Try struct{ values [3]setting.Value }

// With is the try with one more value.
func (t Try) With(id setting.ID, v setting.Value) Try {
	t.values[slices.Index(taken, id)] = v
	return t
}

// Text says what is proposed.
func (t *Try) Text() string {
	var parts []string
	for i, v := range t.values {
		if v.Known() {
			def := setting.At(taken[i])
			parts = append(parts, def.Name+" "+def.Text(v))
		}
	}
	return strings.Join(parts, ", ")
}

// Who is what the export says of a name in the record.
type Who struct {
	Known        bool
	Privileged   facts.Tri
	Enabled      facts.Tri
	SecondFactor facts.Tri
	Kind         string

	force [3]setting.Value
}

// An Account is a name of the record.
type Account struct {
	*signin.Account
	Who Who
}

// A Column sums up one lockout over all accounts.
type Column struct {
	Title        string
	Accounts     int // that it would have locked
	Privileged   int
	Programs     int
	People       int // of those locked, who gave the right password in the record too
	NotKnown     int // accounts of which the settings are not known
	Locks        int
	Hours        float64
	RefusedRight int
	Through      int // wrong passwords that were tried against one
	RefusedWrong int
}

// A Result is all of it.
type Result struct {
	System     string
	From, To   time.Time
	Events     int64
	OutOfOrder int64
	Refused    int // lines or rows that were not understood
	Failed     int
	LetIn      int
	ByKey      int
	Columns    []Column // the lockout in force first
	Accounts   []Account
	Sources    []*signin.Source
}

// A Replay takes the events of one system.
type Replay struct {
	system string
	who    map[string]*Who
	folded map[string]*Who // by names in small letters
	tries  []Try
	replay *signin.Replay
}

// New reads the accounts of a system and makes a replay of the lockout in force
// and of proposed ones.
func New(s *audit.Subject, o audit.Options, tries []Try) (*Replay, error) {
	judge, err := audit.NewJudge(s, o)
	if err != nil {
		return nil, err
	}
	r := &Replay{system: s.Export.System().Name, who: map[string]*Who{}, folded: map[string]*Who{}, tries: tries}
	err = s.Export.Accounts(func(a *facts.Account) error {
		settings, _ := judge.Resolve(a)
		w := &Who{Known: true, Privileged: a.Privileged, Enabled: a.Enabled, SecondFactor: a.SecondFactor, Kind: a.Kind, force: inForce(settings)}
		name := strings.Clone(a.Login)
		r.who[name] = w
		if low := strings.ToLower(name); r.folded[low] == nil {
			r.folded[low] = w
		} else {
			r.folded[low] = &Who{} // two that differ in their case alone
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	r.replay = signin.New(func(account string) []signin.Lockout {
		w := r.find(account)
		list := []signin.Lockout{lockout(w.force)}
		for i := range tries {
			values := w.force
			for j, v := range tries[i].values {
				if v.Known() {
					values[j] = v
				}
			}
			list = append(list, lockout(values))
		}
		return list
	})
	return r, nil
}

func (r *Replay) find(account string) *Who {
	if w := r.who[account]; w != nil {
		return w
	}
	if w := r.folded[strings.ToLower(account)]; w != nil {
		return w
	}
	return &Who{}
}

func inForce(s *effective.Settings) (values [3]setting.Value) {
	for i, id := range taken {
		values[i] = s.Get(id).Value
	}
	return values
}

// lockout makes a lockout of its settings. A window and a duration that are not
// known matter only where something locks.
func lockout(v [3]setting.Value) signin.Lockout {
	if !v[0].Known() {
		return signin.Lockout{}
	}
	attempts, counts := v[0].Count()
	if !counts || v[0].State() == setting.Off {
		return signin.Lockout{Known: true}
	}
	if !v[1].Known() || !v[2].Known() {
		return signin.Lockout{}
	}
	l := signin.Lockout{Known: true, Attempts: attempts, Window: -1}
	if window, timed := v[1].Span(); timed {
		l.Window = window.Length()
	}
	if duration, timed := v[2].Span(); timed {
		l.Duration = duration.Length()
	} else if v[2].State() == setting.UntilUnlocked {
		l.Duration = -1
	}
	return l
}

// Book numbers the names of events.
func (r *Replay) Book() *signin.Book { return &r.replay.Book }

// Add takes the next event.
func (r *Replay) Add(e *signin.Event) { r.replay.Add(e) }

// Done sums up.
func (r *Replay) Done() *Result {
	accounts, sources := r.replay.Done()
	out := &Result{System: r.system, From: time.UnixMicro(r.replay.First).UTC(), To: time.UnixMicro(r.replay.Last).UTC(), Events: r.replay.Events,
		OutOfOrder: r.replay.OutOfOrder, Sources: sources, Columns: []Column{{Title: "in force"}}}
	for i := range r.tries {
		out.Columns = append(out.Columns, Column{Title: r.tries[i].Text()})
	}
	for _, a := range accounts {
		who := r.find(a.Name)
		out.Accounts = append(out.Accounts, Account{a, *who})
		out.Failed += a.Failures
		out.LetIn += a.LetIn
		out.ByKey += a.ByKey
		if !who.Known {
			continue // what is no account is not locked
		}
		for i := range a.Under {
			u, c := &a.Under[i], &out.Columns[i]
			if !u.Known {
				if a.Failures > 0 {
					c.NotKnown++
				}
				continue
			}
			if u.Locks > 0 {
				c.Accounts++
				if who.Privileged == facts.Yes {
					c.Privileged++
				}
				if who.Kind == facts.Service {
					c.Programs++
				}
				if a.LetIn > 0 {
					c.People++
				}
			}
			c.Locks += u.Locks
			c.Hours += float64(u.Locked) / 3600
			c.RefusedRight += u.RefusedRight
			c.RefusedWrong += u.RefusedWrong
			c.Through += u.Through
		}
	}
	return out
}

// triedFirst are names that guessers begin with, whatever the house.
var triedFirst = []string{"root", "admin", "administrator", "test", "guest", "user", "oracle", "postgres", "mysql", "ubuntu", "debian", "ftp", "git",
	"backup", "support", "operator", "nobody", "sa", "pi", "www-data"}

// Shown is the name as it may be told. One that is no account and never was let
// in may be a password that somebody typed in the place of the name.
func (a *Account) Shown() string {
	if a.Who.Known || a.LetIn+a.ByKey > 0 || slices.Contains(triedFirst, a.Name) {
		return a.Name
	}
	return fmt.Sprintf("(a name of %d characters)", utf8.RuneCountInString(a.Name))
}

// Words say what the export has on a name.
func (w *Who) Words() string {
	if !w.Known {
		return "no such account"
	}
	var parts []string
	if w.Privileged == facts.Yes {
		parts = append(parts, "privileged")
	}
	if w.Kind != "" && w.Kind != facts.Person {
		parts = append(parts, w.Kind)
	}
	if w.Enabled == facts.No {
		parts = append(parts, "switched off")
	}
	if w.SecondFactor == facts.No {
		parts = append(parts, "no second factor")
	}
	return strings.Join(parts, ", ")
}

// Cell says what a lockout would have done to an account.
func (a *Account) Cell(i int) string {
	switch u := &a.Under[i]; {
	case !a.Who.Known:
		return ""
	case !u.Known:
		return "?"
	case u.Locks == 0:
		return "—"
	case u.Locks == 1:
		return "1 lock"
	default:
		return fmt.Sprintf("%d locks", u.Locks)
	}
}

// Grid are the lockouts that are tried to find those on the border: thresholds
// and windows that people use, each as long as the lockout in force lasts.
func Grid() []Try {
	var list []Try
	for _, attempts := range []int64{3, 4, 5, 6, 8, 10, 15, 20} {
		for _, minutes := range []int64{5, 15, 30, 60} {
			list = append(list, Try{}.With(setting.LockoutAttempts, setting.Count(attempts)).With(setting.LockoutWindow, setting.Seconds(minutes*60)))
		}
	}
	return list
}

// Border are the columns that no other one beats both in how many people are
// locked and in how many wrong passwords go through, the fewest people first; of
// equals the first. What is not known of somebody is on no border.
func (r *Result) Border() []int {
	var list []int
	for i := range r.Columns {
		c := &r.Columns[i]
		beaten := c.NotKnown > 0
		for j := range r.Columns {
			o := &r.Columns[j]
			if i != j && o.NotKnown == 0 && o.People <= c.People && o.Through <= c.Through && (o.People < c.People || o.Through < c.Through || j < i) {
				beaten = true
			}
		}
		if !beaten {
			list = append(list, i)
		}
	}
	slices.SortStableFunc(list, func(a, b int) int { return r.Columns[a].People - r.Columns[b].People })
	return list
}
