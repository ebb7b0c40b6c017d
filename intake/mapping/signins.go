package mapping

import (
	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/signin"
	"yewcone/core/strictyaml"
	"yewcone/intake/signins"
	"yewcone/intake/table"
)

// signinsTable is a record of sign-ins: a row for each.
type signinsTable struct {
	Place   strictyaml.Text
	Files   []strictyaml.Text `yaml:"file,required"`
	Form    *strictyaml.Text  `yaml:"form"`
	Rows    *strictyaml.Text  `yaml:"rows"`
	Sheet   *strictyaml.Text  `yaml:"sheet"`
	Heading int               `yaml:"heading"`
	Time    strictyaml.Text   `yaml:"time,required"`
	Dates   []strictyaml.Text `yaml:"dates"` // as in the rest of the mapping, where they are left out
	Account strictyaml.Text   `yaml:"account,required"`
	Source  *strictyaml.Text  `yaml:"source"`
	Outcome strictyaml.Text   `yaml:"outcome,required"`
	Failed  []string          `yaml:"failed,required,empty"`
	LetIn   []string          `yaml:"let_in,required,empty"`
	Others  []string          `yaml:"ignore,empty"` // words that are no sign-in with a password
	Folds   []strictyaml.Text `yaml:"folds"`        // which ways of writing mean the same account; none when left out
}

// foldings are the words of folds.
var foldings = []string{"case", "domain"}

// folding reads the words of folds.
func (p *plan) folding(words []strictyaml.Text) signin.Folding {
	var f signin.Folding
	for _, w := range words {
		switch w.Value {
		case "case":
			f.Case = true
		case "domain":
			f.Domain = true
		default:
			p.fail(w, "names are folded by case (capital letters are small ones) or domain (what stands before a backslash or behind an at sign is no part of them), not %q%s",
				w.Value, nearword.Advice(w.Value, foldings))
		}
	}
	return f
}

// Signins numbers names in a book and calls do for each sign-in of the tables of
// the mapping; false where it has none. The event is good until do returns.
func (e *export) Signins(book *signin.Book, do func(*signin.Event)) (bool, error) {
	for i := range e.plan.file.Signins {
		source := &e.plan.file.Signins[i]
		book.Folding = e.plan.folding(source.Folds)
		for _, file := range e.filesOf(source.Files) {
			if err := e.signinsOf(source, file, book, do); err != nil {
				return true, err
			}
		}
	}
	return len(e.plan.file.Signins) > 0, e.plan.problems.Err()
}

func (e *export) signinsOf(source *signinsTable, file strictyaml.Text, book *signin.Book, do func(*signin.Event)) error {
	t, err := e.openTable(e.fileOf(file.Value), shape{source.Form, source.Rows, source.Sheet, source.Heading}, &e.Noted)
	if err != nil {
		return err
	}
	defer t.Close()
	at, account, outcome, from := e.plan.column(t, source.Time), e.plan.column(t, source.Account), e.plan.column(t, source.Outcome), -1
	if source.Source != nil {
		from = e.plan.column(t, *source.Source)
	}
	if at < 0 || account < 0 || outcome < 0 || source.Source != nil && from < 0 {
		return e.plan.problems.Err()
	}
	words := map[string]signin.Outcome{}
	for _, w := range source.Failed {
		words[w] = signin.Failed
	}
	for _, w := range source.LetIn {
		words[w] = signin.LetIn
	}
	for _, w := range source.Others {
		words[w] = signin.ByKey
	}
	dates := e.plan.dates
	if len(source.Dates) > 0 {
		dates = e.plan.dateForm(source.Dates)
	}
	if dates == nil {
		e.plan.fail(source.Time, "in which form the moments are is not said: add \"dates\" here or at the top of the mapping")
		return e.plan.problems.Err()
	}
	dates = datesOf(t, dates)
	for row, place := t.Next(); row != nil; row, place = t.Next() {
		origin := place.In(t.Origin())
		when, ok := dates.Parse(table.Cell(row, at), e.plan.zone)
		unix, dated := when.Unix()
		if !ok || !dated {
			e.Noted.Refuse(origin, "the row has no moment that is understood, and is left out (%s)", table.Shown(table.Cell(row, at)))
			continue
		}
		how, known := words[table.Cell(row, outcome)]
		if !known {
			e.Noted.Refuse(facts.Origin{File: origin.File, Line: origin.Line, Place: source.Outcome.Value},
				"the outcome is none of \"failed\", \"let_in\" and \"ignore\", and the row is left out (text of %d characters)", len(table.Cell(row, outcome)))
			continue
		}
		address := ""
		if from >= 0 {
			address = signins.Address(table.Cell(row, from))
		}
		event := signin.Event{At: unix * 1e6, Account: book.Account([]byte(table.Cell(row, account))), Source: book.Sources.Number([]byte(address)),
			Outcome: how, Times: 1}
		do(&event)
	}
	return nil
}
