package jsonfile

import (
	"io"
	"math"
	"time"

	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/password"
	"yewcone/output"
)

// GapsVersion changes when a reader of an older version would go wrong.
const GapsVersion = 1

type gapsDocument struct {
	Format   string        `json:"format"`
	Version  int           `json:"version"`
	Tool     string        `json:"tool"`
	Estate   string        `json:"estate"`
	Partial  bool          `json:"partial"`
	Systems  []string      `json:"systems"`
	Settings []gapRowPart  `json:"settings"`
	Links    []linkPart    `json:"links"`
	Guesses  []guessPart   `json:"guesses"`
	People   *peoplePart   `json:"people"`
	Coverage coveragePart  `json:"coverage"`
	Findings []findingPart `json:"findings"` // that were found between systems
}

type gapRowPart struct {
	Setting  string        `json:"setting"`
	Audience string        `json:"audience"`
	Differs  bool          `json:"differs"`
	Cells    []gapCellPart `json:"systems"`
}

type gapCellPart struct {
	System    string      `json:"system"`
	Value     string      `json:"value"`
	Known     bool        `json:"known"`
	Accounts  int         `json:"accounts"`
	Of        int         `json:"of"`
	Unknown   int         `json:"unknown"`
	Below     bool        `json:"below_rules"`
	Strictest bool        `json:"strictest"`
	Loosest   bool        `json:"loosest"`
	Odd       bool        `json:"odd"`
	Policy    string      `json:"policy,omitempty"`
	Origin    *originPart `json:"origin,omitempty"`
}

type linkPart struct {
	Between []string      `json:"between"`
	Because string        `json:"because"`
	Shared  bool          `json:"password_shared"`
	Agrees  bool          `json:"agrees"`
	Unequal []unequalPart `json:"unequal"`
	Open    []string      `json:"unknown"`
	Locks   string        `json:"locks_first,omitempty"`
	Bits    *float64      `json:"common_bits,omitempty"`
	Length  int           `json:"common_length,omitempty"`
	Collide []string      `json:"cannot_be_met"`
	Ages    []string      `json:"ages"`
}

type unequalPart struct {
	Setting string   `json:"setting"`
	Values  []string `json:"values"`
}

type guessPart struct {
	System     string      `json:"system"`
	Audience   string      `json:"audience"`
	Accounts   int         `json:"accounts"`
	PerDay     *float64    `json:"guesses_a_day"` // null: no bound, or not known
	Unbounded  bool        `json:"unbounded"`
	Known      bool        `json:"known"`
	LifeDays   *int64      `json:"life_days"` // a year where the password never expires
	Endless    bool        `json:"never_expires"`
	OverLife   *float64    `json:"guesses_over_life"`
	BySource   *float64    `json:"guesses_a_day_from_one_address"`
	Bits       *float64    `json:"space_bits"` // at the least length
	Length     int         `json:"space_length"`
	AtCeiling  *float64    `json:"space_bits_at_ceiling"`
	Demands    []pricePart `json:"space_demands"`
	Arithmetic string      `json:"arithmetic"`
}

type peoplePart struct {
	Match     []string       `json:"match"`
	From      string         `json:"from,omitempty"`
	People    int            `json:"people"`
	Several   int            `json:"on_several_systems"`
	Ambiguous int            `json:"ambiguous"`
	Weakest   map[string]int `json:"weakest_account_on"`
}

type coveragePart struct {
	Unruled []string  `json:"systems_without_rules"`
	Unused  []string  `json:"rules_without_systems"`
	Old     []oldPart `json:"old_exports"`
	Untold  []string  `json:"settings_that_no_system_says"`
}

type oldPart struct {
	System string `json:"system"`
	AsOf   string `json:"as_of"`
	Days   int    `json:"days_behind"`
}

// finite leaves out what JSON cannot write.
func finite(n float64, known bool) *float64 {
	if !known || math.IsInf(n, 0) || math.IsNaN(n) {
		return nil
	}
	return &n
}

