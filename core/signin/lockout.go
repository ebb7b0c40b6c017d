package signin

// A Lockout is what counts failures and locks. Lengths are in seconds.
type Lockout struct {
	Known    bool
	Attempts int64 // the failure that locks; 0 for never
	Window   int64 // failures as far apart as this count together; -1 for however far
	Duration int64 // -1 until somebody unlocks
	Longest  int64 // up to where each lock is twice as long as the one before it, until a good sign-in; -1 without an end, 0 for no growing
	Delay    int64 // the pause that a failure demands
	Source   Limit // of addresses, whichever names they try
}

// A Limit shuts out an address. Lengths are as in a Lockout; no good sign-in sets
// it back.
type Limit struct{ Attempts, Window, Duration int64 }

// Under is what a lockout would have done to one account.
type Under struct {
	Known        bool
	Locks        int
	First        int64 // the failure that locked first, in microseconds; of none 0
	Locked       int64 // seconds, up to the end of the record
	Through      int   // failures that were tried against the password
	RefusedWrong int   // while it was locked
	RefusedRight int
	Slowed       int // failures of those tried that came within the pause after another
	ShutWrong    int // refused since the address was shut out
	ShutRight    int

	lock   hold
	inARow int   // locks since the last good sign-in
	failed int64 // the last failure; 0 for none
}

// A hold counts failures, and says until when nothing is taken.
type hold struct {
	counted []int64 // failures that still count
	until   int64   // 0 for not
	forever bool    // until somebody unlocks
}

// holds reports whether nothing is taken at a moment.
func (h *hold) holds(at int64) bool {
	if h.until > 0 && (h.forever || at < h.until) {
		return true
	}
	h.until = 0
	return false
}

// fail counts a failure, and reports whether it is the one that is too many.
func (h *hold) fail(at, attempts, window int64) bool {
	if window >= 0 {
		old := 0
		for old < len(h.counted) && at-h.counted[old] > window*1e6 {
			old++
		}
		h.counted = append(h.counted[:0], h.counted[old:]...)
	}
	if h.counted = append(h.counted, at); int64(len(h.counted)) < attempts {
		return false
	}
	h.counted = h.counted[:0]
	return true
}

// shut begins to hold, for so many seconds; -1 until somebody unlocks.
func (h *hold) shut(at, seconds int64) {
	if seconds == 0 {
		return
	}
	h.until, h.forever = at+seconds*1e6, seconds < 0
	if h.forever {
		h.until = at + 1
	}
}

// take counts one sign-in.
func (u *Under) take(l *Lockout, at int64, outcome Outcome) {
	if u.lock.holds(at) {
		if outcome == Failed {
			u.RefusedWrong++
		} else {
			u.RefusedRight++
		}
		return
	}
	if outcome == LetIn {
		u.lock.counted, u.inARow, u.failed = u.lock.counted[:0], 0, 0
		return
	}
	u.Through++
	if l.Delay > 0 && u.failed > 0 && at-u.failed < l.Delay*1e6 {
		u.Slowed++
	}
	u.failed = at
	if l.Attempts <= 0 || !u.lock.fail(at, l.Attempts, l.Window) {
		return
	}
	if u.Locks++; u.First == 0 {
		u.First = at
	}
	lasts := l.lasts(u.inARow)
	u.inARow++
	u.lock.shut(at, lasts)
	u.Locked += max(0, lasts)
}

// lasts is how long a lock lasts after so many others without a good sign-in
// between them, in seconds.
func (l *Lockout) lasts(before int) int64 {
	seconds := l.Duration
	if l.Longest == 0 || seconds < 0 {
		return seconds
	}
	for range before {
		if l.Longest > 0 && seconds >= l.Longest || seconds > yearOfSeconds {
			break
		}
		seconds *= 2
	}
	if l.Longest > 0 {
		seconds = min(seconds, max(l.Duration, l.Longest))
	}
	return seconds
}

const yearOfSeconds = 366 * 86400
