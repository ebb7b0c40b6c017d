package directory

import (
	"strconv"
	"strings"

	"yewcone/core/check"
	"yewcone/core/remedy"
	"yewcone/core/setting"
	"yewcone/intake/ldif"
)

// attributeOf are the attributes that hold a number, 0 for what is off.
var attributeOf = map[setting.ID]string{
	setting.History: "pwdInHistory", setting.MaxAge: "pwdMaxAge", setting.MinAge: "pwdMinAge", setting.WarnBefore: "pwdExpireWarning",
	setting.GracePeriod: "pwdGraceExpiry", setting.GraceSignIns: "pwdGraceAuthNLimit", setting.LockoutWindow: "pwdFailureCountInterval",
	setting.LockoutDuration: "pwdLockoutDuration", setting.FailureDelay: "pwdMinDelay", setting.DormantAfter: "pwdMaxIdle",
	setting.MinLength: "pwdMinLength", setting.MaxLength: "pwdMaxLength", setting.LockoutAttempts: "pwdMaxFailure",
}

// flagOf are those that hold TRUE or FALSE.
var flagOf = map[setting.ID]string{setting.ChangeAtFirstUse: "pwdMustChange", setting.SelfChange: "pwdAllowUserChange"}

// Remedy writes LDIF for the entries of policies.
func (e *export) Remedy(steps []remedy.Step, undo bool) ([]remedy.Block, []remedy.Cannot) {
	w := ldif.Writer{Where: "ldapmodify, as who may write the policies", Entry: e.entryOf, Set: setAttribute,
		None: "the server does this where no policy holds: assign a policy, or name a default"}
	return w.Remedy(steps, undo)
}

func (e *export) entryOf(policy string) *ldif.Entry {
	for i := range e.Read.Policies {
		if e.Read.Policies[i].Name == policy && i < len(e.entries) {
			return e.entries[i]
		}
	}
	return nil
}

// setAttribute says why a step cannot be said; "" where it was.
func setAttribute(m *ldif.Modification, x *ldif.Entry, s *remedy.Step) string {
	if name := flagOf[s.Setting]; name != "" {
		yes, _ := s.To.Flag()
		m.Set(name, strings.ToUpper(strconv.FormatBool(yes)))
		return ""
	}
	name := attributeOf[s.Setting]
	switch {
	case s.Setting == setting.Storage:
		return "how the server stores passwords stands in its configuration, olcPasswordHash of the frontend"
	case s.Setting == setting.BlankAllowed && s.To == setting.No:
		return "a smallest length refuses empty passwords: set min_length"
	case name == "":
		return "a policy has no attribute for it; a check module (pwdCheckModule) may do it"
	}
	n, ok := s.To.Count()
	if !ok {
		n = remedy.Seconds(s.To)
	}
	switch s.Setting {
	case setting.MinLength, setting.MaxLength:
		if q := x.Text("pwdcheckquality"); n > 0 && (q == "" || q == "0") {
			m.Set("pwdCheckQuality", "2") // without it lengths are not enforced
		}
	case setting.LockoutAttempts:
		on := s.To.State() != setting.Off
		if m.Switch(x, "pwdLockout", strings.ToUpper(strconv.FormatBool(on))); !on {
			return ""
		}
	}
	m.Set(name, strconv.FormatInt(n, 10))
	return ""
}

// Account writes LDIF for an entry. What a policy does not look at is not
// written: under none, nothing is.
func (e *export) Account(act remedy.Act, who remedy.Who, undo bool) (where, language string, lines []string) {
	p := e.Read.Policy(who.Policy)
	if who.DN == "" || p == nil || p == e.Read.NoPolicy || e.foreign {
		return "", "", nil
	}
	switch asks := p.Value(setting.ChangeAtFirstUse).Value == setting.Yes; {
	case act.Act == check.AskNew && asks && undo:
		lines = ldif.Delete(who.DN, "pwdReset")
	case act.Act == check.AskNew && asks:
		lines = ldif.Replace(who.DN, "pwdReset", "TRUE")
	case act.Act == check.Shut && undo:
		lines = ldif.Delete(who.DN, "pwdEndTime")
	case act.Act == check.Shut:
		lines = ldif.Replace(who.DN, "pwdEndTime", "19700101000000Z")
	case act.Act == check.Unlock && !undo:
		lines = ldif.Delete(who.DN, "pwdAccountLockedTime")
	}
	return "ldapmodify, as who may write these entries", remedy.LDIF, lines
}
