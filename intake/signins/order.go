package signins

import (
	"cmp"
	"fmt"
	"slices"

	"yewcone/core/signin"
)

// An Order passes sign-ins on in the order of their moments: as they come, where
// the beginning of a record is in that order, and sorted where it is not, since
// many services write the newest first.
type Order struct {
	do       func(*signin.Event)
	kept     []signin.Event
	descents int
	passing  bool
	full     bool
}

const (
	orderSeen  = 1000       // sign-ins after which it is clear how a record is ordered
	mostSorted = 10_000_000 // about 400 MB
)

// NewOrder passes sign-ins on to do.
func NewOrder(do func(*signin.Event)) *Order { return &Order{do: do} }

// Add takes the next one.
func (o *Order) Add(e *signin.Event) {
	if o.passing {
		o.do(e)
		return
	}
	if len(o.kept) > 0 && e.At < o.kept[len(o.kept)-1].At {
		o.descents++
	}
	if len(o.kept) >= mostSorted {
		o.full = true
		return
	}
	if o.kept = append(o.kept, *e); len(o.kept) == orderSeen && o.descents < orderSeen/10 {
		o.flush(false)
		o.passing = true
	}
}

func (o *Order) flush(sorted bool) {
	if sorted {
		if o.descents*2 > len(o.kept) {
			slices.Reverse(o.kept) // of the same second the later stands first too
		}
		slices.SortStableFunc(o.kept, func(a, b signin.Event) int { return cmp.Compare(a.At, b.At) })
	}
	for i := range o.kept {
		o.do(&o.kept[i])
	}
	o.kept = nil
}

// End passes on what is left.
func (o *Order) End() error {
	if o.full {
		return fmt.Errorf("the record is not in the order of its moments, and has more than %d sign-ins: sort it by time, the earliest first", mostSorted)
	}
	o.flush(true)
	return nil
}
