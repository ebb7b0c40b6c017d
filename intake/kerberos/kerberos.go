// Package kerberos reads the principals and policies of an MIT Kerberos realm:
// getpol.txt, and either getprinc.txt as kadmin prints it or the tables of
// kdb5_util tabdump (princ_meta, princ_lockout, princ_flags, princ_tktpolicy,
// keyinfo); kadm5.acl tells who may administer.
//
// What was tried on MIT Kerberos 1.20:
//   - a maximum life of 0 is never, a lock of 0 until an administrator unlocks,
//     a reset interval of 0 never forgets a failure;
//   - the number of old keys kept counts the present one;
//   - the stored end of the password counts, not the policy's maximum life;
//   - a lock is shown nowhere: it follows from the failures and the last of
//     them; failures are counted only where preauthentication is required;
//   - a principal may name a policy that does not exist: then nothing holds.
package kerberos

import (
	"bufio"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/rows"
	"yewcone/intake/text"
)

// how are the commands that take an export.
const how = `On the KDC, as root, into one folder:
for p in $(kadmin.local listpols); do TZ=UTC kadmin.local -q "getpol $p"; done > getpol.txt
for p in $(kadmin.local listprincs); do TZ=UTC kadmin.local -q "getprinc $p"; done > getprinc.txt
or, for very many principals, instead of the second:
for t in princ_meta princ_lockout princ_flags princ_tktpolicy keyinfo; do kdb5_util tabdump -c $t > $t.csv; done     keyinfo without -e shows no keys
cp /etc/krb5kdc/kadm5.acl .

estate.yaml:
  export: {read: kerberos, from: folder}
  as_of: the moment of the export, in UTC
`

// Format is the principals and policies of an MIT Kerberos realm.
var Format = intake.Format{
	Name: "kerberos", From: intake.OneFolder,
	Doc:  "an MIT Kerberos realm: getpol and getprinc as kadmin prints them, or the tables of kdb5_util tabdump",
	Open: open,
	How:  how,
	ToKnow: map[string]string{
		"privileged":    "copy kadm5.acl into the folder of the export",
		"second_factor": "the database says little of it: write it under \"known\" in estate.yaml",
		"last_sign_in":  "kept only where preauthentication is required and disable_last_success is off",
		"idle":          "kept only where preauthentication is required and disable_last_success is off",
		"created":       "the database does not keep when a principal was made",
		"account_age":   "the database does not keep when a principal was made",
		"common_barred": "depends on dict_file in kdc.conf: write it under \"known\" in estate.yaml",
		"storage":       "export keyinfo, or getprinc, which lists the kinds of keys",
	},
}

// principal is one of either form.
type principal struct {
	name     string
	line     int
	ends     facts.Moment
	set      facts.Moment
	expires  facts.Moment
	success  facts.Moment
	failed   facts.Moment
	failures facts.Counted
	policy   string
	weakest  setting.Value

	preauth, mustChange, disallowed facts.Tri // flags

	in   []string // the tables that it stands in
	keys int
}

func (p *principal) setFlag(name string, t facts.Tri) {
	switch name {
	case "REQUIRES_PRE_AUTH":
		p.preauth = t
	case "REQUIRES_PWCHANGE":
		p.mustChange = t
	case "DISALLOW_ALL_TIX":
		p.disallowed = t
	}
}

// limits is what the reader itself needs of a policy to tell a lock.
type limits struct {
	attempts        int64
	reset, duration int64 // seconds
	unknown         bool  // a line is missing
}

// policyLines are what getpol prints of each policy.
var policyLines = []string{
	"Maximum password life", "Minimum password life", "Minimum password length", "Minimum number of password character classes",
	"Number of old keys kept", "Maximum password failures before lockout", "Password failure count reset interval",
	"Password lockout duration",
}

