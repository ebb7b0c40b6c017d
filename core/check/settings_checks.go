package check

import (
	"fmt"
	"strings"

	"yewcone/core/effective"
	"yewcone/core/gap"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

const daySeconds = 86400

var settingsChecks = []Check{
	{
		ID: "step-ahead", Title: "a rule asks for more from a later day on, and these fall short of it then", Severity: rules.Info,
		Doc:    "what is in order today breaks on that day, unless it is changed before.",
		Remedy: "raise the setting before the day comes",
		Steps:  true,
	},
	{
		ID: "history-cycled", Title: "the history can be run through", Severity: rules.Medium,
		Doc:      "whoever likes the old password changes it a few times in a row and has it back.",
		Remedy:   "set min_age so that history times min_age is at least a week",
		Settings: historyCycled,
		Wants:    keptForAWeek,
	},
	{
		ID: "ages-crossed", Title: "the smallest age is not below the largest", Severity: rules.High,
		Doc:    "the password runs out before it may be changed.",
		Remedy: "set min_age well below max_age",
		Settings: func(v *SettingsView) string {
			least, ok := v.seconds(setting.MinAge)
			most, ok2 := v.seconds(setting.MaxAge)
			return when(ok && ok2 && least >= most, "a password must be kept for %s and lasts %s", v.text(setting.MinAge),
				v.text(setting.MaxAge))
		},
		Wants: func(v *SettingsView) []Want { // half of the life leaves room on both sides
			most, _ := v.seconds(setting.MaxAge)
			return []Want{{setting.MinAge, fmt.Sprintf("at most %d seconds or none", most/2)}}
		},
	},
	{
		ID: "warned-always", Title: "the warning is not shorter than the life", Severity: rules.Low,
		Doc:    "a warning every day is read by nobody.",
		Remedy: "set warn_before to a week or two",
		Settings: func(v *SettingsView) string {
			warn, ok := v.seconds(setting.WarnBefore)
			most, ok2 := v.seconds(setting.MaxAge)
			return when(ok && ok2 && warn >= most && most > 0,
				"people are warned %s before the end of a password that lasts %s: from the first day",
				v.text(setting.WarnBefore), v.text(setting.MaxAge))
		},
		Wants: wants(setting.WarnBefore, "at most 14 days"),
	},
	{
		ID: "low-ceiling", Title: "the longest password is short", Severity: rules.Medium,
		Doc:    "a ceiling cuts off passphrases and password managers, and hints at passwords that are not hashed.",
		Remedy: "raise max_length to at least 64",
		Settings: func(v *SettingsView) string {
			most, ok := v.count(setting.MaxLength)
			return when(ok && most < 64, "passwords longer than %s are refused", v.text(setting.MaxLength))
		},
		Wants: wants(setting.MaxLength, "at least 64 or none"),
	},
	{
		ID: "ceiling-below-floor", Title: "the longest password is shorter than the shortest", Severity: rules.High,
		Doc:    "no password can be set.",
		Remedy: "set max_length above min_length",
		Settings: func(v *SettingsView) string {
			most, ok := v.count(setting.MaxLength)
			least, ok2 := v.count(setting.MinLength)
			return when(ok && ok2 && most < least, "passwords must have at least %s and at most %s", v.text(setting.MinLength),
				v.text(setting.MaxLength))
		},
		Wants: ceilingAbove(func(v *SettingsView) int64 { n, _ := v.count(setting.MinLength); return n }),
	},
	{
		ID: "ceiling-below-rules", Title: "the longest password is shorter than the rules demand", Severity: rules.High,
		Doc:      "the rule cannot be met as long as the ceiling stands.",
		Remedy:   "raise max_length first",
		Settings: ceilingBelowRules,
		Wants:    ceilingAbove(mostAsked),
	},
	{
		ID: "classes-exceed-length", Title: "more characters are demanded by kind than by length", Severity: rules.Low,
		Doc:    "the shortest length on the page is not the true one.",
		Remedy: "set min_length to at least the sum of what is demanded by kind",
		Settings: func(v *SettingsView) string {
			least, ok := v.count(setting.MinLength)
			sum := demandedByKind(v)
			return when(ok && sum > least, "%d characters are demanded by kind, and only %d in all", sum, least)
		},
		Wants: func(v *SettingsView) []Want {
			return []Want{{setting.MinLength, fmt.Sprintf("at least %d", demandedByKind(v))}}
		},
	},
	{
		ID: "patient-guessing", Title: "a patient guesser gets more than 1,000 guesses a day", Severity: rules.High,
		Doc:      "guesses kept just under the threshold, or made anew after each short lock, add up.",
		Remedy:   "lengthen lockout_window and lockout_duration",
		Settings: patientGuessing,
		Wants:    fewGuesses,
	},
	{
		ID: "admins-not-locked", Title: "administrators are left out of the lockout", Severity: rules.High,
		Doc:    "the accounts worth guessing are the ones that may be guessed at for ever.",
		Remedy: "switch on the lockout for administrators too",
		Settings: func(v *SettingsView) string {
			return when(v.no(setting.LockoutCoversAdmins) && v.get(setting.LockoutAttempts).Known(),
				"the lockout leaves administrators out")
		},
		Wants: wants(setting.LockoutCoversAdmins, "yes"),
	},
	{
		ID: "hair-trigger", Title: "ordinary slips lock people out", Severity: rules.Low,
		Doc:    "two slips of the finger lock the owner, and anybody can lock everybody.",
		Remedy: "allow at least 3 attempts",
		Settings: func(v *SettingsView) string {
			n, ok := v.count(setting.LockoutAttempts)
			return when(ok && n < 3, "an account locks after %s", v.text(setting.LockoutAttempts))
		},
		Wants: wants(setting.LockoutAttempts, "at least 3"),
	},
	{
		ID: "source-only", Title: "only the source address is counted", Severity: rules.Medium,
		Doc:    "an attacker changes the address and goes on with the same account.",
		Remedy: "switch on the lockout of accounts as well",
		Settings: func(v *SettingsView) string {
			n, ok := v.count(setting.SourceAttempts)
			return when(ok && v.off(setting.LockoutAttempts), "an address is blocked after %d failures, and an account never", n)
		},
		Wants: wants(setting.LockoutAttempts, "at most 10"),
	},
	{
		ID: "account-only", Title: "only the account is counted", Severity: rules.Info,
		Doc:    "one password tried on every account stays below each account's threshold.",
		Remedy: "block source addresses as well, where the system can",
		Settings: func(v *SettingsView) string {
			n, ok := v.count(setting.LockoutAttempts)
			return when(ok && v.off(setting.SourceAttempts), "an account locks after %d failures, and an address never", n)
		},
	},
	{
		ID: "grace-outlives", Title: "the grace after expiry is not shorter than the life", Severity: rules.Medium,
		Doc:    "the life is in truth twice as long.",
		Remedy: "shorten grace_period",
		Settings: func(v *SettingsView) string {
			grace, ok := v.seconds(setting.GracePeriod)
			most, ok2 := v.seconds(setting.MaxAge)
			return when(ok && ok2 && grace >= most && most > 0, "a password lasts %s and is good for another %s",
				v.text(setting.MaxAge), v.text(setting.GracePeriod))
		},
		Wants: wants(setting.GracePeriod, "at most 14 days or none"),
	},
	{
		ID: "forced-and-forbidden", Title: "a first change is forced and forbidden", Severity: rules.Medium,
		Doc:    "the user must change the password and may not: somebody else will do it, and know it.",
		Remedy: "allow people to change their own password",
		Settings: func(v *SettingsView) string {
			return when(v.yes(setting.ChangeAtFirstUse) && v.no(setting.SelfChange),
				"a first password must be changed, and people may not change it")
		},
		Wants: wants(setting.SelfChange, "yes"),
	},
	{
		ID: "storage-undeserved", Title: "passwords are stored more weakly than the rules on them deserve", Severity: rules.Medium,
		Doc:    "the demands on length are lost on whoever gets the store.",
		Remedy: "store passwords with a slow, salted hash",
		Settings: func(v *SettingsView) string {
			weaker, ok := setting.At(setting.Storage).Compare(v.get(setting.Storage), setting.StoredSaltedSlow)
			least, ok2 := v.count(setting.MinLength)
			return when(ok && ok2 && weaker < 0 && least >= 8, "passwords need %s and are stored: %s",
				v.text(setting.MinLength), v.text(setting.Storage))
		},
		Wants: wants(setting.Storage, "at least salted slow"),
	},
	{
		ID: "flag-and-policy", Title: "a mark on the account and its policy disagree on expiry", Severity: rules.Low,
		IfPrivileged: rules.Medium,
		Doc:          "whoever reads the policy believes that the password expires.",
		Remedy:       "bring the two to agree",
		Settings: func(v *SettingsView) string {
			v.get(setting.MaxAge)
			id := setting.MaxAge
			holds := v.Holds(id)
			policy, flagged := disagree(holds)
			v.Unknown = v.Unknown || holds.Unmarked && holds.ByPolicy.State() == setting.Duration
			return when(flagged, "the policy says that passwords last %s, and a mark on the account that this one never "+
				"expires", setting.At(id).Counted(policy))
		},
		Mark: "never_expires",
	},
}

// when returns the text where something is so, and "" otherwise.
func when(so bool, format string, args ...any) string {
	if !so {
		return ""
	}
	return fmt.Sprintf(format, args...)
}

func historyCycled(v *SettingsView) string {
	n, ok := v.count(setting.History)
	if !ok || n == 0 || n == setting.AllCount {
		return ""
	}
	if v.off(setting.MinAge) {
		return fmt.Sprintf("%s barred, and a new one may be changed at once: the old one is back after %d changes in a row", lastStay(n), n+1)
	}
	least, ok := v.seconds(setting.MinAge)
	return when(ok && least*n < 7*daySeconds, "%s barred, each kept for %s at least: the old one is back within a week", lastStay(n),
		v.text(setting.MinAge))
}

func lastStay(n int64) string {
	if n == 1 {
		return "only the last password stays"
	}
	return fmt.Sprintf("only the last %d passwords stay", n)
}

func ceilingBelowRules(v *SettingsView) string {
	most, ok := v.count(setting.MaxLength)
	asked := mostAsked(v)
	return when(ok && asked > most, "passwords longer than %d characters are refused, and the rules ask for at least %d", most, asked)
}

// mostAsked is the greatest length that rules ask for at least.
func mostAsked(v *SettingsView) int64 {
	most := int64(0)
	for _, asked := range v.Asked(setting.MinLength) {
		if n, isCount := asked.Count(); isCount {
			most = max(most, n)
		}
	}
	return most
}

// ceilingAbove wants room for passwords of a length, and for passphrases.
func ceilingAbove(length func(*SettingsView) int64) func(*SettingsView) []Want {
	return func(v *SettingsView) []Want {
		return []Want{{setting.MaxLength, fmt.Sprintf("at least %d or none", max(64, length(v)))}}
	}
}

// demandedByKind is how many characters are demanded by their kind.
func demandedByKind(v *SettingsView) int64 {
	sum := int64(0)
	for _, id := range []setting.ID{setting.MinLower, setting.MinUpper, setting.MinDigits, setting.MinSymbols} {
		n, _ := v.count(id)
		sum += n
	}
	classes, _ := v.count(setting.MinClasses)
	return max(sum, classes)
}

// keptForAWeek wants each password kept for so long that the history takes a
// week to run through.
func keptForAWeek(v *SettingsView) []Want {
	n, ok := v.count(setting.History)
	if !ok || n == 0 {
		return nil
	}
	days := (7 + n - 1) / n
	return []Want{{setting.MinAge, fmt.Sprintf("at least %d day%s", days, strings.Repeat("s", int(min(1, days-1))))}}
}

// fewGuesses wants windows and locks that leave a patient guesser 1,000
// guesses a day.
func fewGuesses(v *SettingsView) []Want {
	n, _ := v.count(setting.LockoutAttempts)
	minutes := func(n int64) int64 { return max(1, (n*86400+300_000-1)/300_000) * 5 } // rounded up to whole fives
	last := setting.LockoutDuration
	if longest := v.get(setting.LockoutLongest); longest.Known() && longest.State() != setting.Off {
		last = setting.LockoutLongest
	}
	return []Want{{setting.LockoutWindow, fmt.Sprintf("at least %d minutes or never", minutes(n-1))},
		{last, fmt.Sprintf("at least %d minutes or until unlocked", minutes(n))}}
}

func patientGuessing(v *SettingsView) string {
	if _, ok := v.count(setting.LockoutAttempts); !ok {
		return ""
	}
	longest := v.get(setting.LockoutLongest) // where locks grow, what is left at the end is what can be guessed for good
	grows, last := longest.Known() && longest.State() != setting.Off, v.get(setting.LockoutDuration)
	if grows {
		last = longest
	}
	guesses, _, ok := gap.PerDay(v.get(setting.LockoutAttempts), v.get(setting.LockoutWindow), last, setting.OffValue)
	growing := ""
	if grows {
		growing = ", and longer up to " + v.text(setting.LockoutLongest)
	}
	return when(ok && guesses > 1000, "%s a day can be guessed (%s, counted over %s, locked for %s%s)", guessText(guesses),
		v.text(setting.LockoutAttempts), v.text(setting.LockoutWindow), v.text(setting.LockoutDuration), growing)
}

func guessText(n float64) string {
	if n >= 1e9 {
		return "any number of passwords"
	}
	return fmt.Sprintf("%.0f passwords", n)
}

// disagree tells whether a mark on the account switches a setting off that a
// policy sets, and what the policy says.
func disagree(s *effective.Setting) (setting.Value, bool) {
	if s.From == nil || !s.From.Flag || s.From.Value.State() != setting.Off {
		return setting.Value{}, false
	}
	return s.ByPolicy, s.ByPolicy.State() == setting.Duration
}
