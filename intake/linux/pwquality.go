package linux

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/intake"
)

// pwqualityConf is where pwquality's settings stand.
const pwqualityConf = "etc/security/pwquality.conf"

// What pwquality may ask for, beside a length: numbers, and yes or no.
var (
	qualityAmounts = []setting.ID{setting.MinClasses, setting.MinLower, setting.MinUpper, setting.MinDigits, setting.MinSymbols,
		setting.MaxRepeat, setting.MaxRun, setting.MinChanged}
	qualityFlags = []setting.ID{setting.NamesBarred, setting.DictionaryBarred, setting.CommonBarred}
)

// pwqualityLine is the longest line that pwquality takes, in bytes.
const pwqualityLine = 1022

// pwqualityFile adds the keys of a file as pwquality reads it: blanks or one
// equals sign part a key from its value, numbers are decimal, and a line that
// it does not understand stops the reading there. False when one did.
func (e *export) pwqualityFile(name string, into map[string]found) bool {
	lines, _ := e.lines(name)
	for _, l := range lines {
		stop := func(what string) bool {
			e.Noted.Remark(e.origin(name, l), "pwquality %s and stops reading its settings here; correct the line", what)
			return false
		}
		if len(l.text) > pwqualityLine {
			return stop(fmt.Sprintf("takes no line of more than %d characters", pwqualityLine))
		}
		text, _, _ := strings.Cut(l.text, "#")
		if text = strings.TrimSpace(text); text == "" {
			continue
		}
		key, value := text, ""
		if at := strings.IndexFunc(text, func(r rune) bool { return r == '=' || unicode.IsSpace(r) }); at >= 0 {
			key = text[:at]
			value = strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(text[at:]), "="))
		}
		key = strings.ToLower(key)
		if !slices.Contains(pwqualityKeys, key) {
			if near, ok := nearword.Of(key, pwqualityKeys); ok {
				return stop(fmt.Sprintf("does not know %q (%s?)", key, near))
			}
			return stop("does not know what this line sets")
		}
		if !pwqualityTakes(key, value) {
			return stop(fmt.Sprintf("takes whole decimal numbers for %s, not %q,", key, value))
		}
		into[key] = found{value, e.origin(name, l)}
	}
	return true
}

// pwqualityTakes reports whether the value is one that pwquality takes for the
// key.
func pwqualityTakes(key, value string) bool {
	if slices.Contains(pwqualityWords, key) {
		return true
	}
	_, err := strconv.ParseInt(value, 10, 32)
	return err == nil
}

var pwqualityKeys = []string{"difok", "minlen", "dcredit", "ucredit", "lcredit", "ocredit", "minclass", "maxrepeat",
	"maxsequence", "maxclassrepeat", "gecoscheck", "dictcheck", "usercheck", "usersubstr", "enforcing", "badwords",
	"dictpath", "retry", "enforce_for_root", "local_users_only"}

// pwqualityWords are those that take no number.
var pwqualityWords = []string{"badwords", "dictpath", "enforce_for_root", "local_users_only"}

// pwquality are the settings in force and where each stood.
type pwquality struct {
	keys   map[string]found
	module facts.Origin
}

// pwqualityOf reads drop-ins, then the main file, then the PAM line; the last
// value wins.
func (e *export) pwqualityOf(m *module) pwquality {
	q := pwquality{keys: map[string]found{}, module: m.origin}
	whole := true
	for _, name := range e.inFolder("etc/security/pwquality.conf.d", ".conf") {
		whole = whole && e.pwqualityFile(name, q.keys)
	}
	if whole {
		e.pwqualityFile(pwqualityConf, q.keys)
	}
	for _, a := range m.args {
		key, value, _ := strings.Cut(a, "=")
		if key = strings.ToLower(key); pwqualityTakes(key, value) { // others are logged and passed over
			q.keys[key] = found{value, m.origin}
		}
	}
	return q
}

// number returns a key's number and where it stood; the module's default
// where nothing says it.
func (q *pwquality) number(key string, fallback int64) (int64, facts.Origin) {
	if f, ok := q.keys[key]; ok {
		if n, err := strconv.ParseInt(f.value, 10, 32); err == nil {
			return n, f.origin
		}
	}
	origin := q.module
	origin.Text = key + " not set; its default counts"
	return fallback, origin
}

