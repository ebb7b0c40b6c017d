package postgresql

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/rows"
)

// A rule is one line of pg_hba.conf, as the server reads the file.
type rule struct {
	kind      string // local, host, hostssl, hostnossl, hostgssenc or hostnogssenc
	databases []string
	users     []string
	network   netip.Prefix // not valid for names, samenet and the like
	everyone  bool         // every address
	method    string
	never     bool // it is right, and can match nobody: TLS is off
	origin    facts.Origin
}

// cannotMatch is in the server's word on a line that is right and matches
// nobody; the file as a whole is in force all the same.
const cannotMatch = "cannot match because"

// access reads one line of pg_hba.conf as the server sees the file: a line with
// an error keeps the whole file from being loaded, and older rules stay in
// force.
func (e *export) access(file string, row *rows.Row) error {
	if n, err := strconv.Atoi(row.Plain("rule_number")); err == nil {
		if e.ruleNumber++; n != e.ruleNumber {
			e.Noted.Refuse(facts.Origin{File: file, Line: row.Line},
				"the rule %d comes where %d was expected; whether a line that is missing lets anybody in is unknown", n,
				e.ruleNumber)
			e.ruleNumber, e.faulty = n, true
		}
	}
	e.hasRules = true
	wrong, broken := row.Text("error")
	origin := facts.Origin{File: file, Line: row.Line, Text: "line " + row.Plain("line_number") + ": " +
		strings.Join([]string{row.Plain("type"), row.Plain("database"), row.Plain("user_name"), row.Plain("address"),
			row.Plain("auth_method")}, " ")}
	if broken && !strings.Contains(wrong, cannotMatch) {
		e.faulty = true
		e.Noted.Remark(origin, "this line is faulty (%s): the server does not load the file while it is, and keeps older "+
			"rules, so that who is "+
			"asked for a password is unknown", wrong)
		return nil
	}
	r := rule{kind: row.Plain("type"), databases: array(row.Plain("database")), users: array(row.Plain("user_name")), never: broken,
		method: row.Plain("auth_method"), origin: origin}
	address, mask := row.Plain("address"), row.Plain("netmask")
	r.everyone = address == "all" || r.kind == "local"
	if ip, err := netip.ParseAddr(address); err == nil {
		if bits, ok := maskBits(mask); ok {
			r.network = netip.PrefixFrom(ip, bits).Masked()
			r.everyone = false
		}
	}
	if r.unheard() {
		e.Noted.Remark(origin, "nothing is known here of the method of this line: whether it asks for a password is unknown")
	}
	e.rules = append(e.rules, r)
	return nil
}

// maskBits counts the ones of a mask such as 255.255.255.0.
func maskBits(mask string) (int, bool) {
	ip, err := netip.ParseAddr(mask)
	if err != nil {
		return 0, false
	}
	bits := 0
	for _, b := range ip.AsSlice() {
		for ; b&0x80 != 0; b <<= 1 {
			bits++
		}
	}
	return bits, true
}

// array reads {a,b}, the server's form of a list.
func array(text string) []string {
	text = strings.TrimSuffix(strings.TrimPrefix(text, "{"), "}")
	text = strings.TrimSuffix(strings.TrimPrefix(text, "["), "]")
	var out []string
	for word := range strings.SplitSeq(text, ",") {
		if word = strings.Trim(strings.TrimSpace(word), `"`); word != "" {
			out = append(out, word)
		}
	}
	return out
}

// means tells whether the line is for a role: by its name, by one that it is a
// member of (+name), or for all.
func (r *rule) means(e *export, role string) facts.Tri {
	said := facts.No
	for _, user := range r.users {
		switch group, isGroup := strings.CutPrefix(user, "+"); {
		case user == "all" || user == role:
			return facts.Yes
		case isGroup && (group == role || slices.Contains(e.above(role, nil), group)):
			return facts.Yes
		case isGroup && !e.hasMembers, strings.HasPrefix(user, "/"): // an expression is not judged
			said = facts.Unknown
		}
	}
	return said
}

// covers reports whether a line takes every connection that another would: then
// the other is never come to.
func (r *rule) covers(e *export, o *rule) bool {
	if r.never || r.kind != o.kind && (r.kind != "host" || o.kind == "local") {
		return false
	}
	if !slices.Contains(r.databases, "all") && slices.ContainsFunc(o.databases, func(d string) bool {
		return !slices.Contains(r.databases, d) || d == "sameuser" || d == "samerole" || d == "samegroup"
	}) {
		return false
	}
	if slices.Contains(r.databases, "all") && slices.Contains(o.databases, "replication") {
		return false // which all does not mean
	}
	theirs := o.network
	if o.everyone && e.listensOn4 {
		theirs = netip.PrefixFrom(netip.IPv4Unspecified(), 0)
	}
	switch {
	case r.everyone:
		return true
	case !r.network.IsValid() || !theirs.IsValid():
		return false
	}
	return r.network.Bits() <= theirs.Bits() && r.network.Contains(theirs.Addr())
}

