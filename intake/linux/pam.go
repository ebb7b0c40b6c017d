package linux

import (
	"path"
	"slices"
	"strings"

	"yewcone/core/facts"
)

// stackOf reads a service's modules of one type, following includes.
func (e *export) stackOf(service, kind string, seen []string) (stack, bool) {
	return e.stackAt(service, kind, 0, seen)
}

func (e *export) stackAt(service, kind string, level int, seen []string) (stack, bool) {
	file := "etc/pam.d/" + service
	if slices.Contains(seen, file) {
		return stack{}, true
	}
	lines, ok := e.lines(file)
	if !ok {
		return stack{}, false
	}
	var out stack
	joined, odd := pamLines(lines, e.newer)
	out.lacks = odd
	for _, l := range joined {
		fields := pamFields(l.text)
		included, inner := "", level
		switch {
		case len(fields) >= 2 && fields[0] == "@include":
			included = fields[1]
		case len(fields) < 3 || !strings.EqualFold(strings.TrimPrefix(fields[0], "-"), kind):
			continue
		case strings.EqualFold(fields[1], "include"):
			included = fields[2]
		case strings.EqualFold(fields[1], "substack"):
			included = fields[2]
			out.modules = append(out.modules, module{opens: true, level: level})
			inner++
		default:
			name := strings.TrimSuffix(fields[2][strings.LastIndexByte(fields[2], '/')+1:], ".so")
			origin := e.origin(file, l)
			origin.Text = strings.Join(fields, " ")
			control := controlOf(fields[1])
			if len(control) == 0 {
				e.Noted.Remark(origin, "libpam does not understand what this line says between its kind and its module, and lets nobody past it")
			}
			out.modules = append(out.modules, module{name: name, args: fields[3:], level: level, control: control, origin: origin})
			continue
		}
		more, ok := e.stackAt(included, kind, inner, append(seen, file))
		out.modules = append(out.modules, more.modules...)
		out.lacks = out.lacks || more.lacks || !ok && !forOthers(included, kind)
	}
	return out, true
}

// pamLines joins lines as libpam does: a backslash at the end stands for a
// blank and goes on with the next line; one inside a remark does not. Up to
// 1.5.2 that is the next line that is neither empty nor a remark, in 1.7.0 such
// a line ends it. Odd are files in which that makes a difference.
func pamLines(lines []line, since facts.Tri) (out []line, odd bool) {
	goesOn := false
	for _, l := range lines {
		text, _, remark := strings.Cut(l.text, "#")
		if text = strings.TrimSpace(text); text == "" {
			odd = odd || goesOn
			goesOn = goesOn && since != facts.Yes
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
	return out, odd && since == facts.Unknown
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
			e.Noted.Remark(origin, "a file that this one includes is not in the export, or cannot be read there: what it holds of the %s modules is "+
				"unknown; copy all of etc/pam.d", kind)
		case i >= len(services):
			e.Noted.Remark(origin, "the services that share this file (such as %s) are not in the export, or cannot be read there: which %s modules "+
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
		e.newPasswords(passwords)
	} else if !passwords.lacks {
		e.Noted.Remark(facts.Origin{File: e.root + "/etc/pam.d"},
			"no PAM stack for passwords is in the export: complexity and history are unknown; copy etc/pam.d too")
	}
	if len(signIn.modules) > 0 {
		e.signIns(signIn)
	} else if !signIn.lacks {
		e.Noted.Remark(facts.Origin{File: e.root + "/etc/pam.d"},
			"no PAM stack for signing in is in the export: the lockout is unknown; copy etc/pam.d too")
	}
}

// notAsked remarks on a file of settings that the export lacks.
func (e *export) notAsked(file, by, what string) {
	e.Noted.Remark(facts.Origin{File: e.root + "/" + file},
		"%s reads this file, and the export does not show it (%s): %s unknown; copy it, or take files.txt, which shows that "+
			"the host has none", by, e.lack(file), what)
}

// absent reports whether the export shows that the host has no such file: its
// list of files names others of the folder and not this one.
func (e *export) absent(file string) bool {
	if e.listed == nil {
		e.listed = map[string]bool{}
		lines, _ := e.lines("files.txt")
		for _, l := range lines {
			e.listed[strings.TrimPrefix(strings.TrimSpace(l.text), "/")] = true
		}
	}
	return len(e.listed) > 0 && !e.listed[file] && slices.ContainsFunc(listedFolders, func(folder string) bool {
		return file == folder || path.Dir(file) == folder
	})
}

// listedFolders are those that files.txt lists.
var listedFolders = []string{"etc/pam.d", "etc/security", "etc/security/pwquality.conf.d", "etc/sudoers.d"}

// settled reports whether what a file says is known: it is in the export, or
// the host has none.
func (e *export) settled(file string) bool { return e.exists(file) || e.absent(file) }

// installed marks the modules that the host has not got, where the export
// lists those that it has.
func (e *export) installed(s *stack) {
	e.absent("")
	var have []string
	for file := range e.listed {
		if strings.Contains(file, "/security/pam_") {
			have = append(have, strings.TrimSuffix(path.Base(file), ".so"))
		}
	}
	for i := range s.modules {
		m := &s.modules[i]
		if e.loaded == nil {
			e.loaded = map[string]bool{}
		}
		e.loaded[m.name] = true
		m.absent = len(have) > 0 && !m.opens && !slices.Contains(have, m.name)
	}
}
