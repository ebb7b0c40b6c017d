package linux

import (
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/stored"
)

// shadowLine is one account of etc/shadow.
type shadowLine struct {
	password string
	days     [6]int64 // last change, smallest and largest age, warning, inactive, end; -1 where empty
	line     int
	broken   bool // the system cannot read it, so that nobody gets in
}

// The days of a shadowLine.
const (
	lastChange = iota
	smallestAge
	largestAge
	warning
	inactiveFor
	endDay
)

// parseShadow reads a line as the C library does: five fields or nine, numbers
// that are whole, decimal and not negative. What is not so, it passes over.
func parseShadow(text string) (name string, s shadowLine, ok bool) {
	f := strings.Split(strings.TrimLeft(text, " \t"), ":")
	s.days = [6]int64{-1, -1, -1, -1, -1, -1}
	if name = f[0]; len(f) < 2 {
		return name, s, false
	}
	s.password = f[1]
	old := len(f) == 5 || len(f) == 6 && strings.TrimSpace(f[5]) == ""
	if !old && len(f) != 9 {
		return name, s, false
	}
	for i, field := range f[2:min(len(f), 9)] {
		if field == "" {
			continue
		}
		n, err := strconv.ParseInt(strings.TrimPrefix(strings.TrimLeft(field, " \t\v\f\r"), "+"), 10, 32)
		if err != nil || n < 0 {
			return name, s, false
		}
		if i < len(s.days) {
			s.days[i] = n
		}
	}
	return name, s, true
}

// passedOver reports whether the C library passes over a line of passwd, shadow
// and group in silence: empty ones, remarks, and those for other sources.
func passedOver(text string) bool {
	start := strings.TrimLeft(text, " \t")
	return start == "" || strings.IndexByte("#+-", start[0]) >= 0
}

// readShadow reads etc/shadow; of two lines of one name the first that the
// system can read counts.
func (e *export) readShadow() {
	e.shadow = map[string]shadowLine{}
	ok, _ := e.eachLine("etc/shadow", func(l line) error {
		if passedOver(l.text) {
			return nil
		}
		name, s, ok := parseShadow(l.text)
		s.line, s.broken = l.number, !ok
		at := facts.Origin{File: e.root + "/etc/shadow", Line: l.number}
		before, twice := e.shadow[name]
		switch {
		case !ok:
			e.Noted.Refuse(at, "the system cannot read this line and refuses the password of its account: it has %d fields where an account has 9, "+
				"or one that is no number", strings.Count(l.text, ":")+1)
		case twice && !before.broken:
			e.Noted.Refuse(at, "%q stands here a second time; the first line counts", name)
		}
		if !twice || before.broken && ok {
			e.shadow[name] = s
		}
		return nil
	})
	if e.noShadow = !ok; e.noShadow {
		e.Noted.Incomplete(facts.Origin{File: e.root + "/etc/shadow"},
			"no such file: passwords, ages and locks are unknown; copy it as root")
	}
}

// Accounts streams the lines of etc/passwd.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	var a facts.Account
	seen := map[string]bool{}
	_, err := e.eachLine("etc/passwd", func(l line) error {
		if passedOver(l.text) {
			return nil
		}
		f := strings.Split(strings.TrimLeft(l.text, " \t"), ":")
		at := facts.Origin{File: e.root + "/etc/passwd", Line: l.number}
		switch {
		case len(f) != 7:
			e.Noted.Refuse(at, "the line has %d fields where an account has 7", len(f))
			return nil
		case f[0] == "":
			e.Noted.Refuse(at, "the line names nobody")
			return nil
		case seen[f[0]]:
			e.Noted.Refuse(at, "%q stands here a second time; the first line counts", f[0])
			return nil
		}
		seen[f[0]] = true
		a.Reset()
		a.Origin = at
		e.fill(&a, f)
		return yield(&a)
	})
	return err
}

