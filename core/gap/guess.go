package gap

import (
	"cmp"
	"fmt"
	"math"
	"strings"

	"yewcone/core/setting"
)

const day = 86400

// Guesses is how often a password can be guessed online.
type Guesses struct {
	Known     bool    // the settings that it follows from are known
	PerDay    float64 // on one account, from anywhere; infinite where nothing bounds it
	Once      int64   // what there is before a lock that only an administrator ends; 0 where locks end by themselves
	Life      int64   // of a password, in seconds; a year where it never expires
	Endless   bool    // it never expires
	LifeKnown bool    // the life is known

	SourceKnown  bool
	SourcePerDay float64 // from one address; infinite where addresses are not blocked

	how string
}

// OverLife is the guesses over a password's life; infinite where they are, or
// not known.
func (g *Guesses) OverLife() float64 {
	return max(g.PerDay*float64(g.Life)/day, float64(g.Once))
}

// more orders budgets: what is not known is more than anything that is.
func (g *Guesses) more(o *Guesses) bool {
	rank := func(g *Guesses) float64 {
		if !g.Known || !g.LifeKnown {
			return math.Inf(1)
		}
		return g.OverLife()
	}
	a, b := rank(g), rank(o)
	if a != b {
		return a > b
	}
	if g.Known != o.Known {
		return g.Known // of two without bound the one that is sure
	}
	if g.Endless != o.Endless {
		return g.Endless
	}
	// Then any order will do, as long as it is one.
	return cmp.Or(cmp.Compare(g.PerDay, o.PerDay), cmp.Compare(g.Life, o.Life), cmp.Compare(g.SourcePerDay, o.SourcePerDay),
		strings.Compare(g.how, o.how)) > 0
}

// PerDay is how many guesses a counter allows in a day: one below the
// threshold in each window for an attacker who avoids the lock, or a whole
// threshold in each lock for one who does not care, whichever is more; without
// a counter, one after each delay. ok is false where no bound follows from
// what is known. how is the arithmetic in words.
func PerDay(attempts, window, duration, delay setting.Value) (perDay float64, how string, ok bool) {
	pause, hasPause := delay.Span()
	endless := func() (float64, string, bool) {
		switch {
		case hasPause && pause.Length() > 0:
			return day / float64(pause.Length()), fmt.Sprintf("never locked: one guess every %s, 86400 / %d a day", pause,
				pause.Length()), true
		case !delay.Known():
			return math.Inf(1), "never locked; whether guesses are delayed is not known", true
		}
		return math.Inf(1), "never locked and never delayed", true
	}
	n, counted := attempts.Count()
	switch {
	case attempts.State() == setting.Off:
		return endless()
	case !counted:
		return 0, "how many failures lock is not known", false
	}
	avoiding, breaking := 0.0, 0.0
	avoid, breaks := "failures never forgotten: none without a lock", "locked until an administrator acts: none after the first lock"
	if w, ok := window.Span(); ok {
		avoiding = float64(max(n-1, 0)) * day / float64(max(w.Length(), 1))
		avoid = fmt.Sprintf("%d below the threshold in each %s: %d x 86400 / %d", max(n-1, 0), w, max(n-1, 0), max(w.Length(), 1))
	} else if window.State() != setting.Off {
		return 0, "how long failures count is not known", false
	}
	if d, ok := duration.Span(); ok {
		breaking = float64(n) * day / float64(max(d.Length(), 1))
		breaks = fmt.Sprintf("%d in each lock of %s: %d x 86400 / %d", n, d, n, max(d.Length(), 1))
	} else if duration.State() == setting.Off {
		perDay, how, _ = endless()
		return perDay, "a lock ends at once; " + how, true
	} else if duration.State() != setting.UntilUnlocked {
		return 0, "how long a lock lasts is not known", false
	}
	if breaking > avoiding {
		return breaking, breaks + "; avoiding the lock, " + avoid, true
	}
	return avoiding, avoid + "; not caring for the lock, " + breaks, true
}

// GuessesOf works out the budget that settings leave.
func GuessesOf(get func(setting.ID) setting.Value) Guesses {
	var g Guesses
	g.PerDay, g.how, g.Known = PerDay(get(setting.LockoutAttempts), get(setting.LockoutWindow),
		get(setting.LockoutDuration), get(setting.FailureDelay))
	if longest := get(setting.LockoutLongest); longest.Known() && longest.State() != setting.Off && g.PerDay > 0 {
		g.how += "; fewer as locks become longer, up to " + setting.At(setting.LockoutLongest).Text(longest)
	}
	g.SourcePerDay, _, g.SourceKnown = PerDay(get(setting.SourceAttempts), get(setting.SourceWindow),
		get(setting.SourceDuration), get(setting.FailureDelay))
	if n, ok := get(setting.LockoutAttempts).Count(); ok && get(setting.LockoutDuration).State() == setting.UntilUnlocked {
		g.Once = n
	}
	age := get(setting.MaxAge)
	life, ok := age.Span()
	g.Life, g.LifeKnown = life.Length(), ok
	if age.State() == setting.Off {
		g.Life, g.LifeKnown, g.Endless = 365*day, true, true
	}
	return g
}

// Arithmetic tells how the budget came about.
func (g *Guesses) Arithmetic() string {
	text := g.how
	switch {
	case g.Endless:
		text += "; the password never expires, so that a year is counted"
	case !g.LifeKnown:
		text += "; how long a password lasts is not known"
	default:
		text += fmt.Sprintf("; a password lasts %d days", g.Life/day)
	}
	return text
}

// Guesses returns the largest budget that an account of an audience has; nil
// for an audience of nobody.
func (p *Profile) Guesses(a Audience) *Guesses { return p.audiences[p.standIn(a)].worst }
