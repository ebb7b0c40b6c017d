package finding

import (
	"fmt"
	"strings"

	"yewcone/core/rules"
)

// An Earlier finding is one of a result that was kept.
type Earlier struct {
	Fingerprint string
	System      string
	Rule        string
	Severity    rules.Severity
	Sentence    string
	Privileged  int // how many of the accounts it reached were privileged
}

// A Kept result is what is known of an earlier one.
type Kept struct {
	AsOf     string            // the newest moment that it speaks for
	Systems  map[string]bool   // those it looked at; true where their exports were read to the end
	Findings []Earlier         // open
	Accepted map[string]string // by fingerprint: what exceptions covered, and until when
}

// Changes tell what became of an earlier result. What was not looked at this
// time is not gone, and what was not looked at then is not new.
type Changes struct {
	From string   // where the earlier result stands
	AsOf string   // the moment it speaks for; "" where it is not known
	New  []string // fingerprints of findings that were not there
	Gone []Earlier
	Same int

	Accepted  []Earlier // were open, and exceptions cover them now
	Reopened  []string  // fingerprints of findings that exceptions covered then
	FirstSeen []string  // fingerprints on systems that were not read to their end then
	NotLooked []NotLooked
}

// NotLooked is an earlier finding of which this result cannot tell.
type NotLooked struct {
	Earlier
	Why string
}

// Since compares the findings with earlier ones.
func (r *Result) Since(before *Kept) *Changes {
	c := &Changes{AsOf: before.AsOf}
	open := map[string]bool{}
	for _, e := range before.Findings {
		open[e.Fingerprint] = true
	}
	now, accepted := map[string]bool{}, map[string]bool{}
	for i := range r.Accepted {
		accepted[r.Accepted[i].Fingerprint] = true
	}
	for i := range r.Findings {
		f := &r.Findings[i]
		now[f.Fingerprint] = true
		_, covered := before.Accepted[f.Fingerprint]
		read, looked := before.Systems[f.System]
		switch {
		case open[f.Fingerprint]:
			c.Same++
		case covered:
			c.Reopened = append(c.Reopened, f.Fingerprint)
		case f.System != TheEstate && (!looked || !read):
			c.FirstSeen = append(c.FirstSeen, f.Fingerprint)
		default:
			c.New = append(c.New, f.Fingerprint)
		}
	}
	for _, e := range before.Findings {
		if now[e.Fingerprint] {
			continue
		}
		if accepted[e.Fingerprint] {
			c.Accepted = append(c.Accepted, e)
		} else if why := r.cannotTell(&e); why != "" {
			c.NotLooked = append(c.NotLooked, NotLooked{e, why})
		} else {
			c.Gone = append(c.Gone, e)
		}
	}
	return c
}

// cannotTell says why this result cannot tell whether an earlier finding is
// gone; "" where it can.
func (r *Result) cannotTell(e *Earlier) string {
	if e.System == TheEstate {
		return ""
	}
	for i := range r.Findings {
		f := &r.Findings[i]
		if f.System == e.System && f.Rule.String() == e.Rule && f.Split != "" && f.Reach.Unranked > 0 && e.Privileged > 0 {
			return "which of the accounts that break the rule are privileged is not known"
		}
	}
	for i := range r.Systems {
		s := &r.Systems[i]
		if s.Name != e.System {
			continue
		}
		if s.Partial {
			return "its export was not read to the end"
		}
		for _, o := range s.Outcomes {
			switch {
			case o.Rule.String() != e.Rule:
			case o.State == NotForIt:
				return "the rule was asked of nobody"
			case o.State == Open || o.Unsure:
				return "what the rule asks is not known for everybody"
			default:
				return ""
			}
		}
		return "the rule was not asked"
	}
	return "the system was not looked at"
}

// Sum says in one line what changed.
func (c *Changes) Sum() string {
	parts := []string{fmt.Sprintf("%d new, %d gone, %d as before", len(c.New), len(c.Gone), c.Same)}
	for _, p := range []struct {
		n    int
		word string
	}{{len(c.Reopened), "no longer accepted"}, {len(c.Accepted), "accepted since"},
		{len(c.FirstSeen), "on systems that were not read then"}, {len(c.NotLooked), "not looked at this time"}} {
		if p.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", p.n, p.word))
		}
	}
	return strings.Join(parts, ", ")
}
