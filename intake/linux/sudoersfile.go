package linux

import (
	"bytes"
	"path"
	"slices"
	"strconv"
	"strings"
	"yewcone/core/facts"
)

// sudoersFile reads one file and those that it includes, where it does.
func (e *export) sudoersFile(name string, within []string) {
	if slices.Contains(within, name) {
		return
	}
	lines, ok := e.lines(name)
	if !ok {
		e.hideSudoers(name, e.lack(name))
		return
	}
	for _, l := range joinContinued(lines) {
		word, rest, _ := strings.Cut(strings.ReplaceAll(l.text, "\t", " "), " ")
		rest = strings.Trim(strings.ReplaceAll(strings.TrimSpace(rest), `\ `, " "), `"`)
		switch {
		case word == "@include" || word == "#include":
			e.sudoersFile(e.included(name, rest), append(within, name))
		case word == "@includedir" || word == "#includedir":
			e.sudoersFolder(e.included(name, rest), append(within, name))
		case l.text[0] == '#' && (len(l.text) < 2 || l.text[1] < '0' || l.text[1] > '9'):
		case strings.HasPrefix(word, "Defaults"):
			e.sudo.defaults(l.text)
		default:
			if !e.sudo.alias(word, l.text[min(len(word), len(l.text)):]) && !e.sudo.rule(l.text) {
				e.Noted.Remark(e.origin(name, l), "sudo cannot read this line and passes it over")
			}
		}
	}
}

// included is the name of a file that another includes.
func (e *export) included(by, name string) string {
	name = strings.ReplaceAll(name, "%h", e.sudo.host)
	if !strings.HasPrefix(name, "/") {
		name = "/" + path.Join(path.Dir(by), name) // what would lie above the host's root does not
	}
	return strings.TrimPrefix(path.Clean(name), "/")
}

func (e *export) sudoersFolder(folder string, within []string) {
	e.sudoersDir = e.sudoersDir || folder == "etc/sudoers.d"
	files := e.inFolder(folder, "")
	if len(files) == 0 && !e.absent(folder+"/any") {
		e.hideSudoers(folder, "no such folder, or an empty one")
		return
	}
	for _, name := range files {
		if base := path.Base(name); !strings.Contains(base, ".") && !strings.HasSuffix(base, "~") {
			e.sudoersFile(name, within)
		}
	}
}

// hideSudoers notes that a file may say who becomes root, which the export does
// not show.
func (e *export) hideSudoers(name, how string) {
	e.Noted.Remark(facts.Origin{File: e.root + "/" + name},
		"sudo reads this, and the export does not show it (%s): whether it makes somebody an administrator is unknown; "+
			"copy it, or take files.txt, which shows that the host has none", how)
	e.sudo.grants = append(e.sudo.grants, grant{hidden: true})
}

// joinContinued joins lines that end in a backslash, and takes remarks off the
// end of lines: a number sign before a digit is a number, and one at the start
// may include a file.
func joinContinued(lines []line) []line {
	var out []line
	var pending []byte
	number := 0
	for _, l := range lines {
		if len(pending) == 0 {
			number = l.number
		}
		part, more := strings.CutSuffix(l.text, "\\")
		pending = append(pending, part...)
		if remark := bytes.HasPrefix(bytes.TrimSpace(pending), []byte("#")); more && !remark {
			continue
		} else if more {
			pending = append(pending, '\\')
		}
		text := strings.TrimSpace(string(pending))
		pending = pending[:0]
		quoted := false
		for i := 1; i < len(text); i++ {
			switch {
			case text[i] == '"':
				quoted = !quoted
			case text[i] == '#' && !quoted && text[i-1] != '\\' && (i+1 == len(text) || text[i+1] < '0' || text[i+1] > '9'):
				text = strings.TrimSpace(text[:i])
			}
		}
		if text != "" {
			out = append(out, line{text: text, number: number})
		}
	}
	return out
}

// defaults reads who is meant where nobody is named, and whether passwords are
// asked for.
func (s *sudoers) defaults(text string) {
	word, rest, _ := strings.Cut(text, " ")
	for option := range strings.SplitSeq(rest, ",") {
		key, value, _ := strings.Cut(strings.TrimSpace(option), "=")
		switch strings.TrimSpace(key) {
		case "runas_default":
			s.asRoot = facts.TriOf(strings.Trim(strings.TrimSpace(value), `"`) == "root")
			if word != "Defaults" {
				s.asRoot = facts.Unknown
			}
		case "passwd_tries":
			if n, err := strconv.Atoi(strings.Trim(strings.TrimSpace(value), `"`)); err == nil && word == "Defaults" {
				s.tries = facts.CountOf(n)
			} else {
				s.tries = facts.Counted{} // of some only
				s.triesOpen = true
			}
		case "!authenticate":
			s.noAsking = s.noAsking || word == "Defaults"
		case "authenticate":
			s.noAsking = s.noAsking && word != "Defaults"
		}
	}
}

