package linux

import (
	"slices"
	"strconv"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// pwhistoryConf is where pam_pwhistory's settings stand, since libpam 1.5.3.
const pwhistoryConf = "etc/security/pwhistory.conf"

// asks are the modules that look at a new password.
var asks = []string{"pam_pwquality", "pam_pwhistory", "pam_unix"}

// saysOfChange lists what a module may say to somebody who changes a password;
// nothing for those that look at it.
func saysOfChange(m *module) []string {
	switch {
	case slices.Contains(asks, m.name):
		return nil
	case m.name == "pam_permit", m.name == "pam_echo", m.name == "pam_localuser", m.name == "pam_rootok":
		return []string{success}
	case m.name == "pam_deny":
		return []string{tokenErr}
	case m.name == "pam_warn":
		return []string{ignored}
	case m.name == "pam_gnome_keyring", m.name == "pam_ecryptfs":
		return []string{success, ignored}
	}
	return []string{gives, success, tokenErr, ignored}
}

// gives is the success of a module that asked for the new password itself, for
// those after it.
const gives = "success, and gives the password"

// isStored tells whether a new password is stored although one module refuses it;
// none for a password that all accept.
func isStored(s *stack, refusing *module) facts.Tri {
	return only(s.outcomes(saysOfChange, func(say func(*module) string) string {
		given, written := false, false
		s.change(func(m *module, update bool) string {
			if !slices.Contains(asks, m.name) {
				said := say(m)
				if said == gives {
					said, given = success, true
				}
				return said
			}
			if !update {
				if m.name == "pam_pwhistory" {
					return ignored
				}
				return success
			}
			if _, only := m.arg("use_authtok"); only && !given {
				return tokenErr
			}
			if given = m != refusing; !given {
				return tokenErr
			}
			written = written || m.name == "pam_unix"
			return success
		})
		return strconv.FormatBool(written)
	}))
}

// newPasswords reads what the stack for changing passwords demands of them: a
// module demands something where what it refuses is not stored.
func (e *export) newPasswords(passwords stack) {
	e.installed(&passwords)
	origin := passwords.modules[0].origin
	unix := find(passwords.modules, "pam_unix")
	least := int64(6) // of pam_unix
	if unix != nil {
		origin = unix.origin
		if value, ok := unix.arg("minlen"); ok {
			least, _ = leading(value)
		}
		for _, word := range unix.args { // the last one counts
			if grade, ok := cryptMethods[word]; ok {
				e.set(setting.Storage, grade, unix.origin)
			}
		}
	}
	e.known(origin)
	if !passwords.lacks && isStored(&passwords, nil) == facts.No {
		never := origin
		never.Text += ": by how the lines are written, no new password is ever stored"
		e.set(setting.SelfChange, setting.No, never)
	}
	e.history(&passwords)
	if passwords.lacks && find(passwords.modules, "pam_pwquality") == nil {
		return
	}
	e.withoutQuality(least, origin)
	if _, obscure := arg(unix, "obscure"); obscure {
		unix := unix.origin
		unix.Text += ": what obscure makes of short and similar ones is not judged here"
		e.policy.Hide(setting.StrengthFloor, unix)
	}
	for i := range passwords.modules {
		m := &passwords.modules[i]
		if m.name != "pam_pwquality" {
			continue
		}
		got := isStored(&passwords, m)
		switch {
		case got == facts.Unknown && !passwords.lacks:
			e.Noted.Remark(m.origin, "whether what this module refuses is stored all the same depends on modules around it; what it "+
				"asks is unknown")
			e.forget(m.origin)
			return
		case !e.settled(pwqualityConf): // which may also say that nothing is enforced
			e.notAsked(pwqualityConf, "pam_pwquality", "what it asks of passwords is")
			e.forget(m.origin)
			return
		case got == facts.Yes:
			e.Noted.Remark(m.origin, "what this module refuses is stored all the same, by how the lines around it are written")
			continue
		}
		before := [setting.Len]facts.Sourced{}
		for id, v := range e.policy.Values {
			before[id] = v
		}
		e.complexity(m, least, origin)
		e.strictest(&before)
	}
}

func arg(m *module, key string) (string, bool) {
	if m == nil {
		return "", false
	}
	return m.arg(key)
}

// forget leaves unknown what pwquality may ask.
func (e *export) forget(origin facts.Origin) {
	for _, id := range slices.Concat(qualityAmounts, qualityFlags) {
		e.policy.Hide(id, origin)
	}
	e.policy.Hide(setting.MinLength, origin)
}

// strictest keeps the stricter value of each setting of two modules that both
// look at a new password.
func (e *export) strictest(before *[setting.Len]facts.Sourced) {
	for i, old := range before {
		id := setting.ID(i)
		now := e.policy.Value(id)
		if now.Value == old.Value || !slices.Contains(qualityAmounts, id) && !slices.Contains(qualityFlags, id) && id != setting.MinLength {
			continue
		}
		if order, ok := setting.At(id).Compare(old.Value, now.Value); ok && order > 0 {
			e.policy.Set(id, old.Value, old.Origin)
		}
	}
}

// history reads how many old passwords are barred.
func (e *export) history(passwords *stack) {
	best, origin := int64(0), passwords.modules[0].origin
	origin.Text = "no pam_pwhistory and no remember= in the stack"
	for i := range passwords.modules {
		m := &passwords.modules[i]
		if m.name != "pam_pwhistory" && m.name != "pam_unix" {
			continue
		}
		value, ok := m.arg("remember")
		n, _ := leading(value) // as strtol does with a base of ten
		n = min(n, mostRemembered)
		from := m.origin
		if m.name == "pam_pwhistory" {
			if !ok {
				if n, from, ok = e.remembered(m); !ok {
					return
				}
			}
			got := isStored(passwords, m)
			switch {
			case got == facts.Yes:
				continue
			case got == facts.Unknown && !passwords.lacks:
				e.Noted.Remark(m.origin, "whether an old password is stored all the same depends on modules around this "+
					"one; the history is unknown")
				return
			}
			n-- // the present one is among those that it remembers
			from.Text += ": the present one among them"
		}
		if n > best {
			best, origin = n, from
		}
	}
	switch {
	case best > 0:
		e.set(setting.History, setting.Count(best), origin)
	case passwords.lacks:
	default:
		if m := stranger(passwords.modules); m != nil {
			e.Noted.Remark(m.origin, "nothing is known here of %s: whether it bars old passwords is unknown", m.name)
			e.policy.Hide(setting.History, m.origin)
			return
		}
		e.set(setting.History, setting.OffValue, origin)
	}
}

// mostRemembered is how many passwords pam_pwhistory and pam_unix keep at most.
const mostRemembered = 400

// remembered returns what pam_pwhistory remembers where its line does not say:
// a file says it since libpam 1.5.3, and its default is ten.
func (e *export) remembered(m *module) (int64, facts.Origin, bool) {
	origin := m.origin
	origin.Text = "remember not set; its default counts"
	switch version, known := e.libpam(); {
	case e.exists(pwhistoryConf) && (!known || !older(version, "1.5.3")):
		lines, _ := e.lines(pwhistoryConf)
		n := int64(10)
		for _, l := range lines {
			text, _, _ := strings.Cut(l.text, "#")
			key, value, _ := strings.Cut(text, "=")
			if v, ok := leading(strings.TrimSpace(value)); ok && strings.TrimSpace(key) == "remember" {
				n, origin = v, e.origin(pwhistoryConf, l)
			}
		}
		return n, origin, true
	case known && older(version, "1.5.3"), e.absent(pwhistoryConf):
		return 10, origin, true
	}
	e.notAsked(pwhistoryConf, "pam_pwhistory", "how many old passwords it bars is")
	return 0, origin, false
}
