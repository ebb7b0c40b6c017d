package finding

import (
	"fmt"
	"slices"
	"strings"
)

// A Way is one thing that lets in whoever tries, with the systems where it is so.
type Way struct {
	What   string
	Places []WayPlace
}

// A WayPlace is one system with a way in.
type WayPlace struct {
	System   string
	Accounts int
	Logins   []string // the first few
}

// Ways lists what lets in whoever tries, or who reads a copy, the worst first.
func (r *Result) Ways() []Way {
	var ways []Way
	for i := range r.Findings {
		f := &r.Findings[i]
		if f.Opens == "" {
			continue
		}
		n := slices.IndexFunc(ways, func(w Way) bool { return w.What == f.Opens })
		if n < 0 {
			n = len(ways)
			ways = append(ways, Way{What: f.Opens})
		}
		w := &ways[n]
		at := slices.IndexFunc(w.Places, func(p WayPlace) bool { return p.System == f.System })
		if at < 0 {
			at = len(w.Places)
			w.Places = append(w.Places, WayPlace{System: f.System})
		}
		here := &w.Places[at]
		here.Accounts += f.Reach.Accounts
		for _, e := range f.Reach.Examples {
			if len(here.Logins) < 3 {
				here.Logins = append(here.Logins, e.Login)
			}
		}
	}
	return ways
}

// String names the system and the first accounts.
func (p *WayPlace) String() string {
	text := p.System + ": " + strings.Join(p.Logins, ", ")
	if n := p.Accounts - len(p.Logins); n > 0 {
		text += fmt.Sprintf(" and %d more", n)
	}
	return text
}
