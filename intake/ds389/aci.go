package ds389

import (
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/ldif"
)

// An aci is a rule of access on an entry and all below it. Parts that are not
// read here make what rests on them unknown.
type aci struct {
	on      string // normal DN of the entry that has it
	target  string // normal DN that narrows it; "" for all
	attrs   facts.Tri
	writes  bool
	denies  bool
	users   []string // normal DNs
	groups  []string
	self    bool
	anybody bool
	unclear bool
}

// parseACI reads one value.
func parseACI(on, text string) aci {
	r := aci{on: on, attrs: facts.Yes}
	head, rule, ok := strings.Cut(text, "(version")
	if !ok {
		r.unclear = true
		return r
	}
	for part := range strings.SplitSeq(head, "(") {
		part, _, _ = strings.Cut(part, ")")
		key, value, is := strings.Cut(part, "=")
		if key = strings.TrimSpace(strings.ToLower(key)); key == "" || !is {
			continue
		}
		not := strings.HasSuffix(key, "!")
		value = strings.Trim(value, " \t\"")
		switch key = strings.TrimSpace(strings.TrimSuffix(key, "!")); key {
		case "targetattr":
			has := value == "*"
			for name := range strings.SplitSeq(value, "||") {
				has = has || strings.EqualFold(strings.TrimSpace(name), "userPassword")
			}
			r.attrs = facts.TriOf(has != not)
		case "target":
			r.target = ldif.NormalDN(strings.TrimPrefix(value, "ldap:///"))
			r.unclear = r.unclear || not || strings.Contains(value, "*")
		default:
			r.unclear = true // a filter, or what it is not for
		}
	}
	_, rule, _ = strings.Cut(rule, "acl")
	if i := strings.Index(rule, "\";"); i >= 0 {
		rule = rule[i+2:]
	}
	rule = strings.TrimSpace(rule)
	verb, rest, _ := strings.Cut(rule, "(")
	rights, bind, _ := strings.Cut(rest, ")")
	r.denies = strings.EqualFold(strings.TrimSpace(verb), "deny")
	for right := range strings.SplitSeq(strings.ToLower(rights), ",") {
		right = strings.TrimSpace(right)
		r.writes = r.writes || right == "write" || right == "all"
	}
	r.bind(bind)
	return r
}

// bind reads who a rule is for: one or more userdn and groupdn with "or".
func (r *aci) bind(text string) {
	text = strings.Trim(strings.TrimSpace(text), ";) (")
	if strings.Contains(text, " and ") || strings.Contains(text, " not ") || strings.Contains(text, "!=") {
		r.unclear = true
	}
	for part := range strings.SplitSeq(text, " or ") {
		key, value, ok := strings.Cut(part, "=")
		key, value = strings.ToLower(strings.Trim(key, " (")), strings.Trim(value, " \t\");")
		if !ok {
			r.unclear = true
			continue
		}
		for one := range strings.SplitSeq(value, "||") {
			one = strings.TrimPrefix(strings.TrimSpace(one), "ldap:///")
			switch {
			case key == "userdn" && strings.EqualFold(one, "self"):
				r.self = true
			case key == "userdn" && (strings.EqualFold(one, "anyone") || strings.EqualFold(one, "all")):
				r.anybody = true
			case key == "userdn" && !strings.ContainsAny(one, "*?") && strings.Contains(one, "="):
				r.users = append(r.users, ldif.NormalDN(one))
			case key == "groupdn":
				r.groups = append(r.groups, ldif.NormalDN(one))
			default:
				r.unclear = true
			}
		}
	}
}

// fits reports whether a rule is for somebody.
func (e *export) fits(r *aci, who string) facts.Tri {
	if r.anybody {
		return facts.Yes
	}
	for _, user := range r.users {
		if user == who {
			return facts.Yes
		}
	}
	for _, group := range e.groups.DNs([]string{who}) {
		for _, g := range r.groups {
			if g == group {
				return facts.Yes
			}
		}
	}
	if r.unclear {
		return facts.Unknown
	}
	return facts.No
}

// covers reports whether a rule is for the password of an entry.
func (r *aci) covers(dn string) facts.Tri {
	below := dn == r.on || ldif.Below(dn, r.on)
	if r.target != "" {
		below = below && (dn == r.target || ldif.Below(dn, r.target))
	}
	answer := facts.TriOf(below).And(r.attrs)
	if r.unclear {
		answer = answer.And(facts.Unknown)
	}
	return answer
}

// privileged reports whether an account may set others' passwords: some rule
// allows it and none denies it.
func (e *export) privileged(dn string) facts.Tri {
	if dn == e.root {
		return facts.Yes
	}
	answer := facts.No
	if e.absent("aci") == facts.Unknown {
		answer = facts.Unknown
	}
	for i := range e.rules {
		r := &e.rules[i]
		if !r.writes || r.denies {
			continue
		}
		fits := e.fits(r, dn)
		if fits == facts.No {
			continue
		}
		for _, other := range e.accounts {
			if other == dn {
				continue
			}
			if may := fits.And(r.covers(other)); may != facts.No {
				if answer = answer.Or(may.And(e.denied(dn, other).Not())); answer == facts.Yes {
					return answer
				}
			}
		}
		if len(e.accounts) >= ldif.MostSampled {
			answer = answer.Or(facts.Unknown) // it may be for one of the others
		}
	}
	return answer
}

func (e *export) denied(who, on string) facts.Tri {
	answer := facts.No
	for i := range e.rules {
		if r := &e.rules[i]; r.denies && r.writes {
			answer = answer.Or(e.fits(r, who).And(r.covers(on)))
		}
	}
	return answer
}
