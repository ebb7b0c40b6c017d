package jsonfile

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"yewcone/core/drift"
	"yewcone/core/record"
	"yewcone/core/rules"
	"yewcone/output"
)

// DriftVersion changes when a reader of an older version would go wrong.
const DriftVersion = 1

type driftDocument struct {
	Format        string             `json:"format"`
	Version       int                `json:"version"`
	Tool          string             `json:"tool"`
	Estate        string             `json:"estate"`
	From          *string            `json:"from"`
	To            *string            `json:"to"`
	Counts        map[string]int     `json:"counts"`
	Findings      []driftFinding     `json:"findings"`
	Values        []driftValue       `json:"values"`
	NotYet        []driftValue       `json:"not_yet"`
	Accounts      []driftAccountPart `json:"accounts"`
	OtherRules    []string           `json:"other_rules,omitempty"`
	OtherMappings []string           `json:"other_mappings,omitempty"`
}

type driftFinding struct {
	State  drift.State     `json:"state"`
	Before *record.Finding `json:"before"`
	After  *record.Finding `json:"after"`
	Why    []string        `json:"why,omitempty"`
	LastIn string          `json:"last_in,omitempty"`
}

type driftValue struct {
	System      string `json:"system"`
	Policy      string `json:"policy"`
	Setting     string `json:"setting"`
	Before      string `json:"before"`
	After       string `json:"after"`
	PlaceBefore string `json:"place_before"`
	PlaceAfter  string `json:"place_after"`
	Stricter    bool   `json:"stricter"`
	Weaker      bool   `json:"weaker"`
	Asked       string `json:"asked,omitempty"`
	AsAsked     bool   `json:"as_asked"`
}

type driftAccountPart struct {
	System           string   `json:"system"`
	Known            bool     `json:"known"`
	Made             []string `json:"made,omitempty"`
	Gone             []string `json:"gone,omitempty"`
	Disabled         []string `json:"disabled,omitempty"`
	Enabled          []string `json:"enabled,omitempty"`
	Privileged       []string `json:"privileged,omitempty"`
	NotPrivileged    []string `json:"no_longer_privileged,omitempty"`
	MarksSet         []string `json:"marks_set,omitempty"`
	MarksTaken       []string `json:"marks_taken,omitempty"`
	FactorGained     []string `json:"second_factor_enrolled,omitempty"`
	FactorLost       []string `json:"second_factor_gone,omitempty"`
	PolicyChanged    []string `json:"policy_changed,omitempty"`
	PasswordsChanged int      `json:"passwords_changed"`
	Passwords        int      `json:"passwords"`
	NotYet           []string `json:"not_yet,omitempty"`
}

// Drift writes what changed.
func Drift(w io.Writer, d *drift.Drift, o output.Options) error {
	doc := driftDocument{Format: "yewcone drift", Version: DriftVersion, Tool: o.Version, Estate: d.After.Estate, From: instant(d.Before.AsOf),
		To: instant(d.After.AsOf), Counts: map[string]int{}, Findings: []driftFinding{}, Values: []driftValue{}, NotYet: []driftValue{},
		Accounts: []driftAccountPart{}, OtherRules: d.OtherRules, OtherMappings: d.OtherMappings}
	for _, s := range drift.States {
		doc.Counts[string(s)] = len(d.In(s))
	}
	for i := range d.Findings {
		f := &d.Findings[i]
		doc.Findings = append(doc.Findings, driftFinding{f.State, f.Before, f.After, f.Why, f.LastIn})
	}
	for i := range d.Values {
		doc.Values = append(doc.Values, valueOf(&d.Values[i]))
	}
	for i := range d.NotYet {
		doc.NotYet = append(doc.NotYet, valueOf(&d.NotYet[i]))
	}
	for i := range d.Accounts {
		a := &d.Accounts[i]
		doc.Accounts = append(doc.Accounts, driftAccountPart{a.System, a.Known, a.Made, a.Gone, a.Disabled, a.Enabled, a.Privileged, a.NotPrivileged,
			a.MarksSet, a.MarksTaken, a.FactorGained, a.FactorLost, a.PolicyChanged, a.PasswordsChanged, a.Passwords, a.NotYet})
	}
	return encode(w, doc)
}

func valueOf(v *drift.Value) driftValue {
	return driftValue{v.System, v.Policy, v.Setting, v.Before, v.After, v.PlaceBefore, v.PlaceAfter, v.Stricter, v.Weaker, v.Asked, v.AsAsked}
}

// mostKept bounds the size of a result that is read, in bytes.
const mostKept = 256 << 20

// ReadRecord makes a record of a result that Check wrote. It has no values and
// no accounts.
func ReadRecord(r io.Reader) (*record.Record, error) {
	data, err := io.ReadAll(io.LimitReader(r, mostKept+1))
	if err != nil {
		return nil, err
	}
	var d checkDocument
	switch err := json.Unmarshal(data, &d); {
	case len(data) > mostKept:
		return nil, fmt.Errorf("it has more than %d MB", mostKept>>20)
	case err != nil, d.Format != "yewcone check":
		return nil, errors.New("it is no result of \"check --format json\"")
	case d.Version != CheckVersion:
		return nil, fmt.Errorf("it has version %d; this program reads version %d", d.Version, CheckVersion)
	}
	rec := &record.Record{Version: record.Version, Tool: d.Tool, Estate: d.Estate}
	for _, s := range d.Systems {
		x := record.System{Name: s.Name, Title: s.Title, Partial: s.Partial, Accounts: s.Accounts, Privileged: s.Privileged, Disabled: s.Disabled,
			Clauses: s.Clauses.Reaching, Met: s.Clauses.Met, Rules: s.Rules, Outcomes: s.Outcomes}
		if s.AsOf != nil {
			if x.AsOf, err = time.Parse(time.RFC3339, *s.AsOf); err != nil {
				return nil, fmt.Errorf("the moment of %s is none", s.Name)
			}
		}
		if x.AsOf.After(rec.AsOf) {
			rec.AsOf = x.AsOf
		}
		rec.Systems = append(rec.Systems, x)
	}
	for _, list := range [][]findingPart{d.Findings, d.Accepted} {
		for i, f := range list {
			if _, err := rules.ParseSeverity(f.Severity); err != nil || f.Fingerprint == "" {
				return nil, fmt.Errorf("finding %d has no fingerprint or severity", i+1)
			}
			out := record.Finding{Fingerprint: f.Fingerprint, System: f.System, Rule: f.Rule, Severity: f.Severity, Sentence: f.Sentence, Setting: f.Setting,
				Value: f.Value, Policy: f.Policy, OnAccount: f.OnAccount, Split: f.Split, Accounts: f.Reach.Accounts, Privileged: f.Reach.Privileged,
				Unranked: f.Reach.Unranked, Between: f.Between}
			if f.Exception != nil {
				out.Accepted = f.Exception.Until
			}
			rec.Findings = append(rec.Findings, out)
		}
	}
	return rec, nil
}
