package signin

import (
	"encoding/binary"
	"sync"
	"sync/atomic"
	"yewcone/core/spool"
)

// inPart is how many names, or addresses, are held in memory at a time by each of
// those that count.
const inPart = pageSize

// apart is a replay of which only the names are in memory: events are put aside by
// their addresses and by their accounts, and counted part by part.
type apart struct {
	spool                 *spool.Spool
	fromSources, accounts side
	seen                  uint64 // events that were put aside
	// refused has a bit for each event and limit that does not let all its times
	// pass; those of which some pass are in some.
	refused [][]uint64
	some    map[pass]int32

	failed, failedFrom []uint32
	told, toldSources  told
}

// A pass is an event at a limit of addresses.
type pass struct {
	event uint64
	limit int
}

// A side is events by the number of a name, in parts of which each has them in
// their order.
type side struct{ parts []part }

type part struct {
	spool.Stream
	at   int64  // of the last event
	seen uint64 // its number
}

// What stands in the low bits before the name of an event.
const (
	outcomeBits  = 0b0011
	severalTimes = 0b0100
	wholeSeconds = 0b1000
	flagBits     = 4
)

// put adds an event; own is the name that the side is by, other the other one.
func (x *side) put(s *spool.Spool, e *Event, at int64, seen uint64, numbered bool, own, other uint32) {
	for int(own/inPart) >= len(x.parts) {
		x.parts = append(x.parts, part{})
	}
	p := &x.parts[own/inPart]
	flags, since := uint64(e.Outcome), uint64(at-p.at)
	if e.Times > 1 {
		flags |= severalTimes
	}
	if since%1e6 == 0 {
		flags |= wholeSeconds
		since /= 1e6
	}
	var room [6 * binary.MaxVarintLen64]byte
	b := binary.AppendUvarint(room[:0], uint64(own%inPart)<<flagBits|flags)
	b = binary.AppendUvarint(b, since)
	b = binary.AppendUvarint(b, uint64(other))
	if numbered {
		b = binary.AppendUvarint(b, seen-p.seen)
	}
	if e.Times > 1 {
		b = binary.AppendUvarint(b, uint64(e.Times))
	}
	p.at, p.seen = at, seen
	p.Write(s, b)
}

// each calls do for the events of a part, with the two names in the order in which
// they were put; numbered as they were put.
func (x *part) each(s *spool.Spool, block []byte, first uint32, numbered bool, do func(e *Event, seen uint64, own, other uint32)) {
	r := x.Reader(s, block)
	var e Event
	seen := uint64(0)
	for r.More() {
		head := r.Uint()
		since := r.Uint()
		other := uint32(r.Uint())
		if numbered {
			seen += r.Uint()
		}
		e.Times = 1
		if head&severalTimes != 0 {
			e.Times = int32(r.Uint())
		}
		if head&wholeSeconds != 0 {
			since *= 1e6
		}
		e.At += int64(since)
		e.Outcome = Outcome(head & outcomeBits)
		if r.Bad {
			return
		}
		do(&e, seen, first+uint32(head>>flagBits)%inPart, other)
	}
}

// told is what was found of each name: a piece for each part, in which they lie
// one behind the other.
type told struct {
	pieces []int64
	ends   []uint32 // by the number of the name, in its piece
}

func (x *told) get(s *spool.Spool, number uint32) []byte {
	from := uint32(0)
	if number%inPart > 0 {
		from = x.ends[number-1]
	}
	piece := make([]byte, x.ends[number]-from)
	s.Get(piece, x.pieces[number/inPart]+int64(from))
	return piece
}

// RunApart does as Run, but keeps of each name only a few bytes in memory, and all
// else in a scratch file, which open makes when there is much; nil for none. No
// address is found in the book after it. Where the file fails, Err says so after
// it, and after what is asked of the replay.
func (r *Replay) RunApart(open func() (spool.Scratch, error), read func(book *Book, do func(*Event)) error) error {
	a := &apart{spool: &spool.Spool{Open: open}, some: map[pass]int32{}}
	r.apart, r.Book.Scratch = a, open
	numbered := len(r.limits) > 0
	if err := r.batches(read, func(batch []Event) {
		for i := range batch {
			e := &batch[i]
			at := r.note(e)
			a.fromSources.put(a.spool, e, at, a.seen, numbered, e.Source, e.Account)
			a.accounts.put(a.spool, e, at, a.seen, numbered, e.Account, e.Source)
			a.seen++
		}
	}); err != nil {
		return err
	}
	a.failed, a.failedFrom = make([]uint32, r.Accounts.Len()), make([]uint32, r.Sources.Len())
	a.told.room(r.Accounts.Len())
	a.toldSources.room(r.Sources.Len())
	for n := range a.failed {
		r.List(uint32(n)) // those who count side by side only look
	}
	r.Sources.Close()
	if !r.Watch {
		r.Accounts.Close()
	}
	r.of = nil // with what it knows of accounts
	for range r.limits {
		a.refused = append(a.refused, make([]uint64, a.seen/64+1))
	}
	a.countSources(r)
	a.countAccounts(r)
	return a.spool.Err()
}

