package effective

import (
	"yewcone/core/facts"
	"yewcone/core/setting"
)

// DatesOf works out, into d, when an account's password may be changed, when its owner
// is warned, when it ends and when the account is shut. rulesSince is when the
// newest of the system's rule sets came into force, in seconds since 1970.
func DatesOf(d *facts.Derived, a *facts.Account, s *Settings, system *facts.System, rulesSince int64) {
	open := s.Open || s.Policy != nil && s.Policy.Open // one that stands in for what is not known
	*d = facts.Derived{Policy: s.PolicyName(), PolicyOpen: open, AsOf: system.AsOf.Unix(), AsOfKnown: !system.AsOf.IsZero()}
	if d.Expires = a.PasswordExpires; !s.undated {
		ages(d, a, s)
	}
	if a.RunOut {
		d.Expires, d.WarnedFrom, d.ShutAt = facts.Moment{}, facts.Moment{}, facts.Moment{}
	}
	if d.Expires.IsNever() {
		d.ShutAt = facts.Never
	}
	if d.AsOfKnown {
		d.Overdue = over(a, d.Expires, d.AsOf)
		d.Shut = shut(d, a, s)
	} else if d.Expires.IsNever() {
		d.Overdue, d.Shut = facts.No, facts.No
	}
	if a.PasswordSet.IsNever() && a.PasswordUsable == facts.No && !d.Expires.Known() && !a.RunOut {
		d.Overdue, d.Shut = facts.No, facts.No // there is none that could have ended
	}
	d.Lasts = lasts(d, a, s)
	d.UsedAfter = usedAfter(d, a, s)
	d.Missing = facts.TriOf(s.Missing != "")
	if s.Open || s.Missing != "" && len(system.Policies) == 0 {
		d.Missing = facts.Unknown // the export leaves out policies altogether
	}
	if set, ok := a.PasswordSet.Unix(); ok {
		if changed, ok := policyChanged(s); ok {
			d.OlderPolicy = facts.TriOf(set < changed)
		}
		d.OlderRules = facts.TriOf(set < rulesSince)
	}
}

// lasts tells whether the password never ends: by its own end or, without one,
// by a flag that is known to decide.
func lasts(d *facts.Derived, a *facts.Account, s *Settings) facts.Tri {
	switch {
	case a.RunOut:
		return facts.No
	case d.Expires.Known():
		return facts.TriOf(d.Expires.IsNever())
	}
	if _, timed := s.Get(setting.MaxAge).Value.Span(); timed && a.FlagDecides && a.NeverExpires == facts.No {
		return facts.No
	}
	return facts.Unknown
}

// over reports whether a password that ends at a moment, or its grace, is over.
func over(a *facts.Account, end facts.Moment, at int64) facts.Tri {
	switch {
	case a.RunOut:
		return facts.Yes
	case a.DueAtEnd && !end.WholeDay():
		return end.Come(at)
	}
	return end.Past(at)
}

// usedAfter tells whether the last sign-in shows that the end of the password
// was not enforced. A sign-in on the last day is none after it; one with grace
// is allowed; and an end that follows from a largest age says nothing on a
// sign-in before the policy had it, or where nobody knows since when it has.
func usedAfter(d *facts.Derived, a *facts.Account, s *Settings) facts.Tri {
	end, ends := d.Expires.Unix()
	used, signed := a.LastSignIn.Unix()
	switch {
	case d.Expires.IsNever() || a.LastSignIn.IsNever():
		return facts.No
	case !ends || !signed:
		return facts.Unknown
	}
	if d.Expires.WholeDay() {
		end += 86400 - 1
	}
	if used <= end {
		return facts.No
	}
	if a.GraceUsed.Known && a.GraceUsed.N > 0 {
		return facts.No
	}
	if left, _ := s.Get(setting.GraceSignIns).Value.Count(); left > 0 && !a.GraceUsed.Known {
		return facts.Unknown
	}
	if a.PasswordExpires.Known() {
		return facts.Yes
	}
	from := s.Get(setting.MaxAge).From
	if changed, ok := policyChanged(s); ok && from != nil && from.Level == OnPolicy && used >= changed {
		return facts.Yes
	}
	return facts.Unknown
}

