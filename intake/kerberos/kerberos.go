// Package kerberos reads the principals and policies of an MIT Kerberos realm:
// getpol.txt, and either getprinc.txt as kadmin prints it or the tables of
// kdb5_util tabdump (princ_meta, princ_lockout, princ_flags, princ_tktpolicy,
// keyinfo); kadm5.acl tells who may administer.
//
// What was tried on MIT Kerberos 1.20 and 1.21:
//   - a maximum life of 0 is never, a lock of 0 until an administrator unlocks,
//     a reset interval of 0 never forgets a failure;
//   - the number of old keys kept counts the present one;
//   - the stored end of the password counts, not the policy's maximum life;
//   - a lock is shown nowhere: it follows from the failures and the last of
//     them; failures are counted only where preauthentication is required, and
//     those that were counted before still lock;
//   - a principal may name a policy that does not exist: then nothing holds;
//   - disable_lockout in kdc.conf or krb5.conf switches all locks off.
package kerberos

import (
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/rows"
	"yewcone/intake/text"
)

// how are the commands that take an export.
const how = `On the KDC, as root, into one folder:
kadmin.local listpols | sed 's/"/""/g; s/.*/getpol "&"/' | TZ=UTC kadmin.local > getpol.txt
kadmin.local listprincs | sed 's/"/""/g; s/.*/getprinc "&"/' | TZ=UTC kadmin.local > getprinc.txt
cp /etc/krb5kdc/kadm5.acl /etc/krb5kdc/kdc.conf /etc/krb5.conf .

For very many principals, instead of getprinc.txt (keyinfo without -e shows no keys):
for t in princ_meta princ_lockout princ_flags princ_tktpolicy keyinfo; do kdb5_util tabdump -c $t > $t.csv; done

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
		"common_barred": "depends on dict_file in kdc.conf: copy kdc.conf and krb5.conf into the folder of the export, or write it " +
			"under \"known\" in estate.yaml",
		"locked":           "copy kdc.conf and krb5.conf, which may switch locks off, into the folder of the export",
		"lockout_attempts": "copy kdc.conf and krb5.conf, which may switch locks off, into the folder of the export",
		"storage":          "export keyinfo, or getprinc, which lists the kinds of keys",
	},
}

// principal is one of either form.
type principal struct {
	name     string
	file     string // in which it begins
	line     int
	ends     facts.Moment
	set      facts.Moment
	expires  facts.Moment
	success  facts.Moment
	failed   facts.Moment
	failures facts.Counted
	policy   string
	weakest  setting.Value

	preauth, hardware, mustChange, disallowed facts.Tri // flags

	in   []string // the tables that it stands in
	keys facts.Counted
}

// setFlag keeps a flag, by its name or, as tabdump -n has it, its number.
func (p *principal) setFlag(name string, t facts.Tri) {
	switch name {
	case "REQUIRES_PRE_AUTH", "0x00000080":
		p.preauth = t
	case "REQUIRES_HW_AUTH", "0x00000100":
		p.hardware = t
	case "REQUIRES_PWCHANGE", "0x00000200":
		p.mustChange = t
	case "DISALLOW_ALL_TIX", "0x00000040":
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

// beside are lines of kadmin that say nothing of a policy's rules for
// passwords: its prompt for one.
var beside = []string{"kadmin.local", "kadmin", "Allowed key/salt types"}

type export struct {
	intake.Base

	request  *intake.Request
	folder   string
	limits   map[string]limits // nil where getpol.txt is not there
	acl      []aclLine
	hasACL   bool
	badACL   bool            // it has lines with which the server does not start
	everyone func() []string // the names of all principals, read when they are first asked for
	text     bool            // getprinc.txt is there
	realm    string
	profile  profile
	zoned    bool // times stand in a zone that does not tell its offset
}

func open(r *intake.Request) (facts.Export, error) {
	e := &export{request: r, folder: r.From[0], Base: r.NewBase(), limits: map[string]limits{}}
	e.Read.Chooses = facts.ChooseAssigned
	e.everyone = sync.OnceValue(e.allNames)
	_, tables := rows.Find(r, e.folder, "princ_meta")
	if e.text = e.look(); !e.text && !tables {
		return nil, &intake.Unreadable{File: e.folder,
			Message: "neither getprinc.txt nor princ_meta.csv is here; \"from\" must name the folder of the export"}
	}
	if e.zoned && tables {
		e.Noted.Remark(facts.Origin{File: e.folder + "/getprinc.txt"}, "its times are in a zone that does not tell its offset; "+
			"the tables beside it are read instead")
		e.text = false
	}
	e.profile = e.readProfile()
	if e.realm == "" {
		e.realmOfTables()
	}
	if !e.policies() {
		e.limits = nil
		e.Noted.Remark(facts.Origin{File: e.folder}, "getpol.txt is not in the export, or cannot be read: what the policies say is unknown")
	}
	if e.limits != nil {
		e.withoutPolicy()
	}
	e.readACL()
	e.leftOver()
	return e, nil
}

// look reads ahead in getprinc.txt, if it is there: which realm it is of, and
// whether its times can be told.
func (e *export) look() bool {
	f := e.request.OpenThere(e.folder+"/getprinc.txt", &e.Noted)
	if f == nil {
		return false
	}
	defer f.Close()
	s := text.NewScanner(f)
	told := false
	for !told && s.Scan() {
		key, value, _ := strings.Cut(s.Text(), ": ")
		switch {
		case key == "Principal" && e.realm == "":
			e.realm = value[strings.LastIndexByte(value, '@')+1:]
		case key == "Last modified":
			value, _, _ = strings.Cut(value, " (")
			if told = value != "[never]"; told {
				_, ok := clock(value)
				e.zoned = !ok
			}
		}
	}
	return true
}

// realmOfTables takes the realm from the first principal.
func (e *export) realmOfTables() {
	if all := e.everyone(); len(all) > 0 {
		e.realm = all[0][strings.LastIndexByte(all[0], '@')+1:]
	}
}

// leftOver names the files of the folder that nobody reads.
func (e *export) leftOver() {
	used := []string{e.folder + "/getpol.txt", e.folder + "/kadm5.acl", e.folder + "/kdc.conf", e.folder + "/krb5.conf"}
	if e.text {
		used = append(used, e.folder+"/getprinc.txt")
	}
	var wanted []rows.Table
	for _, d := range dumps {
		if file, ok := rows.Find(e.request, e.folder, d.name); ok {
			used = append(used, file) // or beside getprinc.txt says the same again
		}
		if !e.text {
			wanted = append(wanted, rows.Table{Name: d.name, Needs: d.columns})
		}
	}
	rows.Left(e.request, e.folder, &e.Noted, "take it with kdb5_util tabdump -c, as yewcone intake --how kerberos tells", wanted, used,
		[]string{"getprinc.txt", "princ_stringattrs.csv"})
}

// withoutPolicy is what holds for principals under no policy, or under one that
// does not exist: nothing, but that an empty password is refused.
func (e *export) withoutPolicy() {
	p := &facts.Policy{Name: "no policy", Origin: facts.Origin{File: e.folder, Text: "a principal without a policy"}}
	e.known(p)
	for _, id := range []setting.ID{setting.MinLength, setting.MinClasses, setting.History, setting.MaxAge, setting.MinAge,
		setting.LockoutAttempts, setting.LockoutWindow} {
		p.Set(id, setting.OffValue, p.Origin)
	}
	p.Set(setting.BlankAllowed, setting.No, p.Origin)
	p.Set(setting.LoginBarred, setting.LoginAccepted, p.Origin)
	p.Set(setting.CommonBarred, setting.No, p.Origin)
	p.Set(setting.DictionaryBarred, setting.No, p.Origin)
	e.Read.NoPolicy = p
}

// policies reads what getpol prints: a block of lines for each policy.
func (e *export) policies() bool {
	file := e.folder + "/getpol.txt"
	f := e.request.OpenThere(file, &e.Noted)
	if f == nil {
		return false
	}
	defer f.Close()
	var p *facts.Policy
	n := 0
	seen, prompt := map[string]bool{}, false
	lacking := func() {
		for _, key := range policyLines {
			if p != nil && !seen[key] {
				e.Noted.Refuse(p.Origin, "the policy %s has no line %q; what it would say is unknown", p.Name, key)
				e.limits[p.Name] = limits{unknown: true}
			}
		}
	}
	s := text.NewScanner(f)
	for s.Scan() {
		n++
		line := s.Text()
		prompt = isPrompt(line)
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
		if !slices.Contains(policyLines, key) {
			if !slices.Contains(beside, key) {
				e.Noted.Remark(origin, "%q is not known here and says nothing", key)
			}
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
	switch {
	case n == 0:
		e.Noted.Incomplete(facts.Origin{File: file}, "the file is empty, as kadmin never prints it; take the export again")
	case s.Err() != nil || !f.EndsInLine() && !prompt:
		e.Noted.Incomplete(facts.Origin{File: file, Line: n},
			"the file ends in the middle of a line: it was cut off; take the export again")
	}
	return n > 0
}

// isPrompt: what kadmin writes before each command and, without the end of a
// line, when there are no more.
func isPrompt(line string) bool { return strings.TrimSpace(line) == "kadmin.local:" }

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
	p.Set(setting.GracePeriod, setting.OffValue, origin) // it may always be changed with the old one
	p.Set(setting.GraceSignIns, setting.Count(0), origin)
	if e.profile.plainQuality(e.realm) {
		origin.Text = "no dict_file and no check of the house's own in kdc.conf and krb5.conf"
		p.Set(setting.CommonBarred, setting.No, origin)
		p.Set(setting.DictionaryBarred, setting.No, origin)
		p.Set(setting.LoginBarred, setting.LoginNotEqual, origin)
	}
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
		switch locks := e.profile.lockouts(e.realm); {
		case locks == facts.No:
			origin.Text += ", and disable_lockout is on"
			p.Set(setting.LockoutAttempts, setting.OffValue, origin)
		case locks == facts.Unknown && n > 0:
			p.Hide(setting.LockoutAttempts, origin)
		default:
			orOff(setting.LockoutAttempts, n, setting.Count(n))
		}
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

// realmsOwn are principals that every realm has. Those that realms trust each
// other by, krbtgt/OTHER, are not among them: people choose their keys.
func realmsOwn(name string) bool {
	if own, ok := strings.CutPrefix(name, "krbtgt/"); ok {
		of, realm, _ := strings.Cut(own, "@")
		return of == realm
	}
	return strings.HasPrefix(name, "K/M@") || strings.HasPrefix(name, "kadmin/") ||
		strings.HasPrefix(name, "kiprop/") || strings.HasPrefix(name, "WELLKNOWN/")
}

// Accounts streams the principals apart from the realm's own.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the principals.
func (e *export) Parts(yield func(facts.Part) error) error {
	if e.text {
		return e.textParts(yield)
	}
	still := *e // as it is before anything is noted of accounts
	still.Noted = facts.Notes{}
	all := facts.Records[principal]{Notes: &e.Noted}
	all.Read = func(notes *facts.Notes, room func() (*principal, error)) error {
		return e.fromTables(notes, func(main string, p *principal) error {
			kept, err := room()
			if err == nil {
				*kept = *p
				kept.file = main
			}
			return err
		})
	}
	all.Filler = func() (func(*principal, *facts.Account) bool, *facts.Notes) {
		one := still
		return one.account, &one.Noted
	}
	return all.Parts(yield)
}

// account fills in a principal; false where it is one of the realm's own.
func (e *export) account(p *principal, a *facts.Account) bool {
	if realmsOwn(p.name) {
		return false
	}
	a.Origin = facts.Origin{File: p.file, Line: p.line}
	if p.name == "" {
		e.Noted.Refuse(a.Origin, "the principal has no name; it is left out")
		return false
	}
	e.fill(a, p)
	return true
}

func (e *export) fill(a *facts.Account, p *principal) {
	a.Login = p.name
	if i := strings.LastIndexByte(p.name, '@'); i > 0 {
		a.Login = p.name[:i]
	}
	if first, instance, ok := strings.Cut(a.Login, "/"); ok && (strings.Contains(instance, ".") || first == "krbtgt") {
		a.Kind = facts.Service
	}
	a.Privileged = e.administers(p.name)
	a.NeverExpires, a.BlankAllowed, a.Blank, a.PasswordUsable = facts.No, facts.No, facts.No, facts.Yes
	a.PasswordSet, a.PasswordExpires, a.LastSignIn = p.set, p.expires, p.success
	a.KeySet, a.Ends, a.Preauthenticates = p.set, p.ends, p.preauth
	if p.keys.Known && p.keys.N == 0 {
		a.PasswordUsable = facts.No
	}
	if p.hardware == facts.Yes {
		a.SecondFactor = facts.Yes // the password alone is refused
	}
	a.Storage = p.weakest
	a.Policy = p.policy
	a.MustChange, a.Enabled, a.CannotChange = p.mustChange, p.disallowed.Not(), facts.No
	if end := p.ends.Past(e.Read.AsOf.Unix()); a.Enabled != facts.No && !p.ends.IsNever() {
		if e.Read.AsOf.IsZero() {
			end = facts.Unknown
		}
		a.Enabled = end.Not()
	}
	e.outlives(a, p)
	e.lock(a, p)
}

// outlives notes where the stored end of a password is later than the policy
// has it: what is stored counts until the password is changed.
func (e *export) outlives(a *facts.Account, p *principal) {
	policy := e.Read.Policy(p.policy)
	if policy == nil {
		return
	}
	life, ages := policy.Value(setting.MaxAge).Span()
	set, changed := p.set.Unix()
	origin := a.Origin
	origin.Text = "Password expiration date: " + p.expires.String()
	end, ends := p.expires.Unix()
	switch {
	case !ages:
	case p.expires.IsNever():
		a.Override(setting.MaxAge, setting.OffValue, origin)
	case ends && changed && end > set+life.Seconds+int64(life.Days)*86400:
		a.Override(setting.MaxAge, setting.Seconds(end-set), origin)
	}
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
		if p.failures.Known && l.reset > 0 && asOf.Sub(failed) > time.Duration(l.reset)*time.Second {
			a.Failures = facts.CountOf(0)
		}
	}
	if l.unknown {
		return
	}
	a.Locked = facts.No
	locks := e.profile.lockouts(e.realm)
	switch {
	case l.attempts == 0, locks == facts.No, p.failures.Known && int64(p.failures.N) < l.attempts:
	case !p.failures.Known, !p.failed.Known():
		a.Locked = facts.Unknown
	default:
		if a.LockFor(p.failed, l.duration, asOf); a.Locked == facts.Yes && locks == facts.Unknown {
			a.Locked, a.LockedSince, a.LockedUntil = facts.Unknown, facts.Moment{}, facts.Moment{}
		}
	}
}

// keyGrade grades a kind of key: those of AES are made with thousands of
// salted rounds, those of RC4 are a hash without salt, DES falls at once.
func keyGrade(kind string) setting.Value {
	if _, after, ok := strings.Cut(kind, ":"); ok {
		kind = after // DEPRECATED or UNSUPPORTED
	}
	if n, err := strconv.Atoi(kind); err == nil {
		kind = keyNumbers[n]
	}
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

// keyNumbers are what tabdump -n prints for kinds of keys (RFC 3961 and those
// after it).
var keyNumbers = map[int]string{1: "des", 2: "des", 3: "des", 5: "des3", 7: "des3", 16: "des3", 17: "aes", 18: "aes", 19: "aes",
	20: "aes", 23: "rc4", 24: "rc4", 25: "camellia", 26: "camellia"}

// weaker keeps the weaker of two grades; the first one counts alone.
func weaker(a, b setting.Value) setting.Value {
	if !a.Known() {
		return b
	}
	return setting.At(setting.Storage).Loosest(a, b)
}
