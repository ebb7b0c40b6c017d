package linux

import (
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/stored"
)

// Accounts streams the lines of etc/passwd.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the lines of etc/passwd.
func (e *export) Parts(yield func(facts.Part) error) error {
	return e.records(&e.Noted, nil).Parts(yield)
}

// records are the lines of accounts. after is done with each that is filled in; may be
// nil.
func (e *export) records(notes *facts.Notes, after func(*facts.Account)) *facts.Records[line] {
	still := *e // as it is before anything is noted of accounts
	still.Noted = facts.Notes{}
	all := &facts.Records[line]{Notes: notes}
	all.Read = func(notes *facts.Notes, room func() (*line, error)) error {
		var seen namedLines
		_, err := e.eachLineOf("etc/passwd", notes, func(l line) error {
			if passedOver(l.text) {
				return nil
			}
			l.text = strings.TrimLeft(l.text, " \t")
			at := facts.Origin{File: e.passwdFile, Line: l.number}
			name, _, _ := strings.Cut(l.text, ":")
			switch fields := strings.Count(l.text, ":") + 1; {
			case fields != 7:
				notes.Refuse(at, "the line has %d fields where an account has 7", fields)
				return nil
			case name == "":
				notes.Refuse(at, "the line names nobody")
				return nil
			case seen.find(name) != nil:
				notes.Refuse(at, "%q stands here a second time; the first line counts", name)
				return nil
			}
			seen.add(name)
			kept, err := room()
			if err == nil {
				*kept = l
			}
			return err
		})
		return err
	}
	all.Filler = func() (func(*line, *facts.Account) bool, *facts.Notes) {
		one := still
		one.texts = map[dayText]string{}
		return func(l *line, a *facts.Account) bool {
			a.Origin = facts.Origin{File: e.passwdFile, Line: l.number}
			fields, _ := fieldsOf(l.text)
			one.fill(a, &fields)
			if after != nil {
				after(a)
			}
			return true
		}, &one.Noted
	}
	return all
}

func (e *export) fill(a *facts.Account, f *[9]string) {
	a.Login = f[0]
	a.DisplayName, _, _ = strings.Cut(f[4], ",")
	uid, err := strconv.ParseInt(f[2], 10, 64)
	if err != nil {
		uid = -1
	}
	a.Kind = e.kind(a.Login, uid)
	if group := e.primary[f[3]]; group != "" {
		a.Groups = append(a.Groups, group)
	} else if e.hasGroups {
		e.Noted.RemarkOnce(f[3], a.Origin, "the group %s of %q has no line in etc/group; it may have a name that is not in the export", f[3], f[0])
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
	s, inShadow := e.shadowOf(f[0])
	switch {
	case inShadow:
		a.Origin = facts.Origin{File: e.shadowFile, Line: s.line}
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
	if e.alwaysLets != facts.Yes && (e.tally == nil || len(e.tally[a.Login]) > 0 || e.untold[a.Login] || e.tallyCut) {
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
			v, text = convert(n), e.textOf(name, n)
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

// dayText is a field of shadow, by its name, and how many days it has.
type dayText struct {
	name string
	days int64
}

// textOf writes such a field; most accounts have the same.
func (e *export) textOf(name string, days int64) string {
	text, ok := e.texts[dayText{name, days}]
	if !ok {
		text = name + " " + strconv.FormatInt(days, 10)
		e.texts[dayText{name, days}] = text
	}
	return text
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
