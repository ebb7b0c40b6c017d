package directory

import (
	"cmp"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/ldif"
	"yewcone/intake/stamp"
)

// policy is what the reader itself needs of a policy to judge an account.
type policy struct {
	lockout    facts.Tri
	forSeconds facts.Counted // length of a lock; 0 until an administrator acts
	window     facts.Counted // how long failures count; 0 for ever
	mustChange facts.Tri
	idle       facts.Counted // how long an account may go unused; 0 for ever
	noGrace    bool          // not one sign-in with a password that is over
	unknown    bool          // the export does not have it
	bare       bool          // there is none
}

// policyReader turns one pwdPolicy entry into settings.
type policyReader struct {
	e      *export
	x      *ldif.Entry
	file   string
	policy *facts.Policy
}

// addPolicies reads the policies once it is known what the view shows of them:
// an attribute that one policy has would be shown on the others too.
func (e *export) addPolicies() {
	e.shown = map[string]bool{}
	for _, p := range e.ofPolicies {
		for i := range p.entry.Attrs {
			e.shown[p.entry.Attrs[i].Name] = true
		}
	}
	for _, p := range e.ofPolicies {
		e.addPolicy(p.file, p.entry)
	}
}

func (e *export) addPolicy(file string, x *ldif.Entry) {
	dn := ldif.NormalDN(x.DN)
	if _, twice := e.byDN[dn]; twice {
		return
	}
	name := cmp.Or(x.Text("cn"), ldif.FirstName(x.DN))
	if name == "" || e.Read.Policy(name) != nil {
		name = x.DN
	}
	e.byDN[dn] = len(e.Read.Policies)
	e.Read.Policies = append(e.Read.Policies, facts.Policy{Name: name, Origin: facts.Origin{File: file, Line: x.Line}})
	e.entries = append(e.entries, x)
	p := &policyReader{e: e, x: x, file: file, policy: &e.Read.Policies[len(e.Read.Policies)-1]}
	if at, ok := stamp.Generalized(x.Text("modifytimestamp")); ok {
		p.policy.Changed = facts.At(at)
	}
	p.complexity()
	p.age()
	p.lockout()
	p.e.policies = append(p.e.policies, policy{
		lockout: p.switchOf("pwdlockout"), forSeconds: p.counted("pwdlockoutduration"),
		window: p.counted("pwdfailurecountinterval"), mustChange: p.switchOf("pwdmustchange"),
		idle: p.counted("pwdmaxidle"), noGrace: p.noGrace(),
	})
}

// origin is where an attribute stands, or the entry if it lacks it.
func (p *policyReader) origin(attr string) facts.Origin {
	if a, ok := p.x.First(strings.ToLower(attr)); ok {
		return facts.Origin{File: p.file, Line: a.Line, Place: p.x.DN, Text: attr + ": " + a.Value}
	}
	return facts.Origin{File: p.file, Line: p.x.Line, Place: p.x.DN, Text: attr + " absent"}
}

// hidden reports whether an attribute is absent from the entry, and the view
// may have left it out: then what it says is unknown, not the server's default.
func (p *policyReader) hidden(attr string) bool {
	lower := strings.ToLower(attr)
	_, there := p.x.First(lower)
	return !there && (p.e.foreign || !p.e.Read.View.Whole && !p.e.shown[lower])
}

func (p *policyReader) switchOf(attr string) facts.Tri {
	if p.hidden(attr) {
		return facts.Unknown
	}
	return facts.TriOf(p.flag(attr, false))
}

func (p *policyReader) counted(attr string) facts.Counted {
	return facts.Counted{N: int(p.number(attr)), Known: !p.hidden(attr)}
}

// number reads an attribute; absent is 0, and so is what is no number, which
// is noted.
func (p *policyReader) number(attr string) int64 {
	a, ok := p.x.First(strings.ToLower(attr))
	if !ok {
		return 0
	}
	n, err := strconv.ParseInt(a.Value, 10, 64)
	if err != nil || n < 0 {
		p.e.Noted.Refuse(facts.Origin{File: p.file, Line: a.Line}, "%s of the policy %q is no whole number", attr, p.policy.Name)
		return 0
	}
	return n
}

func (p *policyReader) flag(attr string, absent bool) bool {
	a, ok := p.x.First(strings.ToLower(attr))
	if !ok {
		return absent
	}
	return strings.EqualFold(a.Value, "TRUE")
}

// set records what follows from an attribute; nothing where it is hidden.
func (p *policyReader) set(id setting.ID, attr string, v setting.Value) {
	if !p.hidden(attr) {
		p.policy.Set(id, v, p.origin(attr))
	}
}

// count sets a number of which 0 and absent mean off.
func (p *policyReader) count(id setting.ID, attr string) {
	v := setting.OffValue
	if n := p.number(attr); n > 0 {
		v = setting.Count(n)
	}
	p.set(id, attr, v)
}

