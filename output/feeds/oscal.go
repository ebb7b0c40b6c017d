package feeds

import (
	"crypto/sha1"
	"fmt"
	"io"
	"strings"
	"time"

	"yewcone/core/finding"
	"yewcone/output"
)

// The parts of OSCAL's assessment results (NIST, model version 1.1.2) that are
// written; the comments name the assemblies of the model's reference.
type oscalDocument struct {
	Results oscalResults `json:"assessment-results"`
}

type oscalResults struct {
	UUID     string        `json:"uuid"`
	Metadata oscalMetadata `json:"metadata"`
	ImportAP oscalHref     `json:"import-ap"` // required; the rules stand for the plan
	Results  []oscalResult `json:"results"`
}

type oscalMetadata struct {
	Title        string `json:"title"`
	LastModified string `json:"last-modified"`
	Version      string `json:"version"`
	OSCALVersion string `json:"oscal-version"`
}

type oscalHref struct {
	Href string `json:"href"`
}

type oscalResult struct {
	UUID             string             `json:"uuid"`
	Title            string             `json:"title"`
	Description      string             `json:"description"`
	Start            string             `json:"start"`
	ReviewedControls oscalReviewed      `json:"reviewed-controls"`
	Observations     []oscalObservation `json:"observations,omitempty"`
	Risks            []oscalRisk        `json:"risks,omitempty"`
	Findings         []oscalFinding     `json:"findings,omitempty"`
}

type oscalReviewed struct {
	Selections []oscalSelection `json:"control-selections"`
}

type oscalSelection struct {
	Description string   `json:"description"`
	IncludeAll  struct{} `json:"include-all"`
}

type oscalProp struct {
	Name  string `json:"name"`
	NS    string `json:"ns"`
	Value string `json:"value"`
}

type oscalObservation struct {
	UUID        string          `json:"uuid"`
	Title       string          `json:"title"`
	Description string          `json:"description"`
	Props       []oscalProp     `json:"props"`
	Methods     []string        `json:"methods"`
	Collected   string          `json:"collected"`
	Evidence    []oscalEvidence `json:"relevant-evidence,omitempty"`
	Remarks     string          `json:"remarks,omitempty"`
}

type oscalEvidence struct {
	Href        string `json:"href,omitempty"`
	Description string `json:"description"`
}

type oscalRisk struct {
	UUID        string             `json:"uuid"`
	Title       string             `json:"title"`
	Description string             `json:"description"`
	Statement   string             `json:"statement"`
	Status      string             `json:"status"`
	Deadline    string             `json:"deadline,omitempty"`
	Related     []oscalObservedRef `json:"related-observations"`
}

type oscalObservedRef struct {
	Observation string `json:"observation-uuid"`
}

type oscalFinding struct {
	UUID        string             `json:"uuid"`
	Title       string             `json:"title"`
	Description string             `json:"description"`
	Props       []oscalProp        `json:"props"`
	Target      oscalTarget        `json:"target"`
	Related     []oscalObservedRef `json:"related-observations"`
	Risks       []oscalRiskRef     `json:"related-risks"`
}

type oscalRiskRef struct {
	Risk string `json:"risk-uuid"`
}

type oscalTarget struct {
	Type   string      `json:"type"`
	ID     string      `json:"target-id"`
	Title  string      `json:"title"`
	Status oscalStatus `json:"status"`
}

type oscalStatus struct {
	State  string `json:"state"`
	Reason string `json:"reason"`
}

const oscalNamespace = "urn:yewcone:results:1"

// uuid makes a UUID of version 5 (RFC 9562, section 5.5) out of what it stands
// for, so that the same finding has the same one in each run. OSCAL takes
// versions 4 and 5 only.
func uuid(parts ...string) string {
	const namespace = "\x5b\x0e\x2a\x8c\x6f\x43\x4d\x19\x9c\x27\x1d\x80\x44\xe6\xb3\x72" // of this program
	sum := sha1.Sum([]byte(namespace + strings.Join(parts, "\x00")))
	sum[6] = sum[6]&0x0f | 0x50
	sum[8] = sum[8]&0x3f | 0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", sum[0:4], sum[4:6], sum[6:8], sum[8:10], sum[10:16])
}

