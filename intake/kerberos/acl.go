package kerberos

import (
	"slices"
	"strings"
	"unicode"

	"yewcone/core/facts"
	"yewcone/intake/rows"
	"yewcone/intake/text"
)

// An aclLine gives rights to principals that match a pattern, over those that
// match another, or over any and over policies too.
type aclLine struct {
	pattern fullName
	rights  string
	target  *fullName // nil for all
}

// powers are the rights to change others' passwords, keys and settings, or
// policies, to add any principal, and to take out keys.
const powers = "acdmse"

// overOthers are those of them that count where a line names its targets.
const overOthers = "cmse"

// readACL reads the lines as the server does: a backslash at the end goes on,
// a capital takes a right away, and x or * give all but the taking out of keys.
func (e *export) readACL() {
	file := e.folder + "/kadm5.acl"
	f := e.request.OpenThere(file, &e.Noted)
	if f == nil {
		return
	}
	defer f.Close()
	e.hasACL = true
	n, begun := 0, 0
	var line []byte
	take := func() {
		e.aclLine(string(line), facts.Origin{File: file, Line: begun, Text: string(line)})
		line = line[:0]
	}
	s := text.NewScanner(f)
	for s.Scan() {
		if n++; len(line) == 0 {
			begun = n
		}
		part, more := strings.CutSuffix(s.Text(), "\\")
		if line = append(line, part...); !more {
			take()
		}
	}
	if len(line) > 0 {
		take()
	}
	e.Noted.Odd(facts.Origin{File: file}, f.Odd())
	if n == 0 { // a server gives nobody rights by it; so does one that was emptied on its way
		e.hasACL = false
		e.Noted.Remark(facts.Origin{File: file}, "the file is empty: who may administer principals is taken as unknown; write a comment into it where nobody may")
	}
	if s.Err() != nil || n > 0 && !f.EndsInLine() {
		e.Noted.Incomplete(facts.Origin{File: file, Line: n},
			"the file ends in the middle of a line: it was cut off; take the export again")
	}
}

func (e *export) aclLine(line string, origin facts.Origin) {
	if strings.HasPrefix(line, "#") || strings.TrimSpace(line) == "" {
		return
	}
	fields := strings.Fields(line)
	if len(fields) == 1 {
		e.Noted.Remark(origin, "the line gives no rights, and the server does not start with it: expected a principal and its rights")
		e.badACL = true
		return
	}
	l := aclLine{pattern: partsOf(fields[0])}
	given := map[rune]bool{}
	for _, right := range fields[1] {
		all := string(right)
		switch unicode.ToLower(right) {
		case 'x', '*':
			all = "acdmsilp"
		case 'a', 'c', 'd', 'm', 's', 'i', 'l', 'p', 'e':
		default:
			e.Noted.Remark(origin, "%q is no right, and the server does not start with it", right)
			e.badACL = true
		}
		for _, one := range all {
			given[unicode.ToLower(one)] = !unicode.IsUpper(right)
		}
	}
	for _, one := range "acdmsilpe" {
		if given[one] {
			l.rights += string(one)
		}
	}
	if len(fields) > 2 && fields[2] != "*" {
		target := partsOf(fields[2])
		l.target = &target
	}
	e.acl = append(e.acl, l)
}

// administers reports whether the lines give a principal power over others or
// over policies: the first line counts that matches it and whom it acts on.
func (e *export) administers(name string) facts.Tri {
	if !e.hasACL || e.badACL {
		return facts.Unknown
	}
	over, of := false, partsOf(name)
	for i := range e.acl {
		l := &e.acl[i]
		if !l.pattern.matches(of, nil) {
			continue
		}
		if l.target == nil {
			if strings.ContainsAny(l.rights, powers) {
				return facts.Yes
			}
			break // it is the first for everything that is left
		}
		over = over || strings.ContainsAny(l.rights, overOthers)
	}
	if !over {
		return facts.No
	}
	for _, other := range e.everyone() {
		if other == name {
			continue
		}
		for i := range e.acl {
			if l := &e.acl[i]; l.matches(of, partsOf(other)) {
				if strings.ContainsAny(l.rights, overOthers) {
					return facts.Yes
				}
				break
			}
		}
	}
	return facts.No
}

// fullName is the name of a principal, or a pattern of such, in parts.
type fullName struct {
	parts []string
	realm bool // the last of them
	all   bool // the pattern is for whoever there is
}

func partsOf(s string) fullName {
	parts := strings.FieldsFunc(s, func(r rune) bool { return r == '/' || r == '@' })
	return fullName{parts, len(parts) > 0 && strings.Contains(s, "@"), s == "*"}
}

// matches reports whether the line is for what a principal does to another.
func (l *aclLine) matches(name, other fullName) bool {
	var stars []string
	if !l.pattern.matches(name, &stars) {
		return false
	}
	if l.target == nil {
		return true
	}
	target := *l.target
	target.parts, target.all = slices.Clone(target.parts), false
	for i, part := range target.parts {
		if len(part) == 2 && part[0] == '*' && part[1] >= '1' && int(part[1]-'0') <= len(stars) {
			target.parts[i] = stars[part[1]-'1']
		}
	}
	return target.matches(other, nil)
}

// matches compares a pattern with a full name, part by part; * stands for a
// whole part, and what it stood for is appended to stars. The realm of the name counts
// only where the pattern has one.
func (p *fullName) matches(name fullName, stars *[]string) bool {
	if p.all {
		return true
	}
	n := name.parts
	if !p.realm && name.realm {
		n = n[:len(n)-1]
	}
	if len(p.parts) != len(n) {
		return false
	}
	for i, part := range p.parts {
		if part != "*" && part != n[i] {
			return false
		}
		if part == "*" && stars != nil {
			*stars = append(*stars, n[i])
		}
	}
	return true
}

// allNames lists the names of all principals, for lines that name whom they act on.
func (e *export) allNames() []string {
	var names []string
	if !e.text {
		var unheard facts.Notes // said when the accounts are read
		if file, ok := rows.Find(e.request, e.folder, "princ_meta"); ok {
			_ = rows.Read(e.request, file, &unheard, func(row *rows.Row) error {
				names = append(names, strings.Clone(row.Plain("name")))
				return nil
			}, "name")
		}
		return names
	}
	f, err := e.request.Open(e.folder+"/getprinc.txt", "")
	if err != nil {
		return nil
	}
	defer f.Close()
	s := text.NewScanner(f)
	for s.Scan() {
		if name, ok := strings.CutPrefix(s.Text(), "Principal: "); ok {
			names = append(names, name)
		}
	}
	return names
}