// seconds sets a length of which 0 and absent mean the given value.
func (p *policyReader) seconds(id setting.ID, attr string, zero setting.Value) {
	v := zero
	if n := min(p.number(attr), int64(100*365*24*time.Hour/time.Second)); n > 0 {
		v = setting.Seconds(n)
	}
	p.set(id, attr, v)
}

func (p *policyReader) complexity() {
	switch {
	case p.hidden("pwdCheckQuality"):
	case p.number("pwdCheckQuality") == 0:
		origin := p.origin("pwdCheckQuality")
		origin.Text = strings.TrimSuffix(origin.Text, " absent") + ", so that lengths are not enforced"
		p.policy.Set(setting.MinLength, setting.OffValue, origin)
		p.policy.Set(setting.MaxLength, setting.OffValue, origin)
	default:
		p.count(setting.MinLength, "pwdMinLength")
		p.count(setting.MaxLength, "pwdMaxLength")
	}
	if v := p.policy.Value(setting.MinLength); v.State() == setting.Amount {
		p.set(setting.BlankAllowed, "pwdMinLength", setting.No)
	}
	p.count(setting.History, "pwdInHistory")
	p.set(setting.ReuseAfter, "pwdInHistory", setting.OffValue)
	if p.openLDAP() && !p.hidden("pwdCheckModule") && p.x.Text("pwdcheckmodule") == "" && !p.hidden("pwdUseCheckModule") &&
		!p.flag("pwdUseCheckModule", false) {
		origin := p.origin("pwdCheckModule")
		origin.Text = "no check module, so that only the length is looked at"
		noComposition(p.policy, origin)
	}
	if v := p.e.config.newStorage(); p.e.config.there && v.Known() {
		origin := p.policy.Origin
		origin.Text = "olcPasswordHash, for all passwords that are set from now on"
		p.policy.Set(setting.Storage, v, origin)
	}
}

// openLDAP: only this server stamps its entries with entryCSN.
func (p *policyReader) openLDAP() bool { return p.x.Text("entrycsn") != "" }

// noComposition: without a check module the server looks at nothing but the
// length.
func noComposition(p *facts.Policy, origin facts.Origin) {
	for _, id := range []setting.ID{setting.MinClasses, setting.MinLetters, setting.MinLower, setting.MinUpper,
		setting.MinDigits, setting.MinSymbols,
		setting.MaxRepeat, setting.MaxRun, setting.MinDistinct, setting.MinChanged} {
		p.Set(id, setting.OffValue, origin)
	}
	for _, id := range []setting.ID{setting.LoginReversedBarred, setting.NamesBarred, setting.DescriptionBarred, setting.CommonBarred,
		setting.DictionaryBarred, setting.BreachedBarred} {
		p.Set(id, setting.No, origin)
	}
	p.Set(setting.LoginBarred, setting.LoginAccepted, origin)
	intake.AnyCharacters(p, origin)
}

// noGrace: not one sign-in with a password that is over.
func (p *policyReader) noGrace() bool {
	return !p.hidden("pwdGraceAuthNLimit") && p.number("pwdGraceAuthNLimit") == 0
}

func (p *policyReader) age() {
	p.seconds(setting.MaxAge, "pwdMaxAge", setting.OffValue)
	p.seconds(setting.MinAge, "pwdMinAge", setting.OffValue)
	p.seconds(setting.WarnBefore, "pwdExpireWarning", setting.OffValue)
	if p.number("pwdGraceExpiry") > 0 && !p.noGrace() { // it bounds sign-ins that there must be
		p.seconds(setting.GracePeriod, "pwdGraceExpiry", setting.OffValue)
	}
	p.set(setting.GraceSignIns, "pwdGraceAuthNLimit", setting.Count(p.number("pwdGraceAuthNLimit")))
	p.set(setting.ChangeAtFirstUse, "pwdMustChange", setting.YesNo(p.flag("pwdMustChange", false)))
	p.set(setting.SelfChange, "pwdAllowUserChange", setting.YesNo(p.flag("pwdAllowUserChange", true)))
}

func (p *policyReader) lockout() {
	locks := p.switchOf("pwdLockout")
	switch locks {
	case facts.No:
		p.set(setting.LockoutAttempts, "pwdLockout", setting.OffValue)
	case facts.Yes:
		p.count(setting.LockoutAttempts, "pwdMaxFailure")
	}
	p.seconds(setting.LockoutWindow, "pwdFailureCountInterval", setting.OffValue)
	p.seconds(setting.LockoutDuration, "pwdLockoutDuration", setting.UntilUnlockedValue)
	p.set(setting.LockoutCoversAdmins, "pwdLockout", setting.Yes)
	if p.openLDAP() {
		p.seconds(setting.FailureDelay, "pwdMinDelay", setting.OffValue)
		switch locks { // without it, who was away is not locked either
		case facts.No:
			p.set(setting.DormantAfter, "pwdLockout", setting.OffValue)
		case facts.Yes:
			p.seconds(setting.DormantAfter, "pwdMaxIdle", setting.OffValue)
		}
		p.set(setting.SourceAttempts, "pwdLockout", setting.OffValue)
	}
}