// complexity reads what a new password must be like, by one line of
// pam_pwquality.
func (e *export) complexity(m *module, least int64, unix facts.Origin) {
	q := e.pwqualityOf(m)
	if n, at := q.number("enforcing", 1); n == 0 {
		e.withoutQuality(least, at)
		return
	}
	_, e.rootFree = q.keys["enforce_for_root"]
	e.rootFree = !e.rootFree
	e.length(&q, least, unix)
	for key, id := range map[string]setting.ID{"dcredit": setting.MinDigits, "ucredit": setting.MinUpper, "lcredit": setting.MinLower,
		"ocredit": setting.MinSymbols} {
		n, at := q.number(key, 0)
		e.setCount(id, -n, at)
	}
	for key, id := range map[string]setting.ID{"minclass": setting.MinClasses, "maxrepeat": setting.MaxRepeat,
		"maxsequence": setting.MaxRun} {
		n, at := q.number(key, 0)
		e.setCount(id, n, at)
	}
	e.beyondSettings(&q)
	n, at := q.number("difok", 1)
	e.setCount(setting.MinChanged, n, at)
	n, at = q.number("gecoscheck", 0)
	e.set(setting.NamesBarred, setting.YesNo(n != 0), at)
	if n, _ = q.number("dictcheck", 1); n != 0 { // what its dictionary holds is in no file of the export
		e.policy.Set(setting.CommonBarred, setting.Value{}, facts.Origin{})
	}
	n, at = q.number("dictcheck", 1)
	e.set(setting.DictionaryBarred, setting.YesNo(n != 0), at)
	n, at = q.number("usercheck", 1)
	barred := setting.LoginAccepted
	if n != 0 {
		barred = setting.LoginContained
	}
	e.set(setting.LoginBarred, barred, at)
	e.set(setting.LoginReversedBarred, setting.YesNo(n != 0), at)
}

// beyondSettings notes what pwquality asks that no setting says: a password that
// passes all settings may be refused all the same, and whether it would is
// unknown.
func (e *export) beyondSettings(q *pwquality) {
	for _, key := range []string{"dcredit", "ucredit", "lcredit", "ocredit", "maxclassrepeat", "usersubstr"} {
		if n, at := q.number(key, 0); n > 0 {
			at.Text += ": what this refuses is not judged here"
			e.policy.Hide(setting.StrengthFloor, at)
		}
	}
	if f, ok := q.keys["badwords"]; ok && f.value != "" {
		e.policy.Hide(setting.CommonBarred, f.origin)
	}
}

// nameLooked is the shortest sign-in name that pwquality looks for.
const nameLooked = 4

// shortName records that pwquality does not look for a short sign-in name.
func (e *export) shortName(a *facts.Account) {
	if v := e.policy.Value(setting.LoginBarred); v.Value == setting.LoginContained && len(a.Login) < nameLooked {
		origin := v.Origin
		origin.Text = "pwquality does not look for sign-in names of fewer than four characters"
		a.Override(setting.LoginBarred, setting.LoginAccepted, origin)
		a.Override(setting.LoginReversedBarred, setting.No, origin)
	}
}

// known are the settings that follow from what the system is.
func (e *export) known(origin facts.Origin) {
	set := func(id setting.ID, v setting.Value, why string) {
		origin.Text = why
		e.set(id, v, origin)
	}
	set(setting.AppliesToExisting, setting.No, "the modules look at new passwords only")
	set(setting.ChangeAtFirstUse, setting.No, "the system has no such switch; chage -d 0 asks for it account by account")
	set(setting.SelfChange, setting.Yes, "everyone may run passwd")
	set(setting.BreachedBarred, setting.No, "no module of the stack knows breached passwords")
	set(setting.MaxLength, setting.OffValue, "no module of the stack has an upper limit")
	origin.Text = "the modules look at counts and lists only"
	intake.AnyCharacters(e.policy, origin)
	set(setting.MinLetters, setting.OffValue, "no module of the stack counts letters of both cases together")
	set(setting.MinDistinct, setting.OffValue, "no module of the stack counts different characters")
}

// length: a positive credit lets each character of its kind count as one
// more, up to the credit, and so shortens what is demanded; 6 is the floor.
func (e *export) length(q *pwquality, unixLeast int64, unixOrigin facts.Origin) {
	n, at := q.number("minlen", 8)
	for _, key := range []string{"dcredit", "ucredit", "lcredit", "ocredit"} {
		if credit, from := q.number(key, 0); credit > 0 {
			n -= credit
			if e.credits == nil {
				e.credits = map[string]int64{}
			}
			e.credits[key] = credit
			at.Text += "; shortened by " + from.Text
		}
	}
	n = max(n, 6)
	if unixLeast > n {
		n, at = unixLeast, unixOrigin
	}
	e.set(setting.MinLength, setting.Count(n), at)
}

// setCount sets a number of which 0 and less mean off.
func (e *export) setCount(id setting.ID, n int64, origin facts.Origin) {
	if n <= 0 {
		e.set(id, setting.OffValue, origin)
		return
	}
	e.set(id, setting.Count(n), origin)
}

// withoutQuality: pam_unix alone looks at the length only.
func (e *export) withoutQuality(least int64, origin facts.Origin) {
	e.set(setting.MinLength, setting.Count(least), origin)
	for _, id := range qualityAmounts {
		e.set(id, setting.OffValue, origin)
	}
	for _, id := range qualityFlags {
		e.set(id, setting.No, origin)
	}
}
