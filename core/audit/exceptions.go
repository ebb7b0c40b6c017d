package audit

import (
	"cmp"

	"yewcone/core/effective"
	"yewcone/core/facts"
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
		for i := range e.rules {
			if e.rules[i].id.String() == x.Rule {
				e.rules[i].exceptions = append(e.rules[i].exceptions, use)
			}
		}
	}
}

// asStrict reports whether a value is the one that was accepted, or stricter.
func asStrict(id setting.ID, v setting.Value, accepted string) bool {
	def := setting.At(id)
	limit, err := def.Parse(accepted)
	if err != nil || v == limit {
		return def.Text(v) == accepted
	}
	order, ok := def.Compare(v, limit)
	return ok && order >= 0
}

// excepted finds the exception that covers a hit on an account; of those that
// have ended, or were given for a stricter value, the first is returned apart. Both are counted from 1, and 0 stands
// for none.
func (e *engine) excepted(s *rule, h *hit, a *facts.Account) (covered, ended int) {
	for _, use := range s.exceptions {
		x := use.exception
		if x.Setting != "" && (h.reason.setting == noSetting || setting.At(h.reason.setting).Name != x.Setting) {
			continue
		}
		onAccount := h.reason.level == effective.OnAccount
		if x.Policy == rules.OnAccount && !onAccount || x.Policy != rules.OnAccount && x.Policy != "" &&
			(onAccount || x.Policy != h.reason.policy) {
			continue
		}
		if x.Value != "" && h.reason.setting == noSetting && x.Value != h.value {
			continue
		}
		if x.Accounts != nil && (a == nil || x.Accounts.Test(&e.about) != facts.Yes) {
			continue
		}
		use.used = true
		if !use.ended && (x.Value == "" || x.Value == h.value || asStrict(h.reason.setting, h.reason.value, x.Value)) {
			return use.number, 0
		}
		ended = cmp.Or(ended, use.number)
	}
	return 0, ended
}

// unusedExceptions lists what was accepted and is not there; none where the
// export was not read to its end.
func (e *engine) unusedExceptions() []*rules.Exception {
	var list []*rules.Exception
	for _, use := range e.exceptions {
		if !use.used && !e.partial() {
			list = append(list, use.exception)
		}
	}
	return list
}
