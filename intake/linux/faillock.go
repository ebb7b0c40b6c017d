package linux

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// lockRule is what faillock needs to judge a tally.
type lockRule struct {
	known      bool
	on         bool
	attempts   int64
	window     int64 // seconds
	unlock     int64 // seconds; 0 until an administrator acts
	denyRoot   bool
	rootUnlock int64  // as unlock, for root
	admins     string // the group whose members count as root
}

// faillockConf is where faillock's settings stand.
const faillockConf = "etc/security/faillock.conf"

// faillockTimes is the longest time that faillock takes, in seconds.
const faillockTimes = 604800

// faillockLine is the longest line that faillock takes, in bytes.
const faillockLine = 1022

// faillockKeys adds the keys of the file as faillock reads it: blanks or one
// equals sign part a key from its value, letter case counts, and what it does
// not understand is passed over.
func (e *export) faillockKeys(into map[string]found) {
	lines, _ := e.lines(faillockConf)
	for _, l := range lines {
		if len(l.text) > faillockLine {
			e.Noted.Remark(e.origin(faillockConf, l),
				"faillock takes no line of more than %d characters and stops reading here", faillockLine)
			return
		}
		text, _, _ := strings.Cut(l.text, "#")
		if text = strings.TrimSpace(text); text == "" {
			continue
		}
		key, value := text, ""
		if at := strings.IndexAny(text, "= \t\v\f\r"); at >= 0 {
			key = text[:at]
			value = strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(text[at:]), "="))
		}
		if !faillockTakes(key, value, into, e.origin(faillockConf, l)) {
			e.Noted.Remark(e.origin(faillockConf, l), "faillock does not understand this line and passes it over")
		}
	}
}

// faillockTakes keeps a key that faillock knows; false for others and for
// values that it refuses.
func faillockTakes(key, value string, into map[string]found, origin facts.Origin) bool {
	switch key {
	case "deny", "fail_interval", "unlock_time", "root_unlock_time":
		n, ok := leading(value)
		switch {
		case (key == "unlock_time" || key == "root_unlock_time") && value == "never":
			n = 0
		case !ok:
			return false
		case key == "deny":
			n &= 0xffff // as wide as its counter
		default:
			if n &= 0xffffffff; n > faillockTimes {
				return false
			}
		}
		into[key] = found{strconv.FormatInt(n, 10), origin}
	case "admin_group", "even_deny_root", "audit", "silent", "no_log_info", "local_users_only", "nodelay", "dir":
		into[key] = found{value, origin}
	default:
		return false
	}
	return true
}

// faillockActs are what only a line of a stack says: when the module acts, and
// where its file is.
var faillockActs = []string{"preauth", "authfail", "authsucc", "conf"}

// strangeActs notes what lines of the module say that it does not understand.
func (e *export) strangeActs(modules []module) {
	for i := range modules {
		m := &modules[i]
		if m.name != "pam_faillock" {
			continue
		}
		for _, a := range m.args {
			if key, value, _ := strings.Cut(a, "="); !faillockTakes(key, value, map[string]found{}, m.origin) && !slices.Contains(faillockActs, key) {
				e.Noted.Remark(m.origin, "pam_faillock does not understand %q and passes it over", key)
			}
		}
	}
}

// leading reads the number that a text begins with.
func leading(text string) (int64, bool) {
	end := 0
	for end < len(text) && (text[end] >= '0' && text[end] <= '9' || end == 0 && (text[0] == '-' || text[0] == '+')) {
		end++
	}
	n, err := strconv.ParseInt(text[:end], 10, 64)
	return n, err == nil
}

