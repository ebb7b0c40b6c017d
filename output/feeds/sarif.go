// Package feeds writes findings in the forms that other programs of the trade
// take in: SARIF, JUnit's XML, OSCAL and lines of JSON.
package feeds

import (
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"slices"

	"yewcone/core/finding"
	"yewcone/core/rules"
	"yewcone/output"
	"yewcone/output/visible"
)

// clean keeps what cannot be seen out of texts.
func clean(text string) string { return visible.Text(text) }

func write(w io.Writer, document any) error {
	e := json.NewEncoder(w)
	e.SetIndent("", "  ")
	return e.Encode(document)
}

// message is a finding in one or two sentences.
func message(f *finding.Finding) string {
	text := f.System + ": " + f.Sentence
	if f.Reach.Accounts > 0 {
		text += fmt.Sprintf(" (accounts: %d", f.Reach.Accounts)
		if f.Reach.Privileged > 0 {
			text += fmt.Sprintf(", %d privileged", f.Reach.Privileged)
		}
		text += ")"
	}
	return clean(text + ". To mend: " + f.Remedy)
}

// all are the findings with those that exceptions cover.
func all(r *finding.Result) []*finding.Finding {
	var list []*finding.Finding
	for i := range r.Findings {
		list = append(list, &r.Findings[i])
	}
	for i := range r.Accepted {
		list = append(list, &r.Accepted[i])
	}
	return list
}

type sarifLog struct {
	Schema  string     `json:"$schema"`
	Version string     `json:"version"`
	Runs    []sarifRun `json:"runs"`
}

type sarifRun struct {
	Tool        sarifTool     `json:"tool"`
	Invocations []invocation  `json:"invocations"`
	ColumnKind  string        `json:"columnKind"`
	Results     []sarifResult `json:"results"`
}

type sarifTool struct {
	Driver sarifDriver `json:"driver"`
}

type sarifDriver struct {
	Name            string      `json:"name"`
	SemanticVersion string      `json:"version"`
	Rules           []sarifRule `json:"rules"`
}

type sarifRule struct {
	ID               string         `json:"id"`
	ShortDescription sarifText      `json:"shortDescription"`
	Help             sarifText      `json:"help"`
	Properties       map[string]any `json:"properties"`
}

type sarifText struct {
	Text string `json:"text"`
}

type invocation struct {
	ExecutionSuccessful        bool                `json:"executionSuccessful"`
	ToolExecutionNotifications []sarifNotification `json:"toolExecutionNotifications"`
}

type sarifNotification struct {
	Level   string    `json:"level"`
	Message sarifText `json:"message"`
}

type sarifResult struct {
	RuleID              string             `json:"ruleId"`
	RuleIndex           int                `json:"ruleIndex"`
	Level               string             `json:"level"`
	Message             sarifText          `json:"message"`
	Locations           []sarifLocation    `json:"locations,omitempty"`
	PartialFingerprints map[string]string  `json:"partialFingerprints"`
	Suppressions        []sarifSuppression `json:"suppressions,omitempty"`
	Properties          map[string]any     `json:"properties"`
}

type sarifSuppression struct {
	Kind          string `json:"kind"`
	Status        string `json:"status"`
	Justification string `json:"justification"`
}

type sarifLocation struct {
	PhysicalLocation sarifPlace `json:"physicalLocation"`
}

type sarifPlace struct {
	ArtifactLocation sarifArtifact `json:"artifactLocation"`
	Region           *sarifRegion  `json:"region,omitempty"`
}

type sarifArtifact struct {
	URI string `json:"uri"`
}

type sarifRegion struct {
	StartLine int `json:"startLine"`
}

