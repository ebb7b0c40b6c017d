package handout

import (
	"strconv"
	"strings"

	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// words are what is said to staff of a setting, as sentences without a capital and
// without a full stop; {} stands for the value. Where there is no sentence for a
// form of requirement, what is asked is told of "what".
type words struct {
	what             string // the setting, as what something can be asked of
	least, most      string // of an amount
	off, unlock, all string
	yes, no          string
	choices          []string         // at least this one, the weakest first
	one, many        string           // what is counted, where staff say it otherwise than administrators
	special          map[int64]string // of an amount for which the sentence would be odd
}

const wrongPassword, wrongPasswords = "wrong password", "wrong passwords"

// ofCount are the sentences for how many of something a password has.
func ofCount(of string) words {
	return words{what: "the least number of " + of + " in a password", least: "a password has at least {}", off: "a password needs no " + of}
}

var sentences = map[setting.ID]words{
	setting.MinLength: {what: "the least length of a password", least: "a password has at least {}", off: "a password may be as short as you like"},
	setting.MaxLength: {what: "the greatest length of a password", least: "a password may have {} and, where the system takes them, more",
		most: "a password has at most {}", off: "a password may be as long as you like"},
	setting.MinClasses: {what: "the number of kinds of characters in a password",
		least: "a password has at least {} of these: small letters, capitals, digits, symbols",
		off:   "a password need not mix kinds of characters", one: "kind", many: "kinds"},
	setting.MinLetters: ofCount("letters"),
	setting.MinLower:   ofCount("small letters"),
	setting.MinUpper:   ofCount("capitals"),
	setting.MinDigits:  ofCount("digits"),
	setting.MinSymbols: ofCount("symbols"),
	setting.MinDistinct: {what: "the number of different characters in a password", least: "a password has at least {}",
		off: "a password may repeat one character"},
	setting.DigitInside: {what: "whether a digit stands inside a password", yes: "a digit stands inside a password, not at its end alone",
		no: "the only digit of a password may stand at its end"},
	setting.SymbolInside: {what: "whether a symbol stands inside a password", yes: "a symbol stands inside a password, not at its end alone",
		no: "the only symbol of a password may stand at its end"},
	setting.MaxRepeat: {what: "the number of equal characters in a row", most: "a password has at most {} in a row",
		off:     "a character may be repeated as you like",
		special: map[int64]string{1: "no character of a password follows itself"}},
	setting.MaxRun: {what: "the length of runs such as 1234 in a password", most: "a run such as 1234 or dcba has at most {}",
		off: "runs such as 1234 are taken at any length"},
	setting.MinChanged: {what: "the number of characters that a new password has and the old one had not",
		least: "a new password has at least {} that the old one had not",
		off:   "a new password may be nearly the old one", one: "character", many: "characters"},
	setting.Alphabet: {what: "the characters that a password may have", choices: []string{"a password may have digits",
		"a password may have letters and digits", "a password may have any characters, spaces and symbols too"}},
	setting.LoginBarred: {what: "whether a password may be the sign-in name", choices: []string{"a password may be the sign-in name",
		"a password is not the sign-in name", "a password does not contain the sign-in name"}},
	setting.LoginReversedBarred: {what: "whether a password may be the sign-in name backwards", yes: "a password is not the sign-in name backwards",
		no: "a password may be the sign-in name backwards"},
	setting.NamesBarred: {what: "whether a password may contain names of its owner", yes: "a password does not contain names of its owner",
		no: "a password may contain names of its owner"},
	setting.DescriptionBarred: {what: "whether a password may contain words that describe the account",
		yes: "a password does not contain words that describe the account", no: "a password may contain words that describe the account"},
	setting.CommonBarred: {what: "whether a password may be a well-known one", yes: "a password is none of the well-known ones",
		no: "a password may be a well-known one"},
	setting.DictionaryBarred: {what: "whether a password may be a word of a dictionary", yes: "a password is no word of a dictionary",
		no: "a password may be a word of a dictionary"},
	setting.BreachedBarred: {what: "whether a password may be known from a breach", yes: "a password is none that is known from a breach",
		no: "a password may be one that is known from a breach"},
	setting.SubstitutionsSeen: {what: "whether 0 for o and the like is seen through",
		yes: "a word that is refused stays refused with 0 for o or @ for a",
		no:  "a word that is refused may be written with 0 for o or @ for a"},
	setting.BlankAllowed: {what: "whether a password may be empty", yes: "a password may be empty", no: "a password is never empty"},
	setting.StrengthFloor: {what: "the grade of a password on the system's own meter",
		choices: []string{"a password may have any grade on the system's own meter",
			"a password is at least weak by the system's own meter", "a password is at least fair by the system's own meter",
			"a password is at least strong by the system's own meter", "a password is very strong by the system's own meter"}},

	setting.History: {what: "the number of earlier passwords that stay barred", least: "a new password is none of the last {}",
		off:     "an old password may be used again",
		special: map[int64]string{1: "a new password is not the one before it"},
		all:     "a password is never used again"},
	setting.ReuseAfter: {what: "how long an old password stays barred", least: "an old password stays barred for at least {}",
		off: "an old password may be used again at once"},

	setting.MaxAge: {what: "how long a password may be kept", most: "a password is changed after {} at the latest",
		off: "a password does not run out"},
	setting.MinAge: {what: "how long a new password must be kept", least: "a new password is kept for at least {}",
		most: "a new password may be changed again after {} at the latest", off: "a new password may be changed again at once"},
	setting.WarnBefore: {what: "how long before its end a password is warned of", least: "you are warned at least {} before a password runs out",
		off: "nobody is warned before a password runs out"},
	setting.GraceSignIns: {what: "the number of sign-ins with a password that has run out",
		most:    "a password that has run out is good for at most {} more",
		special: map[int64]string{0: "a password that has run out is good for nothing more"}},
	setting.GracePeriod: {what: "how long after the end of its password an account is shut",
		most: "an account is shut at most {} after its password ran out",
		off:  "an account stays open when its password has run out"},
	setting.ChangeAtFirstUse: {what: "whether a first password must be changed",
		yes: "a first password, which somebody else has set, is changed at the first sign-in",
		no:  "a first password, which somebody else has set, may be kept"},
	setting.TemporaryValid: {what: "how long a temporary password or a link works",
		most: "a temporary password, or a link to set one, works for at most {}",
		off:  "a temporary password, or a link to set one, works until it is used"},
	setting.AppliesToExisting: {what: "whether new rules hold for passwords that were chosen before them",
		yes: "new rules hold for passwords that were chosen before them too", no: "passwords that were chosen before a rule may stay"},

	setting.LockoutAttempts: {what: "the number of wrong passwords that lock an account", most: "an account is locked after at most {}",
		least: "an account is locked after {} at the earliest",
		off:   "wrong passwords never lock an account", one: wrongPassword, many: wrongPasswords},
	setting.LockoutWindow: {what: "how long wrong passwords count together", least: "wrong passwords count together for at least {}",
		off: "wrong passwords count together until a right one"},
	setting.LockoutDuration: {what: "how long a lock lasts", least: "a lock lasts at least {}", most: "a lock lasts at most {}",
		off:    "a lock ends at once",
		unlock: "a lock lasts until an administrator ends it"},
	setting.LockoutLongest: {what: "how long locks may become",
		least: "locks become longer, up to at least {}", most: "locks become longer, up to at most {}",
		off: "locks do not become longer", unlock: "locks become longer, until an administrator has to end one"},
	setting.LockoutCoversAdmins: {what: "whether administrators are locked out too", yes: "administrators are locked out like everybody",
		no: "administrators are not locked out"},
	setting.SourceAttempts: {what: "the number of wrong passwords that shut an address out", most: "an address is shut out after at most {}",
		least: "an address is shut out after {} at the earliest", off: "no address is shut out", one: wrongPassword, many: wrongPasswords},
	setting.SourceWindow: {what: "how long wrong passwords from an address count together",
		least: "wrong passwords from an address count together for at least {}",
		off:   "wrong passwords from an address count together for ever"},
	setting.SourceDuration: {what: "how long an address stays shut out",
		least: "an address is shut out for at least {}", most: "an address is shut out for at most {}",
		off: "an address that was shut out is free again at once", unlock: "an address is shut out until an administrator frees it"},
	setting.FailureDelay: {what: "how long the next try waits after a wrong password", least: "after a wrong password the next try waits at least {}",
		most: "after a wrong password the next try waits at most {}", off: "after a wrong password the next try may follow at once"},
	setting.DormantAfter: {what: "how long an account may stay unused", most: "an account that nobody uses is shut after {} at the latest",
		off: "an account that nobody uses stays open"},

	setting.SecondFactor: {what: "who signs in with a second factor",
		choices: []string{"no second factor is needed", "a second factor is offered to everybody",
			"administrators sign in with a second factor", "everybody signs in with a second factor"}},
	setting.IdleTimeout: {what: "how long a session may be idle", most: "a session that is idle ends after {} at the latest",
		off: "an idle session stays open"},
	setting.SessionLimit: {what: "how long a session may last", most: "a session ends after {} at the latest", off: "a session stays open"},
	setting.SelfChange: {what: "whether people change their own password", yes: "people may change their own password",
		no: "people may not change their own password"},
	setting.SelfReset: {what: "whether people reset their own password", yes: "people may reset a forgotten password themselves",
		no: "people may not reset a forgotten password themselves"},
	setting.SelfUnlock: {what: "whether people unlock their own account", yes: "people may unlock their account themselves",
		no: "people may not unlock their account themselves"},
	setting.RecoveryQuestion: {what: "whether a question opens a forgotten account", yes: "a question may open a forgotten account",
		no: "no question opens a forgotten account"},
	setting.HintAllowed: {what: "whether a password may have a hint", yes: "a password may have a hint", no: "a password has no hint"},
	setting.FailuresLogged: {what: "whether wrong passwords are recorded", yes: "wrong passwords are recorded",
		no: "wrong passwords are not recorded"},
	setting.SuccessesLogged: {what: "whether sign-ins are recorded", yes: "sign-ins are recorded", no: "sign-ins are not recorded"},
	setting.ChangeNotified: {what: "whether somebody is told of a changed password", yes: "the owner of an account is told when its password changes",
		no: "nobody is told when a password changes"},
	setting.LockNotified: {what: "whether somebody is told of a lock", yes: "somebody is told when an account is locked",
		no: "nobody is told when an account is locked"},
	setting.Storage: {what: "how passwords are stored", choices: []string{"passwords may be stored in any way", "passwords are not stored in clear",
		"passwords are stored so that nobody can read them back", "passwords are stored so that nobody can read them back, each with a salt",
		"passwords are stored with a hash that is slow to guess at", "passwords are stored with a hash that takes much memory to guess at"}},
}

// Sentence says a requirement to staff, with a capital and a full stop.
func Sentence(id setting.ID, r requirement.Requirement) string { return Finished(sentence(id, r)) }

// Finished gives a sentence its capital and its full stop.
func Finished(text string) string {
	if text == "" {
		return ""
	}
	return strings.ToUpper(text[:1]) + text[1:] + "."
}

func sentence(id setting.ID, r requirement.Requirement) string {
	var parts []string
	w := sentences[id]
	for _, alternative := range r.Alternatives() {
		parts = append(parts, w.say(setting.At(id), alternative))
	}
	return strings.Join(parts, ", or ")
}

// say is the sentence for one alternative.
func (w *words) say(s *setting.Setting, a requirement.Alternative) string {
	filled := func(text string, v setting.Value) string { return strings.ReplaceAll(text, "{}", w.amount(s, v)) }
	switch a.Form {
	case requirement.AtLeast, requirement.AtMost:
		v := a.Values[0]
		if n, ok := v.Count(); ok && w.special[n] != "" && (a.Form == requirement.AtLeast) == (w.least != "") {
			return w.special[n]
		}
		if text := map[string]string{requirement.AtLeast: w.least, requirement.AtMost: w.most}[a.Form]; text != "" {
			return filled(text, v)
		}
		if place, ok := v.Index(); ok && a.Form == requirement.AtLeast {
			return w.choices[place]
		}
		return w.what + " is " + a.Form + " " + w.amount(s, v)
	case requirement.Between:
		return w.what + " is between " + w.amount(s, a.Values[0]) + " and " + w.amount(s, a.Values[1])
	case requirement.OneOf:
		var list []string
		for _, v := range a.Values {
			list = append(list, w.amount(s, v))
		}
		return w.what + " is one of " + strings.Join(list, ", ")
	case requirement.SameAs:
		return w.what + " is as on " + a.System
	case requirement.IsSet:
		if w.yes != "" {
			return w.yes
		}
		return w.what + " is settled, whatever it is"
	}
	return w.exactly(s, a.Values[0])
}

// exactly is the sentence for one value.
func (w *words) exactly(s *setting.Setting, v setting.Value) string {
	if yes, ok := v.Flag(); ok {
		if yes {
			return w.yes
		}
		return w.no
	}
	switch v.State() {
	case setting.Off:
		return w.off
	case setting.UntilUnlocked:
		return w.unlock
	}
	if v == setting.Count(setting.AllCount) && w.all != "" {
		return w.all
	}
	if place, ok := v.Index(); ok && place == len(s.Choices)-1 {
		return w.choices[place]
	}
	return w.what + " is " + w.amount(s, v)
}

// amount writes a value as staff say it.
func (w *words) amount(s *setting.Setting, v setting.Value) string {
	n, ok := v.Count()
	switch {
	case !ok || v == setting.Count(setting.AllCount):
		return s.Text(v)
	case w.one == "":
		return s.Counted(v)
	case n == 1:
		return "1 " + w.one
	}
	return strconv.FormatInt(n, 10) + " " + w.many
}
