// Package due lists what ends soon: passwords, accounts, exceptions and locks,
// and passwords that are past their end.
package due

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"yewcone/core/audit"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/setting"
)

// What ends.
const (
	Password  = "password"
	Account   = "account"
	Exception = "exception"
	Lock      = "lock"
	Rule      = "rule" // not an end: a rule asks for more from then on
)

// An Item is one thing that ends.
type Item struct {
	UID        string // the same in each run, for the same thing of the same account
	What       string
	System     string
	Title      string // of the system
	Owner      string // of the system, or of the exception
	Login      string // "" for exceptions
	Name       string
	Email      string
	Kind       string
	Privileged facts.Tri
	At         facts.Moment
	WarnedFrom facts.Moment // of passwords; unknown where nothing says it
	ShutAt     facts.Moment // of passwords: when the account is shut after the end
	Overdue    bool         // it is past; else it lies ahead
	Text       string       // of exceptions: what is accepted, and why; of rules: what is asked, and of how many it is not so
	Origin     facts.Origin
}

// A List is what ends within a time.
type List struct {
	Estate  string
	Within  setting.Span
	AsOf    time.Time // the latest moment that a system speaks for
	Items   []Item    // by moment
	Undated int       // accounts of which the end of the password is not known
	NoAsOf  []string  // systems of which no moment is known, so that nothing can be said
	Partial []string  // systems whose export was not read to its end
}

// Of goes through the accounts that are not switched off.
func Of(estate string, subjects []audit.Subject, o audit.Options, within setting.Span) (*List, error) {
	l := &List{Estate: estate, Within: within}
	for i := range subjects {
		s := &subjects[i]
		system := s.Export.System()
		if system.AsOf.IsZero() {
			l.NoAsOf = append(l.NoAsOf, system.Name)
			continue
		}
		if system.AsOf.After(l.AsOf) {
			l.AsOf = system.AsOf
		}
		w := walker{list: l, subject: s, system: system, from: system.AsOf.Unix(), to: facts.At(system.AsOf).Plus(within)}
		judge, err := audit.NewJudge(s, o)
		if err != nil {
			return nil, err
		}
		steps := judge.Steps()
		short := make([]int, len(steps))
		if err := s.Export.Accounts(func(a *facts.Account) error {
			settings, about := judge.Resolve(a)
			w.account(a, &about.Derived)
			for i := range steps {
				if judge.Breaks(&steps[i], a, settings) {
					short[i]++
				}
			}
			return nil
		}); err != nil {
			return nil, err
		}
		w.exceptions()
		for i := range steps {
			w.step(&steps[i], short[i])
		}
		if s.Export.Notes().Partial() {
			l.Partial = append(l.Partial, system.Name)
		}
	}
	slices.SortStableFunc(l.Items, func(a, b Item) int {
		x, _ := a.At.Unix()
		y, _ := b.At.Unix()
		return cmp.Or(cmp.Compare(x, y), strings.Compare(a.System, b.System), strings.Compare(a.Login, b.Login), strings.Compare(a.What, b.What))
	})
	return l, nil
}

type walker struct {
	list    *List
	subject *audit.Subject
	system  *facts.System
	from    int64
	to      facts.Moment
}

// ahead reports whether a moment lies within the time asked for; a whole day
// that has begun is ahead until it is over.
func (w *walker) ahead(m facts.Moment) bool {
	to, _ := w.to.Unix()
	at, dated := m.Unix()
	return dated && m.Past(w.from) == facts.No && at <= to
}

func (w *walker) account(a *facts.Account, d *facts.Derived) {
	if a.Enabled == facts.No {
		return
	}
	if w.ahead(a.Ends) {
		w.add(a, Account, a.Ends, false)
	}
	if a.Locked == facts.Yes && w.ahead(a.LockedUntil) {
		w.add(a, Lock, a.LockedUntil, false)
	}
	switch {
	case a.WithoutPassword():
	case d.Overdue == facts.Yes:
		w.password(a, d, true)
	case w.ahead(d.Expires):
		w.password(a, d, false)
	case d.Overdue == facts.Unknown:
		w.list.Undated++
	}
}

func (w *walker) password(a *facts.Account, d *facts.Derived, overdue bool) {
	i := w.add(a, Password, d.Expires, overdue)
	i.WarnedFrom, i.ShutAt = d.WarnedFrom, d.ShutAt
}

func (w *walker) add(a *facts.Account, what string, at facts.Moment, overdue bool) *Item {
	w.list.Items = append(w.list.Items, Item{UID: finding.Fingerprint("due", w.system.Name, strings.Clone(a.Login), what), What: what,
		System: w.system.Name, Title: w.system.Title, Owner: w.subject.Owner, Login: facts.Shortened(a.Login), Name: facts.Shortened(a.DisplayName),
		Email: strings.Clone(a.Email), Kind: a.Kind, Privileged: a.Privileged, At: at, Overdue: overdue, Origin: a.Origin})
	return &w.list.Items[len(w.list.Items)-1]
}

func (w *walker) exceptions() {
	for _, x := range w.subject.Exceptions {
		at := facts.OnDay(x.Until)
		if !w.ahead(at) {
			continue
		}
		w.list.Items = append(w.list.Items, Item{UID: finding.Fingerprint("due", w.system.Name, x.Rule, x.Setting, x.Policy, x.Value, Exception),
			What: Exception, System: w.system.Name, Title: w.system.Title, Owner: x.Owner, At: at, Text: x.Rule + ": " + x.Because,
			Origin: facts.Origin{File: x.Place.File(), Line: x.Place.Line}})
	}
}

// step adds a step of a rule that some accounts will fall short of.
func (w *walker) step(x *audit.StepAhead, short int) {
	at := facts.OnDay(x.From)
	if !w.ahead(at) || short == 0 {
		return
	}
	name := setting.At(x.Setting).Name
	text := x.Rule.String() + " asks for " + name + " " + x.Asks.String()
	if x.Until != "" {
		text += ", until then " + x.Until
	}
	text += fmt.Sprintf("; %d accounts fall short of it", short)
	if short == 1 {
		text = strings.TrimSuffix(text, "1 accounts fall short of it") + "one account falls short of it"
	}
	w.list.Items = append(w.list.Items, Item{UID: finding.Fingerprint("due", w.system.Name, x.Rule.String(), name, at.String(), Rule),
		What: Rule, System: w.system.Name, Title: w.system.Title, Owner: w.subject.Owner, At: at, Text: text})
}

// Count counts the items of a kind, those past or those ahead.
func (l *List) Count(what string, overdue bool) int {
	n := 0
	for i := range l.Items {
		if l.Items[i].What == what && l.Items[i].Overdue == overdue {
			n++
		}
	}
	return n
}

// Summary says in one line what ends.
func (i *Item) Summary() string {
	switch i.What {
	case Rule:
		return "From now on " + i.Text + " on " + i.System
	case Exception:
		return "Exception on " + i.System + " ends: " + i.Text
	case Lock:
		return "Lock of " + i.Login + " on " + i.System + " runs out"
	case Account:
		return "Account " + i.Login + " on " + i.System + " ends"
	}
	if i.Overdue {
		return "Password of " + i.Login + " on " + i.System + " is past its end"
	}
	return "Password of " + i.Login + " on " + i.System + " ends"
}
