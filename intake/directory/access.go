package directory

import (
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/ldif"
)

// A rule is one value of olcAccess, in the grammar of slapd.access(5): what it
// is for, and who may do what. Parts that are not known here make what rests
// on them unknown.
type rule struct {
	dns     []scope
	attrs   []string // in small letters; none for all
	unclear bool     // it is for entries that a filter or a pattern picks
	by      []grant
}

// A scope is a set of entries by their names.
type scope struct{ style, dn string }

func (s scope) has(dn string) facts.Tri {
	under := ldif.Below(dn, s.dn) || s.dn == ""
	switch s.style {
	case "", "base", "baseobject", "exact":
		return facts.TriOf(dn == s.dn)
	case "one", "onelevel":
		_, parent, _ := strings.Cut(dn, ",")
		return facts.TriOf(parent == s.dn)
	case "sub", "subtree":
		return facts.TriOf(under || dn == s.dn)
	case "children":
		return facts.TriOf(under && dn != s.dn)
	}
	return facts.Unknown
}

// A grant is what a rule gives to somebody.
type grant struct {
	who     []string
	writes  bool
	adds    bool   // it changes what earlier ones gave, instead of taking their place
	control string // stop, continue or break
}

// words divides a rule at blanks that are not in quotes, and takes the quotes
// off.
func words(text string) []string {
	var all []string
	var b strings.Builder
	quoted, begun := false, false
	for _, c := range text {
		switch {
		case c == '"':
			quoted, begun = !quoted, true
		case (c == ' ' || c == '\t' || c == '\n') && !quoted:
			if begun {
				all = append(all, b.String())
			}
			b.Reset()
			begun = false
		default:
			b.WriteRune(c)
			begun = true
		}
	}
	if begun {
		all = append(all, b.String())
	}
	return all
}

func parseRule(text string) rule {
	var r rule
	w := words(text)
	if len(w) > 0 && w[0] == "to" {
		w = w[1:]
	}
	for len(w) > 0 && w[0] != "by" {
		r.what(w[0])
		w = w[1:]
	}
	for len(w) > 0 {
		w = w[1:] // by
		end := slices.Index(w, "by")
		if end < 0 {
			end = len(w)
		}
		r.by = append(r.by, parseGrant(w[:end]))
		w = w[end:]
	}
	return r
}

func (r *rule) what(word string) {
	key, value, _ := strings.Cut(word, "=")
	name, style, _ := strings.Cut(strings.ToLower(key), ".")
	switch {
	case word == "*":
	case name == "dn" && style != "regex":
		r.dns = append(r.dns, scope{style, ldif.NormalDN(value)})
	case name == "attrs" || name == "attr":
		r.attrs = strings.Split(strings.ToLower(value), ",")
	default:
		r.unclear = true
	}
}

// levels are the words for what may be done.
var levels = map[string]bool{"none": false, "disclose": false, "auth": false, "compare": false, "search": false, "read": false,
	"add": false, "delete": false, "write": true, "manage": true}

func parseGrant(w []string) grant {
	g := grant{control: "stop"}
	for _, word := range w {
		writes, is := levels[word]
		switch {
		case word == "stop" || word == "continue" || word == "break":
			g.control = word
		case is:
			g.writes = writes
		case word[0] == '=' || word[0] == '+' || word[0] == '-':
			g.writes = strings.ContainsAny(word[1:], "wm") == (word[0] != '-') && strings.ContainsAny(word[1:], "wm")
			g.adds = word[0] != '='
		default:
			g.who = append(g.who, word)
		}
	}
	return g
}

// covers reports whether the rule is for an attribute of an entry.
func (r *rule) covers(dn, attr string) facts.Tri {
	answer := facts.Yes
	for _, s := range r.dns {
		answer = answer.And(s.has(dn))
	}
	if len(r.attrs) > 0 {
		one := facts.TriOf(slices.Contains(r.attrs, attr))
		if one == facts.No && slices.ContainsFunc(r.attrs,
			func(a string) bool { return a[:min(1, len(a))] == "@" || a[:min(1, len(a))] == "!" }) {
			one = facts.Unknown // all attributes of a class
		}
		answer = answer.And(one)
	}
	if r.unclear {
		answer = answer.And(facts.Unknown)
	}
	return answer
}

