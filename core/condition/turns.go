package condition

import (
	"slices"
)

// Turns are where the answers to a pattern's questions can become others while dates of
// an account move: as long as no date moves across one of these, and no two dates that
// are compared change places, all answers stay. There may be too many of them.
type Turns struct {
	// At are the seconds at which a date of the account becomes another to some
	// question, by the mapping's name for the date: the first second of what follows.
	At map[string][]int64
	// Ends are the same for the end of the password.
	Ends []int64
	// Pairs are dates that are compared with each other.
	Pairs [][2]string
	// UsedAfterEnd tells that the last sign-in is compared with the end of the password.
	UsedAfterEnd bool
}

// Turns works out where answers turn, for exports that speak for a second since 1970;
// false where the pattern asks something of which that is not known.
func (p *Pattern) Turns(asOf int64) (Turns, bool) {
	t := Turns{At: map[string][]int64{}}
	for i := range p.numbers {
		q := &p.numbers[i]
		for _, n := range q.turns {
			if !t.number(q.fact.Name, n, asOf) {
				return t, false
			}
		}
	}
	for i := range p.leaves {
		if !t.leaf(&p.leaves[i], asOf) {
			return t, false
		}
	}
	return t, len(p.texts) == 0
}

// number takes in that an answer turns where a fact reaches a number.
func (t *Turns) number(fact string, n, asOf int64) bool {
	switch fact {
	case "password_expires":
		t.Ends = append(t.Ends, n)
	case "overdue_for":
		t.Ends = append(t.Ends, asOf-n+1)
	case "created", "password_set", "last_sign_in", "locked_since", "account_ends":
		t.add(n, fact)
	case "account_age":
		t.add(asOf-n+1, "created")
	case "password_age":
		t.add(asOf-n+1, "password_set", "created")
	case "idle":
		t.add(asOf-n+1, "last_sign_in", "created")
	case "locked_for":
		t.add(asOf-n+1, "locked_since")
	default:
		return false
	}
	return true
}

func (t *Turns) add(second int64, dates ...string) {
	for _, date := range dates {
		t.At[date] = append(t.At[date], second)
	}
}

// leaf takes in any other question.
func (t *Turns) leaf(l *leaf, asOf int64) bool {
	switch {
	case l.still || !slices.ContainsFunc(l.own, (*Fact).dated):
		return true // its dates are those of what stands before it, which is asked for itself
	case len(l.own) == 2 && l.own[0].isDate() && l.own[1].isDate():
		t.Pairs = append(t.Pairs, [2]string{l.own[0].Name, l.own[1].Name})
		return true
	case len(l.own) > 1:
		return false
	}
	switch l.own[0].Name {
	case "locked_for_ever": // whether a lock ends at all
	case "dated_in_future":
		t.add(asOf+1, "password_set", "last_sign_in", "created")
	case "never_changed":
		t.Pairs = append(t.Pairs, [2]string{"password_set", "created"})
	case "used_after_end":
		t.UsedAfterEnd = true
	default:
		return false
	}
	return true
}

// isDate reports whether the fact is a date that an export gives.
func (f *Fact) isDate() bool {
	dates := dates[f.Name]
	return f.Type == "date" && len(dates) == 1 && dates[0] == f.Name
}
