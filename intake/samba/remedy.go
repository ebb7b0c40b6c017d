package samba

import (
	"strconv"
	"strings"

	"yewcone/core/check"
	"yewcone/core/remedy"
	"yewcone/core/setting"
	"yewcone/intake/ldif"
)

const tools = "ldbmodify -H /var/lib/samba/private/sam.ldb on the domain controller, or ldapmodify as an administrator"

// Remedy writes LDIF for the domain and its settings objects.
func (e *export) Remedy(steps []remedy.Step, undo bool) ([]remedy.Block, []remedy.Cannot) {
	w := ldif.Writer{Where: tools, Set: setAttribute, None: "the policy is not in the export",
		Entry: func(policy string) *ldif.Entry { return e.entries[policy] }}
	return w.Remedy(steps, undo)
}

func setAttribute(m *ldif.Modification, x *ldif.Entry, s *remedy.Step) string {
	from, ofDomain := objectAttributes, false
	if x.Text("pwdproperties") != "" || x.Text("minpwdlength") != "" {
		from, ofDomain = domainAttributes, true
	}
	n, _ := s.To.Count()
	switch s.Setting {
	case setting.MinLength:
		m.Set(from.length, strconv.FormatInt(n, 10))
	case setting.History:
		m.Set(from.history, strconv.FormatInt(n, 10))
	case setting.LockoutAttempts:
		m.Set(from.attempts, strconv.FormatInt(n, 10))
	case setting.MaxAge:
		m.Set(from.maxAge, inTicks(s.To, forEver))
	case setting.MinAge:
		m.Set(from.minAge, inTicks(s.To, 0))
	case setting.LockoutWindow:
		m.Set(from.window, inTicks(s.To, forEver))
	case setting.LockoutDuration:
		m.Set(from.duration, inTicks(s.To, forEver))
	case setting.MinClasses:
		if n > 3 {
			return "the domain asks for three kinds of characters of five, or for none"
		}
		if !ofDomain {
			m.Set(from.complexity, strings.ToUpper(strconv.FormatBool(n > 0)))
			return ""
		}
		bits, _ := strconv.ParseInt(x.Text("pwdproperties"), 10, 64)
		if bits |= propertyComplex; n == 0 {
			bits &^= propertyComplex
		}
		m.Set(from.complexity, strconv.FormatInt(bits, 10))
	case setting.BlankAllowed:
		return "a smallest length refuses empty passwords: set min_length"
	default:
		return "a domain has no such setting"
	}
	return ""
}

// inTicks is a length in hundreds of nanoseconds, which are negative here; never
// stands for what is off, and for "until unlocked".
func inTicks(v setting.Value, never int64) string {
	if _, timed := v.Span(); !timed {
		return strconv.FormatInt(never, 10)
	}
	return strconv.FormatInt(-remedy.Seconds(v)*10_000_000, 10)
}

// ways are commands of samba-tool.
var ways = remedy.Ways{check.Shut: {"disable", "enable"}, check.NewPassword: {"setpassword --must-change-at-next-login"}, check.Unlock: {"unlock"}}

// Account writes LDIF for an account, or a line for a shell.
func (e *export) Account(act remedy.Act, who remedy.Who, undo bool) (where, language string, lines []string) {
	if act.Act == check.AskNew && who.DN != "" && !undo {
		return tools, remedy.LDIF, ldif.Replace(who.DN, "pwdLastSet", "0")
	}
	if words := ways.Words(act, undo); words != "" {
		lines = []string{"samba-tool user " + words + " " + remedy.ShellWord(who.Login)}
	}
	return "a shell on the domain controller, as root", remedy.Shell, lines
}