type export struct {
	intake.Base

	request *intake.Request
	folder  string
	limits  map[string]limits // nil where getpol.txt is not there
	acl     []aclLine
	hasACL  bool
	text    bool // getprinc.txt is there
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{request: r, folder: r.From[0], Base: r.NewBase(), limits: map[string]limits{}}
	e.Read.Chooses = facts.ChooseAssigned
	if !e.policies() {
		e.limits = nil
		e.Noted.Remark(facts.Origin{File: e.folder}, "getpol.txt is not in the export: what the policies say is unknown")
	}
	e.readACL()
	if f, err := text.Open(r.Path(e.folder+"/getprinc.txt"), ""); err == nil {
		f.Close()
		e.text = true
	} else if _, ok := rows.Find(r, e.folder, "princ_meta"); !ok {
		return nil, &intake.Unreadable{File: e.folder,
			Message: "neither getprinc.txt nor princ_meta.csv is here; \"from\" must name the folder of the export"}
	}
	return e, nil
}

// policies reads what getpol prints: a block of lines for each policy.
func (e *export) policies() bool {
	file := e.folder + "/getpol.txt"
	f, err := text.Open(e.request.Path(file), "")
	if err != nil {
		return false
	}
	defer f.Close()
	var p *facts.Policy
	n := 0
	seen := map[string]bool{}
	lacking := func() {
		for _, key := range policyLines {
			if p != nil && !seen[key] {
				e.Noted.Refuse(p.Origin, "the policy %s has no line %q; what it would say is unknown", p.Name, key)
				e.limits[p.Name] = limits{unknown: true}
			}
		}
	}
	for s := bufio.NewScanner(f); s.Scan(); {
		n++
		line := s.Text()
		key, value, ok := strings.Cut(line, ": ")
		if !ok {
			continue
		}
		origin := facts.Origin{File: file, Line: n, Text: line}
		if key == "Policy" {
			lacking()
			clear(seen)
			e.Read.Policies = append(e.Read.Policies, facts.Policy{Name: value, Origin: origin})
			p = &e.Read.Policies[len(e.Read.Policies)-1]
			e.known(p)
			continue
		}
		if p == nil || seen[key] {
			e.Noted.Refuse(origin, "the line belongs to no policy: a line \"Policy: …\" is missing before it")
			continue
		}
		seen[key] = true
		e.policyLine(p, key, value, origin)
	}
	lacking()
	if !f.EndsInLine() {
		e.Noted.Incomplete(facts.Origin{File: file, Line: n},
			"the file ends in the middle of a line: it was cut off; take the export again")
	}
	return n > 0
}

// known are the settings that a realm has not got.
func (e *export) known(p *facts.Policy) {
	origin := p.Origin
	origin.Text = "a realm has no such setting"
	for _, id := range []setting.ID{setting.MaxLength, setting.MinLower, setting.MinUpper, setting.MinDigits,
		setting.MinSymbols, setting.MinLetters,
		setting.MaxRepeat, setting.MaxRun, setting.MinChanged, setting.MinDistinct, setting.SourceAttempts,
		setting.DormantAfter, setting.ReuseAfter} {
		p.Set(id, setting.OffValue, origin)
	}
	for _, id := range []setting.ID{setting.RecoveryQuestion, setting.HintAllowed, setting.AppliesToExisting, setting.BreachedBarred} {
		p.Set(id, setting.No, origin)
	}
	p.Set(setting.LockoutCoversAdmins, setting.Yes, origin)
	p.Set(setting.SelfChange, setting.Yes, origin)
	intake.AnyCharacters(p, origin)
}

// life reads "60 days 00:00:00" or "1 day 00:00:00" as seconds.
func life(text string) (int64, bool) {
	days, clock, ok := strings.Cut(strings.Replace(text, " day ", " days ", 1), " days ")
	if !ok {
		return 0, false
	}
	n, err := strconv.ParseInt(strings.TrimSpace(days), 10, 64)
	at, err2 := time.Parse(time.TimeOnly, strings.TrimSpace(clock))
	if err != nil || err2 != nil || n > 1<<20 {
		return 0, false
	}
	return n*86400 + int64(at.Hour()*3600+at.Minute()*60+at.Second()), true
}

