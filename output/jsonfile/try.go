package jsonfile

import (
	"io"
	"strings"

	"yewcone/core/password"
	"yewcone/core/setting"
	"yewcone/core/trial"
	"yewcone/output"
)

// TryVersion changes when a reader of an older version would go wrong; it is
// that of trials too.
const TryVersion = 1

type tryDocument struct {
	Format     string          `json:"format"`
	Version    int             `json:"version"`
	Tool       string          `json:"tool"`
	Targets    []targetPart    `json:"targets"`
	Rules      []rulesPart     `json:"rules"`
	Candidates []candidatePart `json:"candidates"`
}

type targetPart struct {
	Name    string  `json:"name"`
	System  string  `json:"system"`
	Policy  *string `json:"policy"`
	Account *string `json:"account"`
	Note    string  `json:"note,omitempty"`
}

type candidatePart struct {
	Number     int          `json:"number"`
	Characters int          `json:"characters"`
	WellKnown  bool         `json:"well_known"`
	HouseWords bool         `json:"house_words"`
	Results    []resultPart `json:"results"`
	Breaks     []breaksPart `json:"breaks"` // of the rules
}

// rulesPart is what rules ask on a system.
type rulesPart struct {
	System string   `json:"system"`
	Rules  []string `json:"rules"`
}

// breaksPart is something that rules ask and a candidate does not meet.
type breaksPart struct {
	System  string   `json:"system"`
	Clauses []string `json:"clauses"`
	reasonPart
}

type resultPart struct {
	Target  string       `json:"target"`
	Outcome string       `json:"outcome"`
	Refused []reasonPart `json:"refused"`
	Open    []reasonPart `json:"open"`
}

type reasonPart struct {
	Setting string `json:"setting"`
	Text    string `json:"text"`
}

func reasons(list []password.Reason) []reasonPart {
	out := []reasonPart{}
	for _, r := range list {
		out = append(out, reasonPart{r.Setting.String(), r.Text})
	}
	return out
}

func targetOf(t *trial.Target) targetPart {
	return targetPart{Name: t.Name(), System: t.System, Policy: orNull(t.Policy), Account: orNull(t.Account), Note: t.Note}
}

func orNull(text string) *string {
	if text == "" {
		return nil
	}
	return &text
}

func resultOf(t *trial.Target, j *password.Judgement) resultPart {
	outcome := map[trial.Outcome]string{trial.Accepted: "accepted", trial.Open: "open", trial.Refused: "refused"}[trial.OutcomeOf(j)]
	return resultPart{t.Name(), outcome, reasons(j.Refused), reasons(j.Open)}
}

// Try writes candidates against targets, without the candidates.
func Try(w io.Writer, t *trial.Table, o output.Options) error {
	d := tryDocument{Format: "yewcone try", Version: TryVersion, Tool: o.Version, Targets: []targetPart{}, Rules: []rulesPart{}, Candidates: []candidatePart{}}
	for _, target := range t.Targets {
		d.Targets = append(d.Targets, targetOf(target))
	}
	for _, asked := range t.Rules {
		d.Rules = append(d.Rules, rulesPart{asked.Of(), strings.Split(asked.Asks(), ", ")})
	}
	for i := range t.Rows {
		row := &t.Rows[i]
		part := candidatePart{Number: row.Number, Characters: row.Characters, WellKnown: row.Common, HouseWords: row.House, Breaks: []breaksPart{}}
		for n, j := range row.Judgements {
			part.Results = append(part.Results, resultOf(t.Targets[n], j))
		}
		for n, j := range row.ByRules {
			for _, r := range reasons(j.Refused) {
				id, _ := setting.Find(r.Setting)
				part.Breaks = append(part.Breaks, breaksPart{t.Rules[n].Of(), t.Rules[n].AskedBy(id), r})
			}
		}
		d.Candidates = append(d.Candidates, part)
	}
	return encode(w, d)
}

type trialsDocument struct {
	Format  string      `json:"format"`
	Version int         `json:"version"`
	Tool    string      `json:"tool"`
	Files   []trialPart `json:"files"`
}

type trialPart struct {
	File     string         `json:"file"`
	Title    string         `json:"title"`
	Results  []wantedPart   `json:"results"`
	Resemble []resemblePart `json:"resemble"`
}

type wantedPart struct {
	Number   int      `json:"number"`
	Line     int      `json:"line"`
	Wanted   string   `json:"wanted"`
	AsWanted bool     `json:"as_wanted"`
	Missing  []string `json:"missing_reasons"`
	resultPart
}

type resemblePart struct {
	Number int    `json:"number"`
	System string `json:"system"`
	Login  string `json:"login"`
	What   string `json:"what"`
}

// Trials writes what became of trial files, without the candidates.
func Trials(w io.Writer, results []*trial.Result, o output.Options) error {
	d := trialsDocument{Format: "yewcone trials", Version: TryVersion, Tool: o.Version, Files: []trialPart{}}
	for _, r := range results {
		part := trialPart{File: r.File.Name, Title: r.File.Title, Results: []wantedPart{}, Resemble: []resemblePart{}}
		for i := range r.Lines {
			l := &r.Lines[i]
			wanted := "refused"
			if l.Want.Accepted {
				wanted = "accepted"
			}
			part.Results = append(part.Results, wantedPart{l.Number, l.Want.Line, wanted, l.AsWanted,
				append([]string{}, setting.NamesOf(l.Missing)...), resultOf(l.Target, l.Judged)})
		}
		for _, x := range r.Resemble {
			part.Resemble = append(part.Resemble, resemblePart(x))
		}
		d.Files = append(d.Files, part)
	}
	return encode(w, d)
}
