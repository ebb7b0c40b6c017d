package ds389

import (
	"strconv"

	"yewcone/core/check"
	"yewcone/core/remedy"
	"yewcone/core/setting"
	"yewcone/intake/ldif"
)

// attributeOf are the attributes that hold a number, with the switch without
// which it does not count; "" for none.
var attributeOf = map[setting.ID][2]string{
	setting.MinLength: {"passwordMinLength", "passwordCheckSyntax"}, setting.MinDigits: {"passwordMinDigits", "passwordCheckSyntax"},
	setting.MinLetters: {"passwordMinAlphas", "passwordCheckSyntax"}, setting.MinUpper: {"passwordMinUppers", "passwordCheckSyntax"},
	setting.MinLower: {"passwordMinLowers", "passwordCheckSyntax"}, setting.MinSymbols: {"passwordMinSpecials", "passwordCheckSyntax"},
	setting.MinClasses: {"passwordMinCategories", "passwordCheckSyntax"}, setting.MaxRepeat: {"passwordMaxRepeats", "passwordCheckSyntax"},
	setting.History: {"passwordInHistory", "passwordHistory"}, setting.MaxAge: {"passwordMaxAge", "passwordExp"},
	setting.MinAge: {"passwordMinAge", ""}, setting.WarnBefore: {"passwordWarning", ""}, setting.GraceSignIns: {"passwordGraceLimit", ""},
	setting.LockoutAttempts: {"passwordMaxFailure", "passwordLockout"}, setting.LockoutWindow: {"passwordResetFailureCount", ""},
	setting.LockoutDuration: {"passwordLockoutDuration", "passwordUnlock"},
}

// flagOf are those that hold on or off, with the switch that they need.
var flagOf = map[setting.ID][2]string{
	setting.ChangeAtFirstUse: {"passwordMustChange", ""}, setting.SelfChange: {"passwordChange", ""},
	setting.DictionaryBarred: {"passwordDictCheck", "passwordCheckSyntax"},
}

const manager = "ldapmodify, as the Directory Manager"

// Remedy writes LDIF for cn=config and the entries of local policies.
func (e *export) Remedy(steps []remedy.Step, undo bool) ([]remedy.Block, []remedy.Cannot) {
	w := ldif.Writer{Where: manager, Set: setAttribute, None: "the policy is not in the export",
		Entry: func(policy string) *ldif.Entry { return e.entries[policy] }}
	return w.Remedy(steps, undo)
}

func setAttribute(m *ldif.Modification, x *ldif.Entry, s *remedy.Step) string {
	if f, ok := flagOf[s.Setting]; ok {
		yes, _ := s.To.Flag()
		if yes && f[1] != "" {
			m.Switch(x, f[1], "on")
		}
		m.Set(f[0], map[bool]string{true: "on", false: "off"}[yes])
		return ""
	}
	a, ok := attributeOf[s.Setting]
	switch {
	case s.Setting == setting.Storage:
		return "set passwordStorageScheme to a scheme that the server has, such as PBKDF2-SHA512"
	case !ok:
		return "the server has no attribute for it"
	}
	n, counts := s.To.Count()
	if !counts {
		n = remedy.Seconds(s.To)
	}
	switch state := s.To.State(); {
	case state == setting.UntilUnlocked:
		m.Switch(x, a[1], "off")
		return ""
	case state == setting.Off && a[1] != "" && a[1] != "passwordCheckSyntax":
		m.Switch(x, a[1], "off")
		return ""
	case a[1] != "":
		m.Switch(x, a[1], "on")
	}
	m.Set(a[0], strconv.FormatInt(n, 10))
	return ""
}

// Account writes LDIF for an entry. An end in the past is looked at only where
// the policy lets passwords expire.
func (e *export) Account(act remedy.Act, who remedy.Who, undo bool) (where, language string, lines []string) {
	p := e.Read.Policy(who.Policy)
	switch {
	case who.DN == "":
	case act.Act == check.Shut && undo:
		lines = ldif.Delete(who.DN, "nsAccountLock")
	case act.Act == check.Shut:
		lines = ldif.Replace(who.DN, "nsAccountLock", "true")
	case act.Act == check.Unlock && !undo:
		lines = ldif.Replace(who.DN, "passwordRetryCount", "0")
		lines = append(lines, append([]string{""}, ldif.Delete(who.DN, "accountUnlockTime")...)...)
	case act.Act == check.AskNew && !undo && p != nil && p.Value(setting.ChangeAtFirstUse).Value == setting.Yes:
		lines = ldif.Replace(who.DN, "passwordExpirationTime", "19700101000000Z")
	}
	return manager, remedy.LDIF, lines
}
