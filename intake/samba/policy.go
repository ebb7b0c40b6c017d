package samba

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/ldif"
	"yewcone/intake/stamp"
)

// attributes names where the settings stand; a settings object of its own has
// other names than the domain.
type attributes struct {
	length, complexity, reversible, history, minAge, maxAge, attempts, duration, window string
}

var (
	domainAttributes = attributes{"minPwdLength", "pwdProperties", "pwdProperties", "pwdHistoryLength", "minPwdAge",
		"maxPwdAge", "lockoutThreshold", "lockoutDuration", "lockOutObservationWindow"}
	objectAttributes = attributes{"msDS-MinimumPasswordLength", "msDS-PasswordComplexityEnabled",
		"msDS-PasswordReversibleEncryptionEnabled", "msDS-PasswordHistoryLength", "msDS-MinimumPasswordAge",
		"msDS-MaximumPasswordAge", "msDS-LockoutThreshold", "msDS-LockoutDuration", "msDS-LockoutObservationWindow"}
)

// The bits of pwdProperties.
const (
	propertyComplex    = 1
	propertyReversible = 16
)

// policyReader turns one entry into settings.
type policyReader struct {
	e      *export
	x      *ldif.Entry
	file   string
	policy *facts.Policy
}

func (e *export) addPolicy(file string, x *ldif.Entry, name string, from attributes) {
	if e.Read.Policy(name) != nil {
		e.Noted.Refuse(facts.Origin{File: file, Line: x.Line}, "the policy %q stands here a second time; the first counts", name)
		return
	}
	if e.entries == nil {
		e.entries = map[string]*ldif.Entry{}
	}
	kept := *x
	kept.Attrs = slices.Clone(x.Attrs)
	e.entries[name] = &kept
	e.Read.Policies = append(e.Read.Policies, facts.Policy{Name: name, Origin: facts.Origin{File: file, Line: x.Line}})
	p := &policyReader{e: e, x: x, file: file, policy: &e.Read.Policies[len(e.Read.Policies)-1]}
	if at, ok := stamp.Generalized(x.Text("whenchanged")); ok {
		p.policy.Changed = facts.At(at)
	}
	s := settings{reversible: p.on(from.reversible, propertyReversible), guid: guidBytes(x.Text("objectguid"))}
	if name != domain {
		var ok bool
		if s.precedence, ok = p.number("msDS-PasswordSettingsPrecedence"); !ok {
			e.Noted.Refuse(facts.Origin{File: file, Line: x.Line},
				"the settings object %q has no msDS-PasswordSettingsPrecedence; whether it comes before others is unknown",
				name)
		}
	}
	if missing := p.missing(from); len(missing) > 0 {
		e.Noted.Remark(facts.Origin{File: file, Line: x.Line},
			"%s of the policy %q %s not in the export; what it says is unknown", strings.Join(missing, ", "), name,
			map[bool]string{true: "is", false: "are"}[len(missing) == 1])
		s.unknownLock = slices.Contains(missing, from.attempts) || slices.Contains(missing, from.duration) ||
			slices.Contains(missing, from.window)
	}
	p.policy.Priority = int(s.precedence)
	p.complexity(from, s.reversible)
	p.count(setting.History, from.history)
	p.ages(from)
	p.lockout(from, &s)
	e.policies[name] = s
}

// missing lists the attributes that a policy always has and this one has not.
func (p *policyReader) missing(from attributes) []string {
	var list []string
	for _, name := range []string{from.length, from.complexity, from.reversible, from.history, from.minAge, from.maxAge,
		from.attempts, from.duration, from.window} {
		if p.x.Text(strings.ToLower(name)) == "" && !slices.Contains(list, name) {
			list = append(list, name)
		}
	}
	return list
}

func (p *policyReader) origin(attr string) facts.Origin {
	a, ok := p.x.First(strings.ToLower(attr))
	if !ok {
		return facts.Origin{File: p.file, Line: p.x.Line, Place: p.x.DN, Text: attr + " absent"}
	}
	return facts.Origin{File: p.file, Line: a.Line, Place: p.x.DN, Text: attr + ": " + a.Value}
}

// number reads an attribute; false when it is absent or no number, which is
// noted.
func (p *policyReader) number(attr string) (int64, bool) {
	a, ok := p.x.First(strings.ToLower(attr))
	if !ok {
		return 0, false
	}
	n, err := strconv.ParseInt(a.Value, 10, 64)
	if err != nil {
		p.e.Noted.Refuse(facts.Origin{File: p.file, Line: a.Line}, "%s of the policy %q is no whole number", attr, p.policy.Name)
	}
	return n, err == nil
}

// on reads a switch: TRUE in a settings object, a bit in the domain.
func (p *policyReader) on(attr string, bit int64) bool {
	if a, ok := p.x.First(strings.ToLower(attr)); ok && strings.EqualFold(a.Value, "TRUE") {
		return true
	}
	if attr != "pwdProperties" {
		return false
	}
	n, _ := p.number(attr)
	return n&bit != 0
}