// fits reports whether a grant is for somebody who acts on an entry.
func (e *export) fits(g *grant, who, on string) facts.Tri {
	answer := facts.Yes
	for _, word := range g.who {
		key, value, valued := strings.Cut(word, "=")
		name, style, _ := strings.Cut(strings.ToLower(key), ".")
		kind, class, _ := strings.Cut(name, "/")
		one := facts.Unknown
		switch {
		case word == "*" || word == "users":
			one = facts.Yes
		case word == "anonymous":
			one = facts.No
		case word == "self":
			one = facts.TriOf(who == on)
		case name == "dn" && valued:
			one = scope{style, ldif.NormalDN(value)}.has(who)
		case kind == "group" && (style == "" || style == "exact" || style == "base"):
			one = e.inGroup(who, ldif.NormalDN(value), class)
		}
		answer = answer.And(one)
	}
	return answer
}

// inGroup: groups within groups do not count for access. class is the object
// class and the attribute that a rule names, or "" for groupOfNames/member.
func (e *export) inGroup(who, group, class string) facts.Tri {
	want, attr, _ := strings.Cut(class, "/")
	if want == "" {
		want = "groupofnames"
	}
	if attr == "" {
		attr = "member"
	}
	form, there := e.forms[group]
	switch {
	case !there:
		return e.absent("member") // a group that is not there has no members
	case !slices.Contains(form.classes, want):
		return facts.No
	case len(form.attrs) > 1 || attr != "member" && attr != "uniquemember":
		return facts.Unknown
	case len(form.attrs) == 0 || form.attrs[0] != attr:
		return facts.No
	}
	return facts.TriOf(e.groups.Direct(who, group))
}

// A groupForm is what rules of access ask of a group beside its members.
type groupForm struct{ classes, attrs []string }

func formOf(x *ldif.Entry) groupForm {
	var f groupForm
	for _, a := range x.Attrs {
		switch a.Name {
		case "objectclass":
			f.classes = append(f.classes, strings.ToLower(a.Value))
		case "member", "uniquemember", "memberuid":
			if !slices.Contains(f.attrs, a.Name) {
				f.attrs = append(f.attrs, a.Name)
			}
		}
	}
	return f
}

// may reports whether somebody may write an attribute of an entry.
func (e *export) may(rules []rule, who, on, attr string) facts.Tri {
	writes := false
	for i := range rules {
		switch rules[i].covers(on, attr) {
		case facts.No:
			continue
		case facts.Unknown:
			return facts.Unknown
		}
		next := false
		for n := range rules[i].by {
			g := &rules[i].by[n]
			fits := e.fits(g, who, on)
			if fits == facts.Unknown {
				return facts.Unknown
			}
			if fits == facts.No {
				continue
			}
			if writes = g.writes || g.adds && writes; g.control == "stop" {
				return facts.TriOf(writes)
			}
			if next = g.control == "break"; next {
				break
			}
		}
		if !next {
			return facts.No // by * none stands at the end of each
		}
	}
	return facts.No
}

// privileged reports whether an account may set others' passwords or change
// policies, as far as the rules of its database tell.
func (e *export) privileged(dn string) facts.Tri {
	db := e.config.of(dn)
	switch {
	case db == nil:
		return facts.Unknown
	case db.root == dn:
		return facts.Yes
	}
	answer := facts.No
	for _, d := range e.config.databases {
		if len(d.suffixes) == 0 {
			continue
		}
		rules := d.rules
		if len(rules) == 0 && !e.Read.View.Whole {
			answer = answer.Or(facts.Unknown) // they may not be visible
		}
		if !slices.ContainsFunc(rules, func(r rule) bool {
			return slices.ContainsFunc(r.by, func(g grant) bool { return g.writes && e.fits(&g, dn, "") != facts.No })
		}) {
			continue
		}
		for _, on := range e.targets {
			if on.dn != dn && e.config.of(on.dn) == d {
				if answer = answer.Or(e.may(rules, dn, on.dn, on.attr)); answer == facts.Yes {
					return answer
				}
			}
		}
		if len(e.targets) >= ldif.MostSampled {
			answer = answer.Or(facts.Unknown)
		}
	}
	return answer
}

// A target is an attribute of an entry that only administrators may write.
type target struct{ dn, attr string }

// parseRules reads the rules of each database, and those of all after them,
// before accounts are asked about from several sides; where there are none,
// nobody but the root may write.
func (c *config) parseRules() {
	for _, d := range c.databases {
		for _, text := range append(slices.Clone(d.access), c.access...) {
			d.rules = append(d.rules, parseRule(text))
		}
	}
}
