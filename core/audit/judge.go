package audit

import (
	"slices"
	"strings"

	"yewcone/core/check"
	"yewcone/core/effective"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// verdict is how settings that many accounts share come out, by rule.
type verdict struct {
	number   uint32
	settings *effective.Settings
	hits     [][]hit
	unknown  [][]setting.ID
	checks   []int                         // the checks of settings that hit
	unsure   []int                         // those that found nothing, for want of knowing
	dormant  map[setting.ID][]finding.Want // by a setting that is off, what is asked of those that would come into force with it

	accounts     int
	privileged   int
	audiences    [gap.Rest + 1]int // of accounts that a password lets in
	secondFactor [3]int            // accounts that are not switched off, by facts.Tri
}

// hit is one thing that is wrong.
type hit struct {
	reason reason
	from   *effective.Candidate
	about  setting.ID   // the setting of which from is the value
	want   *expectation // nil for checks, and where several would do
	value  string       // of what it is so, where no setting is
	key    []string     // what the fingerprint is made of, where a check says it
	wants  []finding.Want
	also   []finding.Want // that would come into force
}

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
	v := &verdict{number: e.judged, settings: s, hits: make([][]hit, len(e.rules)), unknown: make([][]setting.ID, len(e.rules))}
	for i := range e.rules {
		r := &e.rules[i]
		for j := range r.expect {
			e.judgeOne(v, i, &r.expect[j], s)
		}
		if len(r.anyOf) > 0 {
			e.judgeAny(v, i, s)
		}
		if r.check != nil && r.check.Settings != nil {
			e.judgeCheck(v, i, s)
		}
	}
	for i := range v.hits {
		for j := range v.hits[i] {
			if h := &v.hits[i][j]; h.want != nil {
				h.also = v.dormant[h.about]
			}
		}
	}
	for id := range setting.Len {
		if from := s.Get(id).From; from != nil && from.Level == effective.OnPolicy {
			e.view.PolicyWon[from.Policy] = true
		}
	}
	if len(e.verdicts) >= verdictLimit {
		e.sumUp()
		clear(e.verdicts)
		e.met.forget()
	}
	e.verdicts[s] = v
	e.latest = v
	return v
}

// verdictLimit bounds how many verdicts are kept, for systems where every
// account has settings of its own.
const verdictLimit = 1 << 16

func (e *engine) judgeOne(v *verdict, i int, x *expectation, s *effective.Settings) {
	holds := s.Get(x.setting)
	if e.moot(s, x.setting) {
		needed, _ := x.setting.Needs()
		if x.requirement.Test(holds.Value) == requirement.FallsShort && e.rules[i].clause != nil {
			if v.dormant == nil {
				v.dormant = map[setting.ID][]finding.Want{}
			}
			v.dormant[needed] = append(v.dormant[needed], e.wanted(s, x.setting, x.requirement))
		}
		return
	}
	switch x.requirement.Test(holds.Value) {
	case requirement.FallsShort:
		v.hits[i] = append(v.hits[i], hit{
			reason: reason{rule: i, setting: x.setting, policy: holds.From.Policy, level: holds.From.Level, value: holds.Value},
			from:   holds.From, about: x.setting, want: x, wants: []finding.Want{e.wanted(s, x.setting, x.requirement)},
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
	for _, list := range e.rules[i].anyOf {
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
	v.hits[i] = append(v.hits[i], hit{reason: reason{rule: i, setting: noSetting, policy: s.PolicyName(),
		text: "none of what would do is so (" + strings.Join(said, ", ") + "; the rules ask for " + e.alternatives(i) +
			")"}})
}

// alternatives writes what would meet a clause with "any_of".
func (e *engine) alternatives(i int) string {
	var parts []string
	for _, list := range e.rules[i].anyOf {
		var all []string
		for _, x := range list {
			all = append(all, setting.At(x.setting).Name+" "+x.requirement.String())
		}
		parts = append(parts, strings.Join(all, " with "))
	}
	return strings.Join(parts, ", or ")
}

func (e *engine) judgeCheck(v *verdict, i int, s *effective.Settings) {
	look := &check.SettingsView{Holds: s.Get, Asked: func(id setting.ID) []setting.Value { return e.asked[id] }}
	text := e.rules[i].check.Settings(look)
	if text == "" {
		if look.Unknown {
			v.unsure = append(v.unsure, i)
		}
		return
	}
	h := hit{reason: reason{rule: i, setting: noSetting, text: text}, from: look.First, about: look.FirstOf}
	if look.First != nil {
		h.reason.policy = look.First.Policy
	}
	if look.Personal {
		h.reason.level, h.reason.policy = effective.OnAccount, ""
	}
	if len(look.Policies) > 1 {
		slices.Sort(look.Policies)
		h.reason.among = strings.Join(look.Policies, "\x00")
	}
	if wants := e.rules[i].check.Wants; wants != nil {
		for _, w := range wants(&check.SettingsView{Holds: s.Get, Asked: look.Asked}) {
			h.wants = append(h.wants, e.wanted(s, w.Setting, mustParse(w)))
		}
	}
	v.hits[i] = append(v.hits[i], h)
	v.checks = append(v.checks, i)
}

// mustParse reads the phrase of a check, which is ours.
func mustParse(w check.Want) requirement.Requirement {
	r, err := requirement.Parse(setting.At(w.Setting), w.Phrase)
	if err != nil {
		panic(err)
	}
	return r
}

// flagMarks are the settings that a mark on an account overrules, with the
// fact that it is.
var flagMarks = map[setting.ID]string{setting.MaxAge: "never_expires", setting.SelfChange: "cannot_change", setting.BlankAllowed: "blank_allowed"}

// wanted is what is wanted of a setting, and where it stands.
func (e *engine) wanted(s *effective.Settings, id setting.ID, asked requirement.Requirement) finding.Want {
	w := finding.Want{Setting: id, Asked: asked, Policy: s.PolicyName()}
	if limit, ok := e.limits[id]; ok {
		w.Limit = &limit
	}
	if from := s.Get(id).From; from != nil {
		w.Now, w.Policy, w.Origin = from.Value, from.Policy, from.Origin
		if w.OnAccount = from.Level == effective.OnAccount; from.Flag {
			w.Mark = flagMarks[id]
		}
	}
	return w
}

// moot reports whether a setting has no effect here, because the one that it
// needs is off: asking for it would only repeat what the other rule says.
func (e *engine) moot(s *effective.Settings, id setting.ID) bool {
	needed, ok := id.Needs()
	return ok && s.Get(needed).Value.State() == setting.Off
}