// faillock reads when failures lock an account: where a failure comes to the
// line that counts it, and a lock turns a right password away.
func (e *export) faillock(signIn stack) {
	m := find(signIn.modules, "pam_faillock")
	e.strangeActs(signIn.modules)
	off := func(origin facts.Origin, why string) {
		if m := stranger(signIn.modules); m != nil {
			e.Noted.Remark(m.origin, "nothing is known here of %s: whether it locks after failures is unknown", m.name)
			e.policy.Hide(setting.LockoutAttempts, m.origin)
			return
		}
		origin.Text = why
		e.set(setting.LockoutAttempts, setting.OffValue, origin)
		e.lock.known = true
	}
	if m == nil {
		if !signIn.lacks {
			off(signIn.modules[0].origin, "no pam_faillock in the stack")
		}
		return
	}
	times := map[int]bool{} // how often one failure is counted
	counts := e.always(&signIn, visit{password: "wrong"}, func(_ string, ran map[*module]bool) bool {
		n := 0
		for m := range ran {
			if m.name == "pam_faillock" && m.fails() && !m.absent {
				n++
			}
		}
		times[n] = true
		return n > 0
	})
	refuses := e.always(&signIn, visit{password: "right", locked: true}, lets).Not()
	switch {
	case counts == facts.No:
		off(m.origin, "no failure comes to the line of pam_faillock that counts it (authfail)")
		return
	case refuses == facts.No:
		off(m.origin, "pam_faillock counts, and turns no right password away")
		return
	case counts == facts.Unknown || refuses == facts.Unknown || len(times) > 1:
		e.Noted.Remark(m.origin, "whether failures lock depends on modules around this one; the lockout is unknown")
		if m := stranger(signIn.modules); m != nil {
			e.Noted.Remark(m.origin, "nothing is known here of %s", m.name)
		}
		return
	case !e.settled(faillockConf):
		e.notAsked(faillockConf, "pam_faillock", "the lockout is")
		return
	}
	e.lockRule(m, signIn, times)
}

// lockRule reads the numbers, of the file and then of the line that judges.
func (e *export) lockRule(m *module, signIn stack, times map[int]bool) {
	settings := map[string]found{}
	e.faillockKeys(settings)
	for i := range signIn.modules {
		if signIn.modules[i].name != "pam_faillock" {
			continue
		}
		for _, a := range signIn.modules[i].args {
			key, value, _ := strings.Cut(a, "=")
			faillockTakes(key, value, settings, signIn.modules[i].origin)
		}
	}
	read := func(key string, fallback int64) (int64, facts.Origin) {
		f, ok := settings[key]
		if !ok {
			origin := m.origin
			origin.Text = key + " not set; its default counts"
			return fallback, origin
		}
		n, _ := strconv.ParseInt(f.value, 10, 64)
		return n, f.origin
	}
	attempts, where := read("deny", 3)
	for n := range times {
		if n > 1 {
			where.Text += "; each failure is counted " + strconv.Itoa(n) + " times"
			attempts = (attempts + int64(n) - 1) / int64(n)
		}
	}
	e.lock = lockRule{known: true, on: attempts > 0, attempts: attempts, admins: settings["admin_group"].value}
	if attempts <= 0 {
		e.set(setting.LockoutAttempts, setting.OffValue, where)
		return
	}
	e.set(setting.LockoutAttempts, setting.Count(attempts), where)
	e.lock.window, where = read("fail_interval", 900)
	e.set(setting.LockoutWindow, setting.Seconds(max(0, e.lock.window)), where)
	e.lock.unlock, where = read("unlock_time", 600)
	e.set(setting.LockoutDuration, lockFor(e.lock.unlock), where)
	e.lock.rootUnlock, _ = read("root_unlock_time", e.lock.unlock)
	root := settings["even_deny_root"] // root_unlock_time alone does not imply it
	e.lock.denyRoot = root.origin.Known()
	if !e.lock.denyRoot {
		root.origin = m.origin
		root.origin.Text = "even_deny_root not set"
	}
	if e.lock.admins != "" && !e.lock.denyRoot {
		root.origin.Text += "; members of " + e.lock.admins + " are left out too (admin_group)"
		e.set(setting.LockoutCoversAdmins, setting.No, root.origin)
		return
	}
	root.origin.Text += "; administrators other than root are locked like everyone"
	e.set(setting.LockoutCoversAdmins, setting.Yes, root.origin)
}

// lockFor is how long a lock lasts: 0 until an administrator acts.
func lockFor(seconds int64) setting.Value {
	if seconds <= 0 {
		return setting.UntilUnlockedValue
	}
	return setting.Seconds(seconds)
}

// A failure is one failed sign-in as faillock prints it.
type failure struct {
	at    time.Time
	valid bool
}

