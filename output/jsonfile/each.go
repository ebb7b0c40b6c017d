package jsonfile

import (
	"io"

	"yewcone/core/audit"
	"yewcone/core/facts"
)

type reachedLine struct {
	System      string `json:"system"`
	Login       string `json:"login"`
	Rule        string `json:"rule"`
	Fingerprint string `json:"fingerprint"`
	File        string `json:"file"`
	Line        int    `json:"line,omitempty"`
	Policy      string `json:"policy"`
	Kind        string `json:"kind"`
	Privileged  string `json:"privileged"`
	Enabled     string `json:"enabled"`
	Locked      string `json:"locked"`
	LockedUntil string `json:"locked_until,omitempty"`
	PasswordSet string `json:"password_set"`
	Expires     string `json:"expires"`
	Overdue     string `json:"overdue"`
	MustChange  string `json:"must_change"`
	LastSignIn  string `json:"last_sign_in"`
}

// Each returns a function that writes one line of JSON for each account that
// a finding reaches: the evidence, account by account.
func Each(w io.Writer) func(*audit.Reached) error {
	e := newEncoder(w)
	return func(r *audit.Reached) error {
		a := r.Account
		l := reachedLine{
			System: r.System, Login: a.Login, Rule: r.Rule.String(), Fingerprint: r.Fingerprint, File: a.Origin.File, Line: a.Origin.Line,
			Policy: r.Derived.Policy, Kind: a.Kind, Privileged: a.Privileged.String(), Enabled: a.Enabled.String(),
			Locked:      a.Locked.String(),
			PasswordSet: a.PasswordSet.String(), Expires: r.Derived.Expires.String(), Overdue: r.Derived.Overdue.String(),
			MustChange: a.MustChange.String(), LastSignIn: a.LastSignIn.String(),
		}
		if a.Locked == facts.Yes {
			l.LockedUntil = a.LockedUntil.String()
		}
		return e.Encode(l)
	}
}
