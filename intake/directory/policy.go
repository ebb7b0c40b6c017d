package directory

import (
	"cmp"
	"strconv"
	"strings"
	"time"

	"yewcone/core/estate"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/ldif"
	"yewcone/intake/stamp"
)

// policy is what the reader itself needs of a policy to judge an account.
type policy struct {
	lockout    bool
	forSeconds int64 // length of a lock; 0 until an administrator acts
	window     int64 // how long failures count; 0 for ever
	mustChange bool
	unknown    bool // the export does not have it
}

// answer is a switch of the policy, unknown where the policy is.
func (p *policy) answer(yes bool) estate.Tri {
	if p.unknown {
		return estate.Unknown
	}
	return estate.TriOf(yes)
}

// policyReader turns one pwdPolicy entry into settings.
type policyReader struct {
	e      *export
	x      *ldif.Entry
	file   string
	policy *estate.Policy
}

func (e *export) addPolicy(file string, x *ldif.Entry) {
	dn := ldif.NormalDN(x.DN)
	if _, twice := e.byDN[dn]; twice {
		return
	}
	name := cmp.Or(x.Text("cn"), ldif.FirstName(x.DN))
	if name == "" || e.system.Policy(name) != nil {
		name = x.DN
	}
	e.byDN[dn] = len(e.system.Policies)
	e.system.Policies = append(e.system.Policies, estate.Policy{Name: name, Origin: estate.Origin{File: file, Line: x.Line}})
	p := &policyReader{e: e, x: x, file: file, policy: &e.system.Policies[len(e.system.Policies)-1]}
	if at, ok := stamp.Generalized(x.Text("modifytimestamp")); ok {
		p.policy.Changed = estate.At(at)
	}
	p.complexity()
	p.age()
	p.lockout()
	p.e.policies = append(p.e.policies, policy{
		lockout: p.flag("pwdlockout", false), forSeconds: p.number("pwdlockoutduration"),
		window: p.number("pwdfailurecountinterval"), mustChange: p.flag("pwdmustchange", false),
	})
}

// origin is where an attribute stands, or the entry if it lacks it.
func (p *policyReader) origin(attr string) estate.Origin {
	if a, ok := p.x.First(strings.ToLower(attr)); ok {
		return estate.Origin{File: p.file, Line: a.Line, Place: p.x.DN, Text: attr + ": " + a.Value}
	}
	return estate.Origin{File: p.file, Line: p.x.Line, Place: p.x.DN, Text: attr + " absent"}
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
		p.e.notes.Refuse(estate.Origin{File: p.file, Line: a.Line}, "%s of the policy %q is no whole number", attr, p.policy.Name)
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

func (p *policyReader) set(name, attr string, v setting.Value) {
	p.policy.Set(setting.Must(name), v, p.origin(attr))
}

// count sets a number of which 0 and absent mean off.
func (p *policyReader) count(name, attr string) {
	v := setting.OffValue
	if n := p.number(attr); n > 0 {
		v = setting.Count(n)
	}
	p.set(name, attr, v)
}

// seconds sets a length of which 0 and absent mean the given value.
func (p *policyReader) seconds(name, attr string, zero setting.Value) {
	v := zero
	if n := min(p.number(attr), int64(100*365*24*time.Hour/time.Second)); n > 0 {
		v = setting.Seconds(n)
	}
	p.set(name, attr, v)
}

func (p *policyReader) complexity() {
	if p.number("pwdCheckQuality") == 0 {
		origin := p.origin("pwdCheckQuality")
		origin.Text = strings.TrimSuffix(origin.Text, " absent") + ", so that lengths are not enforced"
		p.policy.Set(setting.Must("min_length"), setting.OffValue, origin)
		p.policy.Set(setting.Must("max_length"), setting.OffValue, origin)
	} else {
		p.count("min_length", "pwdMinLength")
		p.count("max_length", "pwdMaxLength")
	}
	if v := p.policy.Value(setting.Must("min_length")); v.State() == setting.Amount {
		p.set("blank_allowed", "pwdMinLength", setting.No)
	}
	p.count("history", "pwdInHistory")
	p.set("reuse_after", "pwdInHistory", setting.OffValue)
	if p.openLDAP() && p.x.Text("pwdcheckmodule") == "" && !p.flag("pwdUseCheckModule", false) {
		p.noComposition()
	}
}

// openLDAP: only this server stamps its entries with entryCSN.
func (p *policyReader) openLDAP() bool { return p.x.Text("entrycsn") != "" }

// noComposition: without a check module the server looks at nothing but the
// length.
func (p *policyReader) noComposition() {
	origin := p.origin("pwdCheckModule")
	origin.Text = "no check module, so that only the length is looked at"
	for _, name := range []string{"min_classes", "min_letters", "min_lower", "min_upper", "min_digits", "min_symbols",
		"max_repeat", "max_run", "min_distinct", "min_changed"} {
		p.policy.Set(setting.Must(name), setting.OffValue, origin)
	}
	for _, name := range []string{"login_reversed_barred", "names_barred", "description_barred", "common_barred",
		"dictionary_barred", "breached_barred"} {
		p.policy.Set(setting.Must(name), setting.No, origin)
	}
	p.policy.Set(setting.Must("login_barred"), setting.ChoiceAt(0), origin)
	intake.AnyCharacters(p.policy, origin)
}

func (p *policyReader) age() {
	p.seconds("max_age", "pwdMaxAge", setting.OffValue)
	p.seconds("min_age", "pwdMinAge", setting.OffValue)
	p.seconds("warn_before", "pwdExpireWarning", setting.OffValue)
	p.set("grace_signins", "pwdGraceAuthNLimit", setting.Count(p.number("pwdGraceAuthNLimit")))
	p.set("change_at_first_use", "pwdMustChange", setting.YesNo(p.flag("pwdMustChange", false)))
	p.set("self_change", "pwdAllowUserChange", setting.YesNo(p.flag("pwdAllowUserChange", true)))
}

func (p *policyReader) lockout() {
	attempts := setting.OffValue
	origin := p.origin("pwdLockout")
	if p.flag("pwdLockout", false) {
		origin = p.origin("pwdMaxFailure")
		if n := p.number("pwdMaxFailure"); n > 0 {
			attempts = setting.Count(n)
		}
	}
	p.policy.Set(setting.Must("lockout_attempts"), attempts, origin)
	p.seconds("lockout_window", "pwdFailureCountInterval", setting.OffValue)
	p.seconds("lockout_duration", "pwdLockoutDuration", setting.UntilUnlockedValue)
	p.set("lockout_covers_admins", "pwdLockout", setting.Yes)
	if p.openLDAP() {
		p.seconds("failure_delay", "pwdMinDelay", setting.OffValue)
		p.seconds("dormant_after", "pwdMaxIdle", setting.OffValue)
		p.set("source_attempts", "pwdLockout", setting.OffValue)
	}
}
