package html

import (
	"cmp"
	_ "embed"
	"html/template"
	"io"
	"strings"

	"yewcone/core/audit"
	"yewcone/core/finding"
	"yewcone/core/setting"
	"yewcone/output"
)

//go:embed asked.tmpl
var askedSource string

var askedPage = with(askedSource)

// stood is the class by which a state is coloured.
func stood(state string) string {
	return map[string]string{finding.Broken: "high", audit.Beyond: "medium", finding.Open: "open", finding.Met: "met"}[state]
}

// word is what a cell says where no account is below.
func word(state string) string {
	if state == finding.Open {
		return "?"
	}
	return state
}

type askedSystem struct {
	System, Name string
	Rules        []string
	Rows         []askedRow
}

type askedRow struct {
	Who, Setting, Asked, Today, State, By, Limit string
	Accounts, Below                              int
}

// Asked writes a page of what rules ask of the accounts of systems, and how they
// stand.
func Asked(w io.Writer, estate string, list []audit.AskedOf, _ output.Options) error {
	v := struct {
		Estate  string
		Style   template.CSS
		Matrix  *audit.Matrix
		Systems []askedSystem
	}{estate, template.CSS(style), audit.MatrixOf(list), nil}
	for i := range list {
		s := askedSystem{System: list[i].System, Name: cmp.Or(list[i].Title, list[i].System), Rules: list[i].Rules}
		for n := range list[i].Standings {
			x := &list[i].Standings[n]
			def := setting.At(x.Setting)
			row := askedRow{Who: x.Who, Setting: def.Name, Asked: strings.Join(x.Asks(), "; "), Today: def.Text(x.Today), State: x.State(),
				By: strings.Join(x.Clauses(), ", "), Accounts: x.Accounts, Below: x.Below, Limit: x.LimitText()}
			s.Rows = append(s.Rows, row)
		}
		v.Systems = append(v.Systems, s)
	}
	return askedPage().ExecuteTemplate(w, "asked", v)
}