// Err is what failed of the scratch file.
func (r *Replay) Err() error {
	if r.apart == nil {
		return nil
	}
	return r.apart.spool.Err()
}

// Close gives the scratch file back.
func (r *Replay) Close() error {
	if r.apart == nil {
		return nil
	}
	return r.apart.spool.Close()
}

func (x *told) room(names int) {
	x.ends, x.pieces = make([]uint32, names), make([]int64, (names+inPart-1)/inPart)
}

// sideBySide has each part counted by one of several.
func sideBySide(parts, jobs int, begin func() (count func(part int), end func())) {
	var next atomic.Int64
	var all sync.WaitGroup
	for range min(parts, max(1, jobs)) {
		all.Go(func() {
			count, end := begin()
			for n := int(next.Add(1)) - 1; n < parts; n = int(next.Add(1)) - 1 {
				count(n)
			}
			end()
		})
	}
	all.Wait()
}

func (a *apart) countSources(r *Replay) {
	var mu sync.Mutex // of what is refused
	sideBySide(len(a.fromSources.parts), r.Jobs, func() (func(int), func()) {
		var o origins
		var c coder
		block := make([]byte, spool.BlockSize)
		return func(n int) {
			o.begin(uint32(n) * inPart)
			a.fromSources.parts[n].each(a.spool, block, o.first, len(r.limits) > 0, func(e *Event, seen uint64, source, account uint32) {
				e.Source, e.Account = source, account
				passed := r.addSource(&o, e, e.At)
				if passed == nil {
					return
				}
				mu.Lock()
				defer mu.Unlock()
				for i, times := range passed {
					if times < e.Times {
						a.refused[i][seen/64] |= 1 << (seen % 64)
					}
					if times > 0 && times < e.Times {
						a.some[pass{seen, i}] = times
					}
				}
			})
			a.fromSources.parts[n] = part{}
			c.out = c.out[:0]
			for number := o.first; number < min(o.first+inPart, uint32(len(a.failedFrom))); number++ {
				s, came := r.source(&o, number)
				a.failedFrom[number] = uint32(s.Failures)
				c.source(&s, &came)
				a.toldSources.ends[number] = uint32(len(c.out))
			}
			a.toldSources.pieces[n] = a.spool.Put(c.out)
		}, func() {}
	})
}

func (a *apart) countAccounts(r *Replay) {
	var mu sync.Mutex // of the hours
	sideBySide(len(a.accounts.parts), r.Jobs, func() (func(int), func()) {
		var t tallies
		var c coder
		block := make([]byte, spool.BlockSize)
		passed := make([]int32, len(r.limits))
		count := func(n int) {
			t.begin(uint32(n) * inPart)
			a.accounts.parts[n].each(a.spool, block, t.first, len(r.limits) > 0, func(e *Event, seen uint64, account, source uint32) {
				e.Source, e.Account = source, account
				r.addAccount(&t, e, e.At, a.passed(e, seen, passed))
			})
			a.accounts.parts[n] = part{}
			r.finish(&t)
			c.out = c.out[:0]
			for number := t.first; number < min(t.first+inPart, uint32(len(a.failed))); number++ {
				x := r.account(&t, number)
				a.failed[number] = uint32(x.Failures)
				if t.at(number).failed == nil {
					x.Under = nil // see untouched
				}
				var from []uint32
				if r.Watch && x.Failures > 0 {
					from = t.failedFrom(number)
				}
				c.account(&x, &from)
				a.told.ends[number] = uint32(len(c.out))
			}
			a.told.pieces[n] = a.spool.Put(c.out)
		}
		return count, func() {
			mu.Lock()
			defer mu.Unlock()
			r.lockHours(t.locks)
		}
	})
	a.refused, a.some = nil, nil
}

// passed is how many times of an event pass each limit; nil for all.
func (a *apart) passed(e *Event, seen uint64, room []int32) (passed []int32) {
	for i, bits := range a.refused {
		if room[i] = e.Times; bits[seen/64]&(1<<(seen%64)) != 0 {
			room[i] = a.some[pass{seen, i}]
			passed = room
		}
	}
	return passed
}

