package samba

import (
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/ldif"
)

// What a view of a domain may leave out, by what rests on it.
var restsOn = map[string]string{
	"userAccountControl":   "which accounts are switched off, and their marks",
	"lockoutTime":          "who is locked",
	"pwdLastSet":           "when passwords were set, and who must change them",
	"badPwdCount":          "failed sign-ins",
	"accountExpires":       "until when accounts work",
	"memberOf, member":     "groups, and what follows from them",
	"msDS-PSOAppliesTo":    "settings objects, and so which policy an account falls under",
	"objectSid, groupType": "which groups rule the domain",
}

// watch is for attributes of people and of settings objects. The last two tell
// that a search asked for all attributes.
var watch = ldif.NewWatch("useraccountcontrol", "lockouttime", "pwdlastset", "badpwdcount", "accountexpires", "memberof", "member",
	"msds-psoappliesto", "samaccountname", "instancetype", "usnchanged")

// view says what of a user the export showed. A domain hands out the stamp of
// a lock to whoever it shows the last change of the password; that it was asked
// for is known where all attributes were.
func (e *export) settleView(people, any ldif.Seen) {
	v := &facts.View{Whole: e.whole, Proof: "estate.yaml says that whoever took it could read everything",
		Advice: "ldbsearch on a controller, as root, as \"yewcone intake --how samba\" shows, with \"view: whole\" under " +
			"export in estate.yaml"}
	e.Read.View = v
	for names, about := range restsOn {
		v.Ask(names, about)
		seen := people
		if names == "memberOf, member" || names == "msDS-PSOAppliesTo" {
			seen = any
		}
		if all := watch.Of(strings.Split(strings.ToLower(names), ", ")...); all != 0 && seen&all == all {
			v.Show(names)
		}
	}
	all := watch.Of("instancetype", "usnchanged")
	if people&all == all && people&watch["pwdlastset"] != 0 {
		v.Show("lockoutTime")
	}
	if e.ruled && e.ruledBuiltIn {
		v.Show("objectSid, groupType")
	}
	v.Tell(&e.Noted, facts.Origin{File: strings.Join(e.from, ", ")})
}

// hiddenSettings stands for the policy of accounts that may fall under a
// settings object which the export does not show.
const hiddenSettings = "not visible in the export"

// leaveSettingsOpen: by default only administrators of a domain see settings
// objects, so that none in an export does not mean that there are none.
func (e *export) leaveSettingsOpen(from facts.Origin) {
	e.Read.Policies = append(e.Read.Policies, facts.Policy{Name: hiddenSettings, Origin: from, Open: true})
	e.policies[hiddenSettings] = settings{unknown: true}
}