func (p *policyReader) set(id setting.ID, attr string, v setting.Value) {
	p.policy.Set(id, v, p.origin(attr))
}

// count sets a number of which 0 means off; an absent one stays unknown.
func (p *policyReader) count(id setting.ID, attr string) {
	if n, ok := p.number(attr); ok && n > 0 {
		p.set(id, attr, setting.Count(n))
	} else if ok {
		p.set(id, attr, setting.OffValue)
	}
}

func (p *policyReader) complexity(from attributes, reversible bool) {
	p.count(setting.MinLength, from.length)
	if p.policy.Value(setting.MinLength).State() == setting.Amount {
		p.set(setting.BlankAllowed, from.length, setting.No)
	}
	if p.on(from.complexity, propertyComplex) {
		p.set(setting.MinClasses, from.complexity, setting.Count(3))
	} else if p.x.Text(strings.ToLower(from.complexity)) != "" {
		p.set(setting.MinClasses, from.complexity, setting.OffValue)
	}
	if p.x.Text(strings.ToLower(from.reversible)) == "" {
		p.ofTheServer(from)
		return
	}
	origin := p.origin(from.reversible)
	origin.Text += "; the domain keeps a hash without salt"
	if reversible {
		origin.Text += ", and the password itself for accounts that are marked for it"
	}
	p.policy.Set(setting.Storage, setting.StoredUnsalted, origin)
	p.ofTheServer(from)
}

// ofTheServer are the settings that a domain has not.
func (p *policyReader) ofTheServer(from attributes) {
	p.set(setting.SourceAttempts, from.attempts, setting.OffValue)
	p.set(setting.MaxLength, from.length, setting.OffValue)
	origin := p.policy.Origin
	origin.Text = "a domain has no such setting"
	intake.AnyCharacters(p.policy, origin)
}

// span reads a negative count of 100 ns as a positive one; for ever is
// math.MaxInt64.
func (p *policyReader) span(attr string) (int64, bool) {
	n, ok := p.number(attr)
	switch {
	case !ok:
		return 0, false
	case n == forEver:
		return math.MaxInt64, true
	case n > 0:
		p.e.Noted.Refuse(p.origin(attr), "a length of time is negative here, and this one is not")
		return 0, false
	}
	return -n, true
}

func (p *policyReader) ages(from attributes) {
	if n, ok := p.span(from.maxAge); ok {
		switch v := seconds(n); {
		case n == 0 || n == math.MaxInt64:
			p.set(setting.MaxAge, from.maxAge, setting.OffValue)
		case n <= ticksPerDay:
			p.set(setting.MaxAge, from.maxAge, v)
			p.e.brief = append(p.e.brief, p.policy.Name)
		default:
			p.set(setting.MaxAge, from.maxAge, v)
		}
	}
	if n, ok := p.span(from.minAge); ok {
		v := seconds(n)
		if n == 0 || n == math.MaxInt64 {
			v = setting.OffValue
		}
		p.set(setting.MinAge, from.minAge, v)
	}
}

// settleBrief says of ages of up to one day what the server's version makes of
// them, once all was read.
func (e *export) settleBrief() {
	for _, name := range e.brief {
		p := e.Read.Policy(name)
		origin := p.Value(setting.MaxAge).Origin
		switch e.short {
		case facts.Unknown:
			origin.Text += ": never or as it says, by the version of the server, which the export does not tell"
			p.Hide(setting.MaxAge, origin)
		case facts.No:
			p.Set(setting.MaxAge, setting.OffValue, origin)
		}
	}
}

func (p *policyReader) lockout(from attributes, s *settings) {
	attempts, ok := p.number(from.attempts)
	if !ok {
		return
	}
	window, hasWindow := p.span(from.window)
	duration, hasDuration := p.span(from.duration)
	s.window, s.duration = window, duration
	if duration == math.MaxInt64 {
		s.duration = 0
	}
	switch {
	case attempts <= 0:
		p.set(setting.LockoutAttempts, from.attempts, setting.OffValue)
	default:
		p.set(setting.LockoutAttempts, from.attempts, setting.Count(attempts))
	}
	switch {
	case hasWindow && window == math.MaxInt64:
		p.set(setting.LockoutWindow, from.window, setting.OffValue)
	case hasWindow && window == 0:
		origin := p.origin(from.window)
		origin.Text += ": a failure counts to the end of its second"
		p.policy.Set(setting.LockoutWindow, setting.Seconds(1), origin)
	case hasWindow:
		p.set(setting.LockoutWindow, from.window, seconds(window))
	}
	if hasDuration && s.duration == 0 {
		p.set(setting.LockoutDuration, from.duration, setting.UntilUnlockedValue)
	} else if hasDuration {
		p.set(setting.LockoutDuration, from.duration, seconds(duration))
	}
	p.set(setting.LockoutCoversAdmins, from.attempts, setting.Yes)
}