// begin makes room for other names.
func (o *origins) begin(first uint32) {
	o.first = first
	for _, page := range o.table.pages {
		clear(page)
	}
	o.sets.begin()
}

// begin makes room for other names; those that failed lend theirs.
func (t *tallies) begin(first uint32) {
	t.first = first
	for _, page := range t.table.pages {
		for i := range page {
			if f := page[i].failed; f != nil {
				for j := range f.under {
					f.under[j] = Under{lock: hold{counted: f.under[j].lock.counted[:0]}}
				}
				*f = wrong{under: f.under}
				t.spare = append(t.spare, f)
			}
			page[i] = tally{}
		}
	}
	t.sets.begin()
}

// account is what was put aside of a name, with the addresses that it failed from,
// which are kept where the replay watches.
func (a *apart) account(r *Replay, number uint32) (x Account, from []uint32) {
	x.Name = r.Accounts.Name(number)
	c := coder{in: a.told.get(a.spool, number), reading: true}
	c.account(&x, &from)
	if x.Under == nil {
		x.Under = r.untouched(number)
	}
	return x, from
}

func (a *apart) source(r *Replay, number uint32) Source {
	x := Source{Name: r.Sources.Name(number)}
	var came []uint32
	c := coder{in: a.toldSources.get(a.spool, number), reading: true}
	c.source(&x, &came)
	for _, n := range came {
		x.CameInAs = append(x.CameInAs, r.Accounts.Name(n))
	}
	return x
}

// A coder writes numbers, or reads them in the same order.
type coder struct {
	in, out []byte
	reading bool
}

func code[T int | int64 | uint32](c *coder, list ...*T) {
	for _, v := range list {
		if !c.reading {
			c.out = binary.AppendVarint(c.out, int64(*v))
			continue
		}
		n, size := binary.Varint(c.in)
		*v, c.in = T(n), c.in[max(0, size):]
	}
}

func (c *coder) bool(v *bool) {
	n := 0
	if *v {
		n = 1
	}
	code(c, &n)
	*v = n == 1
}

func (c *coder) text(v *string) {
	n := len(*v)
	code(c, &n)
	if !c.reading {
		c.out = append(c.out, *v...)
		return
	}
	n = max(0, min(n, len(c.in)))
	*v, c.in = string(c.in[:n]), c.in[n:]
}

// some makes a list as long as the one that was written.
func some[T any](c *coder, list *[]T) {
	n := len(*list)
	code(c, &n)
	if c.reading && n > 0 {
		*list = make([]T, min(n, len(c.in)))
	}
}

func (c *coder) account(a *Account, from *[]uint32) {
	code(c, &a.Failures, &a.LetIn, &a.ByKey, &a.Peaks[0], &a.Peaks[1], &a.Peaks[2], &a.Sources, &a.SourcesLetIn, &a.NeverIn, &a.SourcesIn)
	code(c, &a.PeakAt)
	c.bool(&a.About)
	some(c, &a.Under)
	for i := range a.Under {
		u := &a.Under[i]
		c.bool(&u.Known)
		code(c, &u.First, &u.Locked)
		code(c, &u.Locks, &u.Through, &u.RefusedWrong, &u.RefusedRight, &u.Slowed, &u.ShutWrong, &u.ShutRight)
	}
	some(c, from)
	for i := range *from {
		code(c, &(*from)[i])
	}
	c.habits(&a.Habits)
}

func (c *coder) habits(h *Habits) {
	watched := h.FirstIn != 0 || h.FirstWrong != 0
	if c.bool(&watched); !watched {
		return
	}
	code(c, &h.FirstIn, &h.LastIn, &h.LastBefore, &h.FirstWrong, &h.LastWrong, &h.After.At, &h.Rest.From, &h.Rest.To)
	code(c, &h.HoursWrong, &h.After.Wrong)
	c.text(&h.After.Source)
	for _, n := range []**Novel{&h.Hour, &h.Network} {
		there := *n != nil
		if c.bool(&there); !there {
			continue
		}
		if c.reading {
			*n = &Novel{}
		}
		code(c, &(*n).At)
		code(c, &(*n).Before, &(*n).Days)
		c.text(&(*n).Source)
	}
}

func (c *coder) source(s *Source, came *[]uint32) {
	code(c, &s.Failures, &s.LetIn, &s.InVain, &s.Peaks[0], &s.Peaks[1], &s.Peaks[2], &s.OnlyWrong, &s.NamesIn)
	code(c, &s.First, &s.Last)
	c.bool(&s.About)
	some(c, &s.Shut)
	for i := range s.Shut {
		code(c, &s.Shut[i])
	}
	some(c, came)
	for i := range *came {
		code(c, &(*came)[i])
	}
}
