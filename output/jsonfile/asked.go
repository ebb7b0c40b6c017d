package jsonfile

import (
	"io"

	"yewcone/core/audit"
	"yewcone/core/setting"
	"yewcone/output"
)

// AskedVersion changes when a reader of an older version would go wrong.
const AskedVersion = 1

type askedDocument struct {
	Format  string        `json:"format"`
	Version int           `json:"version"`
	Tool    string        `json:"tool"`
	Estate  string        `json:"estate"`
	Systems []askedSystem `json:"systems"`
	Matrix  []matrixPart  `json:"matrix"`
}

// matrixPart is how the systems stand to what is asked of one setting.
type matrixPart struct {
	Setting string              `json:"setting"`
	Systems map[string]cellPart `json:"systems"` // those that are asked
}

type cellPart struct {
	State    string `json:"state"`
	Accounts int    `json:"accounts"`
	Below    int    `json:"below"`
	Unknown  int    `json:"unknown"`
}

type askedSystem struct {
	System string      `json:"system"`
	Title  string      `json:"title,omitempty"`
	Rules  []string    `json:"rules"`
	Asked  []askedPart `json:"asked"`
}

type askedPart struct {
	Of       string     `json:"of"`
	Setting  string     `json:"setting"`
	Asked    []string   `json:"asked"` // all must hold
	By       []askedBy  `json:"by"`
	State    string     `json:"state"`
	Accounts int        `json:"accounts"`
	Below    int        `json:"below"`
	Unknown  int        `json:"unknown"`
	Today    valueOrNot `json:"today"`
	Limit    string     `json:"limit,omitempty"`
	Nearest  string     `json:"nearest,omitempty"`
}

type askedBy struct {
	Rule  string `json:"rule"`
	Asked string `json:"asked"`
}

// valueOrNot is a value as files write it; null for one that is not known.
type valueOrNot *string

// Asked writes what rules ask of the accounts of systems, and how they stand.
func Asked(w io.Writer, estate string, list []audit.AskedOf, o output.Options) error {
	d := askedDocument{Format: "yewcone rules asked", Version: AskedVersion, Tool: o.Version, Estate: estate, Systems: []askedSystem{}}
	for i := range list {
		s := askedSystem{System: list[i].System, Title: list[i].Title, Rules: append([]string{}, list[i].Rules...), Asked: []askedPart{}}
		for n := range list[i].Standings {
			s.Asked = append(s.Asked, askedOf(&list[i].Standings[n]))
		}
		d.Systems = append(d.Systems, s)
	}
	m := audit.MatrixOf(list)
	d.Matrix = []matrixPart{}
	for i, id := range m.Settings {
		part := matrixPart{id.String(), map[string]cellPart{}}
		for n, c := range m.Cells[i] {
			if c.State != "" {
				part.Systems[m.Systems[n]] = cellPart{c.State, c.Accounts, c.Below, c.Unknown}
			}
		}
		d.Matrix = append(d.Matrix, part)
	}
	return encode(w, d)
}

func askedOf(x *audit.Standing) askedPart {
	def := setting.At(x.Setting)
	p := askedPart{Of: x.Who, Setting: def.Name, Asked: x.Asks(), By: []askedBy{}, State: x.State(), Accounts: x.Accounts, Below: x.Below,
		Unknown: x.Unknown, Limit: x.Limit, Nearest: x.NearestText()}
	if x.Today.Known() {
		text := def.Text(x.Today)
		p.Today = &text
	}
	for _, by := range x.By {
		p.By = append(p.By, askedBy{by.Rule.String(), by.Requirement.String()})
	}
	return p
}