// readTally reads what faillock prints. What of it cannot be read leaves open whether
// its account is locked, and every account where nobody can tell whose it is.
func (e *export) readTally() {
	user, headed := "", false
	var notes facts.Notes
	ok, _ := e.eachLineOf("faillock.txt", &notes, func(l line) error {
		if e.tally == nil {
			e.tally, e.untold = map[string][]failure{}, map[string]bool{}
		}
		at := facts.Origin{File: e.root + "/faillock.txt", Line: l.number}
		if name, isUser := strings.CutSuffix(l.text, ":"); isUser {
			user, headed = name, false
			return nil
		}
		f := strings.Fields(l.text)
		switch failed, read := failureOf(f); {
		case len(f) == 0:
		case f[0] == "When":
			if headed || user == "" {
				notes.Refuse(at, "a line that names the account is missing before this: whose failures these are is unknown, and so who is locked")
				user, e.tallyCut = "", true
			}
			headed = true
		case user == "" && e.tallyCut: // that was told
		case user == "":
			notes.Refuse(at, "this stands below no account, as faillock prints none: who is locked is unknown")
			e.tallyCut = true
		case !read:
			notes.Refuse(at, "this is no failed sign-in as faillock prints it; whether %q is locked is unknown", user)
			e.untold[user] = true
		default:
			e.tally[user] = append(e.tally[user], failed)
		}
		return nil
	})
	if ok && e.tally == nil && !e.noShadow { // who may read shadow may read failures
		e.tally = map[string][]failure{}
	}
	e.tallyCut = e.tallyCut || notes.Partial()
	e.Noted.Join(&notes)
}

// failureOf reads a line of faillock's print.
func failureOf(f []string) (failure, bool) {
	if len(f) < 3 {
		return failure{}, false
	}
	at, err := time.Parse(time.DateTime, f[0]+" "+f[1])
	last := f[len(f)-1]
	return failure{at, last == "V"}, err == nil && (last == "V" || last == "I")
}

// asRoot reports whether faillock treats the account as it treats root.
func (e *export) asRoot(a *facts.Account, uid int64) bool {
	if uid == 0 {
		return true
	}
	for _, g := range a.Groups {
		if g == e.lock.admins {
			return true
		}
	}
	return false
}

// failures counts what still counts, and whether the account is locked now:
// a V in the list says only that the failures once stood close together.
func (e *export) failures(a *facts.Account, uid int64) {
	if e.tally == nil || !e.lock.known {
		return
	}
	asOf, open := e.Read.AsOf, e.untold[a.Login] || e.tallyCut
	counting, valid := 0, int64(0)
	var last time.Time
	for _, f := range e.tally[a.Login] {
		if !f.valid {
			continue
		}
		valid++
		if f.at.After(last) {
			last = f.at
		}
		if asOf.Sub(f.at) < time.Duration(e.lock.window)*time.Second {
			counting++
		}
	}
	open = open || asOf.IsZero() && valid > 0
	if !open {
		a.Failures = facts.CountOf(counting)
	}
	root := e.asRoot(a, uid)
	if !e.lock.on || root && !e.lock.denyRoot || !open && valid < e.lock.attempts || a.Locked == facts.Yes {
		return // an administrator's lock outlasts this one
	}
	unlock := e.lock.unlock
	if root {
		unlock = e.lock.rootUnlock
	}
	if open && (unlock > 0 || valid < e.lock.attempts) {
		a.Locked = facts.Unknown
		return
	}
	if unlock > 0 {
		unlock++ // the last second of a lock still locks
	}
	a.LockFor(facts.At(last), max(0, unlock), asOf)
}

// freeOfLocks records what faillock does not do to root, and to the members of
// the group of administrators that it is told: without even_deny_root it leaves
// them out, and their locks may last longer or shorter.
func (e *export) freeOfLocks(a *facts.Account, uid int64) {
	if !e.lock.on || !e.asRoot(a, uid) {
		return
	}
	override := func(id setting.ID, v setting.Value, why string) {
		origin := a.Origin
		origin.Text = why
		a.Override(id, v, origin)
	}
	switch {
	case !e.lock.denyRoot:
		const why = "even_deny_root not set, so that root and its like are left out"
		override(setting.LockoutAttempts, setting.OffValue, why)
		override(setting.LockoutCoversAdmins, setting.No, why)
	case e.lock.rootUnlock != e.lock.unlock:
		override(setting.LockoutDuration, lockFor(e.lock.rootUnlock), "root_unlock_time")
	}
}
