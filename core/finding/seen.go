package finding

import (
	"slices"

	"yewcone/core/rules"
)

// InRecords are the critical and high findings of records of sign-ins, those
// after which somebody may be in first.
func (r *Result) InRecords() []*Finding {
	var list []*Finding
	for i := range r.Findings {
		if f := &r.Findings[i]; f.OfRecord && f.Severity >= rules.High {
			list = append(list, f)
		}
	}
	slices.SortStableFunc(list, func(a, b *Finding) int { return a.SeenOrder - b.SeenOrder })
	return list
}