func (e *export) fill(a *facts.Account, f []string) {
	a.Login = f[0]
	a.DisplayName, _, _ = strings.Cut(f[4], ",")
	uid, err := strconv.ParseInt(f[2], 10, 64)
	if err != nil {
		uid = -1
	}
	a.Kind = e.kind(a.Login, uid)
	if group := e.primary[f[3]]; group != "" {
		a.Groups = append(a.Groups, group)
	} else if e.hasGroups && !e.nameless[f[3]] {
		e.nameless[f[3]] = true
		e.Noted.Remark(a.Origin, "the group %s of %q has no line in etc/group; it may have a name that is not in the export", f[3], f[0])
	}
	for _, g := range e.member[f[0]] {
		if len(a.Groups) == 0 || a.Groups[0] != g {
			a.Groups = append(a.Groups, g)
		}
	}
	a.GroupsKnown = len(e.primary) > 0
	// The files have no such marks; ages stand on the account as settings.
	a.NeverExpires, a.CannotChange, a.BlankAllowed = facts.No, facts.No, facts.No
	if e.policy.Value(setting.SecondFactor).Value == setting.NoSecondFactor {
		a.SecondFactor = facts.No
	}
	e.power(a, uid, f[3])
	a.LastSignIn = e.lastSignIn(a.Login)
	password, hasPassword := f[1], f[1] != "x"
	s, inShadow := e.shadow[f[0]]
	switch {
	case inShadow:
		a.Origin = facts.Origin{File: e.root + "/etc/shadow", Line: s.line}
		if !hasPassword {
			password, hasPassword = s.password, true
		}
		e.ages(a, &s)
	case !e.noShadow && !hasPassword:
		e.Noted.Refuse(a.Origin, "%q has no line in etc/shadow; its password and ages are unknown", f[0])
		fallthrough
	default: // login.defs says nothing of accounts that exist
		for _, id := range []setting.ID{setting.MinAge, setting.MaxAge, setting.WarnBefore, setting.GracePeriod} {
			a.Hide(id, a.Origin)
		}
	}
	if hasPassword {
		e.password(a, password, &s)
		a.EntersUnasked = a.Blank.And(a.PasswordUsable)
	}
	e.openToAll(a)
	e.remote(a, uid)
	e.failures(a, uid)
	e.freeOfLocks(a, uid)
	e.shortName(a)
	if uid == 0 {
		e.freeRoot(a)
	}
}

// openToAll: where the modules let in whoever gives any password, what is stored
// keeps nobody out, nor does an administrator's lock on it.
func (e *export) openToAll(a *facts.Account) {
	if e.anyLets != facts.Yes {
		a.EntersUnasked = a.EntersUnasked.Or(e.anyLets)
		return
	}
	open := facts.Yes
	if e.alwaysLets != facts.Yes && (e.tally == nil || len(e.tally[a.Login]) > 0) {
		open = facts.Unknown // it may have failed too often
	}
	a.EntersUnasked = a.EntersUnasked.Or(open)
	if a.PasswordUsable == facts.Yes {
		return
	}
	a.PasswordUsable = open
	a.Locked, a.LockedUntil = open.Not(), facts.Moment{}
}

// kind: numbers below 100 and nobody's come with the system, those up to
// UID_MIN belong to programs.
func (e *export) kind(login string, uid int64) string {
	switch {
	case uid < 0:
		return ""
	case uid == 0 && login != "root":
		return facts.Person // a second root is nobody's but somebody's
	case uid < 100 || uid == 65534:
		return facts.BuiltIn
	case uid < e.uidMin:
		return facts.Service
	}
	return facts.Person
}

func (e *export) lastSignIn(login string) facts.Moment {
	at, ok := e.lastSeen[login]
	if !ok && len(login) > 16 { // lastlog cuts long names
		at = e.lastSeen[login[:16]]
	}
	return at
}

// password grades the stored password. What begins with ! or * matches no
// password; a ! before a hash is an administrator's lock. An empty one lets in
// where the host's modules take it.
func (e *export) password(a *facts.Account, text string, s *shadowLine) {
	a.Locked = facts.No
	if !e.lock.known || e.tally == nil && e.lock.on {
		a.Locked = facts.Unknown
	}
	a.Blank = facts.No
	bare := strings.TrimLeft(text, "!*")
	switch {
	case text == "":
		if a.Blank, a.PasswordUsable = facts.Yes, e.nullok; s.broken {
			a.PasswordUsable = facts.No
		}
		return
	case bare == "" || bare != text && bare[0] != '$' && !stored.Crypt(bare).Known():
		a.PasswordUsable = facts.No // words such as *LK* are no hashes
		return
	case bare != text:
		a.PasswordUsable, a.Locked, a.LockedUntil = facts.No, facts.Yes, facts.Never
		a.Storage = stored.Crypt(bare)
		return
	}
	a.Storage, a.StoredMark = stored.Crypt(text), stored.Mark(text)
	if n, ok := stored.Rounds(text); ok {
		a.Rounds = facts.CountOf(n)
	}
	works := !s.broken && stored.CryptWorks(text)
	switch a.PasswordUsable = facts.TriOf(works); {
	case works:
		a.PasswordUsable = e.unixLets
	case !s.broken && text[0] == '$' && !a.Storage.Known():
		a.PasswordUsable = facts.Unknown
		e.Noted.Remark(a.Origin, "the password of %q is stored in a way that is not known here: whether one lets in is unknown", a.Login)
	}
}

