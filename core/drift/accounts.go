package drift

import (
	"slices"

	"yewcone/core/record"
	"yewcone/core/setting"
)

// Accounts are what became of the accounts of one system.
type Accounts struct {
	System                      string
	Known                       bool // both records list them
	Made, Gone                  []string
	Disabled, Enabled           []string
	Privileged, NotPrivileged   []string
	MarksSet, MarksTaken        []string // with the mark
	FactorGained, FactorLost    []string
	PolicyChanged               []string
	PasswordsChanged, Passwords int // of the accounts that were there then and are enabled now
	// NotYet are those whose password is older than something that is asked of new
	// passwords and became stricter: it does not hold for these yet.
	NotYet []string
}

func (d *Drift) accounts() error {
	for i := range d.After.Systems {
		now := &d.After.Systems[i]
		old := d.Before.System(now.Name)
		if old == nil {
			continue
		}
		a := Accounts{System: now.Name, Known: old.Listed && now.Listed}
		if a.Known {
			before, err := old.AllPeople()
			if err != nil {
				return err
			}
			after, err := now.AllPeople()
			if err != nil {
				return err
			}
			a.hold(old, now, before, after, d.stricter(now.Name))
		}
		if !a.Known || !a.nothing() {
			d.Accounts = append(d.Accounts, a)
		}
	}
	return nil
}

func (a *Accounts) nothing() bool {
	return len(a.Made)+len(a.Gone)+len(a.Disabled)+len(a.Enabled)+len(a.Privileged)+len(a.NotPrivileged)+len(a.MarksSet)+len(a.MarksTaken)+
		len(a.FactorGained)+len(a.FactorLost)+len(a.PolicyChanged)+len(a.NotYet)+a.PasswordsChanged == 0
}

// stricter are the policies of a system that ask more of new passwords than they
// did.
func (d *Drift) stricter(system string) map[string]bool {
	policies := map[string]bool{}
	for i := range d.Values {
		v := &d.Values[i]
		id, ok := setting.Find(v.Setting)
		if !ok || v.System != system || !v.Stricter {
			continue
		}
		if group := setting.At(id).Group; group == "complexity" || group == "history" {
			policies[v.Policy] = true
		}
	}
	return policies
}

func (a *Accounts) hold(old, now *record.System, before, after []record.Account, stricter map[string]bool) {
	was := make(map[string]*record.Account, len(before))
	for i := range before {
		was[before[i].Login] = &before[i]
	}
	there := make(map[string]bool, len(after))
	for i := range after {
		x := &after[i]
		there[x.Login] = true
		b := was[x.Login]
		if b == nil {
			if !old.Partial {
				a.Made = append(a.Made, x.Login)
			}
			continue
		}
		turned := func(from, to record.Answer, yes, no *[]string, mark string) {
			switch {
			case from == record.No && to == record.Yes:
				*yes = append(*yes, x.Login+mark)
			case from == record.Yes && to == record.No:
				*no = append(*no, x.Login+mark)
			}
		}
		turned(b.Enabled, x.Enabled, &a.Enabled, &a.Disabled, "")
		turned(b.Privileged, x.Privileged, &a.Privileged, &a.NotPrivileged, "")
		turned(b.SecondFactor, x.SecondFactor, &a.FactorGained, &a.FactorLost, "")
		turned(b.NeverExpires, x.NeverExpires, &a.MarksSet, &a.MarksTaken, " (never expires)")
		turned(b.CannotChange, x.CannotChange, &a.MarksSet, &a.MarksTaken, " (may not change the password)")
		turned(b.BlankAllowed, x.BlankAllowed, &a.MarksSet, &a.MarksTaken, " (empty password permitted)")
		if b.Policy != x.Policy {
			a.PolicyChanged = append(a.PolicyChanged, x.Login)
		}
		if x.Enabled != record.No && x.PasswordSet != "" && b.PasswordSet != "" {
			a.Passwords++
			if x.PasswordSet != b.PasswordSet {
				a.PasswordsChanged++
			} else if stricter[x.Under] {
				a.NotYet = append(a.NotYet, x.Login)
			}
		}
	}
	for login := range was {
		if !there[login] && !now.Partial {
			a.Gone = append(a.Gone, login)
		}
	}
	slices.Sort(a.Gone)
}

// A List is some accounts of a system that something became of.
type List struct {
	What  string
	Names []string
}

// Lists are what became of accounts, the grave first, in words that stand behind
// a number; those of nobody are left out.
func (a *Accounts) Lists() []List {
	return slices.DeleteFunc([]List{{"now privileged", a.Privileged}, {"second factor gone", a.FactorLost}, {"marks set", a.MarksSet}, {"made", a.Made},
		{"enabled", a.Enabled}, {"gone", a.Gone}, {"switched off", a.Disabled}, {"no longer privileged", a.NotPrivileged}, {"marks taken off", a.MarksTaken},
		{"second factor enrolled", a.FactorGained}, {"under another policy", a.PolicyChanged},
		{"with a password older than what became stricter", a.NotYet}}, func(l List) bool { return len(l.Names) == 0 })
}
