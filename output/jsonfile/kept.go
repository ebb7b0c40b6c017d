package jsonfile

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"yewcone/core/finding"
	"yewcone/core/rules"
)

// mostKept bounds the size of a result that is read, in bytes.
const mostKept = 256 << 20

// ReadCheck reads a result that Check wrote.
func ReadCheck(r io.Reader) (*finding.Kept, error) {
	type keptFinding struct {
		Fingerprint string `json:"fingerprint"`
		System      string `json:"system"`
		Rule        string `json:"rule"`
		Severity    string `json:"severity"`
		Sentence    string `json:"sentence"`
		Reach       struct {
			Privileged int `json:"privileged"`
		} `json:"reach"`
		Exception *struct {
			Until string `json:"until"`
		} `json:"exception"`
	}
	var d struct {
		Format  string `json:"format"`
		Version int    `json:"version"`
		Systems []struct {
			Name    string  `json:"name"`
			AsOf    *string `json:"as_of"`
			Partial bool    `json:"partial"`
		} `json:"systems"`
		Findings []keptFinding `json:"findings"`
		Accepted []keptFinding `json:"accepted"`
	}
	data, err := io.ReadAll(io.LimitReader(r, mostKept+1))
	switch {
	case err != nil:
		return nil, err
	case len(data) > mostKept:
		return nil, fmt.Errorf("it has more than %d MB", mostKept>>20)
	}
	if err := json.Unmarshal(data, &d); err != nil {
		return nil, fmt.Errorf("it is no result of \"check --format json\": %w", err)
	}
	if d.Format != "yewcone check" {
		return nil, errors.New("it is no result of \"check --format json\"")
	}
	if d.Version != CheckVersion {
		return nil, fmt.Errorf("it has version %d; this program reads version %d", d.Version, CheckVersion)
	}
	k := &finding.Kept{Systems: map[string]bool{}, Accepted: map[string]string{}}
	for _, s := range d.Systems {
		if s.AsOf != nil && *s.AsOf > k.AsOf {
			k.AsOf = *s.AsOf
		}
		k.Systems[s.Name] = !s.Partial
	}
	for _, f := range d.Accepted {
		if f.Exception != nil {
			k.Accepted[f.Fingerprint] = f.Exception.Until
		}
	}
	for i, f := range d.Findings {
		severity, err := rules.ParseSeverity(f.Severity)
		if err != nil || f.Fingerprint == "" {
			return nil, fmt.Errorf("finding %d has no fingerprint or severity", i+1)
		}
		k.Findings = append(k.Findings, finding.Earlier{Fingerprint: f.Fingerprint, System: f.System, Rule: f.Rule,
			Severity: severity, Sentence: f.Sentence, Privileged: f.Reach.Privileged})
	}
	return k, nil
}
