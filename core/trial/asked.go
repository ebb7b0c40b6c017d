package trial

import (
	"slices"
	"strings"

	"yewcone/core/password"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// Asked is what rule sets ask of passwords on a system, as something that
// candidates are held against: of each setting the least that meets all clauses
// that hold. holds says which do; a clause that leaves a choice of settings, or asks
// for the same as another system, is left out. It is nil where nothing is asked.
func Asked(system string, sets []*rules.Set, holds func(*rules.Clause) bool) *Target {
	var asked [setting.Len][]requirement.Requirement
	var from []string
	by := map[setting.ID][]string{}
	for _, set := range sets {
		for i := range set.Clauses {
			c := &set.Clauses[i]
			if len(c.Expect) == 0 || !holds(c) {
				continue
			}
			used := false
			for _, x := range c.Expect {
				if slices.Contains(demandSettings(), x.Setting) && x.Requirement.Plain() {
					asked[x.Setting] = append(asked[x.Setting], x.Requirement)
					by[x.Setting] = append(by[x.Setting], c.Rule.String())
					used = true
				}
			}
			if used && !slices.Contains(from, set.Name) {
				from = append(from, set.Name)
			}
		}
	}
	if from == nil {
		return nil
	}
	t := &Target{System: "the rules of " + system, of: system, values: make([]setting.Value, setting.Len), asked: from, by: by}
	for id, list := range asked {
		if list != nil {
			t.values[id], _ = requirement.Together(list...)
		}
	}
	return t
}

// demandSettings are the settings that judge candidates.
func demandSettings() []setting.ID {
	var list []setting.ID
	for _, d := range password.Demands() {
		list = append(list, d.Setting)
	}
	return append(list, setting.BlankAllowed)
}

// Asks names the rule sets, for what rules ask.
func (t *Target) Asks() string { return strings.Join(t.asked, ", ") }

// Of is the system on which rules ask it.
func (t *Target) Of() string { return t.of }

// AskedBy are the clauses that ask for a setting.
func (t *Target) AskedBy(id setting.ID) []string { return t.by[id] }

// OfPerson lets what is asked be judged for the person of another target, with its
// lists.
func (t *Target) OfPerson(o *Target) { t.person, t.lists = o.person, o.lists }

// ceiling is the greatest length that a claim leaves, where it is less than what is
// asked; unknown where none says it.
func ceiling(claims []password.Claim, least setting.Value) setting.Value {
	for _, c := range claims {
		if order, ok := setting.At(setting.MinLength).Compare(c.Value, least); c.Setting == setting.MaxLength && ok && order < 0 {
			return c.Value
		}
	}
	return setting.Value{}
}

// giveWay drops what is asked and collides with what systems can do, which is told
// as a note; false where nothing asked is in the way.
func (t *Target) giveWay(sets [][]password.Claim) bool {
	dropped := false
	for _, set := range sets {
		for _, c := range set {
			if t.asked == nil || c.System != t.Name() || !t.values[c.Setting].Known() {
				continue
			}
			dropped = true
			t.values[c.Setting] = setting.Value{}
			if c.Setting == setting.MinLength {
				t.values[c.Setting] = ceiling(set, c.Value)
			}
			note := c.Setting.String() + " " + setting.At(c.Setting).Text(c.Value)
			if !strings.Contains(t.Note, note) {
				t.Note += map[bool]string{true: "ask for ", false: ", "}[t.Note == ""] + note
			}
		}
	}
	return dropped
}
