package linux

import (
	"slices"
	"strconv"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// A visit is one try to sign in.
type visit struct {
	password string // right, wrong or empty
	locked   bool   // by failures
}

// passing are the modules that neither let in nor turn away, whoever comes: of
// libpam 1.5 and 1.7, asked of them.
var passing = []string{"pam_env", "pam_group", "pam_keyinit", "pam_mail", "pam_warn", "pam_nologin", "pam_issue", "pam_faildelay"}

// letting are those that agree, whoever comes through a program of root's.
var letting = []string{"pam_permit", "pam_echo", "pam_localuser", "pam_rootok", "pam_securetty"}

// gives lists what a module may say to somebody who signs in: a person with a
// password of this host, by a program that runs as root.
func (e *export) gives(m *module, v visit) []string {
	yes := func(ok bool) []string {
		if ok {
			return []string{success}
		}
		return []string{authErr}
	}
	switch {
	case m.name == "pam_deny":
		return yes(false)
	case slices.Contains(passing, m.name):
		return []string{ignored}
	case slices.Contains(letting, m.name):
		return yes(true)
	case m.name == "pam_unix":
		_, nullok := m.arg("nullok")
		return yes(v.password == "right" || v.password == "empty" && nullok)
	case m.name == "pam_faillock" && m.fails():
		if v.locked {
			return yes(false)
		}
		return []string{ignored}
	case m.name == "pam_faillock":
		return yes(!v.locked)
	case m.name == "pam_usertype":
		if len(m.args) > 0 && m.args[0] == "isregular" {
			return yes(true)
		}
	case m.name == "pam_succeed_if":
		if ok := e.condition(m.args); ok != facts.Unknown {
			return yes(ok == facts.Yes)
		}
		return []string{success, authErr}
	case m.name == "pam_shells", m.name == "pam_listfile", m.name == "pam_access", m.name == "pam_wheel":
		return []string{success, authErr}
	}
	return []string{success, authErr, ignored}
}

// fails reports whether this is the line of pam_faillock that counts failures.
func (m *module) fails() bool {
	_, ok := m.arg("authfail")
	return ok
}

// condition judges what pam_succeed_if asks, for a person in no group of note.
func (e *export) condition(args []string) facts.Tri {
	words := slices.DeleteFunc(slices.Clone(args), func(word string) bool {
		return slices.Contains([]string{"debug", "quiet", "quiet_fail", "quiet_success", "audit"}, word)
	})
	if slices.Contains(words, "use_uid") || len(words)%3 != 0 {
		return facts.Unknown
	}
	all := facts.Yes
	for ; len(words) > 0; words = words[3:] {
		switch e.oneCondition(words[0], words[1], words[2]) {
		case facts.No:
			return facts.No
		case facts.Unknown:
			all = facts.Unknown
		}
	}
	return all
}

func (e *export) oneCondition(what, is, than string) facts.Tri {
	n, err := strconv.ParseInt(than, 10, 64)
	switch {
	case what == "user" && than == "root" && (is == "=" || is == "!="):
		return facts.TriOf(is == "!=")
	case what != "uid" || err != nil:
		return facts.Unknown
	case is == "eq" || is == "=", is == "ne" || is == "!=":
		if n < e.uidMin {
			return facts.TriOf(is[0] == 'n' || is[0] == '!')
		}
	case (is == ">=" || is == "ge") && n <= e.uidMin, (is == ">" || is == "gt") && n < e.uidMin:
		return facts.Yes
	case (is == "<" || is == "lt") && n <= e.uidMin, (is == "<=" || is == "le") && n < e.uidMin:
		return facts.No
	}
	return facts.Unknown
}

// always tells whether a visit comes to something whatever the modules say that
// are not known: yes, no, or unknown.
func (e *export) always(s *stack, v visit, test func(result string, ran map[*module]bool) bool) facts.Tri {
	return only(s.outcomes(func(m *module) []string { return e.gives(m, v) }, func(say func(*module) string) string {
		return strconv.FormatBool(test(s.walk(say)))
	}))
}

// only turns what came out of all walks into yes or no where they agree.
func only(seen []string, tried bool) facts.Tri {
	if !tried || len(seen) != 1 {
		return facts.Unknown
	}
	return facts.TriOf(seen[0] == "true")
}

func lets(result string, _ map[*module]bool) bool { return result == success }

// signIns reads what the stack for signing in does with passwords and failures.
func (e *export) signIns(signIn stack) {
	e.installed(&signIn)
	unix := find(signIn.modules, "pam_unix")
	if unix != nil && !signIn.lacks {
		e.unixLets = e.always(&signIn, visit{password: "right"}, lets)
		if e.unixLets != facts.Yes {
			e.Noted.Remark(unix.origin, "modules before or after this one decide whether a right password lets in: %s",
				map[facts.Tri]string{facts.No: "it never does", facts.Unknown: "whether it does is unknown"}[e.unixLets])
		}
	}
	if !signIn.lacks {
		e.anyLets = e.always(&signIn, visit{password: "wrong"}, lets)
		e.alwaysLets = e.always(&signIn, visit{password: "wrong", locked: true}, lets)
		if e.anyLets == facts.Yes {
			e.Noted.Remark(signIn.modules[0].origin, "these modules let in whoever gives a wrong password: no line among them turns it away")
		}
	}
	e.faillock(signIn)
	e.plainFactors(signIn)
	if unix != nil {
		empty := e.always(&signIn, visit{password: "empty"}, lets)
		_, nullok := unix.arg("nullok")
		switch {
		case signIn.lacks && nullok || empty == facts.Yes:
			e.set(setting.BlankAllowed, setting.Yes, unix.origin)
			e.nullok = facts.Yes
		case !signIn.lacks && empty == facts.No:
			e.set(setting.BlankAllowed, setting.No, unix.origin)
			if !e.anyNullok() && onlyPlain(signIn.modules) && e.exists("etc/pam.d/other") {
				e.nullok = facts.No // "other" stands for all that have no file: nobody copies it alone
			}
		}
	}
	e.lastlog(signIn)
}

// anyNullok reports whether some line of any service takes empty passwords.
func (e *export) anyNullok() bool {
	for _, name := range e.inFolder("etc/pam.d", "") {
		lines, _ := e.lines(name)
		joined, _ := pamLines(lines, e.newer)
		for _, l := range joined {
			fields := pamFields(l.text)
			if len(fields) > 2 && slices.ContainsFunc(fields[2:], func(word string) bool { return strings.HasPrefix(word, "nullok") }) {
				return true
			}
		}
	}
	return false
}

func (e *export) lastlog(signIn stack) {
	if m := find(signIn.modules, "pam_lastlog"); m != nil {
		if value, ok := m.arg("inactive"); ok {
			n, err := strconv.ParseInt(value, 10, 32)
			if err != nil || n < 0 {
				e.Noted.Remark(m.origin, "pam_lastlog takes no such value for inactive: when accounts are shut is unknown")
				e.policy.Hide(setting.DormantAfter, m.origin)
				return
			}
			e.set(setting.DormantAfter, days(n), m.origin)
			return
		}
	}
	if signIn.lacks {
		return
	}
	origin := signIn.modules[0].origin
	origin.Text = "no pam_lastlog with inactive= in the stack"
	e.set(setting.DormantAfter, setting.OffValue, origin)
}

// oneFactor are modules that ask for nothing beside the password.
var oneFactor = []string{"pam_unix", "pam_faillock", "pam_deny", "pam_permit", "pam_faildelay", "pam_nologin", "pam_group",
	"pam_env", "pam_securetty", "pam_succeed_if", "pam_cap", "pam_lastlog", "pam_shells", "pam_rootok", "pam_tally2",
	"pam_localuser"}

// onlyPlain reports whether all modules know passwords only.
func onlyPlain(modules []module) bool {
	return !slices.ContainsFunc(modules, func(m module) bool { return !slices.Contains(oneFactor, m.name) })
}

// plainFactors: a stack of modules that know passwords only has no second
// factor; any other module leaves it unknown.
func (e *export) plainFactors(signIn stack) {
	if signIn.lacks {
		return
	}
	if !onlyPlain(signIn.modules) {
		return
	}
	origin := signIn.modules[0].origin
	origin.Text = "no module in the stack asks for anything but a password"
	e.set(setting.SecondFactor, setting.NoSecondFactor, origin)
}
