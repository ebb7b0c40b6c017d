package check

import (
	"fmt"
	"slices"
	"time"

	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/password"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// betweenChecks hold systems, and the accounts of one person on several,
// against one another.
var betweenChecks = []Check{
	{
		ID: "link-unequal", Title: "linked systems that disagree on a setting which must be equal", Severity: rules.Medium,
		Doc:     "both ends count, and people are locked out by one and not by the other.",
		Remedy:  "set both ends alike",
		Between: linksUnequal,
	},
	{
		ID: "link-no-common-password", Title: "linked systems that no common password satisfies", Severity: rules.High,
		Doc:    "the password is wanted on both, and each of the two refuses what the other demands.",
		Remedy: "bring the demands that collide together, the longer minimum first",
		Between: func(v *EstateView, hit func(int, Hit)) {
			for _, l := range v.Links {
				for _, claims := range l.Collide {
					hit(v.at(l.Between[0]), Hit{Says: fmt.Sprintf("no password satisfies it together with %s (%s): %s",
						l.Between[1], l.Because, password.Clash(claims))})
				}
			}
		},
	},
	{
		ID: "link-ages", Title: "linked systems whose ages or histories defeat one another", Severity: rules.Low,
		Doc:    "one password has one life and one history, those of the weaker end.",
		Remedy: "set ages and histories alike on both ends",
		Between: func(v *EstateView, hit func(int, Hit)) {
			for _, l := range v.Links {
				for _, text := range l.Ages {
					hit(v.at(l.Between[0]), Hit{Says: text + " (" + l.Because + ")"})
				}
			}
		},
	},
	{
		ID: "odd-one-out", Title: "a setting in which a system is weaker than all others, which agree", Severity: rules.Low,
		Doc:     "what the others agree on was meant for all.",
		Remedy:  "bring the system in line, or write down why it differs",
		Between: oddOnes,
	},
	{
		ID: "export-old", Title: "exports that are more than {limit} older than the newest", Severity: rules.Medium,
		Limit:   setting.Span{Days: 30},
		Doc:     "what it says of the system may have changed since.",
		Remedy:  "take the export anew",
		Between: oldExports,
	},
	{
		ID: "no-rules", Title: "systems for which no rules hold", Severity: rules.Medium,
		Doc:    "whatever it does is in order.",
		Remedy: "name its rule sets under \"rules\" in estate.yaml",
		Between: func(v *EstateView, hit func(int, Hit)) {
			for _, name := range v.Unruled {
				hit(v.at(name), Hit{Says: "no rules hold for it, so that only the built-in checks look at it"})
			}
		},
	},
	{
		ID: "rules-unused", Title: "rule sets that hold for no system", Severity: rules.Info,
		Doc:    "somebody believes that they are checked.",
		Remedy: "name them under \"rules\" of a system, or remove the file",
		Between: func(v *EstateView, hit func(int, Hit)) {
			for _, name := range v.Unused {
				hit(TheEstate, Hit{Says: "the rule set " + name + " holds for no system", Key: []string{"", "", name, ""}})
			}
		},
	},
	{
		ID: "person-off-elsewhere", Title: "enabled accounts of people who are switched off elsewhere", Severity: rules.Medium,
		IfPrivileged: rules.High,
		Doc:          "whoever left was forgotten here.",
		Remedy:       "find out whether the person still works here, and switch the account off",
		Person: func(v *PersonView) string {
			off := v.elsewhere(func(bits uint8) bool { return bits&gap.Enabled == 0 })
			return when(off != "" && v.Account.Enabled == facts.Yes, "enabled accounts of people who are switched off on %s", off)
		},
	},
	{
		ID: "person-factor-elsewhere", Title: "privileged accounts without the second factor that the person has elsewhere",
		Severity: rules.High,
		Doc:      "the weakest of a person's accounts decides.",
		Remedy:   "enrol the second factor here too",
		Person: func(v *PersonView) string {
			with := v.elsewhere(func(bits uint8) bool { return bits&gap.FactorYes != 0 })
			return when(with != "" && v.Own&gap.FactorNo != 0 && v.Own&gap.Admin != 0,
				"privileged accounts without a second factor, of people who have one as privileged on %s", with)
		},
	},
	{
		ID: "person-never-expires", Title: "passwords that never end here, of people whose passwords end elsewhere",
		Severity: rules.Low, IfPrivileged: rules.Medium,
		Doc:    "a password that is used on both lives on where it never ends.",
		Remedy: "let it end here too, or nowhere",
		Person: func(v *PersonView) string {
			ends := v.elsewhere(func(bits uint8) bool { return bits&gap.Expires != 0 })
			return when(ends != "" && v.Own&gap.NeverExpires != 0,
				"passwords that never end, of people whose passwords end on %s", ends)
		},
	},
	{
		ID: "person-stale", Title: "people whose passwords are more than {limit} old on every system", Severity: rules.Low,
		IfPrivileged: rules.Medium, Limit: setting.Span{Days: 365}, Stale: true,
		Doc:    "nothing that leaked of this person has lost its worth.",
		Remedy: "ask these people to change their passwords",
		Person: func(v *PersonView) string {
			fresh := slices.ContainsFunc(v.Facts, func(bits uint8) bool { return bits&gap.Fresh != 0 })
			return when(v.matched() && v.First(v.System) && v.On() > 1 && !fresh,
				"people whose passwords are more than %s old on every system they are on", v.Limit)
		},
	},
	{
		ID: "person-unknown", Title: "accounts of people whom nobody knows", Severity: rules.Medium, IfPrivileged: rules.High,
		Doc:    "no one will say when it must be switched off.",
		Remedy: "find the owner and write down the key, or switch the account off",
		Person: func(v *PersonView) string {
			if !v.Known {
				return "accounts of people without any of the keys that people are matched by"
			}
			missing := v.matched() && v.From >= 0 && v.From != v.System && v.Facts[v.From]&gap.Present == 0
			if !missing {
				return ""
			}
			return "accounts of people whom " + v.Systems[v.From] + " does not know"
		},
	},
	{
		ID: "person-login-shared", Title: "sign-in names that belong to different people on other systems", Severity: rules.Low,
		IfPrivileged: rules.Medium,
		Doc:          "rights that are given by name go to the wrong person.",
		Remedy:       "rename one of the accounts",
		Person: func(v *PersonView) string {
			return when(v.matched() && v.Shared, "sign-in names that belong to different people on other systems")
		},
	},
	{
		ID: "person-ambiguous", Title: "accounts whose keys lead to several people", Severity: rules.Info,
		Doc:    "they are not matched, so that nothing is said of these people across systems.",
		Remedy: "correct the keys in the systems where they are wrong",
		Person: func(v *PersonView) string {
			return when(v.Known && v.Ambiguous, "accounts whose keys lead to several people, so that they are not matched")
		},
	},
}

func linksUnequal(v *EstateView, hit func(int, Hit)) {
	for _, l := range v.Links {
		for _, u := range l.Unequal {
			def, here := setting.At(u.ID), &u.Cells[0]
			text := fmt.Sprintf("%s is %s here and %s on %s, and must be equal (%s)", def.Name, def.Text(here.Value),
				def.Text(u.Cells[1].Value), l.Between[1], l.Because)
			if u.ID == setting.LockoutAttempts && l.Locks != "" {
				text += ": " + l.Locks
			}
			hit(v.at(l.Between[0]), Hit{Says: text, Policy: here.Policy, Origin: here.Origin})
		}
	}
}

// oddOnes finds systems that are weaker than all others in a setting on which
// these agree.
func oddOnes(v *EstateView, hit func(int, Hit)) {
	for _, row := range v.Compare(gap.People) {
		for i := range row.Cells {
			c := &row.Cells[i]
			if !c.Odd || !c.Loosest {
				continue
			}
			other := row.Cells[slices.IndexFunc(row.Cells, func(o gap.Cell) bool { return o.Value.Known() && o.System != c.System })]
			hit(i, Hit{Says: fmt.Sprintf("%s is %s for people, and %s on all other systems that say it", row.Setting.Name,
				row.Setting.Text(c.Value), row.Setting.Text(other.Value)), Policy: c.Policy, Origin: c.Origin})
		}
	}
}

func oldExports(v *EstateView, hit func(int, Hit)) {
	var newest time.Time
	for _, s := range v.Systems {
		if s.AsOf.After(newest) {
			newest = s.AsOf
		}
	}
	for i, s := range v.Systems {
		behind := newest.Sub(s.AsOf)
		limit := v.Limit(i)
		if s.AsOf.IsZero() || behind <= time.Duration(limit.Length())*time.Second {
			continue
		}
		days := int(behind.Hours() / 24)
		v.Old = append(v.Old, finding.Old{System: s.Name, AsOf: s.AsOf, Days: days})
		hit(i, Hit{Says: fmt.Sprintf("its export is %d days older than the newest of the estate", days)})
	}
}
