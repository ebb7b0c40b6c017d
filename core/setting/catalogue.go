package setting

import (
	"slices"
	"strings"
)

// ID is a setting's place in the catalogue.
type ID int

// The settings of the catalogue, in its order.
const (
	MinLength ID = iota
	MaxLength
	MinClasses
	MinLetters
	MinLower
	MinUpper
	MinDigits
	MinSymbols
	DigitInside
	SymbolInside
	MaxRepeat
	MaxRun
	MinDistinct
	MinChanged
	Alphabet
	LoginBarred
	LoginReversedBarred
	NamesBarred
	DescriptionBarred
	CommonBarred
	DictionaryBarred
	BreachedBarred
	SubstitutionsSeen
	BlankAllowed
	StrengthFloor
	History
	ReuseAfter
	MaxAge
	MinAge
	WarnBefore
	GraceSignIns
	GracePeriod
	ChangeAtFirstUse
	TemporaryValid
	AppliesToExisting
	LockoutAttempts
	LockoutWindow
	LockoutDuration
	LockoutLongest
	LockoutCoversAdmins
	SourceAttempts
	SourceWindow
	SourceDuration
	FailureDelay
	DormantAfter
	SecondFactor
	IdleTimeout
	SessionLimit
	SelfChange
	SelfReset
	SelfUnlock
	RecoveryQuestion
	HintAllowed
	FailuresLogged
	SuccessesLogged
	ChangeNotified
	LockNotified
	Storage

	Len // how many there are
)

// At returns the setting of an ID.
func At(id ID) *Setting { return &standard[id] }

// String returns the name as rules, mappings and outputs write it.
func (id ID) String() string { return standard[id].Name }

// All lists the settings in the order of the catalogue.
func All() []*Setting {
	list := make([]*Setting, Len)
	for i := range standard {
		list[i] = &standard[i]
	}
	return list
}

var byName = map[string]ID{}

func init() {
	standard[History].All = true
	for i := range standard {
		s := &standard[i]
		byName[s.Name] = ID(i)
		if s.OffIs != NoOff && s.OffWord == "" {
			s.OffWord = "off"
		}
	}
}

// Find returns the ID of a name.
func Find(name string) (ID, bool) {
	id, ok := byName[name]
	return id, ok
}

// Names returns all names in order.
func Names() []string {
	names := make([]string, Len)
	for i := range standard {
		names[i] = standard[i].Name
	}
	return names
}

// NamesOf returns the names of some settings.
func NamesOf(ids []ID) []string {
	var names []string
	for _, id := range ids {
		names = append(names, id.String())
	}
	return names
}

// Groups returns the names of the groups in order.
func Groups() []string {
	var groups []string
	for i := range standard {
		if !slices.Contains(groups, standard[i].Group) {
			groups = append(groups, standard[i].Group)
		}
	}
	return groups
}

// The choices of settings that code names.
var (
	AlphabetDigits           = ChoiceAt(0)
	AlphabetLettersAndDigits = ChoiceAt(1)
	AlphabetAny              = ChoiceAt(2)

	LoginAccepted  = ChoiceAt(0) // of login_barred
	LoginNotEqual  = ChoiceAt(1)
	LoginContained = ChoiceAt(2)

	NoStrengthFloor = ChoiceAt(0)

	NoSecondFactor       = ChoiceAt(0)
	SecondFactorOptional = ChoiceAt(1)
	SecondFactorAdmins   = ChoiceAt(2)
	SecondFactorEveryone = ChoiceAt(3)

	StoredClear      = ChoiceAt(0) // of storage
	StoredReversible = ChoiceAt(1)
	StoredUnsalted   = ChoiceAt(2)
	StoredSaltedFast = ChoiceAt(3)
	StoredSaltedSlow = ChoiceAt(4)
	StoredMemoryHard = ChoiceAt(5)
)

// ChoiceAt returns the choice with the given place in its setting's list, the
// weakest first.
func ChoiceAt(place int) Value { return Value{state: Choice, number: int64(place)} }

func count(name, group string, order Order, off OffPlace, word, unit, meaning string, s sayings) Setting {
	return Setting{Name: name, Group: group, Kind: CountKind, Order: order, OffIs: off, OffWord: word, Unit: unit,
		Meaning: meaning, says: s}
}

func duration(name, group string, order Order, off OffPlace, word, meaning string, s sayings) Setting {
	return Setting{Name: name, Group: group, Kind: DurationKind, Order: order, OffIs: off, OffWord: word, Meaning: meaning, says: s}
}

func flag(name, group string, order Order, meaning, yes, no string) Setting {
	return Setting{Name: name, Group: group, Kind: FlagKind, Order: order, Meaning: meaning, says: sayings{yes: yes, no: no}}
}

