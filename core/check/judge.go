package check

import (
	"cmp"
	"slices"
	"strings"

	"yewcone/core/effective"
	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// judge tests settings against all clauses and settings checks, once for all
// accounts that share them.
func (e *engine) judge(s *effective.Settings) *verdict {
	if e.latest != nil && e.latest.settings == s {
		return e.latest
	}
	if v, ok := e.verdicts[s]; ok {
		e.latest = v
		return v
	}
	e.judged++
	v := &verdict{number: e.judged, settings: s, hits: make([][]hit, len(e.sources)), unknown: make([][]setting.ID, len(e.sources))}
	for i := range e.sources {
		src := &e.sources[i]
		for j := range src.expect {
			e.judgeOne(v, i, &src.expect[j], s)
		}
		if len(src.anyOf) > 0 {
			e.judgeAny(v, i, s)
		}
		if src.settings != nil {
			e.judgeCheck(v, i, s)
		}
	}
	for id := range setting.Len {
		if from := s.Get(setting.ID(id)).From; from != nil && from.Level == effective.OnPolicy {
			e.tally.PolicyWon[from.Policy] = true
		}
	}
	if len(e.verdicts) >= verdictLimit {
		e.sumUp()
		clear(e.verdicts)
	}
	e.verdicts[s] = v
	e.latest = v
	return v
}

// verdictLimit bounds how many verdicts are kept, for systems where every
// account has settings of its own.
const verdictLimit = 1 << 16

func (e *engine) judgeOne(v *verdict, i int, x *expectation, s *effective.Settings) {
	if e.moot(s, x.setting) {
		return
	}
	holds := s.Get(x.setting)
	switch x.requirement.Test(holds.Value) {
	case requirement.FallsShort:
		v.hits[i] = append(v.hits[i], hit{
			key:  groupKey{source: i, setting: x.setting, policy: holds.From.Policy, level: holds.From.Level, value: holds.Value},
			from: holds.From, about: x.setting, want: x,
		})
	case requirement.Unknown:
		v.unknown[i] = append(v.unknown[i], x.setting)
	}
}

// judgeAny: one alternative that holds whole is enough; where none does, one
// that may hold leaves the clause open.
func (e *engine) judgeAny(v *verdict, i int, s *effective.Settings) {
	var open []setting.ID
	possible := false
	var said []string
	for _, list := range e.sources[i].anyOf {
		short, unknown := false, []setting.ID(nil)
		for j := range list {
			switch list[j].requirement.Test(s.Get(list[j].setting).Value) {
			case requirement.FallsShort:
				short = true
			case requirement.Unknown:
				unknown = append(unknown, list[j].setting)
			}
			def := setting.At(list[j].setting)
			said = append(said, def.Name+" "+def.Text(s.Get(list[j].setting).Value))
		}
		switch {
		case !short && len(unknown) == 0:
			return
		case !short:
			possible = true
			open = append(open, unknown...)
		}
	}
	if possible {
		v.unknown[i] = append(v.unknown[i], open...)
		return
	}
	v.hits[i] = append(v.hits[i], hit{key: groupKey{source: i, setting: -1, policy: s.PolicyName(),
		text: "none of what would do is so (" + strings.Join(said, ", ") + "; the rules ask for " + e.alternatives(i) +
			")"}})
}

// alternatives writes what would meet a clause with "any_of".
func (e *engine) alternatives(i int) string {
	var parts []string
	for _, list := range e.sources[i].anyOf {
		var all []string
		for _, x := range list {
			all = append(all, setting.At(x.setting).Name+" "+x.requirement.String())
		}
		parts = append(parts, strings.Join(all, " with "))
	}
	return strings.Join(parts, ", or ")
}

func (e *engine) judgeCheck(v *verdict, i int, s *effective.Settings) {
	look := &Look{holds: s.Get, asked: func(id setting.ID) []setting.Value { return e.asked[id] }}
	text := e.sources[i].settings(look)
	if text == "" {
		return
	}
	h := hit{key: groupKey{source: i, setting: -1, text: text}, from: look.first, about: look.firstOf}
	if look.first != nil {
		h.key.policy = look.first.Policy
	}
	if look.personal {
		h.key.level, h.key.policy = effective.OnAccount, ""
	}
	if len(look.policies) > 1 {
		slices.Sort(look.policies)
		h.key.among = strings.Join(look.policies, "\x00")
	}
	v.hits[i] = append(v.hits[i], h)
	v.checks = append(v.checks, i)
}

// disagree tells whether a mark on the account switches a setting off that a
// policy sets, and what the policy says.
func disagree(s *effective.Setting) (setting.Value, bool) {
	if s.From == nil || !s.From.Flag || s.From.Value.State() != setting.Off {
		return setting.Value{}, false
	}
	return s.ByPolicy, s.ByPolicy.State() == setting.Duration
}

// moot reports whether a setting has no effect here, because the one that it
// needs is off: asking for it would only repeat what the other rule says.
func (e *engine) moot(s *effective.Settings, id setting.ID) bool {
	needed, ok := id.Needs()
	return ok && s.Get(needed).Value.State() == setting.Off
}

// describe puts a hit into words.
func (e *engine) describe(f *Finding, h *hit, privileged bool) {
	f.Policy = h.key.policy
	if f.OnAccount = h.key.level == effective.OnAccount; f.OnAccount {
		f.Policy = ""
	}
	if h.from != nil {
		f.Origin = h.from.Origin
	}
	src := &e.sources[h.key.source]
	switch {
	case h.want != nil:
		e.describeSetting(f, h)
	case h.key.text != "":
		f.Sentence = h.key.text
		f.Asked = cmp.Or(f.Asked, src.because)
		f.Remedy = cmp.Or(f.Remedy, "make one of these hold")
	default:
		f.Sentence = src.clause.Says
		f.Asked = "not: " + src.clause.Forbid.String()
		if f.Sentence == "" {
			f.Sentence = "accounts of which the rules forbid: " + src.clause.Forbid.String()
		}
		f.Remedy = cmp.Or(f.Remedy, "put these accounts in order, or write down why they may stay as they are")
	}
	value, rank, text := "", "", ""
	if h.key.level == effective.OnAccount {
		value, text = f.Value, h.key.text
	}
	if src.across {
		text = h.key.text
	}
	text += h.key.among
	if privileged {
		rank = "privileged"
	}
	f.Fingerprint = fingerprint(f.System, f.Rule, f.Setting, f.Policy, value+text, rank)
}

func (e *engine) describeSetting(f *Finding, h *hit) {
	def := setting.At(h.want.setting)
	f.Setting = def.Name
	f.Value = def.Text(h.key.value)
	f.Asked = h.want.requirement.String()
	f.Sentence = def.Say(h.key.value) + " (" + def.Name + " " + f.Value + "; the rules ask for " + f.Asked + ")"
	where := "in the policy " + h.key.policy
	if h.key.level == effective.OnAccount {
		where = "on these accounts"
	}
	remedy := "set " + def.Name + " to " + f.Asked + " " + where
	if h.want.beyond {
		near := def.Text(h.want.nearest)
		f.Sentence += "; this system can do " + e.limits[h.want.setting].String()
		remedy = "set " + def.Name + " to " + near + " " + where +
			", the nearest that the system can do, and write an exception for the rest"
		if h.want.nearest == h.key.value {
			remedy = "the system can do no more: write an exception, or replace the system"
		}
		f.Remedy = ""
	}
	f.Remedy = cmp.Or(f.Remedy, remedy)
}