// SARIF writes the findings as SARIF 2.1.0 (OASIS, 2020). Locations are the
// lines of the exports, from the estate's folder; what exceptions cover is
// suppressed (section 3.27.23).
func SARIF(w io.Writer, r *finding.Result, o output.Options) error {
	run := sarifRun{ColumnKind: "unicodeCodePoints", Results: []sarifResult{},
		Tool: sarifTool{sarifDriver{"Yewcone", o.Version, []sarifRule{}}}}
	notes := []sarifNotification{}
	for i := range r.Systems {
		for _, n := range r.Systems[i].Notes {
			text := r.Systems[i].Name + ": " + n.Message
			if n.Origin.Known() {
				text = r.Systems[i].Name + ": " + n.Origin.String() + ": " + n.Message
			}
			notes = append(notes, sarifNotification{"warning", sarifText{clean(text)}})
		}
	}
	run.Invocations = []invocation{{!r.Partial(), notes}}
	index := map[rules.Rule]int{}
	for _, f := range all(r) {
		at, ok := index[f.Rule]
		if !ok {
			at = len(run.Tool.Driver.Rules)
			index[f.Rule] = at
			run.Tool.Driver.Rules = append(run.Tool.Driver.Rules, sarifRule{f.Rule.String(), sarifText{clean(orRule(f))},
				sarifText{clean(f.Remedy)}, map[string]any{"tags": []string{"password", "security"}}})
		}
		result := sarifResult{RuleID: f.Rule.String(), RuleIndex: at, Level: level(f.Severity), Message: sarifText{message(f)},
			PartialFingerprints: map[string]string{"yewcone/v1": f.Fingerprint},
			Properties: map[string]any{"system": f.System, "severity": f.Severity.String(), "accounts": f.Reach.Accounts,
				"privileged": f.Reach.Privileged}}
		if file, line := place(f); file != "" {
			l := sarifLocation{sarifPlace{ArtifactLocation: sarifArtifact{(&url.URL{Path: file}).EscapedPath()}}}
			if line > 0 {
				l.PhysicalLocation.Region = &sarifRegion{line}
			}
			result.Locations = []sarifLocation{l}
		}
		if f.Exception != nil {
			result.Suppressions = []sarifSuppression{{"external", "accepted",
				clean(fmt.Sprintf("%s (%s, until %s)", f.Exception.Because, f.Exception.Owner,
					f.Exception.Until.Format("2006-01-02")))}}
		}
		run.Results = append(run.Results, result)
	}
	return write(w, sarifLog{"https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
		"2.1.0", []sarifRun{run}})
}

func orRule(f *finding.Finding) string {
	if f.Because != "" {
		return f.Because
	}
	return f.Rule.String()
}

// place is the file and line of a finding, or of its first account.
func place(f *finding.Finding) (string, int) {
	o := f.Origin
	if !o.Known() && len(f.Reach.Examples) > 0 {
		o = f.Reach.Examples[0].Origin()
	}
	return o.File, o.Line
}

func level(s rules.Severity) string {
	switch {
	case s >= rules.High:
		return "error"
	case s == rules.Medium:
		return "warning"
	}
	return "note"
}

// NDJSON writes each finding on a line of its own, as an object with the
// fields of check --format json.
func NDJSON(w io.Writer, r *finding.Result, o output.Options) error {
	e := json.NewEncoder(w)
	for _, f := range all(r) {
		state := "open"
		if f.Exception != nil {
			state = "accepted"
		}
		file, line := place(f)
		err := e.Encode(map[string]any{
			"fingerprint": f.Fingerprint, "system": f.System, "rule": f.Rule.String(), "severity": f.Severity.String(),
			"sentence": clean(f.Sentence), "state": state,
			"setting": f.Setting, "value": clean(f.Value), "asked": clean(f.Asked), "policy": clean(f.Policy),
			"file": clean(file), "line": line, "remedy": clean(f.Remedy),
			"accounts": f.Reach.Accounts, "privileged": f.Reach.Privileged, "disabled": f.Reach.Disabled,
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// ruleStates lists how each rule came out on a system, with its findings.
func ruleStates(r *finding.Result, s *finding.SystemResult) (states []finding.RuleState, findings map[rules.Rule][]*finding.Finding) {
	findings = map[rules.Rule][]*finding.Finding{}
	for _, f := range all(r) {
		if f.System == s.Name {
			findings[f.Rule] = append(findings[f.Rule], f)
		}
	}
	states = slices.Clone(s.Outcomes)
	for i := range r.Findings { // those of the estate itself are no rules of a system
		f := &r.Findings[i]
		if f.System == s.Name && !slices.ContainsFunc(states, func(x finding.RuleState) bool { return x.Rule == f.Rule }) {
			states = append(states, finding.RuleState{Rule: f.Rule, State: finding.Broken})
		}
	}
	return states, findings
}

// systems are those of the result, and one for findings about the estate
// itself where there are any.
func systems(r *finding.Result) []*finding.SystemResult {
	var list []*finding.SystemResult
	for i := range r.Systems {
		list = append(list, &r.Systems[i])
	}
	for _, f := range all(r) {
		if !slices.ContainsFunc(list, func(s *finding.SystemResult) bool { return s.Name == f.System }) {
			list = append(list, &finding.SystemResult{Name: f.System})
		}
	}
	return list
}
