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
	fields [9]string
	count  int
	line   int
}

// readShadow reads etc/shadow; of two lines of one name the first counts.
func (e *export) readShadow() {
	e.shadow = map[string]shadowLine{}
	ok, _ := e.eachLine("etc/shadow", func(l line) error {
		if l.text == "" {
			return nil
		}
		f := strings.Split(l.text, ":")
		s := shadowLine{count: min(len(f), 9), line: l.number}
		copy(s.fields[:], f)
		at := facts.Origin{File: e.root + "/etc/shadow", Line: l.number}
		if _, twice := e.shadow[f[0]]; twice {
			e.Noted.Refuse(at, "%q stands here a second time; the first line counts", f[0])
			return nil
		}
		if len(f) < 5 {
			e.Noted.Refuse(at, "the line has %d fields where an account has 9; the system refuses its password", len(f))
		}
		if len(f) >= 5 && len(f) != 9 {
			e.Noted.Refuse(at, "the line has %d fields where an account has 9; it is read as the system reads it", len(f))
		}
		e.shadow[f[0]] = s
		return nil
	})
	if e.noShadow = !ok; e.noShadow {
		e.Noted.Incomplete(facts.Origin{File: e.root + "/etc/shadow"},
			"no such file: passwords, ages and locks are unknown; copy it as root")
	}
}

// A failure is one failed sign-in as faillock prints it.
type failure struct {
	at    time.Time
	valid bool
}

// readTally reads what faillock prints.
func (e *export) readTally() {
	user, headed := "", false
	ok, _ := e.eachLine("faillock.txt", func(l line) error {
		if e.tally == nil {
			e.tally = map[string][]failure{}
		}
		if name, isUser := strings.CutSuffix(l.text, ":"); isUser {
			user, headed = name, false
			return nil
		}
		f := strings.Fields(l.text)
		if len(f) > 0 && f[0] == "When" {
			if headed || user == "" {
				e.Noted.Refuse(facts.Origin{File: e.root + "/faillock.txt", Line: l.number},
					"a line that names the account is missing before this; its failures are left out")
				user = ""
			}
			headed = true
			return nil
		}
		if len(f) < 3 || user == "" {
			return nil
		}
		if at, err := time.Parse(time.DateTime, f[0]+" "+f[1]); err == nil {
			e.tally[user] = append(e.tally[user], failure{at, f[len(f)-1] == "V"})
		}
		return nil
	})
	if ok && e.tally == nil {
		e.tally = map[string][]failure{}
	}
}

