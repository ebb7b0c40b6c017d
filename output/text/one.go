package text

import (
	"io"
	"strings"

	"yewcone/core/change"
	"yewcone/core/finding"
	"yewcone/output"
)

// Finding writes all about one finding, with every account that it reaches,
// and the change that ends it.
func Finding(w io.Writer, r *finding.Result, at int, accounts []finding.Example, o output.Options) error {
	p := newPage(w, o)
	f := &r.Findings[at]
	p.finding(f, true)
	list := change.Of(r)
	for i := range list {
		for j := range list[i].Steps {
			s := &list[i].Steps[j]
			for _, n := range s.Findings {
				if n == at {
					p.para(bodyIndent, plainStyle, seen("change "+list[i].ID+": "+s.Do))
				}
			}
		}
	}
	if len(accounts) > 0 {
		p.blank()
	}
	width := 0
	for _, a := range accounts {
		width = max(width, min(len(seen(a.Login)), 40))
	}
	for _, a := range accounts {
		p.para("  "+padded(seen(a.Login), width+2), plainStyle, strings.TrimSpace(seen(a.Origin().String()+"  "+a.Detail())))
	}
	return p.w.Flush()
}
