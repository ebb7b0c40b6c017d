package linux

import (
	"cmp"
	"path"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/facts"
)

// A sudoer is a member of a list of sudoers: a user, a host, an account to act
// as, or a command.
type sudoer struct {
	not  bool
	text string // quotes and backslashes taken off
}

// A grant lets users on hosts run commands as somebody, or forbids it.
type grant struct {
	users, hosts, as []sudoer
	asSelf           bool // no account to act as is named: as oneself
	asDefault        bool // nobody is named: as root, unless the defaults say otherwise
	noPassword       facts.Tri
	command          sudoer
	hidden           bool // stands for a file that is not in the export

	any  facts.Tri // allows any command: yes; forbids it: no
	here facts.Tri // holds on this host, to act as root
}

// sudoers tells who may become root for everything.
type sudoers struct {
	grants    []grant
	aliases   map[string][]sudoer // by kind and name
	asRoot    facts.Tri           // who is nobody in particular is root
	host      string              // the host's name; "" where it is not known
	fullHost  string              // with its domain; "" where it is not known
	noAsking  bool                // the defaults ask nobody for a password
	tries     facts.Counted       // that a password has
	triesOpen bool                // the defaults tell them for some only
}

// readSudoers reads etc/sudoers and what it includes, in their order; without
// the first, nobody but root is known to be privileged or not.
func (e *export) readSudoers() {
	if !e.exists("etc/sudoers") {
		return
	}
	e.sudo = &sudoers{aliases: map[string][]sudoer{}, asRoot: facts.Yes, host: e.hostName(), tries: facts.CountOf(3)}
	e.sudo.host, e.sudo.fullHost, _ = strings.Cut(e.sudo.host, " ")
	e.sudoersFile("etc/sudoers", nil)
	e.sudo.settle()
	e.checkSudoers()
}

// hostName is the name of the host, as uname prints it, and then the one with
// its domain, as hostname -f prints it.
func (e *export) hostName() string {
	for _, name := range []string{"hostname.txt", "etc/hostname"} {
		lines, _ := e.lines(name)
		var names []string
		for _, l := range lines {
			if text := strings.TrimSpace(l.text); text != "" && text[0] != '#' {
				names = append(names, text)
			}
		}
		if len(names) > 0 {
			return strings.Join(names[:min(2, len(names))], " ")
		}
	}
	return ""
}

// checkSudoers notes what sudo would pass over in silence, and what a copy
// may have lost.
func (e *export) checkSudoers() {
	file := facts.Origin{File: e.root + "/etc/sudoers"}
	if len(e.inFolder("etc/sudoers.d", "")) > 0 && !e.sudoersDir {
		e.Noted.Remark(file, "etc/sudoers.d is in the export, and no line includes it")
	}
	known := map[string]bool{}
	for _, name := range e.primary {
		known[strings.ToLower(name)] = true
	}
	told := map[string]bool{}
	for i := range e.sudo.grants {
		g := &e.sudo.grants[i]
		if e.sudo.anyCommand(g.command, 0) != facts.Yes {
			continue
		}
		for _, u := range e.sudo.spread("User", g.users, 0) {
			group, ok := strings.CutPrefix(u.text, "%")
			if ok && !u.not && e.hasGroups && !known[strings.ToLower(group)] && !strings.HasPrefix(group, "#") &&
				!strings.HasPrefix(group, ":") && !told[group] {
				told[group] = true
				e.Noted.Remark(file, "%%%s may do everything and has no line in etc/group; who is in it is not in the export", group)
			}
		}
	}
	if e.sudo.host == "" && slices.ContainsFunc(e.sudo.grants, func(g grant) bool {
		return slices.ContainsFunc(e.sudo.spread("Host", g.hosts, 0), func(h sudoer) bool { return h.text != "ALL" })
	}) {
		e.Noted.Remark(file, "some lines hold for some hosts only, and the export does not tell the name of this one: who "+
			"may become root by "+
			"them is unknown; uname -n > hostname.txt, in the folder of the export")
	}
}

// spread replaces aliases by what they stand for.
func (s *sudoers) spread(kind string, list []sudoer, depth int) []sudoer {
	var out []sudoer
	for _, m := range list {
		members, ok := s.aliases[kind+" "+m.text]
		if !ok || depth > 20 {
			out = append(out, m)
			continue
		}
		for _, in := range s.spread(kind, members, depth+1) {
			in.not = in.not != m.not
			out = append(out, in)
		}
	}
	return out
}

// A verdict is what a list says of something.
type verdict int

const (
	unsaid verdict = iota
	meant
	barred
	doubtful
)

func (v verdict) not() verdict {
	switch v {
	case meant:
		return barred
	case barred:
		return meant
	}
	return v
}

// decide tells what a list says: the last member that says anything decides, and
// an exclamation mark turns what it says around.
func (s *sudoers) decide(kind string, list []sudoer, one func(text string) facts.Tri, depth int) verdict {
	for i := len(list) - 1; i >= 0; i-- {
		m := list[i]
		said := unsaid
		if members, ok := s.aliases[kind+" "+m.text]; ok && depth < 20 {
			said = s.decide(kind, members, one, depth+1)
		} else if hit := one(m.text); m.text == "ALL" || hit == facts.Yes {
			said = meant
		} else if hit == facts.Unknown {
			said = doubtful
		}
		if m.not {
			said = said.not()
		}
		if said != unsaid {
			return said
		}
	}
	return unsaid
}

// matches is decide, as yes, no or unknown.
func (s *sudoers) matches(kind string, list []sudoer, one func(text string) facts.Tri) facts.Tri {
	said := s.decide(kind, list, one, 0)
	if said == doubtful {
		return facts.Unknown
	}
	return facts.TriOf(said == meant)
}

