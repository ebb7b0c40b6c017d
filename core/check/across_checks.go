package check

import (
	"slices"
	"strings"

	"yewcone/core/rules"
	"yewcone/core/setting"
)

// The names of the checks that are found by holding systems against one
// another.
const (
	linkUnequal     = "link-unequal"
	linkApart       = "link-no-common-password"
	linkAges        = "link-ages"
	exportOld       = "export-old"
	unruled         = "no-rules"
	oddOneOut       = "odd-one-out"
	personOff       = "person-off-elsewhere"
	personFactor    = "person-factor-elsewhere"
	personNever     = "person-never-expires"
	personStale     = "person-stale"
	personNobody    = "person-unknown"
	personLogin     = "person-login-shared"
	personAmbiguous = "person-ambiguous"
	rulesUnused     = "rules-unused"
)

// acrossChecks are found by holding systems against one another. Their work is
// the engine's.
var acrossChecks = []Check{
	{
		ID: linkUnequal, Title: "linked systems that disagree on a setting which must be equal", Severity: rules.Medium, Across: true,
		Doc:    "both ends count, and people are locked out by one and not by the other.",
		Remedy: "set both ends alike",
	},
	{
		ID: linkApart, Title: "linked systems that no common password satisfies", Severity: rules.High, Across: true,
		Doc:    "the password is wanted on both, and each of the two refuses what the other demands.",
		Remedy: "bring the demands that collide together, the longer minimum first",
	},
	{
		ID: linkAges, Title: "linked systems whose ages or histories defeat one another", Severity: rules.Low, Across: true,
		Doc:    "one password has one life and one history, those of the weaker end.",
		Remedy: "set ages and histories alike on both ends",
	},
	{
		ID: oddOneOut, Title: "a setting in which a system is weaker than all others, which agree", Severity: rules.Low, Across: true,
		Doc:    "what the others agree on was meant for all.",
		Remedy: "bring the system in line, or write down why it differs",
	},
	{
		ID: exportOld, Title: "exports that are more than {limit} older than the newest", Severity: rules.Medium,
		Limit: setting.Span{Days: 30}, Across: true,
		Doc:    "what it says of the system may have changed since.",
		Remedy: "take the export anew",
	},
	{
		ID: unruled, Title: "systems for which no rules hold", Severity: rules.Medium, Across: true,
		Doc:    "whatever it does is in order.",
		Remedy: "name its rule sets under \"rules\" in estate.yaml",
	},
	{
		ID: rulesUnused, Title: "rule sets that hold for no system", Severity: rules.Info, Across: true,
		Doc:    "somebody believes that they are checked.",
		Remedy: "name them under \"rules\" of a system, or remove the file",
	},
	{
		ID: personOff, Title: "enabled accounts of people who are switched off elsewhere", Severity: rules.Medium,
		IfPrivileged: rules.High, Across: true,
		Doc:    "whoever left was forgotten here.",
		Remedy: "find out whether the person still works here, and switch the account off",
	},
	{
		ID: personFactor, Title: "privileged accounts without the second factor that the person has elsewhere",
		Severity: rules.High, Across: true,
		Doc:    "the weakest of a person's accounts decides.",
		Remedy: "enrol the second factor here too",
	},
	{
		ID: personNever, Title: "passwords that never end here, of people whose passwords end elsewhere",
		Severity: rules.Low, IfPrivileged: rules.Medium, Across: true,
		Doc:    "a password that is used on both lives on where it never ends.",
		Remedy: "let it end here too, or nowhere",
	},
	{
		ID: personStale, Title: "people whose passwords are more than {limit} old on every system", Severity: rules.Low,
		IfPrivileged: rules.Medium, Limit: setting.Span{Days: 365}, Across: true,
		Doc:    "nothing that leaked of this person has lost its worth.",
		Remedy: "ask these people to change their passwords",
	},
	{
		ID: personNobody, Title: "accounts of people whom nobody knows", Severity: rules.Medium, IfPrivileged: rules.High, Across: true,
		Doc:    "no one will say when it must be switched off.",
		Remedy: "find the owner and write down the key, or switch the account off",
	},
	{
		ID: personLogin, Title: "sign-in names that belong to different people on other systems", Severity: rules.Low,
		IfPrivileged: rules.Medium, Across: true,
		Doc:    "rights that are given by name go to the wrong person.",
		Remedy: "rename one of the accounts",
	},
	{
		ID: personAmbiguous, Title: "accounts whose keys lead to several people", Severity: rules.Info, Across: true,
		Doc:    "they are not matched, so that nothing is said of these people across systems.",
		Remedy: "correct the keys in the systems where they are wrong",
	},
}

// IsAcross reports whether a rule is a check between systems.
func IsAcross(rule string) bool {
	id, ok := strings.CutPrefix(rule, Prefix)
	return ok && slices.ContainsFunc(acrossChecks, func(c Check) bool { return c.ID == id })
}
