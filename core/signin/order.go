package signin

import (
	"cmp"
	"container/heap"
	"encoding/binary"
	"slices"
	"yewcone/core/spool"
)

// An Order passes sign-ins on in the order of their moments: as they come, where
// the beginning of a record is in that order, and sorted where it is not, since
// many services write the newest first. What does not stay in memory is sorted in
// runs that are put aside, and merged.
type Order struct {
	do    func(*Event)
	aside spool.Spool
	kept  []Event
	runs  []*sorted
	last  int64
	// Ups and downs are the sign-ins that are later than the one before, and earlier.
	ups, downs int
	decided    bool
	passing    bool
	newest     bool // stands first
}

const (
	orderSeen = 1000    // sign-ins after which it is clear how a record is ordered,
	stepsSeen = 20      // where so many are not of the same moment
	inRun     = 1 << 20 // sign-ins, of 24 bytes each
)

// NewOrder passes sign-ins on to do. Scratch is as that of a Record.
func NewOrder(scratch func() (spool.Scratch, error), do func(*Event)) *Order {
	return &Order{do: do, aside: spool.Spool{Open: scratch}}
}

// Add takes the next one.
func (o *Order) Add(e *Event) {
	if o.passing {
		o.do(e)
		return
	}
	if len(o.kept) == inRun {
		o.putRun()
	}
	if len(o.kept) > 0 || len(o.runs) > 0 {
		switch {
		case e.At < o.last:
			o.downs++
		case e.At > o.last:
			o.ups++
		}
	}
	o.last = e.At
	o.kept = append(o.kept, *e)
	if !o.decided && len(o.kept) >= orderSeen && o.ups+o.downs >= stepsSeen {
		o.decided = true
		if len(o.runs) == 0 && o.downs*10 < o.ups {
			o.pass()
			o.passing, o.kept = true, nil
		}
	}
}

func (o *Order) pass() {
	for i := range o.kept {
		o.do(&o.kept[i])
	}
}

func (o *Order) sort() {
	if len(o.runs) == 0 {
		o.newest = o.downs > 2*o.ups
	}
	if o.newest {
		slices.Reverse(o.kept) // of the same second the later stands first too
	}
	slices.SortStableFunc(o.kept, func(a, b Event) int { return cmp.Compare(a.At, b.At) })
}

// putRun sorts what is kept and puts it aside.
func (o *Order) putRun() {
	o.sort()
	r := &sorted{number: len(o.runs)}
	at := int64(0)
	var room [4 * binary.MaxVarintLen64]byte
	for i := range o.kept {
		e := &o.kept[i]
		b := binary.AppendUvarint(room[:0], uint64(e.At-at))
		b = binary.AppendUvarint(b, uint64(e.Account))
		b = binary.AppendUvarint(b, uint64(e.Source))
		b = binary.AppendUvarint(b, uint64(e.Times)<<2|uint64(e.Outcome))
		r.Write(&o.aside, b)
		at = e.At
	}
	o.runs, o.kept = append(o.runs, r), o.kept[:0]
}

// End passes on what is left. It fails where something could not be put aside.
func (o *Order) End() error {
	if len(o.runs) == 0 {
		o.sort()
		o.pass()
		return nil
	}
	o.putRun()
	o.kept = nil
	m := merge{newest: o.newest}
	for _, r := range o.runs {
		if r.from = r.Reader(&o.aside, make([]byte, spool.BlockSize)); r.next() {
			m.runs = append(m.runs, r)
		}
	}
	heap.Init(&m)
	for len(m.runs) > 0 {
		o.do(&m.runs[0].e)
		if m.runs[0].next() {
			heap.Fix(&m, 0)
		} else {
			heap.Pop(&m)
		}
	}
	return o.aside.Close()
}

// sorted is sign-ins in their order that were put aside.
type sorted struct {
	spool.Stream
	number int
	from   *spool.Reader
	e      Event
}

// next reads the next one; false at the end.
func (r *sorted) next() bool {
	if !r.from.More() {
		return false
	}
	r.e.At += int64(r.from.Uint())
	r.e.Account, r.e.Source = uint32(r.from.Uint()), uint32(r.from.Uint())
	last := r.from.Uint()
	r.e.Times, r.e.Outcome = int32(last>>2), Outcome(last&3)
	return !r.from.Bad
}

// merge is a heap of runs, the earliest sign-in first.
type merge struct {
	runs   []*sorted
	newest bool
}

// Len is of heap.Interface.
func (m *merge) Len() int { return len(m.runs) }

// Less is of heap.Interface. Of the same moment what stood first comes first.
func (m *merge) Less(i, j int) bool {
	a, b := m.runs[i], m.runs[j]
	if a.e.At != b.e.At {
		return a.e.At < b.e.At
	}
	return (a.number < b.number) != m.newest
}

// Swap is of heap.Interface.
func (m *merge) Swap(i, j int) { m.runs[i], m.runs[j] = m.runs[j], m.runs[i] }

// Push is of heap.Interface; nothing is pushed.
func (m *merge) Push(any) {}

// Pop is of heap.Interface.
func (m *merge) Pop() any {
	last := m.runs[len(m.runs)-1]
	m.runs = m.runs[:len(m.runs)-1]
	return last
}
