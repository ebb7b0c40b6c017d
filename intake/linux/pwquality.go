package linux

import (
	"slices"
	"strings"

	"yewcone/core/estate"
	"yewcone/core/setting"
	"yewcone/intake"
)

// keyFile reads "key = value" lines; a key alone has the value "". With a
// list of known keys, an unknown one stops the reading there, as pwquality
// does, and stopped is noted.
func (e *export) keyFile(name string, known []string) map[string]found {
	out := map[string]found{}
	e.readKeys(name, known, out)
	return out
}

// readKeys adds to the keys; false when an unknown key stopped it.
func (e *export) readKeys(name string, known []string, into map[string]found) bool {
	lines, _ := e.lines(name)
	for _, l := range lines {
		text, _, _ := strings.Cut(l.text, "#")
		key, value, _ := strings.Cut(text, "=")
		if key = strings.TrimSpace(key); key == "" {
			continue
		}
		if known != nil {
			key = strings.ToLower(key)
			if !slices.Contains(known, key) {
				e.notes.Remark(e.origin(name, l), "pwquality does not know %q and stops reading its settings here; correct the line", key)
				return false
			}
		}
		into[key] = found{strings.TrimSpace(value), e.origin(name, l)}
	}
	return true
}

var pwqualityKeys = []string{"difok", "minlen", "dcredit", "ucredit", "lcredit", "ocredit", "minclass", "maxrepeat",
	"maxsequence", "maxclassrepeat", "gecoscheck", "dictcheck", "usercheck", "usersubstr", "enforcing", "badwords",
	"dictpath", "retry", "enforce_for_root", "local_users_only"}

// pwquality are the settings in force and where each stood.
type pwquality struct {
	keys   map[string]found
	module estate.Origin
}

// pwqualityOf reads drop-ins, then the main file, then the PAM line; the last
// value wins.
func (e *export) pwqualityOf(m *module) pwquality {
	q := pwquality{keys: map[string]found{}, module: m.origin}
	whole := true
	for _, name := range e.inFolder("etc/security/pwquality.conf.d", ".conf") {
		whole = whole && e.readKeys(name, pwqualityKeys, q.keys)
	}
	if whole {
		e.readKeys("etc/security/pwquality.conf", pwqualityKeys, q.keys)
	}
	for _, a := range m.args {
		key, value, _ := strings.Cut(a, "=")
		q.keys[strings.ToLower(key)] = found{value, m.origin}
	}
	return q
}

// number returns a key's number and where it stood; the module's default
// where nothing says it.
func (q *pwquality) number(key string, fallback int64) (int64, estate.Origin) {
	if f, ok := q.keys[key]; ok {
		if n, ok := cNumber(f.value); ok {
			return n, f.origin
		}
	}
	origin := q.module
	origin.Text = key + " not set; its default counts"
	return fallback, origin
}

// complexity reads what a new password must be like.
func (e *export) complexity(passwords stack) {
	const file = "etc/security/pwquality.conf"
	origin := passwords.modules[0].origin
	unix := find(passwords.modules, "pam_unix")
	least := int64(6) // of pam_unix
	if unix != nil {
		origin = unix.origin
		if value, ok := unix.arg("minlen"); ok {
			if n, ok := cNumber(value); ok {
				least = n
			}
		}
		for method, place := range cryptMethods {
			if _, ok := unix.arg(method); ok {
				e.set("storage", setting.ChoiceAt(place), unix.origin)
			}
		}
	}
	e.known(origin)
	m := find(passwords.modules, "pam_pwquality")
	switch {
	case m == nil && passwords.lacks:
		return
	case m == nil:
		e.withoutQuality(least, origin)
		return
	case !e.exists(file): // which may also say that nothing is enforced
		e.notAsked(file, "pam_pwquality", "what it asks of passwords is")
		return
	}
	q := e.pwqualityOf(m)
	if n, at := q.number("enforcing", 1); n == 0 {
		e.withoutQuality(least, at)
		return
	}
	_, e.rootFree = q.keys["enforce_for_root"]
	e.rootFree = !e.rootFree
	e.length(&q, least, origin)
	for key, name := range map[string]string{"dcredit": "min_digits", "ucredit": "min_upper", "lcredit": "min_lower",
		"ocredit": "min_symbols"} {
		n, at := q.number(key, 0)
		e.setCount(name, -n, at)
	}
	for key, name := range map[string]string{"minclass": "min_classes", "maxrepeat": "max_repeat", "maxsequence": "max_run"} {
		n, at := q.number(key, 0)
		e.setCount(name, n, at)
	}
	n, at := q.number("difok", 1)
	e.setCount("min_changed", n, at)
	n, at = q.number("gecoscheck", 0)
	e.set("names_barred", setting.YesNo(n != 0), at)
	n, at = q.number("dictcheck", 1)
	e.set("dictionary_barred", setting.YesNo(n != 0), at)
	n, at = q.number("usercheck", 1)
	barred := setting.ChoiceAt(0)
	if n != 0 {
		barred = setting.ChoiceAt(2) // contained
	}
	e.set("login_barred", barred, at)
	e.set("login_reversed_barred", setting.YesNo(n != 0), at)
}

// known are the settings that follow from what the system is.
func (e *export) known(origin estate.Origin) {
	set := func(name string, v setting.Value, why string) {
		origin.Text = why
		e.set(name, v, origin)
	}
	set("applies_to_existing", setting.No, "the modules look at new passwords only")
	set("change_at_first_use", setting.No, "the system has no such switch; chage -d 0 asks for it account by account")
	set("self_change", setting.Yes, "everyone may run passwd")
	set("breached_barred", setting.No, "no module of the stack knows breached passwords")
	set("max_length", setting.OffValue, "no module of the stack has an upper limit")
	origin.Text = "the modules look at counts and lists only"
	intake.AnyCharacters(e.policy, origin)
	set("min_letters", setting.OffValue, "no module of the stack counts letters of both cases together")
	set("min_distinct", setting.OffValue, "no module of the stack counts different characters")
}

// length: a positive credit lets each character of its kind count as one
// more, up to the credit, and so shortens what is demanded; 6 is the floor.
func (e *export) length(q *pwquality, unixLeast int64, unixOrigin estate.Origin) {
	n, at := q.number("minlen", 8)
	for _, key := range []string{"dcredit", "ucredit", "lcredit", "ocredit"} {
		if credit, from := q.number(key, 0); credit > 0 {
			n -= credit
			at.Text += "; shortened by " + from.Text
		}
	}
	n = max(n, 6)
	if unixLeast > n {
		n, at = unixLeast, unixOrigin
	}
	e.set("min_length", setting.Count(n), at)
}

// setCount sets a number of which 0 and less mean off.
func (e *export) setCount(name string, n int64, origin estate.Origin) {
	if n <= 0 {
		e.set(name, setting.OffValue, origin)
		return
	}
	e.set(name, setting.Count(n), origin)
}

// withoutQuality: pam_unix alone looks at the length only.
func (e *export) withoutQuality(least int64, origin estate.Origin) {
	e.set("min_length", setting.Count(least), origin)
	for _, name := range []string{"min_classes", "min_lower", "min_upper", "min_digits", "min_symbols", "max_repeat",
		"max_run", "min_changed"} {
		e.set(name, setting.OffValue, origin)
	}
	for _, name := range []string{"names_barred", "dictionary_barred", "common_barred"} {
		e.set(name, setting.No, origin)
	}
}
