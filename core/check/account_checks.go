package check

import (
	"slices"

	"yewcone/core/facts"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// knownNames are those that guessers begin with.
const knownNames = `["root", "admin", "administrator", "Administrator", "sa", "sysadmin", "superuser", "postgres", "test", ` +
	`"user", "operator", "oracle", "mysql"]`

var accountChecks = []Check{
	{
		ID: "blank", Title: "accounts that let anybody in, since their password is empty", Severity: rules.Critical,
		Doc:     "an empty password is no password.",
		Account: `blank and enabled and password_usable`, Remedy: "set a password, or lock the account",
		Opens: "an empty password",
		Acts:  []Act{NewPassword, Shut},
	},
	{
		ID: "password-is-login", Title: "accounts whose password is their own sign-in name", Severity: rules.Critical,
		Doc:     "it is the first guess of everybody.",
		Account: `storage < "salted slow" and password_is_login and enabled and password_usable`, Remedy: "set another password, today",
		Opens: "a password that is the sign-in name",
		Acts:  []Act{NewPassword, AskNew},
	},
	{
		ID: "enters-unasked", Title: "accounts that one of the ways in lets in without their password", Severity: rules.High,
		IfPrivileged: rules.Critical,
		Doc:          "whoever comes by that way takes any of these names.",
		Applies: func(s *facts.System) bool {
			return slices.ContainsFunc(s.Policies, func(p facts.Policy) bool { return p.Value(setting.BlankAllowed).Value == setting.Yes })
		},
		Account: `enters_unasked and enabled and not blank`, Remedy: "have that way ask for their password, or for a key",
		Opens: "no password needed",
	},
	{
		ID: "blank-permitted", Title: "accounts that may have an empty password", Severity: rules.Medium, IfPrivileged: rules.High,
		Doc:     "the next reset may leave the account open.",
		Account: `blank_allowed and enabled and not blank`, Remedy: "take the permission off the accounts",
		Mark: "blank_allowed",
	},
	{
		ID: "stored-readable", Title: "passwords stored so that they can be read", Severity: rules.Critical,
		Doc:     "whoever sees the store or a backup of it has these passwords.",
		Account: `password_usable and not blank and storage < "unsalted fast"`, Shows: "storage",
		Remedy: "set these passwords anew by a way that hashes them, and count the old ones as known",
		Opens:  "a password that can be read",
		Acts:   []Act{AskNew, NewPassword},
	},
	{
		ID: "stored-weakly", Title: "passwords stored with a hash that is quickly guessed", Severity: rules.Medium,
		IfPrivileged: rules.High,
		Doc:          "a copy of the store gives up all but the longest passwords in hours.",
		Account:      `password_usable and not blank and storage > "reversible" and storage < "salted slow"`, Shows: "storage",
		Remedy: "switch the system to a slow, salted hash and set these passwords anew",
		Acts:   []Act{AskNew},
	},
	{
		ID: "never-expires", Title: "people whose accounts are marked so that the password never expires",
		Severity: rules.Medium, IfPrivileged: rules.High,
		Doc:     "the mark undoes the policy for exactly the accounts for which somebody found it a nuisance.",
		Account: `never_expires and enabled and kind == "person"`,
		Remedy:  "take the mark off, or write down in an exception why it stays, who answers and until when",
		Mark:    "never_expires",
	},
	{
		ID: "cannot-change", Title: "people who may not change their own password", Severity: rules.Low,
		Doc:     "a password that its owner cannot change stays known to whoever set it.",
		Account: `cannot_change and enabled and kind == "person"`, Remedy: "allow the change",
		Mark: "cannot_change",
	},
	{
		ID: "pending", Title: "first passwords that should have been changed more than {limit} ago", Severity: rules.Medium,
		Limit:   setting.Span{Days: 14},
		Doc:     "whoever set the password, or found the message with it, can still use it.",
		Account: `must_change and enabled and password_age > {limit}`, Shows: "password_set",
		Remedy: "set a new first password, or shut the account",
		Acts:   []Act{Shut},
	},
	{
		ID: "overdue", Title: "passwords past their end, on accounts that nothing shows to be shut", Severity: rules.Low,
		IfPrivileged: rules.High,
		Doc:          "expiry that stops nobody is no expiry.",
		Account:      `overdue_open and not must_change`, Shows: "password_expires",
		Remedy: "ask these people to change the password, or shut the accounts",
		Acts:   []Act{AskNew, Shut},
	},
	{
		ID: "expiry-not-enforced", Title: "accounts used after the end of their password", Severity: rules.Medium, IfPrivileged: rules.High,
		Doc:     "somebody came in though the password had run out: its end is not enforced, or there is another way in.",
		Account: `enabled and used_after_end`, Shows: "last_sign_in",
		Remedy: "find out how they came in: keys and other ways in count too",
	},
	{
		ID: "older-than-policy", Title: "passwords that are older than the policy they fall under", Severity: rules.Info,
		Doc: "many systems apply a new policy only to passwords set afterwards; what it promises says nothing on these.",
		Applies: func(s *facts.System) bool {
			return slices.ContainsFunc(s.Policies, func(p facts.Policy) bool { return p.Changed.Known() })
		},
		Account: `older_than_policy and enabled and password_usable and not must_change`, Shows: "password_set",
		Remedy: "ask for a change if the policy became stricter since",
		Acts:   []Act{AskNew},
	},
	{
		ID: "older-than-rules", Title: "passwords that were chosen before the rules came into force", Severity: rules.Info,
		Doc:     "nobody checked them against these rules.",
		Account: `older_than_rules and enabled and password_usable and not must_change`, Shows: "password_set",
		Remedy: "ask for a change at the next sign-in",
		Acts:   []Act{AskNew},
	},
	{
		ID: "never-changed", Title: "passwords not changed since the account was made more than {limit} ago",
		Severity: rules.Low, IfPrivileged: rules.High, Limit: setting.Span{Days: 90},
		Doc:     "whoever made the account still knows the password.",
		Account: `never_changed and enabled and password_usable and not must_change and account_age > {limit}`,
		Shows:   "created", Remedy: "set a new password",
		Acts: []Act{AskNew},
	},
	{
		ID: "locked", Title: "locked accounts", Severity: rules.Info,
		Doc:     "a lock is a forgotten password, or somebody guessing.",
		Account: `locked and enabled and kind != "service"`, Shows: "locked_since", Remedy: "find out why before unlocking",
		Acts: []Act{Unlock},
	},
	{
		ID: "locked-service", Title: "locked accounts of programs", Severity: rules.Medium,
		Doc:     "an old password stored somewhere locks them again at every restart.",
		Account: `locked and enabled and kind == "service"`, Shows: "locked_since",
		Remedy: "find the program that still uses the old password, then unlock",
		Acts:   []Act{Unlock},
	},
	{
		ID: "dormant", Title: "accounts of people that nobody has used for more than {limit}", Severity: rules.Medium,
		IfPrivileged: rules.High, Limit: setting.Span{Days: 90},
		Doc:     "nobody notices when somebody else begins to use them.",
		Account: `enabled and password_usable and kind == "person" and not never_signed_in and idle > {limit}`,
		Shows:   "last_sign_in", Remedy: "ask whether the account is still needed, and shut it if not",
		Acts: []Act{Shut},
	},
	{
		ID: "never-signed-in", Title: "accounts that nobody has used since they were made more than {limit} ago",
		Severity: rules.Low, IfPrivileged: rules.High, Limit: setting.Span{Days: 30},
		Doc:     "an account that was not needed is an open door with a first password.",
		Account: `enabled and password_usable and never_signed_in and account_age > {limit}`, Shows: "created",
		Remedy: "shut the account until somebody asks for it",
		Acts:   []Act{Shut},
	},
	{
		ID: "single-factor-admin", Title: "administrators who sign in with a password alone", Severity: rules.Critical,
		Doc:     "one password opens everything.",
		Account: `privileged and enabled and password_usable and kind == "person" and not second_factor`,
		Remedy:  "enrol a second factor before the next sign-in",
	},
	{
		ID: "known-name", Title: "accounts with a name that every guesser tries first", Severity: rules.Low, IfPrivileged: rules.Medium,
		Doc:     "half of the guess is made.",
		Account: `enabled and password_usable and short_login in ` + knownNames,
		Remedy:  "rename the account, or shut it and use accounts with people's names",
	},
	{
		ID: "known-name-alone", Title: "accounts with a name that every guesser tries first, and no second factor", Severity: rules.Medium,
		IfPrivileged: rules.High,
		Doc:          "a password is all that is left to guess.",
		Account:      `enabled and password_usable and not second_factor and short_login in ` + knownNames, Opens: "a well-known name and no second factor",
		Remedy: "rename the account, or shut it and use accounts with people's names",
	},
	{
		ID: "guest", Title: "accounts for guests or for nobody in particular", Severity: rules.Medium, IfPrivileged: rules.Critical,
		Doc:     "what they do cannot be traced to anybody.",
		Account: `enabled and password_usable and (kind == "guest" or short_login in ["guest", "Guest", "anonymous", "anon", "visitor"])`, Remedy: "shut the account",
		Acts: []Act{Shut},
	},
	{
		ID: "shared", Title: "accounts that several people share", Severity: rules.Medium, IfPrivileged: rules.High,
		Doc:     "the password leaves with everyone who leaves, and what was done cannot be traced.",
		Account: `enabled and password_usable and kind == "shared"`,
		Remedy:  "give people accounts of their own, or write down in an exception why not",
	},
	{
		ID: "future", Title: "accounts with a date in the future, which no age rule can judge", Severity: rules.Low,
		Doc:     "a wrong clock makes an old password young.",
		Account: `dated_in_future`, Shows: "password_set", Remedy: "correct the clock that wrote the date, and set the password anew",
	},
	{
		ID: "no-policy", Title: "accounts that fall under no policy", Severity: rules.High,
		Doc:     "nothing is demanded of their passwords.",
		Applies: func(s *facts.System) bool { return len(s.Policies) > 0 },
		Account: `enabled and policy == "" and not policy_missing`, Remedy: "name a policy for them, or a default one; take the password " +
			"away from an account that none can hold",
	},
	{
		ID: "policy-missing", Title: "accounts that name a policy which is not among those exported", Severity: rules.High,
		Doc:     "what holds for them is in no policy of the export.",
		Account: `policy_missing`, Remedy: "correct the name, make the policy, or export it too",
	},
}
