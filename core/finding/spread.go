package finding

import "yewcone/core/facts"

// Sizes of what a Spread counts.
const (
	AgeMonths   = 36 // of 30 days each
	ExpiryWeeks = 12
)

// A Spread counts enabled accounts that a password lets in by the age of their
// password and by its end.
type Spread struct {
	Ages       [AgeMonths + 1]int // by months of 30 days; the last for all that are older
	AgeUnknown int

	Overdue       int
	Weeks         [ExpiryWeeks]int // that end within the week, the next first
	Later         int
	NeverEnds     int
	ExpiryUnknown int
}

// Add counts one account.
func (s *Spread) Add(a *facts.Account, d *facts.Derived) {
	if a.Enabled == facts.No || a.WithoutPassword() {
		return
	}
	const day = 86400
	if set, ok := a.PasswordSet.Unix(); ok && d.AsOfKnown {
		s.Ages[min(max(0, (d.AsOf-set)/(30*day)), AgeMonths)]++
	} else {
		s.AgeUnknown++
	}
	end, dated := d.Expires.Unix()
	switch {
	case d.Overdue == facts.Yes:
		s.Overdue++
	case d.Expires.IsNever():
		s.NeverEnds++
	case !dated || !d.AsOfKnown:
		s.ExpiryUnknown++
	case (end-d.AsOf)/(7*day) < ExpiryWeeks:
		s.Weeks[max(0, (end-d.AsOf)/(7*day))]++
	default:
		s.Later++
	}
}

// Merge adds what another has counted.
func (s *Spread) Merge(o *Spread) {
	for i, n := range o.Ages {
		s.Ages[i] += n
	}
	for i, n := range o.Weeks {
		s.Weeks[i] += n
	}
	s.AgeUnknown += o.AgeUnknown
	s.Overdue += o.Overdue
	s.Later += o.Later
	s.NeverEnds += o.NeverEnds
	s.ExpiryUnknown += o.ExpiryUnknown
}
