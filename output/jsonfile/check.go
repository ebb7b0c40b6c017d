// Package jsonfile writes results as JSON, the stable form for other
// programs; docs/schema describes each.
package jsonfile

import (
	"io"
	"time"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/rules"
	"yewcone/output"
)

// CheckVersion changes when a reader of an older version would go wrong.
const CheckVersion = 1

type checkDocument struct {
	checkHead
	Systems  []systemPart  `json:"systems"`
	Findings []findingPart `json:"findings"`
	Accepted []findingPart `json:"accepted"`
	Unknowns []unknownPart `json:"unknowns"`
}

// checkHead is what comes before the lists.
type checkHead struct {
	Format  string         `json:"format"`
	Version int            `json:"version"`
	Tool    string         `json:"tool"`
	Mark    string         `json:"catalogue"` // of the settings, checks and facts that the program knows
	Estate  string         `json:"estate"`
	Worst   string         `json:"worst"`
	Partial bool           `json:"partial"`
	Counts  map[string]int `json:"counts"`
}

type systemPart struct {
	Name       string            `json:"name"`
	Title      string            `json:"title,omitempty"`
	AsOf       *string           `json:"as_of"`
	AsOfFrom   string            `json:"as_of_from,omitempty"`
	Policies   int               `json:"policies"`
	Accounts   int               `json:"accounts"`
	Privileged int               `json:"privileged"`
	Disabled   int               `json:"disabled"`
	Refused    int               `json:"refused"`
	Accepted   int               `json:"accepted"`
	Partial    bool              `json:"partial"`
	Rules      []string          `json:"rules"`
	Clauses    clausesPart       `json:"clauses"`
	Counts     map[string]int    `json:"counts"`
	Notes      []notePart        `json:"notes"`
	Outcomes   map[string]string `json:"outcomes"`
}

type clausesPart struct {
	Reaching int `json:"reaching"`
	Met      int `json:"met"`
	Nobody   int `json:"reaching_nobody"`
}

type notePart struct {
	Kind    string     `json:"kind"`
	Origin  originPart `json:"origin"`
	Message string     `json:"message"`
}

type originPart struct {
	File  string `json:"file"`
	Part  string `json:"part,omitempty"`
	Line  int    `json:"line,omitempty"`
	Place string `json:"place,omitempty"`
	Text  string `json:"text,omitempty"`
}

type findingPart struct {
	Fingerprint string         `json:"fingerprint"`
	System      string         `json:"system"`
	Rule        string         `json:"rule"`
	Severity    string         `json:"severity"`
	Sentence    string         `json:"sentence"`
	Setting     string         `json:"setting,omitempty"`
	Value       string         `json:"value,omitempty"`
	Asked       string         `json:"asked"`
	Policy      string         `json:"policy,omitempty"`
	OnAccount   bool           `json:"on_account,omitempty"`
	Split       string         `json:"split,omitempty"`
	Between     bool           `json:"between,omitempty"`
	Origin      *originPart    `json:"origin,omitempty"`
	Because     string         `json:"because,omitempty"`
	Remedy      string         `json:"remedy"`
	Reach       reachPart      `json:"reach"`
	Exception   *exceptionPart `json:"exception,omitempty"`
	Ended       *exceptionPart `json:"ended,omitempty"`
	Outgrown    *exceptionPart `json:"outgrown,omitempty"`
}

type exceptionPart struct {
	Because string `json:"because"`
	Owner   string `json:"owner"`
	Until   string `json:"until"`
}

type reachPart struct {
	Accounts   int           `json:"accounts"`
	Privileged int           `json:"privileged"`
	Disabled   int           `json:"disabled"`
	Unranked   int           `json:"unranked,omitempty"`
	Examples   []examplePart `json:"examples"`
}

type examplePart struct {
	Login  string     `json:"login"`
	Detail string     `json:"detail,omitempty"`
	Origin originPart `json:"origin"`
}