// Gaps writes systems side by side.
func Gaps(w io.Writer, r *finding.Result, o output.GapOptions) error {
	g := r.Gaps
	d := gapsDocument{Format: "yewcone gaps", Version: GapsVersion, Tool: o.Version, Estate: r.Estate, Partial: r.Partial(),
		Systems: []string{}, Settings: []gapRowPart{}, Links: []linkPart{}, Guesses: []guessPart{},
		Findings: []findingPart{},
		Coverage: coveragePart{append([]string{}, g.Unruled...), append([]string{}, g.Unused...), []oldPart{},
			append([]string{}, g.Untold...)}}
	for _, p := range g.Profiles {
		d.Systems = append(d.Systems, p.System)
	}
	for _, a := range gap.Audiences {
		for _, row := range o.Rows(g, a) {
			d.Settings = append(d.Settings, gapRow(&row, a))
		}
	}
	for _, l := range g.Links {
		d.Links = append(d.Links, link(l))
	}
	for i := range g.Guesses {
		d.Guesses = append(d.Guesses, guess(&g.Guesses[i]))
	}
	if p := g.People; p != nil {
		d.People = &peoplePart{p.Match, p.From, p.People, p.Several, p.Ambiguous, map[string]int{}}
		for i, n := range p.Weakest {
			d.People.Weakest[g.Profiles[i].System] = n
		}
	}
	for _, old := range g.Old {
		d.Coverage.Old = append(d.Coverage.Old, oldPart{old.System, old.AsOf.UTC().Format(time.RFC3339), old.Days})
	}
	for i := range r.Findings {
		if r.Findings[i].Between {
			d.Findings = append(d.Findings, findingOf(&r.Findings[i]))
		}
	}
	return encode(w, d)
}

func gapRow(row *gap.Row, a gap.Audience) gapRowPart {
	part := gapRowPart{Setting: row.Setting.Name, Audience: a.String(), Differs: row.Differs, Cells: []gapCellPart{}}
	for i := range row.Cells {
		c := &row.Cells[i]
		if c.None {
			continue
		}
		cell := gapCellPart{c.System, row.Setting.Text(c.Value), c.Value.Known(), c.Accounts, c.Of, c.Unknown, c.Below,
			c.Strictest, c.Loosest, c.Odd, c.Policy, nil}
		if c.Origin.Known() {
			o := origin(c.Origin)
			cell.Origin = &o
		}
		part.Cells = append(part.Cells, cell)
	}
	return part
}

func link(l *gap.LinkResult) linkPart {
	part := linkPart{Between: l.Between[:], Because: l.Because, Shared: l.Shared, Agrees: l.Agrees(),
		Unequal: []unequalPart{}, Open: []string{}, Locks: l.Locks, Collide: []string{},
		Ages: append([]string{}, l.Ages...)}
	for _, u := range l.Unequal {
		part.Unequal = append(part.Unequal, unequalPart{u.ID.String(), []string{valueText(u.ID, u.Cells[0].Value),
			valueText(u.ID, u.Cells[1].Value)}})
	}
	for _, u := range l.Open {
		part.Open = append(part.Open, u.ID.String())
	}
	for _, set := range l.Collide {
		part.Collide = append(part.Collide, password.Clash(set))
	}
	if l.Shared && len(l.Collide) == 0 && !l.LengthOpen {
		bits := l.Common.Bits()
		part.Bits, part.Length = &bits, l.Length
	}
	return part
}

func guess(g *finding.Guess) guessPart {
	part := guessPart{System: g.System, Audience: g.Audience.String(), Accounts: g.Accounts,
		PerDay: finite(g.PerDay, g.Known), Unbounded: g.Known && math.IsInf(g.PerDay, 1), Known: g.Known,
		Endless: g.Endless, OverLife: finite(g.OverLife(), g.Known && g.LifeKnown),
		BySource: finite(g.SourcePerDay, g.SourceKnown), Bits: finite(g.Space.AtLeast.Bits(), !g.Space.Open), Arithmetic: g.Arithmetic()}
	part.Length, part.Demands = g.Space.Length, []pricePart{}
	if g.Space.AtMost.Number != nil && !g.Space.Open {
		bits := g.Space.AtMost.Bits()
		part.AtCeiling = &bits
	}
	for _, p := range g.Space.Prices {
		part.Demands = append(part.Demands, pricePart{p.Setting.String(), valueText(p.Setting, p.Value), p.Bits})
	}
	if g.LifeKnown {
		days := g.Life / 86400
		part.LifeDays = &days
	}
	return part
}