// ages works out what follows from ages, warnings and grace.
func ages(d *facts.Derived, a *facts.Account, s *Settings) {
	d.Expires = expires(a, s.Get(setting.MaxAge).Value)
	if span, ok := s.Get(setting.MinAge).Value.Span(); ok {
		d.MayChange = a.PasswordSet.Plus(span)
	} else if s.Get(setting.MinAge).Value.State() == setting.Off {
		d.MayChange = a.PasswordSet
	}
	if s.Get(setting.SelfChange).Value == setting.No {
		d.MayChange = facts.Moment{} // its owner may not, at any time
	}
	if span, ok := s.Get(setting.WarnBefore).Value.Span(); ok {
		d.WarnedFrom = d.Expires.Minus(span)
	} else if s.Get(setting.WarnBefore).Value.State() == setting.Off {
		d.WarnedFrom = facts.Never
	}
	if span, ok := s.Get(setting.GracePeriod).Value.Span(); a.ShutAtEnd {
		d.ShutAt = d.Expires
	} else if ok {
		d.ShutAt = d.Expires.Plus(span)
	} else if s.Get(setting.GracePeriod).Value.State() == setting.Off {
		d.ShutAt = facts.Never
	}
}

// SettleLock works out whether an account is locked where the export gives
// only when a lock began or ends: one that began holds for the lockout
// duration, and one that is past its end holds no more.
func SettleLock(a *facts.Account, s *Settings, system *facts.System) {
	if a.Locked == facts.Yes && !system.AsOf.IsZero() && a.LockedUntil.Come(system.AsOf.Unix()) == facts.Yes {
		a.Locked = facts.No
	}
	if a.Locked == facts.Unknown && a.LockedUntil.Known() {
		a.LockUntil(a.LockedSince, a.LockedUntil, system.AsOf)
		return
	}
	if a.Locked != facts.Unknown || !a.LockedSince.Known() {
		return
	}
	duration := s.Get(setting.LockoutDuration).Value
	span, timed := duration.Span()
	switch {
	case a.LockedSince.IsNever():
		a.Locked = facts.No
	case duration.State() == setting.UntilUnlocked:
		a.LockUntil(a.LockedSince, facts.Never, system.AsOf)
	case timed && !grows(s):
		a.LockUntil(a.LockedSince, a.LockedSince.Plus(span), system.AsOf)
	case timed: // the first lock is the shortest
		if a.LockedSince.Plus(span).Come(system.AsOf.Unix()) == facts.No {
			a.Locked = facts.Yes
		}
	}
}

// grows reports whether each lock lasts longer than the one before.
func grows(s *Settings) bool {
	longest := s.Get(setting.LockoutLongest).Value
	return longest.Known() && longest.State() != setting.Off
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
func expires(a *facts.Account, maxAge setting.Value) facts.Moment {
	if a.PasswordExpires.Known() {
		return a.PasswordExpires
	}
	if maxAge.State() == setting.Off {
		return facts.Never
	}
	span, ok := maxAge.Span()
	if _, dated := a.PasswordSet.Unix(); !ok || !dated {
		return facts.Moment{}
	}
	end := a.PasswordSet.Plus(span)
	if a.DueAtEnd && end.WholeDay() {
		return end.Minus(setting.Span{Days: 1})
	}
	return end
}

// shut tells whether the system refuses an overdue account: the grace period
// is over, or no sign-ins with the old password are left.
func shut(d *facts.Derived, a *facts.Account, s *Settings) facts.Tri {
	switch {
	case d.Overdue != facts.Yes:
		return d.Overdue
	case a.ChangeFirst && a.MustChange != facts.No:
		return a.MustChange.Not()
	case a.ShutAtEnd:
		return facts.Yes
	}
	if left, ok := s.Get(setting.GraceSignIns).Value.Count(); ok && a.GraceUsed.Known {
		if int64(a.GraceUsed.N) >= left {
			return facts.Yes
		}
		return facts.TriOf(over(a, d.ShutAt, d.AsOf) == facts.Yes)
	}
	if a.RunOut {
		grace := s.Get(setting.GracePeriod).Value
		if span, ok := grace.Span(); ok && span == (setting.Span{}) {
			return facts.Yes
		}
		if grace.State() == setting.Off {
			return facts.No
		}
		return facts.Unknown
	}
	return over(a, d.ShutAt, d.AsOf)
}
