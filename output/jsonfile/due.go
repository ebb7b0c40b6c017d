package jsonfile

import (
	"io"

	"yewcone/core/due"
	"yewcone/output"
)

// DueVersion changes when a reader of an older version would go wrong.
const DueVersion = 1

type dueDocument struct {
	Format  string    `json:"format"`
	Version int       `json:"version"`
	Tool    string    `json:"tool"`
	Estate  string    `json:"estate"`
	AsOf    *string   `json:"as_of"`
	Within  string    `json:"within"`
	Undated int       `json:"undated"`
	NoAsOf  []string  `json:"without_as_of"`
	Partial []string  `json:"partial"`
	Items   []duePart `json:"items"`
}

type duePart struct {
	UID        string     `json:"uid"`
	What       string     `json:"what"`
	Overdue    bool       `json:"overdue"`
	At         string     `json:"at"`
	WarnedFrom string     `json:"warned_from,omitempty"`
	ShutAt     string     `json:"shut_at,omitempty"`
	System     string     `json:"system"`
	Owner      string     `json:"owner,omitempty"`
	Login      string     `json:"login,omitempty"`
	Name       string     `json:"name,omitempty"`
	Email      string     `json:"email,omitempty"`
	Kind       string     `json:"kind,omitempty"`
	Privileged string     `json:"privileged,omitempty"`
	Text       string     `json:"text,omitempty"`
	Origin     originPart `json:"origin"`
}

// Due writes what ends.
func Due(w io.Writer, l *due.List, o output.Options) error {
	d := dueDocument{Format: "yewcone due", Version: DueVersion, Tool: o.Version, Estate: l.Estate, AsOf: instant(l.AsOf), Within: l.Within.String(),
		Undated: l.Undated, NoAsOf: append([]string{}, l.NoAsOf...), Partial: append([]string{}, l.Partial...), Items: []duePart{}}
	for i := range l.Items {
		x := &l.Items[i]
		p := duePart{UID: x.UID, What: x.What, Overdue: x.Overdue, At: x.At.String(), System: x.System, Owner: x.Owner, Login: x.Login, Name: x.Name,
			Email: x.Email, Kind: x.Kind, Text: x.Text, Origin: origin(x.Origin)}
		if x.What == due.Password {
			p.WarnedFrom, p.ShutAt = x.WarnedFrom.String(), x.ShutAt.String()
		}
		if x.What != due.Exception && x.What != due.Rule {
			p.Privileged = x.Privileged.String()
		}
		d.Items = append(d.Items, p)
	}
	return encode(w, d)
}
