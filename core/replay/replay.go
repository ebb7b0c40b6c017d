// Package replay joins a record of sign-ins with the accounts of a system, and
// holds lockouts against it: those in force for each account, and proposed ones.
package replay

import (
	"fmt"
	"iter"
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
var taken = [...]setting.ID{attempts: setting.LockoutAttempts, window: setting.LockoutWindow, duration: setting.LockoutDuration,
	longest: setting.LockoutLongest, sourceAttempts: setting.SourceAttempts, sourceWindow: setting.SourceWindow,
	sourceDuration: setting.SourceDuration, delay: setting.FailureDelay}

// The places of settings among those taken.
const (
	attempts = iota
	window
	duration
	longest
	sourceAttempts
	sourceWindow
	sourceDuration
	delay
	takenLen
)

// values are those of the settings that a lockout is made of.
type values [takenLen]setting.Value

// Takes reports whether a setting can be proposed.
func Takes(id setting.ID) bool { return slices.Contains(taken[:], id) }

// Names are the settings that can be proposed.
func Names() []string {
	var names []string
	for _, id := range taken {
		names = append(names, setting.At(id).Name)
	}
	return names
}

// A Try is a proposed lockout; what it does not say stays as it is in force.
type Try struct{ values values }

// With is the try with one more value.
func (t Try) With(id setting.ID, v setting.Value) Try {
	t.values[slices.Index(taken[:], id)] = v
	return t
}

// Value is what is proposed of a setting, in words; "" for nothing.
func (t *Try) Value(id setting.ID) string {
	v := t.values[slices.Index(taken[:], id)]
	if !v.Known() {
		return ""
	}
	return setting.At(id).Text(v)
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

	force  values
	unsure bool // whether the lockout holds for administrators is not known
	spared bool // the lockout does not hold for it, since it is an administrator
}

// An Account is a name of the record.
type Account struct {
	*signin.Account
	Who Who
}

// A Column sums up one lockout over all accounts.
type Column struct {
	Title         string
	Try           Try // nothing for the lockout in force
	Accounts      int // that it would have locked
	Privileged    int
	Programs      int
	People        int // of those locked, who gave the right password in the record too
	NotKnown      int // accounts of which the settings are not known
	Locks         int
	Hours         float64
	HoursPrograms float64 // of these, of programs
	RefusedRight  int
	Through       int // wrong passwords that were tried against one
	Slowed        int // of these, those that came within the pause after another
	RefusedWrong  int
	Shut          int // addresses that it would have shut out
	ShutRight     int // right passwords that were refused since the address was shut out
	ShutWrong     int
	Beyond        bool // the system cannot do it
	// Against are rules that it falls short of, and linked systems that have
	// something else, with what they have.
	Against      []string
	NoLimitKnown bool // what holds of addresses is not known for all
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
	Unsure     int      // administrators who failed, of whom it is not known whether the lockout holds for them; it is taken to
	Hours      []signin.Hour

	replay            *Replay
	accounts, sources []uint32
	failing           [2]int // accounts and addresses
}

// Accounts are the names of the record, those with most failures first.
func (r *Result) Accounts() iter.Seq[*Account] {
	return func(yield func(*Account) bool) {
		for n := range r.replay.replay.AccountsByName(r.accounts) {
			a := r.replay.replay.Account(n)
			if !yield(&Account{&a, *r.replay.who(n)}) {
				return
			}
		}
	}
}

// Sources are the addresses of the record, those with most failures first.
func (r *Result) Sources() iter.Seq[*signin.Source] {
	return func(yield func(*signin.Source) bool) {
		for n := range r.replay.replay.SourcesByName(r.sources) {
			s := r.replay.replay.Source(n)
			if !yield(&s) {
				return
			}
		}
	}
}

// Err is what failed of what was put aside, once all that is wanted was asked for.
func (r *Result) Err() error { return r.replay.replay.Err() }

// Close gives back what the replay put things aside in.
func (r *Result) Close() error { return r.replay.replay.Close() }

// Failing is how many names and how many addresses failed; the address of those
// that have none is not counted.
func (r *Result) Failing() (accounts, sources int) { return r.failing[0], r.failing[1] }

// A Replay takes the events of one system.
type Replay struct {
	system string
	kinds  []*Who // those that differ; the first is nobody
	common values // of an account, for what is done about addresses that try names that are none
	bounds *bounds
	tries  []Try
	replay *signin.Replay
}

// known are the accounts of an export, each with the number of its kind.
type known struct {
	names  signin.Names
	who    []uint32     // by the number of the name
	dns    signin.Names // distinguished names
	dnWho  []uint32
	folded signin.Names // names, as the record folds them
	alike  []uint32     // by the number of the folded name; nil until something folds
}

// who is what the export says of the name of a number.
func (r *Replay) who(account uint32) *Who { return r.kinds[r.replay.List(account)] }

// New reads the accounts of a system and makes a replay of the lockout in force
// and of proposed ones, which are held against what linked systems have.
func New(s *audit.Subject, o audit.Options, tries []Try, links []Linked) (*Replay, error) {
	judge, err := audit.NewJudge(s, o)
	if err != nil {
		return nil, err
	}
	k := &known{}
	r := &Replay{system: s.Export.System().Name, kinds: []*Who{{}}, tries: tries}
	numbers := map[Who]uint32{*r.kinds[0]: 0}
	if r.bounds, err = boundsOf(s.Export.System(), judge, links); err != nil {
		return nil, err
	}
	err = s.Export.Accounts(func(a *facts.Account) error {
		settings, _ := judge.Resolve(a)
		w := Who{
			Known:        true,
			Privileged:   a.Privileged,
			Enabled:      a.Enabled,
			SecondFactor: a.SecondFactor,
			Kind:         strings.Clone(a.Kind),
			force:        inForce(settings),
		}
		if covers := settings.Get(setting.LockoutCoversAdmins).Value; a.Privileged == facts.Yes {
			w.spared, w.unsure = covers == setting.No, !covers.Known()
		}
		if o.Progress != nil {
			o.Progress.Add(1)
		}
		if len(k.who) == 0 {
			r.common = w.force
		}
		number, there := numbers[w]
		if !there {
			number = uint32(len(r.kinds))
			numbers[w] = number
			r.kinds = append(r.kinds, &w)
		}
		if n := k.names.Number([]byte(a.Login)); int(n) == len(k.who) {
			k.who = append(k.who, number)
		}
		if a.DN != "" {
			if n := k.dns.Number([]byte(strings.ToLower(a.DN))); int(n) == len(k.dnWho) {
				k.dnWho = append(k.dnWho, number)
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	var lists [][]signin.Lockout
	for _, w := range r.kinds {
		lists = append(lists, r.lockouts(w))
	}
	r.replay = signin.New(lists, func(account []byte) int { return int(k.find(account, r.replay.Folding)) })
	r.replay.Jobs, r.replay.Progress = o.Jobs, o.SignIns
	return r, nil
}

// find is the number of the kind of who has a name of the record, as the record
// folds it; 0 for nobody.
func (k *known) find(account []byte, folding signin.Folding) uint32 {
	if folding.DN {
		if n, ok := k.dns.Find(account); ok {
			return k.dnWho[n]
		}
		return 0
	}
	if n, ok := k.names.Find(account); ok {
		return k.who[n]
	}
	if folding == (signin.Folding{}) {
		return 0
	}
	if k.alike == nil {
		for i, w := range k.who {
			name := folding.Fold(k.names.Bytes(uint32(i)))
			if n := k.folded.Number(name); int(n) == len(k.alike) {
				k.alike = append(k.alike, w)
			} else {
				k.alike[n] = 0 // two that the system would not tell apart
			}
		}
	}
	if n, ok := k.folded.Find(account); ok {
		return k.alike[n]
	}
	return 0
}

// lockouts are those to hold against somebody's sign-ins.
func (r *Replay) lockouts(w *Who) []signin.Lockout {
	if !w.Known {
		w = &Who{force: r.common, spared: true} // nobody to lock
	}
	list := []signin.Lockout{lockout(&w.force, w.spared)}
	for i := range r.tries {
		tried := w.force
		for j, v := range r.tries[i].values {
			if v.Known() {
				tried[j] = v
			}
		}
		list = append(list, lockout(&tried, w.spared))
	}
	return list
}

func inForce(s *effective.Settings) (list values) {
	for i, id := range taken {
		list[i] = s.Get(id).Value
	}
	return list
}

// lockout makes a lockout of its settings. A window and a duration that are not
// known matter only where something locks. Growing, pauses and limits of addresses
// that are not known are left out, which is told.
func lockout(v *values, spared bool) signin.Lockout {
	l := signin.Lockout{Known: true, Window: -1, Delay: seconds(v[delay], 0)}
	if n, counts := v[sourceAttempts].Count(); counts && v[sourceWindow].Known() && v[sourceDuration].Known() {
		l.Source = signin.Limit{Attempts: n, Window: seconds(v[sourceWindow], -1), Duration: seconds(v[sourceDuration], 0)}
	}
	n, counts := v[attempts].Count()
	switch {
	case spared:
		return l
	case !v[attempts].Known():
		return signin.Lockout{}
	case !counts || v[attempts].State() == setting.Off:
		return l
	case !v[window].Known() || !v[duration].Known():
		return signin.Lockout{}
	}
	l.Attempts, l.Window, l.Duration, l.Longest = n, seconds(v[window], -1), seconds(v[duration], 0), seconds(v[longest], 0)
	return l
}

// seconds is a length of time; off is what it is where it is off, and -1 until
// somebody unlocks.
func seconds(v setting.Value, off int64) int64 {
	if span, timed := v.Span(); timed {
		return span.Length()
	}
	if v.State() == setting.UntilUnlocked {
		return -1
	}
	return off
}

// Run takes the events of a record.
func (r *Replay) Run(record *signin.Record) error {
	return r.replay.RunApart(record.Scratch, record.Read)
}

// Done sums up.
func (r *Replay) Done() *Result {
	accounts, sources := r.replay.Done()
	out := &Result{System: r.system, From: time.UnixMicro(r.replay.First).UTC(), To: time.UnixMicro(r.replay.Last).UTC(), Events: r.replay.Events,
		OutOfOrder: r.replay.OutOfOrder, replay: r, accounts: accounts, sources: sources, Hours: r.replay.Hours(), Columns: []Column{{Title: "in force"}}}
	for i := range r.tries {
		out.Columns = append(
			out.Columns,
			Column{Title: r.tries[i].Text(), Try: r.tries[i], Beyond: !r.bounds.can(&r.tries[i]), Against: r.bounds.against(&r.tries[i])},
		)
	}
	locked, lockedPrograms := make([]int64, len(out.Columns)), make([]int64, len(out.Columns)) // seconds
	r.replay.Sums(func(n uint32, a *signin.Sum) {
		who := r.who(n)
		if a.Failures > 0 {
			out.failing[0]++
		}
		out.Failed += a.Failures
		out.LetIn += a.LetIn
		out.ByKey += a.ByKey
		if !who.Known {
			return // what is no account is not locked
		}
		if who.unsure && a.Failures > 0 {
			out.Unsure++
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
			locked[i] += u.Locked
			if who.Kind == facts.Service {
				lockedPrograms[i] += u.Locked
			}
			c.RefusedRight += u.RefusedRight
			c.RefusedWrong += u.RefusedWrong
			c.Through += u.Through
			c.Slowed += u.Slowed
			c.ShutRight += u.ShutRight
			c.ShutWrong += u.ShutWrong
			c.NoLimitKnown = c.NoLimitKnown || a.Failures > 0 && !r.limitKnown(who, i)
		}
	})
	for i := range out.Columns {
		out.Columns[i].Hours, out.Columns[i].HoursPrograms = float64(locked[i])/3600, float64(lockedPrograms[i])/3600
	}
	r.replay.SourceSums(func(n uint32, failed int, shut []int) {
		if failed > 0 && r.replay.Sources.Name(n) != "" {
			out.failing[1]++
		}
		for i, n := range shut {
			if n > 0 {
				out.Columns[i].Shut++
			}
		}
	})
	return out
}

// limitKnown reports whether it is known what a lockout does about addresses.
func (r *Replay) limitKnown(w *Who, i int) bool {
	known := w.force[sourceAttempts]
	if i > 0 && r.tries[i-1].values[sourceAttempts].Known() {
		known = r.tries[i-1].values[sourceAttempts]
	}
	return known.Known()
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
	return fmt.Sprintf("(%d characters)", utf8.RuneCountInString(a.Name))
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
	if w.SecondFactor == facts.No && w.Privileged == facts.Yes {
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
// equals the first. What is not known of somebody, and what the system cannot do,
// is on no border.
func (r *Result) Border() []int {
	var list []int
	for i := range r.Columns {
		c := &r.Columns[i]
		beaten := c.NotKnown > 0 || c.Beyond
		for j := range r.Columns {
			o := &r.Columns[j]
			if i != j && o.NotKnown == 0 && !o.Beyond && o.People <= c.People && o.Through <= c.Through &&
				(o.People < c.People || o.Through < c.Through || j < i) {
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
