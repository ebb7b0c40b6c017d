package effective

import (
	"yewcone/core/estate"
	"yewcone/core/setting"
)

// DatesOf works out, into d, when an account's password may be changed, when its owner
// is warned, when it ends and when the account is shut. rulesSince is when the
// newest of the system's rule sets came into force, in seconds since 1970.
func DatesOf(d *estate.Dates, a *estate.Account, s *Settings, system *estate.System, rulesSince int64) {
	*d = estate.Dates{Policy: s.PolicyName(), AsOf: system.AsOf.Unix(), AsOfKnown: !system.AsOf.IsZero()}
	if d.Expires = a.PasswordExpires; !s.undated {
		ages(d, a, s)
	}
	if d.Expires.IsNever() {
		d.ShutAt = estate.Never
	}
	if d.AsOfKnown {
		d.Overdue = d.Expires.Past(d.AsOf)
		d.Shut = shut(d, a, s)
	} else if d.Expires.IsNever() {
		d.Overdue, d.Shut = estate.No, estate.No
	}
	d.Missing = estate.TriOf(s.Missing != "")
	if s.Missing != "" && len(system.Policies) == 0 {
		d.Missing = estate.Unknown // the export leaves out policies altogether
	}
	if set, ok := a.PasswordSet.Unix(); ok {
		if changed, ok := policyChanged(s); ok {
			d.OlderPolicy = estate.TriOf(set < changed)
		}
		d.OlderRules = estate.TriOf(set < rulesSince)
	}
}

// ages works out what follows from ages, warnings and grace.
func ages(d *estate.Dates, a *estate.Account, s *Settings) {
	d.Expires = expires(a, s.Get(setting.MaxAge).Value)
	if span, ok := s.Get(setting.MinAge).Value.Span(); ok {
		d.MayChange = a.PasswordSet.Plus(span)
	} else if s.Get(setting.MinAge).Value.State() == setting.Off {
		d.MayChange = a.PasswordSet
	}
	if span, ok := s.Get(setting.WarnBefore).Value.Span(); ok {
		d.WarnedFrom = d.Expires.Minus(span)
	} else if s.Get(setting.WarnBefore).Value.State() == setting.Off {
		d.WarnedFrom = estate.Never
	}
	if span, ok := s.Get(setting.GracePeriod).Value.Span(); ok {
		d.ShutAt = d.Expires.Plus(span)
	} else if s.Get(setting.GracePeriod).Value.State() == setting.Off {
		d.ShutAt = estate.Never
	}
}

// SettleLock works out whether an account is locked where the export gives
// only when a lock began or ends: one that began holds for the lockout
// duration, and one that is past its end holds no more.
func SettleLock(a *estate.Account, s *Settings, system *estate.System) {
	asOf, dated := system.AsOf.Unix(), !system.AsOf.IsZero()
	if a.Locked == estate.Yes && dated && a.LockedUntil.Past(asOf) == estate.Yes {
		a.Locked = estate.No
	}
	if a.Locked != estate.Unknown || !a.LockedSince.Known() {
		return
	}
	duration := s.Get(setting.LockoutDuration).Value
	span, timed := duration.Span()
	switch {
	case a.LockedSince.IsNever():
		a.Locked = estate.No
	case duration.State() == setting.UntilUnlocked:
		a.Locked, a.LockedUntil = estate.Yes, estate.Never
	case timed && dated:
		a.LockedUntil = a.LockedSince.Plus(span)
		a.Locked = a.LockedUntil.Past(asOf).Not()
	}
}

func policyChanged(s *Settings) (int64, bool) {
	if s.Policy == nil {
		return 0, false
	}
	return s.Policy.Changed.Unix()
}

// expires: what the export says outright counts before what follows from the
// maximum age, since a system may know better (a password without a date of
// change never expires on some).
func expires(a *estate.Account, maxAge setting.Value) estate.Moment {
	if a.PasswordExpires.Known() {
		return a.PasswordExpires
	}
	if maxAge.State() == setting.Off {
		return estate.Never
	}
	span, ok := maxAge.Span()
	if _, dated := a.PasswordSet.Unix(); !ok || !dated {
		return estate.Moment{}
	}
	return a.PasswordSet.Plus(span)
}

// shut tells whether the system refuses an overdue account: the grace period
// is over, or no sign-ins with the old password are left.
func shut(d *estate.Dates, a *estate.Account, s *Settings) estate.Tri {
	if d.Overdue != estate.Yes {
		return d.Overdue
	}
	if left, ok := s.Get(setting.GraceSignIns).Value.Count(); ok && a.GraceUsed.Known {
		return estate.TriOf(int64(a.GraceUsed.N) >= left)
	}
	return d.ShutAt.Past(d.AsOf)
}
