package linux

import (
	"maps"
	"slices"
	"strings"

	"yewcone/core/facts"
)

// sudoers tells who may become root for everything.
type sudoers struct {
	users   map[string]bool // may run everything; "ALL" is everybody
	groups  map[string]bool
	names   map[string]string   // of groups, by number
	aliases map[string][]string // User_Alias and Cmnd_Alias
}

// readSudoers reads etc/sudoers and etc/sudoers.d; without the first, nobody
// but root is known to be privileged or not.
func (e *export) readSudoers() {
	lines, ok := e.lines("etc/sudoers")
	if !ok {
		return
	}
	for _, name := range e.includedSudoers(lines) {
		if base := name[strings.LastIndexByte(name, '/')+1:]; !strings.Contains(base, ".") && !strings.HasSuffix(base, "~") {
			more, _ := e.lines(name)
			lines = append(lines, more...)
		}
	}
	s := &sudoers{users: map[string]bool{}, groups: map[string]bool{}, names: e.primary, aliases: map[string][]string{}}
	e.sudo = s
	joined := joinContinued(lines)
	for _, text := range joined {
		s.alias(text)
	}
	for _, text := range joined {
		s.rule(text)
	}
	e.checkSudoers(s, lines)
}

// checkSudoers notes what sudo would pass over in silence, and what a copy
// may have lost.
func (e *export) checkSudoers(s *sudoers, lines []line) {
	file := facts.Origin{File: e.root + "/etc/sudoers"}
	if len(e.inFolder("etc/sudoers.d", "")) > 0 && e.includedSudoers(lines) == nil {
		e.Noted.Remark(file, "etc/sudoers.d is in the export, and no line includes it")
	}
	known := map[string]bool{}
	for _, name := range e.primary {
		known[name] = true
	}
	for _, group := range slices.Sorted(maps.Keys(s.groups)) {
		if e.hasGroups && !known[group] && !strings.HasPrefix(group, "#") {
			e.Noted.Remark(file, "%%%s may do everything and has no line in etc/group; who is in it is not in the export", group)
		}
	}
}

// includedSudoers lists the files of etc/sudoers.d where the main file asks
// for them.
func (e *export) includedSudoers(lines []line) []string {
	for _, l := range lines {
		if strings.HasPrefix(l.text, "@includedir") || strings.HasPrefix(l.text, "#includedir") {
			return e.inFolder("etc/sudoers.d", "")
		}
	}
	return nil
}

// joinContinued joins lines that end in a backslash and drops remarks.
func joinContinued(lines []line) []string {
	var out []string
	pending := ""
	for _, l := range lines {
		text := pending + l.text
		if strings.HasSuffix(text, "\\") {
			pending = strings.TrimSuffix(text, "\\")
			continue
		}
		pending = ""
		if i := strings.IndexByte(text, '#'); i >= 0 && !(i+1 < len(text) && text[i+1] >= '0' && text[i+1] <= '9') {
			text = text[:i]
		}
		if text = strings.TrimSpace(text); text != "" {
			out = append(out, text)
		}
	}
	return out
}

func (s *sudoers) alias(text string) {
	for _, kind := range []string{"User_Alias", "Cmnd_Alias", "Cmd_Alias"} {
		rest, ok := strings.CutPrefix(text, kind)
		if !ok {
			continue
		}
		for part := range strings.SplitSeq(rest, ":") {
			name, list, _ := strings.Cut(part, "=")
			s.aliases[strings.TrimSpace(name)] = splitList(list)
		}
	}
}

func splitList(text string) []string {
	var out []string
	for part := range strings.SplitSeq(text, ",") {
		if part = strings.TrimSpace(part); part != "" {
			out = append(out, part)
		}
	}
	return out
}

// rule reads "users hosts = (runas) TAG: commands".
func (s *sudoers) rule(text string) {
	left, right, ok := strings.Cut(text, "=")
	first, _, _ := strings.Cut(text, " ")
	if !ok || strings.HasPrefix(first, "Defaults") || strings.HasSuffix(first, "_Alias") || strings.HasPrefix(first, "@") {
		return
	}
	words := strings.Fields(strings.ReplaceAll(left, ", ", ","))
	if len(words) < 1 || !s.grantsAll(right) {
		return
	}
	for _, who := range splitList(words[0]) {
		s.grant(who, 0)
	}
}

func (s *sudoers) grant(who string, depth int) {
	if members, ok := s.aliases[who]; ok && depth < 10 {
		for _, m := range members {
			s.grant(m, depth+1)
		}
		return
	}
	if group, ok := strings.CutPrefix(who, "%"); ok {
		s.groups[group] = true
		if number, ok := strings.CutPrefix(group, "#"); ok && s.names[number] != "" {
			s.groups[s.names[number]] = true
		}
	} else {
		s.users[who] = true
	}
}

// grantsAll reports whether the commands include ALL, run as root or anybody.
func (s *sudoers) grantsAll(right string) bool {
	right = strings.TrimSpace(right)
	if strings.HasPrefix(right, "(") {
		runas, rest, _ := strings.Cut(right[1:], ")")
		user, _, _ := strings.Cut(runas, ":")
		user = strings.TrimSpace(user)
		if user != "" && user != "ALL" && user != "root" && user != "#0" {
			return false
		}
		right = rest
	}
	for _, command := range splitList(right) {
		for { // tags such as NOPASSWD:
			tag, rest, ok := strings.Cut(command, ":")
			if !ok || strings.ToUpper(tag) != tag || strings.ContainsAny(tag, " /") {
				break
			}
			command = strings.TrimSpace(rest)
		}
		if command == "ALL" || s.listsAll(command) {
			return true
		}
	}
	return false
}

func (s *sudoers) listsAll(alias string) bool {
	for _, c := range s.aliases[alias] {
		if c == "ALL" {
			return true
		}
	}
	return false
}
