package signin

import (
	"net/netip"
	"slices"
)

// fewNames is how many names a source is told to have come in with.
const fewNames = 5

// Habits are what the record shows of how an account is used.
type Habits struct {
	FirstIn, LastIn       int64 // let in, with a password or without; 0 for never
	LastBefore            int64 // the last one up to the moment that the export speaks for, where that is known
	FirstWrong, LastWrong int64
	// HoursWrong counts the hours of the clock in which a wrong password was given.
	HoursWrong int
	// After is the longest run of wrong passwords from one address that a right one
	// from there ended.
	After Run
	// Rest is the longest time between two sign-ins.
	Rest Rest
	// Hour and Network are the latest sign-in at an hour, or from a network, that
	// was never seen before, where enough was seen; kept by a Replay that watches.
	Hour, Network *Novel

	runs [4]run
	seen *seen
}

// A Run is a number of wrong passwords from one address, and the moment at which
// the right one came, in microseconds.
type Run struct {
	Wrong  int
	At     int64
	Source string
}

// run counts wrong passwords from one address since it was last let in.
type run struct {
	source uint32
	wrong  uint32
}

// A Rest is a time without a sign-in, in microseconds.
type Rest struct{ From, To int64 }

// A Novel is a sign-in unlike all before it.
type Novel struct {
	At     int64
	Source string
	Before int // sign-ins that were seen before
	Days   int // on which these were spread
}

// seen are the hours and networks in which an account came in.
type seen struct {
	hours    uint32 // bits, by the hour in UTC
	networks []netip.Prefix
	times    int
	roams    bool // from more networks than are kept
}

// So much must have been seen of an account before anything can be new.
const (
	enoughTimes    = 20
	enoughDays     = 7
	networksKept   = 32
	microsPerHour  = int64(3600e6)
	microsPerDay   = 24 * microsPerHour
	hoursInADay    = 24
	networkBits4   = 24
	networkBits6   = 48
	nightAndDayMod = 1<<hoursInADay - 1
)

// add keeps what an event shows.
func (h *Habits) add(e *Event, at int64, r *Replay) {
	if e.Outcome == Failed {
		if h.FirstWrong == 0 {
			h.FirstWrong = at
		}
		if h.HoursWrong == 0 || h.LastWrong/microsPerHour != at/microsPerHour {
			h.HoursWrong++
		}
		h.LastWrong = at
		h.wrong(e.Source, uint32(e.Times))
		return
	}
	if h.FirstIn == 0 {
		h.FirstIn = at
	} else if at-h.LastIn > h.Rest.To-h.Rest.From {
		h.Rest = Rest{h.LastIn, at}
	}
	if h.LastIn = at; at <= r.asOf || r.asOf == 0 {
		h.LastBefore = at
	}
	if e.Outcome == LetIn {
		for i := range h.runs {
			if h.runs[i].wrong > 0 && h.runs[i].source == e.Source {
				if n := int(h.runs[i].wrong); n > h.After.Wrong {
					h.After = Run{n, at, r.Sources.Name(e.Source)}
				}
				h.runs[i].wrong = 0
			}
		}
	}
	h.watch(e, at, r)
}

// wrong counts wrong passwords from a source, in the place of the source with
// fewest where there is no room.
func (h *Habits) wrong(source, times uint32) {
	least := 0
	for i := range h.runs {
		if h.runs[i].source == source && h.runs[i].wrong > 0 {
			h.runs[i].wrong += times
			return
		}
		if h.runs[i].wrong < h.runs[least].wrong {
			least = i
		}
	}
	h.runs[least] = run{source, times}
}

func (h *Habits) watch(e *Event, at int64, r *Replay) {
	if h.seen == nil {
		h.seen = &seen{}
	}
	s := h.seen
	days := (at - h.FirstIn) / microsPerDay
	enough := s.times >= enoughTimes && days >= enoughDays
	bit := uint32(1) << (at / microsPerHour % hoursInADay)
	near := (bit | bit<<1 | bit>>1 | bit<<(hoursInADay-1) | bit>>(hoursInADay-1)) & nightAndDayMod // summer time moves hours by one
	name := r.Sources.Name(e.Source)
	if enough && s.hours&near == 0 {
		h.Hour = &Novel{at, name, s.times, int(days)}
	}
	s.hours |= bit
	if network, ok := networkOf(name); ok && !s.roams && !slices.Contains(s.networks, network) {
		if enough {
			h.Network = &Novel{at, name, s.times, int(days)}
		}
		s.networks = append(s.networks, network)
		s.roams = len(s.networks) > networksKept
	}
	s.times += int(e.Times)
}

// networkOf is the network that an address is taken to lie in.
func networkOf(source string) (netip.Prefix, bool) {
	a, err := netip.ParseAddr(source)
	if err != nil {
		return netip.Prefix{}, false
	}
	bits := networkBits6
	if a.Is4() {
		bits = networkBits4
	}
	network, err := a.Prefix(bits)
	return network, err == nil
}
