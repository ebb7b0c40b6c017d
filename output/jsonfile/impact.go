package jsonfile

import (
	"io"

	"yewcone/core/impact"
	"yewcone/core/setting"
	"yewcone/output"
)

// ImpactVersion changes when a reader of an older version would go wrong.
const ImpactVersion = 1

type impactDocument struct {
	Format  string       `json:"format"`
	Version int          `json:"version"`
	Tool    string       `json:"tool"`
	Estate  string       `json:"estate"`
	Systems []impactPart `json:"systems"`
}

type impactPart struct {
	System    string               `json:"system"`
	AsOf      *string              `json:"as_of"`
	Partial   bool                 `json:"partial"`
	Accounts  int                  `json:"accounts"`
	Proposals []proposalPart       `json:"proposals"`
	Effects   map[string]groupPart `json:"effects"`
	Days      map[string]groupPart `json:"days"`
	Ended     []findingPart        `json:"ended"`
	New       []findingPart        `json:"new"`
	Depends   []string             `json:"depends,omitempty"`
	Save      []savedPart          `json:"save_first,omitempty"`
}

type proposalPart struct {
	Policy  string `json:"policy"`
	Setting string `json:"setting"`
	From    string `json:"from"`
	To      string `json:"to"`
}

type groupPart struct {
	Accounts   int                 `json:"accounts"`
	Privileged int                 `json:"privileged"`
	Kinds      map[string]int      `json:"kinds"`
	Names      map[string][]string `json:"names,omitempty"`
}

type savedPart struct {
	Setting string `json:"setting"`
	Text    string `json:"text"`
}

// Impact writes what proposals would do.
func Impact(w io.Writer, estate string, list []impact.System, o output.Options) error {
	d := impactDocument{Format: "yewcone impact", Version: ImpactVersion, Tool: o.Version, Estate: estate, Systems: []impactPart{}}
	for i := range list {
		s := &list[i]
		p := impactPart{System: s.Name, AsOf: instant(s.AsOf), Partial: s.Partial, Accounts: s.Accounts, Proposals: []proposalPart{}, Effects: map[string]groupPart{},
			Days: map[string]groupPart{}, Ended: []findingPart{}, New: []findingPart{}, Depends: s.Depends}
		for _, x := range s.Proposals {
			def := setting.At(x.Setting)
			p.Proposals = append(p.Proposals, proposalPart{x.Policy, def.Name, def.Text(x.From), def.Text(x.Value)})
		}
		for e, g := range s.Effects {
			p.Effects[string(e)] = groupOf(g)
		}
		for day, g := range s.Days {
			p.Days[day] = groupOf(g)
		}
		for j := range s.Ended {
			p.Ended = append(p.Ended, findingOf(&s.Ended[j]))
		}
		for j := range s.New {
			p.New = append(p.New, findingOf(&s.New[j]))
		}
		for _, x := range s.Save {
			p.Save = append(p.Save, savedPart{x.Setting.String(), x.Text})
		}
		d.Systems = append(d.Systems, p)
	}
	return encode(w, d)
}

func groupOf(g *impact.Group) groupPart {
	kinds := map[string]int{}
	for k, n := range g.Kinds {
		if k == "" {
			k = "unknown"
		}
		kinds[k] = n
	}
	return groupPart{g.Accounts, g.Privileged, kinds, g.Names}
}
