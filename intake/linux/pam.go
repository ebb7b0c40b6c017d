package linux

import (
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// A module is one line of a PAM stack.
type module struct {
	name   string // such as pam_unix
	args   []string
	origin facts.Origin
}

// arg returns the value of key=value, or "" and true for a bare key.
func (m *module) arg(key string) (string, bool) {
	for i := len(m.args) - 1; i >= 0; i-- {
		if k, v, _ := strings.Cut(m.args[i], "="); k == key {
			return v, true
		}
	}
	return "", false
}

// A stack is what a service runs one after another for one type of question.
type stack struct {
	modules []module
	lacks   bool // more belongs to it that is not in the export
}

// stackOf reads a service's modules of one type, following includes.
func (e *export) stackOf(service, kind string, seen []string) (stack, bool) {
	file := "etc/pam.d/" + service
	if slices.Contains(seen, file) {
		return stack{}, true
	}
	lines, ok := e.lines(file)
	if !ok {
		return stack{}, false
	}
	var out stack
	for _, l := range pamLines(lines) {
		fields := pamFields(l.text)
		included := ""
		switch {
		case len(fields) >= 2 && fields[0] == "@include":
			included = fields[1]
		case len(fields) < 3 || !strings.EqualFold(strings.TrimPrefix(fields[0], "-"), kind):
			continue
		case strings.EqualFold(fields[1], "include") || strings.EqualFold(fields[1], "substack"):
			included = fields[2]
		default:
			name := strings.TrimSuffix(fields[2][strings.LastIndexByte(fields[2], '/')+1:], ".so")
			origin := e.origin(file, l)
			origin.Text = strings.Join(fields, " ")
			out.modules = append(out.modules, module{name: name, args: fields[3:], origin: origin})
			continue
		}
		more, ok := e.stackOf(included, kind, append(seen, file))
		out.modules = append(out.modules, more.modules...)
		out.lacks = out.lacks || more.lacks || !ok && !forOthers(included, kind)
	}
	return out, true
}

// pamLines joins lines as libpam does: a backslash at the end stands for a
// blank and goes on with the next line that is neither empty nor a remark; one
// inside a remark does not.
func pamLines(lines []line) (out []line) {
	goesOn := false
	for _, l := range lines {
		text, _, remark := strings.Cut(l.text, "#")
		if text = strings.TrimSpace(text); text == "" {
			continue
		}
		text, more := strings.CutSuffix(text, "\\")
		if goesOn {
			out[len(out)-1].text += " " + text
		} else {
			out = append(out, line{number: l.number, text: text})
		}
		goesOn = more && !remark
	}
	return out
}

// forOthers: by its name, Debian's common-session holds no modules of another
// type.
func forOthers(file, kind string) bool {
	of, common := strings.CutPrefix(file, "common-")
	return common && !strings.HasPrefix(of, kind)
}

// pamFields cuts a line into words; [brackets] hold one word together.
func pamFields(text string) []string {
	var out []string
	for text = strings.TrimSpace(text); text != ""; text = strings.TrimSpace(text) {
		end := strings.IndexAny(text, " \t")
		if text[0] == '[' {
			if i := strings.IndexByte(text, ']'); i >= 0 {
				end = i + 1
			}
		}
		if end < 0 {
			end = len(text)
		}
		out = append(out, text[:end])
		text = text[end:]
	}
	return out
}

// firstStack returns the stack of the first service that the export has, or
// else of the first file that services share, to which each may add.
func (e *export) firstStack(kind string, services, shared []string) stack {
	for i, file := range slices.Concat(services, shared) {
		found, ok := e.stackOf(file, kind, nil)
		if !ok || len(found.modules) == 0 && !found.lacks {
			continue
		}
		origin := facts.Origin{File: e.root + "/etc/pam.d/" + file}
		switch {
		case found.lacks:
			e.Noted.Remark(origin, "a file that this one includes is not in the export: what it holds of the %s modules is "+
				"unknown; copy all of etc/pam.d", kind)
		case i >= len(services):
			e.Noted.Remark(origin, "the services that share this file (such as %s) are not in the export: which %s modules "+
				"they add is unknown; copy all of etc/pam.d", services[0], kind)
			found.lacks = true
		}
		return found
	}
	return stack{}
}

func find(modules []module, name string) *module {
	for i := range modules {
		if modules[i].name == name {
			return &modules[i]
		}
	}
	return nil
}

// pam reads what the PAM stacks say of passwords, history and lockout.
func (e *export) pam() {
	passwords := e.firstStack("password", []string{"passwd"}, []string{"common-password", "system-auth", "password-auth"})
	signIn := e.firstStack("auth", []string{"login", "sshd"}, []string{"common-auth", "system-auth", "password-auth"})
	if len(passwords.modules) > 0 {
		e.complexity(passwords)
		e.history(passwords)
	} else if !passwords.lacks {
		e.Noted.Remark(facts.Origin{File: e.root + "/etc/pam.d"},
			"no PAM stack for passwords is in the export: complexity and history are unknown; copy etc/pam.d too")
	}
	if len(signIn.modules) == 0 {
		if !signIn.lacks {
			e.Noted.Remark(facts.Origin{File: e.root + "/etc/pam.d"},
				"no PAM stack for signing in is in the export: the lockout is unknown; copy etc/pam.d too")
		}
		return
	}
	e.faillock(signIn)
	e.plainFactors(signIn)
	if m := find(signIn.modules, "pam_unix"); m != nil {
		_, nullok := m.arg("nullok")
		e.set(setting.BlankAllowed, setting.YesNo(nullok), m.origin)
		if nullok {
			e.nullok = facts.Yes
		} else if !signIn.lacks && !e.anyNullok() && onlyPlain(signIn.modules) && e.exists("etc/pam.d/other") {
			e.nullok = facts.No // "other" stands for all that have no file: nobody copies it alone
		}
	}
	e.lastlog(signIn)
}

// anyNullok reports whether some line of any service takes empty passwords.
func (e *export) anyNullok() bool {
	for _, name := range e.inFolder("etc/pam.d", "") {
		lines, _ := e.lines(name)
		for _, l := range pamLines(lines) {
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
			if n, ok := cNumber(value); ok {
				e.set(setting.DormantAfter, days(n), m.origin)
				return
			}
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

// notAsked remarks on a file of settings that the export lacks.
func (e *export) notAsked(file, by, what string) {
	e.Noted.Remark(facts.Origin{File: e.root + "/" + file},
		"%s reads this file, and it is not in the export: %s unknown; copy it, or put an empty file there if the host has "+
			"none", by, what)
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

func (e *export) history(passwords stack) {
	best, origin := int64(0), passwords.modules[0].origin
	origin.Text = "no pam_pwhistory and no remember= in the stack"
	for i := range passwords.modules {
		m := &passwords.modules[i]
		if m.name != "pam_pwhistory" && m.name != "pam_unix" {
			continue
		}
		value, ok := m.arg("remember")
		n, _ := cNumber(value)
		if !ok && m.name == "pam_pwhistory" {
			n = 10 // its default
		}
		if n > best {
			best, origin = n, m.origin
		}
	}
	switch {
	case best > 0:
		e.set(setting.History, setting.Count(best), origin)
	case !passwords.lacks:
		e.set(setting.History, setting.OffValue, origin)
	}
}

// lockRule is what faillock needs to judge a tally.
type lockRule struct {
	known    bool
	on       bool
	attempts int64
	window   int64 // seconds
	unlock   int64 // seconds; 0 until an administrator acts
	denyRoot bool
}

func (e *export) faillock(signIn stack) {
	const file = "etc/security/faillock.conf"
	m := find(signIn.modules, "pam_faillock")
	if m == nil {
		if !signIn.lacks {
			origin := signIn.modules[0].origin
			origin.Text = "no pam_faillock in the stack"
			e.set(setting.LockoutAttempts, setting.OffValue, origin)
			e.lock.known = true
		}
		return
	}
	settings := e.keyFile(file)
	if !e.exists(file) {
		e.notAsked(file, "pam_faillock", "the lockout is")
		return
	}
	for i := range signIn.modules {
		if signIn.modules[i].name != "pam_faillock" {
			continue
		}
		for _, a := range signIn.modules[i].args {
			k, v, _ := strings.Cut(a, "=")
			settings[k] = found{v, signIn.modules[i].origin}
		}
	}
	read := func(key string, fallback int64) (int64, facts.Origin) {
		f, ok := settings[key]
		if !ok {
			origin := m.origin
			origin.Text = key + " not set; its default counts"
			return fallback, origin
		}
		if f.value == "never" {
			return 0, f.origin
		}
		n, _ := cNumber(f.value)
		return n, f.origin
	}
	attempts, where := read("deny", 3)
	e.lock = lockRule{known: true, on: attempts > 0, attempts: attempts}
	if attempts <= 0 {
		e.set(setting.LockoutAttempts, setting.OffValue, where)
		return
	}
	e.set(setting.LockoutAttempts, setting.Count(attempts), where)
	e.lock.window, where = read("fail_interval", 900)
	e.set(setting.LockoutWindow, setting.Seconds(max(0, e.lock.window)), where)
	e.lock.unlock, where = read("unlock_time", 600)
	if e.lock.unlock <= 0 {
		e.set(setting.LockoutDuration, setting.UntilUnlockedValue, where)
	} else {
		e.set(setting.LockoutDuration, setting.Seconds(e.lock.unlock), where)
	}
	root, ok := settings["even_deny_root"]
	if !ok {
		root = settings["root_unlock_time"] // implies the other
	}
	e.lock.denyRoot = root.origin.Known()
	if !e.lock.denyRoot {
		root.origin = m.origin
		root.origin.Text = "even_deny_root not set"
	}
	root.origin.Text += "; administrators other than root are locked like everyone"
	e.set(setting.LockoutCoversAdmins, setting.Yes, root.origin)
}