func (e *export) policyLine(p *facts.Policy, key, value string, origin facts.Origin) {
	n, err := strconv.ParseInt(value, 10, 64)
	seconds, isLife := life(value)
	if err != nil && !isLife {
		e.Noted.Refuse(origin, "%q of the policy %s is neither a number nor a length of time", key, p.Name)
		return
	}
	set := func(id setting.ID, v setting.Value) { p.Set(id, v, origin) }
	orOff := func(id setting.ID, n int64, v setting.Value) {
		if n <= 0 {
			v = setting.OffValue
		}
		set(id, v)
	}
	l := e.limits[p.Name]
	switch key {
	case "Maximum password life":
		orOff(setting.MaxAge, seconds, setting.Seconds(seconds))
	case "Minimum password life":
		orOff(setting.MinAge, seconds, setting.Seconds(seconds))
	case "Minimum password length":
		orOff(setting.MinLength, n, setting.Count(n))
		set(setting.BlankAllowed, setting.No)
	case "Minimum number of password character classes":
		orOff(setting.MinClasses, n-1, setting.Count(min(n, 5)))
	case "Number of old keys kept":
		orOff(setting.History, n-1, setting.Count(n-1))
	case "Maximum password failures before lockout":
		l.attempts = n
		orOff(setting.LockoutAttempts, n, setting.Count(n))
	case "Password failure count reset interval":
		l.reset = seconds
		orOff(setting.LockoutWindow, seconds, setting.Seconds(seconds))
	case "Password lockout duration":
		l.duration = seconds
		set(setting.LockoutDuration, setting.UntilUnlockedValue)
		if seconds > 0 {
			set(setting.LockoutDuration, setting.Seconds(seconds))
		}
	}
	e.limits[p.Name] = l
}

// An aclLine gives rights to principals that match a pattern.
type aclLine struct{ pattern, rights string }

func (e *export) readACL() {
	file := e.folder + "/kadm5.acl"
	f, err := text.Open(e.request.Path(file), "")
	if err != nil {
		return
	}
	defer f.Close()
	e.hasACL = true
	n := 0
	for s := bufio.NewScanner(f); s.Scan(); {
		n++
		switch fields := strings.Fields(s.Text()); {
		case len(fields) == 0 || fields[0][0] == '#':
		case len(fields) == 1:
			e.Noted.Refuse(facts.Origin{File: file, Line: n, Text: s.Text()},
				"the line gives no rights: expected a principal and its rights")
		default:
			e.acl = append(e.acl, aclLine{fields[0], fields[1]})
		}
	}
	if n > 0 && !f.EndsInLine() {
		e.Noted.Incomplete(facts.Origin{File: file, Line: n},
			"the file ends in the middle of a line: it was cut off; take the export again")
	}
}

// administers reports whether the first line that matches gives all rights.
func (e *export) administers(name string) facts.Tri {
	if !e.hasACL {
		return facts.Unknown
	}
	for _, l := range e.acl {
		if matches(l.pattern, name) {
			return facts.TriOf(strings.ContainsAny(l.rights, "*x"))
		}
	}
	return facts.No
}

// matches compares a pattern with a full name, part by part; * stands for a
// whole part.
func matches(pattern, name string) bool {
	if pattern == "*" {
		return true
	}
	cut := func(s string) []string {
		return strings.FieldsFunc(s, func(r rune) bool { return r == '/' || r == '@' })
	}
	p, n := cut(pattern), cut(name)
	if !strings.Contains(pattern, "@") {
		p = append(p, "*")
	}
	return slices.EqualFunc(p, n, func(a, b string) bool { return a == "*" || a == b })
}