// ages reads the day fields: they hold for the account whatever login.defs
// says. libpam up to 1.5.2 takes a password as run out on the day after its
// last day, and one without a date as run out long ago; 1.7.0 does so when the
// last day begins, and never for one without a date. Where the export does not
// tell the version, an account at that edge is unknown.
func (e *export) ages(a *facts.Account, s *shadowLine) {
	if s.broken {
		for _, id := range []setting.ID{setting.MinAge, setting.MaxAge, setting.WarnBefore, setting.GracePeriod} {
			a.Hide(id, a.Origin)
		}
		return
	}
	override := func(id setting.ID, day int, name string, convert func(int64) setting.Value) {
		v, text := setting.OffValue, name+" empty"
		if n := s.days[day]; n >= 0 {
			v, text = convert(n), name+" "+strconv.FormatInt(n, 10)
		}
		origin := a.Origin
		origin.Text = text
		a.Override(id, v, origin)
	}
	set, largest, shutAfter := s.days[lastChange], s.days[largestAge], s.days[inactiveFor]
	today, dated := e.Read.AsOf.Unix()/86400, !e.Read.AsOf.IsZero()
	a.MustChange = facts.TriOf(set == 0)
	if set > 0 && set < 1<<24 {
		a.PasswordSet = facts.OnDay(time.Unix(set*86400, 0))
	}
	a.DueAtEnd = e.newer == facts.Yes
	edge := e.newer == facts.Unknown && largest >= 0 &&
		(set < 0 || dated && set > 0 && (today == set+largest || shutAfter >= 0 && today == set+largest+shutAfter))
	switch {
	case set < 0 && e.newer == facts.Yes:
		a.PasswordExpires = facts.Never
	case set < 0 && e.newer == facts.No && largest >= 0 && dated:
		a.MustChange = facts.TriOf(today+1 > largest)
	case set < 0 && largest >= 0:
		a.MustChange = facts.Unknown
	}
	override(setting.MinAge, smallestAge, "smallest age", offAtZero)
	if edge {
		a.Hide(setting.MaxAge, a.Origin)
	} else {
		name := "largest age"
		if e.newer == facts.Yes {
			name = "by libpam 1.7.0, due when the last day begins: largest age"
		}
		override(setting.MaxAge, largestAge, name, func(n int64) setting.Value {
			if n >= foreverDays && set > 0 && dated && set+n <= today {
				return days(n)
			}
			return maxAge(n)
		})
	}
	override(setting.WarnBefore, warning, "warning", offAtZero)
	override(setting.GracePeriod, inactiveFor, "inactive", inactive)
	a.Enabled, a.Ends = facts.Yes, facts.Never
	if end := s.days[endDay]; end >= 0 {
		a.Ends = facts.OnDay(time.Unix((end-1)*86400, 0))
		switch {
		case dated:
			a.Enabled = facts.TriOf(today < end)
		case end > 1:
			a.Enabled = facts.Unknown
		default:
			a.Enabled = facts.No
		}
	}
}

// rootUnchecked are the settings that only warn root unless enforce_for_root
// is set.
var rootUnchecked = []setting.ID{setting.MinLength, setting.MinClasses, setting.MinLower, setting.MinUpper,
	setting.MinDigits, setting.MinSymbols,
	setting.MaxRepeat, setting.MaxRun, setting.MinChanged}

// freeRoot records what does not hold for root: pwquality only warns it without
// enforce_for_root.
func (e *export) freeRoot(a *facts.Account) {
	if !e.rootFree {
		return
	}
	origin := a.Origin
	origin.Text = "enforce_for_root not set, so that root is only warned"
	for _, id := range rootUnchecked {
		a.Override(id, setting.OffValue, origin)
	}
}