// Accounts streams the lines of etc/passwd.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	var a facts.Account
	seen := map[string]bool{}
	_, err := e.eachLine("etc/passwd", func(l line) error {
		if l.text == "" || l.text[0] == '+' || l.text[0] == '-' {
			return nil
		}
		f := strings.Split(l.text, ":")
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
	a.Kind = e.kind(uid)
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
	a.Privileged = e.privileged(a, uid, f[3])
	a.LastSignIn = e.lastSignIn(a.Login)
	password, hasPassword := f[1], f[1] != "x"
	s, inShadow := e.shadow[f[0]]
	switch {
	case inShadow:
		a.Origin = facts.Origin{File: e.root + "/etc/shadow", Line: s.line}
		if !hasPassword {
			password, hasPassword = s.fields[1], true
		}
		e.ages(a, &s)
	case !e.noShadow && !hasPassword:
		e.Noted.Refuse(a.Origin, "%q has no line in etc/shadow; its password and ages are unknown", f[0])
	}
	if hasPassword {
		e.password(a, password, s)
	}
	e.failures(a, uid)
	if uid == 0 {
		e.freeRoot(a)
	}
}

// kind: numbers below 100 and nobody's come with the system, those up to
// UID_MIN belong to programs.
func (e *export) kind(uid int64) string {
	switch {
	case uid < 0:
		return ""
	case uid < 100 || uid == 65534:
		return facts.BuiltIn
	case uid < e.uidMin:
		return facts.Service
	}
	return facts.Person
}

// privileged reports whether an account of a number and a primary group may do
// everything.
func (e *export) privileged(a *facts.Account, uid int64, group string) facts.Tri {
	if uid == 0 {
		return facts.Yes
	}
	if e.sudo == nil {
		return facts.Unknown
	}
	if e.sudo.users[a.Login] || e.sudo.users["ALL"] || e.sudo.users["#"+strconv.FormatInt(uid, 10)] || e.sudo.groups["#"+group] {
		return facts.Yes
	}
	for _, g := range a.Groups {
		if e.sudo.groups[g] {
			return facts.Yes
		}
	}
	if !e.hasGroups && len(e.sudo.groups) > 0 {
		return facts.Unknown
	}
	return facts.No
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
func (e *export) password(a *facts.Account, text string, s shadowLine) {
	a.Locked = facts.No
	if !e.lock.known || e.tally == nil && e.lock.on {
		a.Locked = facts.Unknown
	}
	a.Blank = facts.No
	bare := strings.TrimLeft(text, "!*")
	switch {
	case text == "":
		a.Blank, a.PasswordUsable = facts.Yes, e.nullok
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
	broken := s.count > 0 && s.count < 5 || strings.ContainsAny(text, "\r\n ")
	a.PasswordUsable = facts.TriOf(a.Storage.Known() && !broken && !strings.HasPrefix(text, "$apr1$") && text[0] != '_')
}

// ages reads the day fields: they hold for the account whatever login.defs
// says.
func (e *export) ages(a *facts.Account, s *shadowLine) {
	number := func(i int) (int64, bool) {
		n, err := strconv.ParseInt(s.fields[i], 10, 64)
		if s.fields[i] != "" && err != nil {
			e.Noted.Refuse(a.Origin, "field %d of %q is no number", i+1, a.Login)
		}
		return n, err == nil
	}
	override := func(id setting.ID, i int, name string, convert func(int64) setting.Value) {
		v, text := setting.OffValue, name+" empty"
		if n, ok := number(i); ok {
			v, text = convert(n), name+" "+s.fields[i]
		} else if s.fields[i] != "" {
			return
		}
		origin := a.Origin
		origin.Text = text
		a.Override(id, v, origin)
	}
	if n, ok := number(2); ok {
		a.MustChange = facts.TriOf(n == 0)
		if n > 0 && n < 1<<24 {
			a.PasswordSet = facts.OnDay(time.Unix(n*86400, 0))
		}
	} else {
		a.MustChange = facts.No
	}
	override(setting.MinAge, 3, "smallest age", offAtZero)
	override(setting.MaxAge, 4, "largest age", maxAge)
	override(setting.WarnBefore, 5, "warning", offAtZero)
	override(setting.GracePeriod, 6, "inactive", inactive)
	a.Enabled = facts.Yes
	if n, ok := number(7); ok && n >= 0 {
		a.Enabled = facts.Unknown
		if asOf := e.Read.AsOf; !asOf.IsZero() {
			a.Enabled = facts.TriOf(asOf.Unix()/86400 < n && n > 1)
		}
	}
}

// failures counts what still counts, and whether the account is locked now:
// a V in the list says only that the failures once stood close together.
func (e *export) failures(a *facts.Account, uid int64) {
	if e.tally == nil || e.Read.AsOf.IsZero() || !e.lock.known {
		return
	}
	asOf := e.Read.AsOf
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
	a.Failures = facts.CountOf(counting)
	if !e.lock.on || valid < e.lock.attempts || (uid == 0 && !e.lock.denyRoot) {
		return
	}
	if a.Locked != facts.Yes { // else an administrator's lock outlasts this one
		a.LockFor(facts.At(last), max(0, e.lock.unlock), asOf)
	}
}

// rootUnchecked are the settings that only warn root unless enforce_for_root
// is set.
var rootUnchecked = []setting.ID{setting.MinLength, setting.MinClasses, setting.MinLower, setting.MinUpper,
	setting.MinDigits, setting.MinSymbols,
	setting.MaxRepeat, setting.MaxRun, setting.MinChanged}

// freeRoot records what does not hold for root: pwquality only warns it
// without enforce_for_root, and faillock leaves it out without even_deny_root.
func (e *export) freeRoot(a *facts.Account) {
	override := func(id setting.ID, v setting.Value, why string) {
		origin := a.Origin
		origin.Text = why
		a.Override(id, v, origin)
	}
	if e.rootFree {
		for _, id := range rootUnchecked {
			override(id, setting.OffValue, "enforce_for_root not set, so that root is only warned")
		}
	}
	if e.lock.on && !e.lock.denyRoot {
		override(setting.LockoutAttempts, setting.OffValue, "even_deny_root not set, so that root is left out")
		override(setting.LockoutCoversAdmins, setting.No, "even_deny_root not set, so that root is left out")
	}
}