// realmsOwn are principals that every realm has.
func realmsOwn(name string) bool {
	return strings.HasPrefix(name, "K/M@") || strings.HasPrefix(name, "krbtgt/") || strings.HasPrefix(name, "kadmin/") ||
		strings.HasPrefix(name, "kiprop/") || strings.HasPrefix(name, "WELLKNOWN/")
}

// Accounts streams the principals apart from the realm's own.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	var a facts.Account
	each := func(file string, p *principal) error {
		if realmsOwn(p.name) {
			return nil
		}
		a.Reset()
		a.Origin = facts.Origin{File: file, Line: p.line}
		e.fill(&a, p)
		return yield(&a)
	}
	if e.text {
		return e.fromText(each)
	}
	return e.fromTables(each)
}

func (e *export) fill(a *facts.Account, p *principal) {
	a.Login = p.name
	if i := strings.LastIndexByte(p.name, '@'); i > 0 {
		a.Login = p.name[:i]
	}
	if _, instance, ok := strings.Cut(a.Login, "/"); ok && strings.Contains(instance, ".") {
		a.Kind = facts.Service
	}
	a.Privileged = e.administers(p.name)
	a.NeverExpires, a.BlankAllowed, a.Blank, a.PasswordUsable = facts.No, facts.No, facts.No, facts.Yes
	a.PasswordSet, a.PasswordExpires, a.LastSignIn = p.set, p.expires, p.success
	a.KeySet, a.Ends, a.Preauthenticates = p.set, p.ends, p.preauth
	a.Storage = p.weakest
	a.Policy = p.policy
	a.MustChange, a.Enabled, a.CannotChange = p.mustChange, p.disallowed.Not(), facts.No
	if end := p.ends.Past(e.Read.AsOf.Unix()); a.Enabled != facts.No && !p.ends.IsNever() {
		if e.Read.AsOf.IsZero() {
			end = facts.Unknown
		}
		a.Enabled = end.Not()
	}
	e.lock(a, p)
}

// lock works out what the database does not say: whether the failures so far
// keep the principal out now.
func (e *export) lock(a *facts.Account, p *principal) {
	l, asOf := e.limits[p.policy], e.Read.AsOf
	if e.limits == nil && p.policy != "" {
		return
	}
	if p.preauth == facts.No && l.attempts > 0 {
		origin := a.Origin
		origin.Text = "no preauthentication required, so that failures are not counted"
		a.Override(setting.LockoutAttempts, setting.OffValue, origin)
	}
	failed, _ := p.failed.Time() // the zero time where there is none
	if !asOf.IsZero() {
		a.Failures = p.failures
		if p.failures.Known && l.reset > 0 && asOf.Sub(failed) >= time.Duration(l.reset)*time.Second {
			a.Failures = facts.CountOf(0)
		}
	}
	if l.unknown {
		return
	}
	a.Locked = facts.No
	if l.attempts == 0 || p.preauth == facts.No || p.failures.Known && int64(p.failures.N) < l.attempts {
		return
	}
	if !p.failures.Known || !p.failed.Known() || p.preauth == facts.Unknown {
		a.Locked = facts.Unknown
		return
	}
	a.LockFor(p.failed, l.duration, asOf)
}

// keyGrade grades a kind of key: those of AES are made with thousands of
// salted rounds, those of RC4 are a hash without salt, DES falls at once.
func keyGrade(kind string) setting.Value {
	switch {
	case strings.HasPrefix(kind, "aes"), strings.HasPrefix(kind, "camellia"):
		return setting.StoredSaltedSlow
	case strings.HasPrefix(kind, "arcfour"), strings.HasPrefix(kind, "rc4"):
		return setting.StoredUnsalted
	case strings.HasPrefix(kind, "des"):
		return setting.StoredSaltedFast
	}
	return setting.Value{}
}

// weaker keeps the weaker of two grades; the first one counts alone.
func weaker(a, b setting.Value) setting.Value {
	if !a.Known() {
		return b
	}
	return setting.At(setting.Storage).Loosest(a, b)
}