// listens reads where the server takes connections. One that takes none from a
// network is judged as if it did: its next start may.
func (e *export) listens(addresses string, origin facts.Origin) {
	if strings.TrimSpace(addresses) == "" {
		e.Noted.Remark(origin, "the server takes no connections from a network now; its lines of access are judged as if it did")
		return
	}
	e.listensOn4 = true
	for a := range strings.SplitSeq(addresses, ",") {
		ip, err := netip.ParseAddr(strings.TrimSpace(a))
		e.listensOn4 = e.listensOn4 && err == nil && ip.Is4()
	}
}

// reachable reports whether a line can mean a connection at all.
func (e *export) reachable(r *rule) bool {
	return !r.never && !(e.listensOn4 && r.network.IsValid() && r.network.Addr().Is6())
}

// asking are the methods that ask for the password that the server keeps;
// outside those that hand it on to another system.
var (
	asking  = []string{"scram-sha-256", "md5", "password"}
	outside = []string{"ldap", "radius", "pam", "bsd"}
	unasked = []string{"trust", "reject", "peer", "ident", "cert", "gss", "sspi"} // for no password
)

// unheard reports whether nothing is known of the method of a line.
func (r *rule) unheard() bool {
	return !slices.Contains(asking, r.method) && !slices.Contains(outside, r.method) && !slices.Contains(unasked, r.method)
}

// A door is what the lines of access come to for a role.
type door struct {
	trusted   facts.Tri // some connection asks for nothing
	password  facts.Tri // some connection asks for the password that is kept
	elsewhere bool      // some connection asks another system for one
	by        *rule     // the first line that trusts
}

// doorOf evaluates the lines for a role: the first that means a connection
// decides on it.
func (e *export) doorOf(role, stored string) door {
	var d door
	if !e.hasRules || e.faulty {
		return d
	}
	d.trusted, d.password = facts.No, facts.No
	var before []*rule
	for i := range e.rules {
		r := &e.rules[i]
		meant := r.means(e, role)
		if !e.reachable(r) || meant == facts.No || slices.ContainsFunc(before, func(b *rule) bool { return b.covers(e, r) }) {
			continue
		}
		raise := func(t *facts.Tri) {
			if *t == facts.No {
				*t = meant
			}
			if meant == facts.Yes {
				*t = facts.Yes
			}
		}
		switch {
		case r.method == "trust":
			if raise(&d.trusted); d.by == nil {
				d.by = r
			}
		case slices.Contains(asking, r.method) && !(r.method == "scram-sha-256" && strings.HasPrefix(stored, "md5")):
			raise(&d.password)
		case slices.Contains(outside, r.method):
			d.elsewhere = true
		case r.unheard():
			d.trusted, d.password = d.trusted.Or(facts.Unknown), d.password.Or(facts.Unknown)
		}
		if meant == facts.Yes {
			before = append(before, r)
		}
	}
	return d
}

// trusts records which lines ask for no password.
func (e *export) trusts() {
	switch {
	case e.faulty:
		e.policy.Hide(setting.BlankAllowed, facts.Origin{File: e.folder, Text: "a line of access is faulty"})
		return
	case !e.hasRules:
		return
	}
	var trusting []*rule
	for i := range e.rules {
		r := &e.rules[i]
		reached := !slices.ContainsFunc(e.rules[:i], func(b rule) bool {
			return slices.Contains(b.users, "all") && b.covers(e, r)
		})
		if r.method == "trust" && e.reachable(r) && reached {
			trusting = append(trusting, r)
		}
	}
	if at := slices.IndexFunc(e.rules, func(r rule) bool { return r.unheard() }); at >= 0 && len(trusting) == 0 {
		e.policy.Hide(setting.BlankAllowed, e.rules[at].origin)
		return
	}
	if len(trusting) == 0 {
		e.set(setting.BlankAllowed, setting.No, facts.Origin{File: e.rules[0].origin.File, Text: "no line asks for nothing (trust)"})
		return
	}
	origin := trusting[0].origin
	origin.Text += ": no password is asked for"
	if n := len(trusting) - 1; n > 0 {
		origin.Text += fmt.Sprintf("; nor by %d more lines:", n)
		for _, r := range trusting[1:] {
			line, _, _ := strings.Cut(strings.TrimPrefix(r.origin.Text, "line "), ":")
			origin.Text += " " + line
		}
	}
	e.set(setting.BlankAllowed, setting.Yes, origin)
}
