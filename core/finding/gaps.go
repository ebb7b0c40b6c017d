package finding

import (
	"time"

	"yewcone/core/gap"
	"yewcone/core/password"
	"yewcone/core/setting"
)

// Gaps are what no system's own console can show.
type Gaps struct {
	Profiles []*gap.Profile // by system, in the order of the estate
	Links    []*gap.LinkResult
	Guesses  []Guess // the largest budget over a password's life first
	People   *PeopleSums
	Unruled  []string // systems without rules
	Unused   []string // rule sets without systems
	Old      []Old    // found by the check of old exports
	Untold   []string // settings that no system says

	Below map[BelowKey]bool // values below what the rules of a system ask
}

// A Guess is the guess budget of one audience on one system.
type Guess struct {
	System   string
	Audience gap.Audience
	Accounts int
	gap.Guesses
	Space password.Measure // of what holds for most of the audience
}

// An Old export is one that lies behind the newest.
type Old struct {
	System string
	AsOf   time.Time
	Days   int
}

// PeopleSums are counts of people across systems.
type PeopleSums struct {
	Match     []string
	From      string
	People    int // told apart, ambiguous ones left out
	Several   int // of these, on more than one system
	Ambiguous int
	Weakest   []int // by system: people whose weakest enabled account is there
}

// A BelowKey is a value of a setting on a system, that is below what is asked
// of somebody of an audience.
type BelowKey struct {
	System, Setting, Value string
	Audience               gap.Audience
}

// Compare sets the systems side by side for an audience.
func (g *Gaps) Compare(a gap.Audience) []gap.Row {
	return gap.Compare(g.Profiles, a, func(system, name string, v setting.Value) bool {
		id, _ := setting.Find(name)
		key := BelowKey{system, name, setting.At(id).Text(v), a}
		if a == gap.People && !g.Below[key] { // who stands for people where nobody is known to be one
			for _, p := range g.Profiles {
				if p.System == system && p.KindsUnknown() {
					key.Audience = gap.Unsorted
				}
			}
		}
		return g.Below[key]
	})
}
