package check

import (
	"cmp"
	"fmt"

	"yewcone/core/effective"
	"yewcone/core/estate"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// exceptionUse is an exception of this system and whether it matched.
type exceptionUse struct {
	exception *rules.Exception
	number    int // counted from 1
	ended     bool
	used      bool
}

func (e *engine) linkExceptions() {
	for _, x := range e.subject.Exceptions {
		use := &exceptionUse{exception: x, number: len(e.exceptions) + 1, ended: !e.system.AsOf.IsZero() && x.Ended(e.system.AsOf)}
		e.exceptions = append(e.exceptions, use)
		for i := range e.sources {
			if e.sources[i].rule == x.Rule {
				e.sources[i].exceptions = append(e.sources[i].exceptions, use)
			}
		}
	}
}

// excepted finds the exception that covers a hit on an account; of those that
// have ended the first is returned apart. Both are counted from 1, and 0 stands
// for none.
func (e *engine) excepted(s *source, h *hit, a *estate.Account) (covered, ended int) {
	for _, use := range s.exceptions {
		x := use.exception
		if x.Setting != "" && (h.key.setting < 0 || setting.At(h.key.setting).Name != x.Setting) {
			continue
		}
		onAccount := h.key.level == effective.OnAccount
		if x.Policy == rules.OnAccount && !onAccount || x.Policy != rules.OnAccount && x.Policy != "" &&
			(onAccount || x.Policy != h.key.policy) {
			continue
		}
		if x.Value != "" && (h.key.setting < 0 || setting.At(h.key.setting).Text(h.key.value) != x.Value) {
			continue
		}
		if x.Accounts != nil && (a == nil || x.Accounts.Test(&e.about) != estate.Yes) {
			continue
		}
		use.used = true
		if !use.ended {
			return use.number, 0
		}
		ended = cmp.Or(ended, use.number)
	}
	return 0, ended
}

// unusedExceptions reports what was accepted and is not there.
func (e *engine) unusedExceptions() []Finding {
	var list []Finding
	for _, use := range e.exceptions {
		if use.used || e.summary.Partial {
			continue
		}
		x := use.exception
		f := Finding{
			System: e.system.Name, Rule: Prefix + "exception-unused", Severity: rules.Info,
			Sentence: fmt.Sprintf("an exception to %s matches nothing any more", x.Rule),
			Asked:    "exceptions that are still needed",
			Because:  "what was mended needs no exception, and one with a slip in it covers nothing.",
			Remedy:   "remove the exception, or correct what it names",
			Origin:   estate.Origin{File: x.Place.File(), Line: x.Place.Line, Text: x.Because},
		}
		f.Fingerprint = fingerprint(f.System, f.Rule, x.Rule, x.Setting, x.Policy, x.Value, x.Accounts.String())
		list = append(list, f)
	}
	return list
}
