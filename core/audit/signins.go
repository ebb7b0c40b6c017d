package audit

import (
	"strings"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/signin"
)

// signIns is what a record of sign-ins has.
type signIns struct {
	digest *signin.Digest  // nil where there is none
	seen   *signin.Account // of the account at hand; nil for nothing
	before facts.Moment    // the last sign-in of the account at hand, by the export
}

// readRecord reads the record of the system's sign-ins, where there is one. One
// that cannot be read leaves open what it would have shown.
func (e *engine) readRecord() {
	if e.subject.Record == nil || e.options.NoRecords || e.signins.digest != nil {
		return
	}
	digest, err := e.subject.Record.Digest(e.options.Jobs, e.options.SignIns)
	if err != nil {
		why, _, _ := strings.Cut(err.Error(), "\n")
		e.subject.Export.Notes().Incomplete(facts.Origin{File: e.subject.Record.Name}, "the record of sign-ins is not used: %s", why)
	}
	e.signins.digest = digest
	e.leaveRecordOpen()
}

// leaveRecordOpen notes that checks of a record come to nothing where it could not
// be read.
func (e *engine) leaveRecordOpen() {
	for i := range e.rules {
		if c := e.rules[i].check; c != nil && c.OfRecord() && e.signins.digest == nil {
			e.rules[i].open = true
		}
	}
}

// meetRecord joins an account with what the record has of it. A sign-in of the
// record that is later than what the export says, and was before the export was
// made, is the last one: hosts do not note every way in.
func (e *engine) meetRecord(a *facts.Account) {
	if e.signins.digest == nil {
		return
	}
	s := &e.signins
	s.seen, s.before = s.digest.Of(a.Login, a.DN), a.LastSignIn
	if s.seen == nil || s.seen.LastBefore == 0 {
		return
	}
	if last := s.seen.LastBefore / 1e6; !a.LastSignIn.Known() || a.LastSignIn.IsNever() || a.LastSignIn.Past(last) == facts.Yes {
		a.LastSignIn, a.LastSignInFrom = facts.AtSecond(last), s.digest.Name
	}
}

// signInHit is what a check finds in the record of the account at hand; "" for
// nothing.
func (e *engine) signInHit(i int, a *facts.Account) (hit, string) {
	c := e.rules[i].check
	if e.signins.seen == nil {
		return hit{}, ""
	}
	told := c.SignIns(&check.SignInView{Account: a, Seen: e.signins.seen, AsOf: e.system.AsOf, Before: e.signins.before, Limit: c.Limit})
	return hit{reason: reason{rule: i, setting: noSetting, text: c.Titled()}}, told
}

// signInChecks look at the account at hand with what the record has of it.
func (e *engine) signInChecks(a *facts.Account) error {
	for i := range e.rules {
		if c := e.rules[i].check; c == nil || c.SignIns == nil {
			continue
		}
		h, told := e.signInHit(i, a)
		if told == "" {
			continue
		}
		e.fresh.begin(a)
		e.enter(&h, a)
		e.told = told
		err := e.record(&e.fresh, a)
		if e.told = ""; err != nil {
			return err
		}
	}
	return nil
}

// signInAnswer tells how a check of the record comes out for the account at hand.
func (e *engine) signInAnswer(i int, a *facts.Account) Answer {
	out := Answer{Rule: e.rules[i].id, Reach: facts.Yes, Forbidden: facts.No}
	if h, told := e.signInHit(i, a); told != "" {
		covered, _ := e.excepted(&e.rules[i], &h, a)
		out.Broken, out.Accepted = []string{h.reason.text + ": " + told}, covered > 0
	}
	return out
}

// mostLetIn is how many names are told that were let in and are no account.
const mostLetIn = 5

// recordChecks look at what the record has of the whole system, once all
// accounts went past.
func (e *engine) recordChecks() error {
	d := e.signins.digest
	if d == nil {
		return nil
	}
	v := check.RecordView{Sources: d.Sources, Whole: !e.partial()}
	d.Unclaimed(func(a *signin.Account) {
		switch {
		case a.LetIn+a.ByKey > 0:
			if v.LetIns++; len(v.LetInToo) < mostLetIn {
				v.LetInToo = append(v.LetInToo, a.Name)
			}
		case a.Failures > 0:
			v.Strange.Names++
			v.Strange.Wrong += a.Failures
		}
	})
	v.Strange.Most, v.Strange.MostTried = d.MostTried()
	for i := range e.rules {
		if c := e.rules[i].check; c != nil && c.Record != nil {
			c.Record(&v, func(found check.Hit) { e.found(i, found) })
		}
	}
	return d.Err()
}