// choice takes the choices weakest first, each with its saying after a colon.
func choice(name, group, meaning string, choices ...string) Setting {
	s := Setting{Name: name, Group: group, Kind: ChoiceKind, Order: Higher, Meaning: meaning}
	for _, c := range choices {
		word, says, _ := strings.Cut(c, ": ")
		s.Choices, s.says.choices = append(s.Choices, word), append(s.says.choices, says)
	}
	return s
}

func must(letters string) sayings {
	return sayings{off: "a password needs no " + letters, amount: "a password needs {}"}
}

var standard = [Len]Setting{
	MinLength: count("min_length", "complexity", Higher, OffWeakest, "none", "characters",
		"the fewest characters that a new password may have; not bytes", sayings{off: "a password may have any length",
			amount: "passwords of {} are accepted"}),
	MaxLength: count("max_length", "complexity", Higher, OffStrictest, "none", "characters",
		"the most characters that a new password may have; a low ceiling is a weakness",
		sayings{off: "a password may be as long as wanted", amount: "passwords longer than {} are refused"}),
	MinClasses: {Name: "min_classes", Group: "complexity", Kind: CountKind, Order: Higher, OffIs: OffWeakest, OffWord: "none",
		Unit: "kinds of characters", Most: 5, Meaning: "how many kinds a password must mix: lower case, upper case, digits, " +
			"symbols, other letters", says: sayings{off: "a password needs no mix of characters",
			amount: "a password needs {}"}},
	MinLetters: count("min_letters", "complexity", Higher, OffWeakest, "none", "letters",
		"the fewest letters in a password", must("letter")),
	MinLower: count("min_lower", "complexity", Higher, OffWeakest, "none", "small letters", "the fewest small letters in a password",
		must("small letter")),
	MinUpper: count("min_upper", "complexity", Higher, OffWeakest, "none", "capitals",
		"the fewest capital letters in a password", must("capital")),
	MinDigits: count("min_digits", "complexity", Higher, OffWeakest, "none", "digits", "the fewest digits in a password", must("digit")),
	MinSymbols: count("min_symbols", "complexity", Higher, OffWeakest, "none", "symbols",
		"the fewest characters that are neither letters nor digits", must("symbol")),
	DigitInside: flag("digit_inside", "complexity", YesStricter, "at least one digit must not be the last character",
		"a digit must stand inside the password", "the only digit may stand at the end"),
	SymbolInside: flag("symbol_inside", "complexity", YesStricter, "at least one symbol must not be the last character",
		"a symbol must stand inside the password", "the only symbol may stand at the end"),
	MaxRepeat: count("max_repeat", "complexity", Lower, OffWeakest, "none", "equal characters", "the most equal characters in a row",
		sayings{off: "a character may be repeated without limit", amount: "{} in a row are accepted"}),
	MaxRun: count("max_run", "complexity", Lower, OffWeakest, "none", "characters",
		"the longest run such as 1234 or dcba, upwards or downwards",
		sayings{off: "runs such as 1234 are accepted at any length", amount: "runs of {} such as 1234 are accepted"}),
	MinDistinct: count("min_distinct", "complexity", Higher, OffWeakest, "none", "different characters",
		"the fewest different characters in a password", sayings{off: "a password may repeat one character only",
			amount: "a password needs {}"}),
	MinChanged: count("min_changed", "complexity", Higher, OffWeakest, "none", "new characters",
		"characters of a new password that the old one must not have",
		sayings{off: "a new password may be nearly the old one", amount: "a new password needs {}"}),
	Alphabet: choice("alphabet", "complexity", "the characters a password can consist of; a keypad has digits only",
		"digits: a password consists of digits only", "letters and digits: a password consists of letters and digits only",
		"any: a password may have any characters"),
	LoginBarred: choice("login_barred", "complexity", "whether a password may be, or contain, the sign-in name",
		"off: the sign-in name is accepted as a password", "equal: a password may contain the sign-in name",
		"contained: the sign-in name is refused in passwords"),
	LoginReversedBarred: flag("login_reversed_barred", "complexity", YesStricter, "the sign-in name backwards is refused too",
		"the sign-in name backwards is refused", "the sign-in name backwards is accepted as a password"),
	NamesBarred: flag("names_barred", "complexity", YesStricter, "first, last and display name are refused in passwords",
		"the user's names are refused in passwords", "the user's own names are accepted in passwords"),
	DescriptionBarred: flag("description_barred", "complexity", YesStricter, "words of the account's description are refused",
		"words of the description are refused in passwords",
		"words of the account's description are accepted in passwords"),
	CommonBarred: flag("common_barred", "complexity", YesStricter, "well-known passwords are refused, by a list of the system's own",
		"well-known passwords are refused", "well-known passwords are accepted"),
	DictionaryBarred: flag("dictionary_barred", "complexity", YesStricter,
		"words of a dictionary are refused, by a list of the system's own",
		"dictionary words are refused", "dictionary words are accepted as passwords"),
	BreachedBarred: flag("breached_barred", "complexity", YesStricter,
		"passwords known from breaches are refused, by a list of the system's own", "breached passwords are refused",
		"passwords known from breaches are accepted"),
	SubstitutionsSeen: flag("substitutions_seen", "complexity", YesStricter,
		"the comparisons see through 0 for o, @ for a, 3 for e, $ for s, 1 for l",
		"the comparisons see through substitutions", "substitutions such as 0 for o deceive the comparisons"),
	BlankAllowed: flag("blank_allowed", "complexity", NoStricter, "whether an empty password is accepted",
		"an empty password is accepted", "an empty password is refused"),
	StrengthFloor: choice("strength_floor", "complexity", "the least grade on the system's own meter",
		"none: passwords of any strength pass the system's meter", "weak: weak passwords pass the system's meter",
		"fair: fair passwords pass the system's meter", "strong: only strong passwords pass the system's meter",
		"very strong: only very strong passwords pass the system's meter"),

	History: count("history", "history", Higher, OffWeakest, "none", "passwords",
		"passwords before the present one that may not be used again", sayings{off: "a password may be reused at once",
			amount: "only the last {} are barred from reuse", all: "no earlier password may be used again"}),
	ReuseAfter: duration("reuse_after", "history", Higher, OffWeakest, "none", "how long an old password stays barred",
		sayings{off: "no time must pass before a password is reused", amount: "a password may be reused after {}"}),

	MaxAge: duration("max_age", "age", Lower, OffWeakest, "never", "how long a password may be kept",
		sayings{off: "passwords never expire", amount: "passwords last {}"}),
	MinAge: duration("min_age", "age", Higher, OffWeakest, "none", "how long a new password must be kept",
		sayings{off: "a new password may be changed again at once",
			amount: "a new password may be changed again after {}"}),
	WarnBefore: duration("warn_before", "age", Higher, OffWeakest, "none", "how long before expiry the user is warned",
		sayings{off: "nobody is warned before a password expires",
			amount: "people are warned {} before a password expires"}),
	GraceSignIns: count("grace_signins", "age", Lower, NoOff, "", "sign-ins", "sign-ins allowed with an expired password; 0 for none",
		sayings{amount: "an expired password is good for {} more"}),
	GracePeriod: duration("grace_period", "age", Lower, OffWeakest, "never", "time after expiry before the account is shut",
		sayings{off: "an account with an expired password is never shut",
			amount: "an account is shut {} after its password expires"}),
	ChangeAtFirstUse: flag("change_at_first_use", "age", YesStricter,
		"a password set by an administrator must be changed at the first sign-in", "a first password must be changed",
		"a password set by an administrator need not be changed"),
	TemporaryValid: duration("temporary_valid", "age", Lower, OffWeakest, "never", "how long a temporary password or recovery link works",
		sayings{off: "a temporary password works for ever", amount: "a temporary password works for {}"}),
	AppliesToExisting: flag("applies_to_existing", "age", YesStricter, "new rules reach passwords that were chosen before them",
		"new rules reach old passwords", "passwords chosen before a rule escape it"),

	LockoutAttempts: count("lockout_attempts", "lockout", Lower, OffWeakest, "never", "failures",
		"failures within the window that lock the account", sayings{off: "failed sign-ins never lock an account",
			amount: "an account locks only after {}"}),
	LockoutWindow: duration("lockout_window", "lockout", Higher, OffStrictest, "never",
		"how long a failure counts; off means until a good sign-in", sayings{off: "failures count until a good sign-in",
			amount: "a failure is forgotten after {}"}),
	LockoutDuration: {Name: "lockout_duration", Group: "lockout", Kind: DurationKind, Order: Higher, OffIs: OffWeakest, OffWord: "none",
		Unlock: true, Meaning: "how long a lock lasts", says: sayings{off: "a lock ends at once", amount: "a lock lasts {}",
			unlock: "a lock lasts until an administrator ends it"}},
	LockoutLongest: {Name: "lockout_longest", Group: "lockout", Kind: DurationKind, Order: Higher, OffIs: OffWeakest, OffWord: "none",
		Unlock: true, Meaning: "how long locks become where each lasts longer than the one before; lockout_duration is the first",
		says: sayings{off: "locks do not become longer", amount: "locks become longer, up to {}",
			unlock: "locks become longer, until one lasts until an administrator ends it"}},
	LockoutCoversAdmins: flag("lockout_covers_admins", "lockout", YesStricter, "the lockout holds for administrators too",
		"administrators are locked out like everyone", "administrators are never locked out"),
	SourceAttempts: count("source_attempts", "lockout", Lower, OffWeakest, "never", "failures", "failures from one address that block it",
		sayings{off: "an address is never blocked", amount: "an address is blocked only after {}"}),
	SourceWindow: duration("source_window", "lockout", Higher, OffStrictest, "never", "how long a failure counts against an address",
		sayings{off: "failures count against an address for ever", amount: "an address's failure is forgotten after {}"}),
	SourceDuration: {Name: "source_duration", Group: "lockout", Kind: DurationKind, Order: Higher, OffIs: OffWeakest, OffWord: "none",
		Unlock: true, Meaning: "how long an address stays blocked",
		says: sayings{off: "a blocked address is free again at once", amount: "an address is blocked for {}",
			unlock: "an address is blocked until an administrator frees it"}},
	FailureDelay: duration("failure_delay", "lockout", Higher, OffWeakest, "none", "the pause after a failed sign-in",
		sayings{off: "the next guess may follow at once", amount: "a failed sign-in delays the next by {}"}),
	DormantAfter: duration("dormant_after", "lockout", Lower, OffWeakest, "never",
		"how long an account may stay unused before it is shut", sayings{off: "unused accounts are never shut",
			amount: "unused accounts are shut after {}"}),

	SecondFactor: choice("second_factor", "sign-in", "who must sign in with a second factor",
		"off: there is no second factor", "optional: a second factor is offered and nobody needs it",
		"administrators: only administrators need a second factor", "everyone: everyone needs a second factor"),
	IdleTimeout: duration("idle_timeout", "sign-in", Lower, OffWeakest, "never", "how long a session may be idle",
		sayings{off: "an idle session never ends", amount: "an idle session ends after {}"}),
	SessionLimit: duration("session_limit", "sign-in", Lower, OffWeakest, "never", "how long a session may last",
		sayings{off: "a session never ends", amount: "a session ends after {}"}),
	SelfChange: flag("self_change", "sign-in", NoOrder, "whether users may change their own password; some sites forbid it on purpose",
		"users may change their own password", "users may not change their own password"),
	SelfReset: flag("self_reset", "sign-in", NoOrder, "whether users may reset a forgotten password themselves",
		"users may reset their own password", "users may not reset their own password"),
	SelfUnlock: flag("self_unlock", "sign-in", NoOrder, "whether users may unlock their account themselves",
		"users may unlock their own account", "users may not unlock their own account"),
	RecoveryQuestion: flag("recovery_question", "sign-in", NoStricter, "whether a question opens a forgotten account",
		"a security question opens a forgotten account", "no security question opens an account"),
	HintAllowed: flag("hint_allowed", "sign-in", NoStricter, "whether a password may have a hint", "a hint may give the password away",
		"passwords have no hints"),
	FailuresLogged: flag("failures_logged", "sign-in", YesStricter, "failed sign-ins are recorded", "failed sign-ins are recorded",
		"failed sign-ins leave no record"),
	SuccessesLogged: flag("successes_logged", "sign-in", YesStricter, "sign-ins are recorded", "sign-ins are recorded",
		"sign-ins leave no record"),
	ChangeNotified: flag("change_notified", "sign-in", YesStricter, "the user is told of a changed password",
		"users are told when their password changes", "nobody is told when a password changes"),
	LockNotified: flag("lock_notified", "sign-in", YesStricter, "somebody is told of a locked account", "locks are reported",
		"nobody is told of a locked account"),

	Storage: choice("storage", "storage", "how new passwords are stored",
		"cleartext: passwords are stored in clear", "reversible: passwords are stored so that they can be read back",
		"unsalted fast: passwords are stored with a fast hash and no salt",
		"salted fast: passwords are stored with a fast hash", "salted slow: passwords are stored with a slow hash",
		"memory-hard: passwords are stored with a memory-hard hash"),
}

// needs names the setting without which another has no effect: a warning
// before expiry means nothing where passwords never expire.
var needs = map[ID]ID{
	WarnBefore: MaxAge, GraceSignIns: MaxAge, GracePeriod: MaxAge,
	LockoutWindow: LockoutAttempts, LockoutDuration: LockoutAttempts, LockoutLongest: LockoutAttempts, LockoutCoversAdmins: LockoutAttempts,
	SourceWindow: SourceAttempts, SourceDuration: SourceAttempts,
}

// Needs returns the setting without which this one has no effect; false for
// none.
func (id ID) Needs() (ID, bool) {
	needed, ok := needs[id]
	return needed, ok
}
