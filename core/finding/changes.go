package finding

import "yewcone/core/rules"

// An Earlier finding is one of a result that was kept.
type Earlier struct {
	Fingerprint string
	System      string
	Severity    rules.Severity
	Sentence    string
}

// Changes tell what became of an earlier result.
type Changes struct {
	From string    // where the earlier result stands
	AsOf string    // the moment it speaks for; "" where it does not say
	New  []string  // fingerprints of findings that were not there
	Gone []Earlier // findings that are no longer there
	Same int
}

// Since compares the findings with earlier ones.
func (r *Result) Since(earlier []Earlier) *Changes {
	c := &Changes{}
	before := map[string]bool{}
	for _, e := range earlier {
		before[e.Fingerprint] = true
	}
	now := map[string]bool{}
	for i := range r.Findings {
		f := &r.Findings[i]
		now[f.Fingerprint] = true
		if before[f.Fingerprint] {
			c.Same++
		} else {
			c.New = append(c.New, f.Fingerprint)
		}
	}
	for _, e := range earlier {
		if !now[e.Fingerprint] {
			c.Gone = append(c.Gone, e)
		}
	}
	return c
}