// token makes a name that XML would take for one, as OSCAL's tokens are.
func token(text string) string {
	text = strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-' || r == '.' || r == '_' {
			return r
		}
		return '.'
	}, text)
	if text == "" || text[0] >= '0' && text[0] <= '9' || text[0] == '-' || text[0] == '.' {
		text = "_" + text
	}
	return text
}

// OSCAL writes the findings as assessment results, a result for each system.
// Moments are those that the exports speak for.
func OSCAL(w io.Writer, r *finding.Result, o output.Options) error {
	var newest time.Time
	for i := range r.Systems {
		if r.Systems[i].AsOf.After(newest) {
			newest = r.Systems[i].AsOf
		}
	}
	stamp := func(t time.Time) string {
		if t.IsZero() {
			t = newest
		}
		if t.IsZero() {
			t = time.Unix(0, 0)
		}
		return t.UTC().Format(time.RFC3339)
	}
	doc := oscalResults{UUID: uuid("results", r.Estate, stamp(newest)), ImportAP: oscalHref{"#" + uuid("plan", r.Estate)},
		Metadata: oscalMetadata{clean(r.Estate) + ": password settings", stamp(newest), o.Version, "1.1.2"}, Results: []oscalResult{}}
	for _, s := range systems(r) {
		description := fmt.Sprintf("Settings and %d accounts of %s, held against the rules %s and the built-in checks; %d "+
			"of %d clauses are met.", s.Accounts, s.Name, strings.Join(s.Rules, ", "), s.Met, s.Clauses)
		result := oscalResult{UUID: uuid("result", r.Estate, s.Name, stamp(s.AsOf)), Title: clean(s.Name),
			Description: clean(description), Start: stamp(s.AsOf),
			ReviewedControls: oscalReviewed{[]oscalSelection{{Description: "The clauses of the rule sets and the checks " +
				"that hold for the system"}}}}
		for _, f := range all(r) {
			if f.System == s.Name {
				result.add(f, stamp(s.AsOf))
			}
		}
		doc.Results = append(doc.Results, result)
	}
	return write(w, oscalDocument{doc})
}

func (r *oscalResult) add(f *finding.Finding, collected string) {
	state := "open" // a finding may be accepted for some accounts, and stand for others
	if f.Exception != nil {
		state = "accepted"
	}
	seen := oscalObservedRef{uuid("observation", f.Fingerprint, state)}
	props := []oscalProp{{"severity", oscalNamespace, f.Severity.String()}, {"fingerprint", oscalNamespace, f.Fingerprint},
		{"accounts", oscalNamespace, fmt.Sprint(f.Reach.Accounts)}}
	observation := oscalObservation{UUID: seen.Observation, Title: clean(f.Rule.String()), Description: message(f), Props: props,
		Methods: []string{"EXAMINE"}, Collected: collected}
	if file, line := place(f); file != "" {
		text := file
		if line > 0 {
			text += fmt.Sprintf(", line %d", line)
		}
		if f.Origin.Text != "" {
			text += ": " + f.Origin.Text
		}
		observation.Evidence = []oscalEvidence{{Description: clean(text)}}
	}
	r.Observations = append(r.Observations, observation)
	risk := oscalRisk{UUID: uuid("risk", f.Fingerprint, state), Title: clean(f.Sentence), Description: message(f),
		Statement: clean(orRule(f)), Status: "open", Related: []oscalObservedRef{seen}}
	if f.Exception != nil {
		risk.Status = "deviation-approved"
		risk.Statement = clean(f.Exception.Because + " (" + f.Exception.Owner + ")")
		risk.Deadline = f.Exception.Until.Format(time.RFC3339)
	}
	r.Risks = append(r.Risks, risk)
	reason := "fail"
	if f.Exception != nil {
		reason = "other"
	}
	r.Findings = append(r.Findings, oscalFinding{UUID: uuid("finding", f.Fingerprint, state), Title: clean(f.Sentence),
		Description: message(f), Props: props,
		Target:  oscalTarget{"objective-id", token(f.Rule.String()), clean(f.Rule.String()), oscalStatus{"not-satisfied", reason}},
		Related: []oscalObservedRef{seen}, Risks: []oscalRiskRef{{risk.UUID}}})
}