// scanner cuts a line of sudoers into its parts.
type scanner struct{ text string }

func (c *scanner) skip() { c.text = strings.TrimLeft(c.text, " \t") }

// takes cuts a sign off the front.
func (c *scanner) takes(sign string) bool {
	c.skip()
	rest, ok := strings.CutPrefix(c.text, sign)
	if ok {
		c.text = rest
	}
	return ok
}

// word reads up to one of the signs; quotes and backslashes keep them in.
func (c *scanner) word(ends string) string {
	c.skip()
	var b strings.Builder
	quoted := false
	for i := 0; i < len(c.text); i++ {
		switch ch := c.text[i]; {
		case ch == '\\' && i+1 < len(c.text):
			i++
			b.WriteByte(c.text[i])
		case ch == '"':
			quoted = !quoted
		case !quoted && strings.IndexByte(ends, ch) >= 0:
			c.text = c.text[i:]
			return strings.TrimSpace(b.String())
		default:
			b.WriteByte(ch)
		}
	}
	c.text = ""
	return strings.TrimSpace(b.String())
}

// member reads one member of a list.
func (c *scanner) member(ends string) sudoer {
	var m sudoer
	for c.takes("!") {
		m.not = !m.not
	}
	m.text = c.word(ends)
	return m
}

// list reads members with commas between them.
func (c *scanner) list(ends string) []sudoer {
	var out []sudoer
	for {
		m := c.member(ends + ",")
		if m.text == "" {
			return nil
		}
		out = append(out, m)
		if !c.takes(",") {
			return out
		}
	}
}

// alias reads "User_Alias NAME = list : NAME = list"; false when the line is
// none.
func (s *sudoers) alias(word, rest string) bool {
	kind, ok := strings.CutSuffix(word, "_Alias")
	if !ok {
		return false
	}
	if kind == "Cmd" {
		kind = "Cmnd"
	}
	c := &scanner{rest}
	for {
		name := c.word("= \t")
		if !c.takes("=") {
			return false
		}
		ends := " \t:"
		if kind == "Cmnd" {
			ends = ":"
		}
		s.aliases[kind+" "+name] = c.list(ends)
		if !c.takes(":") {
			return true
		}
	}
}

// rule reads "users hosts = (as) TAG: commands : hosts = …"; false when sudo
// could not.
func (s *sudoers) rule(text string) bool {
	c := &scanner{text}
	users := c.list(" \t=")
	if users == nil {
		return false
	}
	var grants []grant
	for {
		g := grant{users: users, hosts: c.list(" \t="), asDefault: true}
		if g.hosts == nil || !c.takes("=") {
			return false
		}
		for {
			if c.takes("(") {
				g.as, g.asDefault, g.asSelf = nil, false, false
				inner, rest, ok := strings.Cut(c.text, ")")
				if !ok {
					return false
				}
				c.text = rest
				as, _, _ := strings.Cut(inner, ":")
				g.as = (&scanner{as}).list("")
				g.asSelf = g.as == nil
			}
			c.tags(&g)
			if g.command = c.member(",:"); g.command.text == "" {
				return false
			}
			grants = append(grants, g)
			if !c.takes(",") {
				break
			}
		}
		if !c.takes(":") {
			s.grants = append(s.grants, grants...)
			return c.text == ""
		}
	}
}

// tags reads options and tags before a command.
func (c *scanner) tags(g *grant) {
	for {
		c.skip()
		end := strings.IndexAny(c.text, " \t,:=!(/")
		if end <= 0 || strings.ToUpper(c.text[:end]) != c.text[:end] {
			return
		}
		word, rest := c.text[:end], strings.TrimLeft(c.text[end:], " \t")
		switch {
		case strings.HasPrefix(rest, ":") && word != "ALL":
			c.text = rest[1:]
			switch word {
			case "NOPASSWD":
				g.noPassword = facts.Yes
			case "PASSWD":
				g.noPassword = facts.No
			}
		case strings.HasPrefix(rest, "="):
			c.text = rest[1:]
			c.word(" \t")
		default:
			return
		}
	}
}
