package finding

import (
	"strings"

	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// A Shortfall is a value that is below what is asked.
type Shortfall struct {
	Setting setting.ID
	Value   setting.Value
	Asked   requirement.Requirement

	// Where no value that the system can take meets what is asked, what it can
	// do, and the nearest of these.
	Limit   *requirement.Requirement
	Nearest setting.Value
}

// canDo writes a limit for a sentence: a phrase as it stands, one value as the
// only one.
func canDo(r *requirement.Requirement) string {
	text := r.String()
	for _, opening := range []string{"at ", "between ", "one of "} {
		if strings.HasPrefix(text, opening) {
			return text
		}
	}
	return "only \"" + text + "\""
}

// Describe puts a shortfall into words. The finding's policy, or OnAccount,
// and a remedy of the rule's own are set before.
func (f *Finding) Describe(s *Shortfall) {
	def := setting.At(s.Setting)
	f.Setting = def.Name
	f.Value = def.Text(s.Value)
	f.Asked = s.Asked.String()
	f.Sentence = def.Say(s.Value) + " (" + def.Name + " " + f.Value + "; the rules ask for " + f.Asked + ")"
	where := "in the policy " + f.Policy
	if f.OnAccount {
		where = "on these accounts"
	}
	switch {
	case s.Limit == nil:
		if f.Remedy == "" {
			f.Remedy = "set " + def.Name + " to " + f.Asked + " " + where
		}
		return
	case s.Nearest == s.Value:
		f.Remedy = "the system can do no more: write an exception, or replace the system"
	default:
		f.Remedy = "set " + def.Name + " to " + def.Text(s.Nearest) + " " + where +
			", the nearest that the system can do, and write an exception for the rest"
	}
	f.Sentence += "; this system can do " + canDo(s.Limit)
}