type unknownPart struct {
	System  string    `json:"system"`
	Setting string    `json:"setting,omitempty"`
	Fact    string    `json:"fact,omitempty"`
	Rules   []string  `json:"rules"`
	Reach   reachPart `json:"reach"`
	ToKnow  string    `json:"to_know,omitempty"`
}

// Check writes a check's result.
func Check(w io.Writer, r *finding.Result, o output.Options) error {
	out := streamed{w: w}
	out.begin(checkHead{
		Format: "yewcone check", Version: CheckVersion, Tool: o.Version, Mark: check.TheCatalogue().Mark, Estate: r.Estate,
		Worst: r.Worst().String(), Partial: r.Partial(), Counts: counts(r, ""),
	})
	addAll(&out, "systems", r.Systems, func(s *finding.SystemResult) systemPart { return system(r, s) })
	addAll(&out, "findings", r.Findings, findingOf)
	addAll(&out, "accepted", r.Accepted, findingOf)
	addAll(&out, "unknowns", r.Unknowns, func(u *finding.Unknown) unknownPart {
		return unknownPart{u.System, u.Setting, u.Fact, rules.Names(u.Rules), reach(u.Reach), u.ToKnow}
	})
	return out.close()
}

func encode(w io.Writer, document any) error {
	e := newEncoder(w)
	e.SetIndent("", "  ")
	return e.Encode(document)
}

func counts(r *finding.Result, system string) map[string]int {
	out := map[string]int{}
	bySeverity := r.CountBySeverity(system)
	for _, s := range rules.Severities {
		out[s.String()] = bySeverity[s]
	}
	return out
}

func instant(t time.Time) *string {
	if t.IsZero() {
		return nil
	}
	text := t.UTC().Format(time.RFC3339)
	return &text
}

func system(r *finding.Result, s *finding.SystemResult) systemPart {
	part := systemPart{
		Name: s.Name, Title: s.Title, AsOf: instant(s.AsOf), AsOfFrom: s.AsOfFrom, Policies: s.Policies,
		Accounts: s.Accounts, Privileged: s.Privileged, Disabled: s.Disabled, Refused: s.Refused, Accepted: s.Accepted, Partial: s.Partial,
		Rules: append([]string{}, s.Rules...), Clauses: clausesPart{s.Clauses, s.Met, s.Nobody}, Counts: counts(r, s.Name),
		Notes: []notePart{}, Outcomes: map[string]string{},
	}
	for _, o := range s.Outcomes {
		part.Outcomes[o.Rule.String()] = o.Word()
	}
	for _, n := range s.Notes {
		part.Notes = append(part.Notes, notePart{string(n.Kind), origin(n.Origin), n.Message})
	}
	return part
}

func origin(o facts.Origin) originPart { return originPart{o.File, o.Part, o.Line, o.Place, o.Text} }

func findingOf(f *finding.Finding) findingPart {
	part := findingPart{
		Fingerprint: f.Fingerprint, System: f.System, Rule: f.Rule.String(), Severity: f.Severity.String(), Sentence: f.Sentence,
		Setting: f.Setting, Value: f.Value, Asked: f.Asked, Policy: f.Policy, OnAccount: f.OnAccount, Split: f.Split, Between: f.Between, Because: f.Because, Remedy: f.Remedy, Reach: reach(f.Reach),
	}
	part.Exception, part.Ended, part.Outgrown = exception(f.Exception), exception(f.Ended), exception(f.Outgrown)
	if f.Origin.Known() {
		o := origin(f.Origin)
		part.Origin = &o
	}
	return part
}

func exception(x *rules.Exception) *exceptionPart {
	if x == nil {
		return nil
	}
	return &exceptionPart{x.Because, x.Owner, x.Until.Format(time.DateOnly)}
}

func reach(r finding.Reach) reachPart {
	part := reachPart{Accounts: r.Accounts, Privileged: r.Privileged, Disabled: r.Disabled, Unranked: r.Unranked, Examples: []examplePart{}}
	for _, e := range r.Examples {
		part.Examples = append(part.Examples, examplePart{e.Login, e.Detail(), origin(e.Origin())})
	}
	return part
}