// who is an account as sudo sees it.
type who struct {
	login  string
	uid    int64
	group  string // the number of its own group
	groups []string
	names  map[string]string // of groups, by number
	known  bool              // all its groups are
}

// user tells whether a member of a list of users means the account.
func (w *who) user(text string) facts.Tri {
	switch {
	case strings.HasPrefix(text, "+"):
		return facts.Unknown // a netgroup: who is in it is in no file
	case strings.HasPrefix(text, "%:"):
		return facts.No // groups of a plug-in that is not configured
	case strings.HasPrefix(text, "%#"):
		if text[2:] == w.group {
			return facts.Yes
		}
		if name := w.names[text[2:]]; name != "" {
			return w.inGroup(name)
		}
		return facts.No
	case strings.HasPrefix(text, "%"):
		return w.inGroup(text[1:])
	case strings.HasPrefix(text, "#"):
		return facts.TriOf(text[1:] == strconv.FormatInt(w.uid, 10))
	}
	return facts.TriOf(strings.EqualFold(text, w.login))
}

func (w *who) inGroup(name string) facts.Tri {
	if slices.ContainsFunc(w.groups, func(g string) bool { return strings.EqualFold(g, name) }) {
		return facts.Yes
	}
	if w.known {
		return facts.No
	}
	return facts.Unknown
}

// onHost tells whether a member of a list of hosts means this one.
func (s *sudoers) onHost(text string) facts.Tri {
	short, _, _ := strings.Cut(s.host, ".")
	switch {
	case strings.HasPrefix(text, "+"), s.host == "", strings.Trim(text, "0123456789./") == "", strings.Contains(text, ":"):
		return facts.Unknown // netgroups, and addresses that the export does not tell
	case strings.ContainsAny(text, "*?["):
		name := s.host
		if !strings.Contains(text, ".") {
			name = short
		}
		hit, err := path.Match(strings.ToLower(text), strings.ToLower(name))
		if err != nil {
			return facts.Unknown
		}
		return facts.TriOf(hit)
	case strings.Contains(text, "."):
		// with or without the domain, as sudo was built and the resolver answers
		first, _, _ := strings.Cut(text, ".")
		full := cmp.Or(s.fullHost, s.host)
		switch {
		case strings.EqualFold(text, s.host) && strings.EqualFold(text, full):
			return facts.Yes
		case strings.EqualFold(text, s.host) || strings.EqualFold(text, full),
			!strings.Contains(full, ".") && strings.EqualFold(first, short):
			return facts.Unknown
		}
		return facts.No
	}
	return facts.TriOf(strings.EqualFold(text, short))
}

// asRootText tells whether a member of a list of accounts to act as means root.
func asRootText(text string) facts.Tri {
	if strings.HasPrefix(text, "+") {
		return facts.Unknown
	}
	return facts.TriOf(text == "root" || text == "#0" || text == "%root" || text == "%#0")
}

// settle works out what does not depend on who asks.
func (s *sudoers) settle() {
	for i := range s.grants {
		g := &s.grants[i]
		g.any, g.here = s.anyCommand(g.command, 0), s.matches("Host", g.hosts, s.onHost)
		switch {
		case g.asDefault:
			g.here = g.here.And(s.asRoot)
		case g.asSelf:
			g.here = facts.No
		default:
			g.here = g.here.And(s.matches("Runas", g.as, asRootText))
		}
	}
}

// mayAll tells whether the account may run any command as root, and whether sudo
// asks for no password before: the last grant that means it decides.
func (s *sudoers) mayAll(w *who) (may, unasked facts.Tri) {
	may = facts.No
	for i := range s.grants {
		g := &s.grants[i]
		if g.hidden {
			unasked = facts.Unknown
			if may != facts.Yes {
				may = facts.Unknown
			}
			continue
		}
		if g.any == facts.Unknown || g.here == facts.No {
			continue // it means some commands, or other hosts
		}
		command := g.any
		holds := s.matches("User", g.users, w.user).And(g.here)
		switch {
		case holds == facts.Yes:
			may = command
			if unasked = g.noPassword; unasked == facts.Unknown {
				unasked = facts.TriOf(s.noAsking)
			}
		case holds == facts.Unknown && command != may:
			may, unasked = facts.Unknown, facts.Unknown
		}
	}
	return may, may.And(unasked)
}

// anyCommand is yes for a member that allows any command, no for one that
// forbids it, and unknown for one that means some commands only.
func (s *sudoers) anyCommand(m sudoer, depth int) facts.Tri {
	if m.text == "ALL" {
		return facts.TriOf(!m.not)
	}
	list := s.aliases["Cmnd "+m.text]
	for i := len(list) - 1; i >= 0 && depth < 20; i-- {
		if said := s.anyCommand(list[i], depth+1); said != facts.Unknown {
			if m.not {
				return said.Not()
			}
			return said
		}
	}
	return facts.Unknown
}

// power records whether an account of a number and a primary group may do
// everything, and whether it is asked for a password before.
func (e *export) power(a *facts.Account, uid int64, group string) {
	switch {
	case uid == 0:
		a.Privileged, a.UnaskedPower = facts.Yes, facts.Yes
	case e.sudo != nil:
		a.Privileged, a.UnaskedPower = e.sudo.mayAll(&who{login: a.Login, uid: uid, group: group, groups: a.Groups, names: e.primary,
			known: e.hasGroups})
		if a.Privileged == facts.Yes && a.UnaskedPower == facts.No && !e.sudo.triesOpen {
			a.PowerTries = e.sudo.tries
		}
	}
}
