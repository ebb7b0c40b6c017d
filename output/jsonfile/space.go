package jsonfile

import (
	"io"

	"yewcone/core/password"
	"yewcone/core/setting"
	"yewcone/core/trial"
	"yewcone/output"
)

type spaceDocument struct {
	Format   string      `json:"format"`
	Version  int         `json:"version"`
	Tool     string      `json:"tool"`
	Policies []spacePart `json:"policies"`
}

type spacePart struct {
	Target  targetPart  `json:"target"`
	Length  int         `json:"length"` // 0 where no password is possible
	Collide []string    `json:"cannot_be_met"`
	Number  string      `json:"number"` // in full; where the least length is not known, of one character
	Bits    *float64    `json:"bits"`   // null where it is not known
	Exact   bool        `json:"exact"`
	Ceiling *int        `json:"ceiling"`
	AtMost  *float64    `json:"bits_at_ceiling"`
	Prices  []pricePart `json:"demands"`
	Unknown []string    `json:"unknown"`
}

type pricePart struct {
	Setting string  `json:"setting"`
	Value   string  `json:"value"`
	Bits    float64 `json:"bits"`
}

// Space writes how many passwords targets leave; measures stand beside them.
func Space(w io.Writer, targets []*trial.Target, measures []password.Measure, o output.Options) error {
	d := spaceDocument{Format: "yewcone space", Version: TryVersion, Tool: o.Version, Policies: []spacePart{}}
	for i, t := range targets {
		m := &measures[i]
		part := spacePart{Target: targetOf(t), Length: m.Length, Number: m.AtLeast.Number.String(), Bits: finite(m.AtLeast.Bits(), !m.Open),
			Exact: m.AtLeast.Exact, Prices: []pricePart{}, Unknown: append([]string{}, setting.NamesOf(m.Unknown)...)}
		part.Collide = []string{}
		for _, set := range m.Collide {
			part.Collide = append(part.Collide, password.Clash(set))
		}
		if m.Ceiling > 0 {
			part.Ceiling = &m.Ceiling
		}
		if m.AtMost.Number != nil {
			bits := m.AtMost.Bits()
			part.AtMost = &bits
		}
		for _, p := range m.Prices {
			part.Prices = append(part.Prices, pricePart{p.Setting.String(), valueText(p.Setting, p.Value), p.Bits})
		}
		d.Policies = append(d.Policies, part)
	}
	return encode(w, d)
}

func valueText(id setting.ID, v setting.Value) string {
	return setting.At(id).Text(v)
}

type deriveDocument struct {
	Format   string         `json:"format"`
	Version  int            `json:"version"`
	Tool     string         `json:"tool"`
	Target   targetPart     `json:"target"`
	Examples []labelledPart `json:"examples"`
	Sets     [][]switchPart `json:"sets"`
	More     bool           `json:"more"`
	Standing []standingPart `json:"standing"`
}

type labelledPart struct {
	Number  int    `json:"number"`
	File    string `json:"file"`
	Line    int    `json:"line"`
	Good    bool   `json:"good"`
	Refused bool   `json:"refused_today"`
}

type switchPart struct {
	Setting string `json:"setting"`
	Value   string `json:"value"`
	Today   string `json:"today"`
	Refuses []int  `json:"refuses"`
}

type standingPart struct {
	Example int         `json:"example"`
	Would   []wouldPart `json:"would"`
}

type wouldPart struct {
	Setting string `json:"setting"`
	Value   string `json:"value"`
	Good    []int  `json:"good_examples"`
	Beyond  bool   `json:"beyond_the_system"`
}

// Derived writes which settings tell examples apart, without the examples.
func Derived(w io.Writer, d *trial.Derived, o output.Options) error {
	doc := deriveDocument{Format: "yewcone derive", Version: TryVersion, Tool: o.Version, Target: targetOf(d.Target),
		Examples: []labelledPart{}, Sets: [][]switchPart{}, More: d.Derivation.More, Standing: []standingPart{}}
	for i, e := range d.Examples {
		doc.Examples = append(doc.Examples, labelledPart{i + 1, e.File, e.Line, e.Good, e.Refused})
	}
	for _, set := range d.Derivation.Sets {
		part := []switchPart{}
		for _, s := range set {
			part = append(part, switchPart{s.Setting.String(), valueText(s.Setting, s.Value),
				valueText(s.Setting, d.Target.Value(s.Setting)), fromOne(s.Refuses)})
		}
		doc.Sets = append(doc.Sets, part)
	}
	for _, s := range d.Derivation.Standing {
		part := standingPart{Example: s.Example + 1, Would: []wouldPart{}}
		for _, would := range s.Would {
			part.Would = append(part.Would, wouldPart{would.Switch.Setting.String(), valueText(would.Switch.Setting,
				would.Switch.Value), fromOne(would.Good), would.Beyond})
		}
		doc.Standing = append(doc.Standing, part)
	}
	return encode(w, doc)
}

// fromOne counts places from one, as people do.
func fromOne(places []int) []int {
	out := []int{}
	for _, p := range places {
		out = append(out, p+1)
	}
	return out
}
