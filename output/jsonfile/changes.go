package jsonfile

import (
	"io"

	"yewcone/core/change"
	"yewcone/core/finding"
	"yewcone/core/remedy"
	"yewcone/core/setting"
	"yewcone/output"
)

// ChangesVersion changes when a reader of an older version would go wrong.
const ChangesVersion = 1

type changesDocument struct {
	Format  string       `json:"format"`
	Version int          `json:"version"`
	Tool    string       `json:"tool"`
	Estate  string       `json:"estate"`
	Undo    bool         `json:"undo,omitempty"`
	Changes []changePart `json:"changes"`
}

type changePart struct {
	ID         string          `json:"id"`
	System     string          `json:"system"`
	Owner      string          `json:"owner,omitempty"`
	Title      string          `json:"title"`
	Accounts   int             `json:"accounts"`
	Privileged int             `json:"privileged"`
	First      []string        `json:"first,omitempty"`
	Ends       []string        `json:"ends"`
	Helps      []string        `json:"helps,omitempty"`
	Beyond     []string        `json:"beyond,omitempty"`
	Steps      []stepPart      `json:"steps"`
	Blocks     []blockPart     `json:"blocks,omitempty"`
	ByAccount  []byAccountPart `json:"by_account,omitempty"`
	Cannot     []cannotPart    `json:"cannot,omitempty"`
}

type stepPart struct {
	Do         string   `json:"do"`
	Policy     string   `json:"policy,omitempty"`
	Setting    string   `json:"setting,omitempty"`
	From       string   `json:"from,omitempty"`
	To         string   `json:"to,omitempty"`
	Mark       string   `json:"mark,omitempty"`
	Accounts   int      `json:"accounts"`
	Privileged int      `json:"privileged"`
	Findings   []string `json:"findings"`
}

type blockPart struct {
	Where    string     `json:"where"`
	Language string     `json:"language"`
	Lines    []string   `json:"lines,omitempty"`
	Edits    []editPart `json:"edits,omitempty"`
	Notes    []string   `json:"notes,omitempty"`
}

// byAccountPart is what is typed to do something to accounts one by one.
type byAccountPart struct {
	Do       string   `json:"do"`
	Act      string   `json:"act"`
	Accounts int      `json:"accounts"` // that the finding reaches
	Written  int      `json:"written"`  // for which there are lines
	Where    string   `json:"where"`
	Language string   `json:"language"`
	Lines    []string `json:"lines"`
}

type editPart struct {
	File   string `json:"file"`
	Line   int    `json:"line,omitempty"`
	Place  string `json:"place,omitempty"`
	Before string `json:"before"`
	After  string `json:"after"`
}

type cannotPart struct {
	Policy  string `json:"policy"`
	Setting string `json:"setting"`
	To      string `json:"to"`
	Why     string `json:"why"`
}

// Changes writes what to do.
func Changes(w io.Writer, r *finding.Result, list []change.Change, o output.Options) error {
	var told []remedy.Told
	for i := range list {
		told = append(told, remedy.Told{Change: list[i]})
	}
	return Remedy(w, r, told, false, o)
}

// Remedy writes what to do with what to type where.
func Remedy(w io.Writer, r *finding.Result, list []remedy.Told, undo bool, o output.Options) error {
	d := changesDocument{Format: "yewcone changes", Version: ChangesVersion, Tool: o.Version, Estate: r.Estate, Undo: undo, Changes: []changePart{}}
	for i := range list {
		d.Changes = append(d.Changes, changeOf(r, &list[i]))
	}
	return encode(w, d)
}

func changeOf(r *finding.Result, t *remedy.Told) changePart {
	c := changePart{ID: t.ID, System: t.System, Owner: t.Owner, Title: t.Title(r, 0), Accounts: t.Accounts, Privileged: t.Privileged, First: t.First,
		Ends: change.Fingerprints(r, t.Ends), Helps: change.Fingerprints(r, t.Helps), Beyond: change.Fingerprints(r, t.Beyond)}
	for i := range t.Steps {
		s := &t.Steps[i]
		part := stepPart{Do: s.Do, Policy: s.Policy, Mark: s.Mark, Accounts: s.Accounts, Privileged: s.Privileged, Findings: change.Fingerprints(r, s.Findings)}
		if s.IsSetting {
			def := setting.At(s.Setting)
			part.Setting, part.From, part.To = def.Name, def.Text(s.From), def.Text(s.To)
		}
		c.Steps = append(c.Steps, part)
	}
	for _, b := range t.Blocks {
		part := blockPart{Where: b.Where, Language: b.Language, Lines: b.Lines, Notes: b.Notes}
		for _, e := range b.Edits {
			part.Edits = append(part.Edits, editPart{e.File, e.Line, e.Place, e.Before, e.After})
		}
		c.Blocks = append(c.Blocks, part)
	}
	for _, d := range t.Done {
		for _, typed := range d.Typed {
			c.ByAccount = append(c.ByAccount, byAccountPart{Do: d.Do, Act: string(typed.Act), Accounts: d.Reach.Accounts, Written: typed.Accounts,
				Where: typed.Block.Where, Language: typed.Block.Language, Lines: typed.Block.Lines})
		}
	}
	for _, x := range t.Cannot {
		def := setting.At(x.Setting)
		c.Cannot = append(c.Cannot, cannotPart{x.Policy, def.Name, def.Text(x.To), x.Why})
	}
	return c
}
