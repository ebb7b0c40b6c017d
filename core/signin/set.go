package signin

import (
	"math"
	"math/bits"
)

// exactly is up to how many members a set knows each of them.
const exactly = 64

// A set counts different numbers: exactly as far as it knows them, and about
// beyond that, by how many leading zeros their hashes have (the estimate of
// Flajolet and others, 2007, off by about 7 in 100).
type set struct {
	bits        uint64 // of the members' hashes: what has none of them is no member
	first, last uint32 // its chunks, counted from 1; first is the place of its ranks
	n           uint16 // members that are known one by one; large for ranks
}

// large stands in set.n where members are not known one by one.
const large = math.MaxUint16

// ranks are the largest ranks of hashes, by their first bits.
type ranks [256]uint8

// A chunk is some members of a set.
type chunk struct {
	members [6]uint32
	next    uint32 // counted from 1; 0 for none
}

// sets is where the members of many sets lie.
type sets struct {
	chunks table[chunk]
	used   uint32 // chunks
	ranks  []*ranks
}

// begin makes room for other sets.
func (a *sets) begin() { a.used, a.ranks = 0, nil }

// each calls do for each member that is known one by one, until it returns false.
func (a *sets) each(s *set, do func(uint32) bool) {
	if s.n == large {
		return
	}
	left := int(s.n)
	for at := s.first; at != 0 && left > 0; at = a.chunks.at(at - 1).next {
		c := a.chunks.at(at - 1)
		for _, m := range c.members[:min(left, len(c.members))] {
			if !do(m) {
				return
			}
		}
		left -= len(c.members)
	}
}

func (a *sets) add(s *set, m uint32) {
	if s.n == large {
		a.ranks[s.first].add(m)
		return
	}
	bit := uint64(1) << (m * 0x9e3779b1 >> 26)
	if s.bits&bit != 0 && a.has(s, m) {
		return
	}
	s.bits |= bit
	if s.n == exactly {
		all := &ranks{}
		a.each(s, func(m uint32) bool { all.add(m); return true })
		all.add(m)
		a.ranks = append(a.ranks, all)
		*s = set{first: uint32(len(a.ranks) - 1), n: large}
		return
	}
	at := int(s.n) % len(chunk{}.members)
	if at == 0 {
		a.used++
		next := a.used
		if s.first == 0 {
			s.first = next
		} else {
			a.chunks.at(s.last - 1).next = next
		}
		s.last = next
	}
	a.chunks.at(s.last - 1).members[at] = m
	s.n++
}

// len is how many members there are; about tells that it is an estimate.
func (a *sets) len(s *set) (n int, about bool) {
	if s.n != large {
		return int(s.n), false
	}
	return a.ranks[s.first].len(), true
}

// has reports whether a member is known one by one.
func (a *sets) has(s *set, m uint32) (found bool) {
	a.each(s, func(known uint32) bool { found = known == m; return !found })
	return found
}

// without is how many members of one are not among another's; about what it is
// where either knows its members only so. It is 0 where all are among them.
func (a *sets) without(s, o *set) int {
	if s.n != large && o.n != large {
		n := 0
		a.each(s, func(m uint32) bool {
			if !a.has(o, m) {
				n++
			}
			return true
		})
		return n
	}
	both := &ranks{}
	for _, part := range []*set{s, o} {
		if part.n != large {
			a.each(part, func(m uint32) bool { both.add(m); return true })
			continue
		}
		for i, r := range a.ranks[part.first] {
			both[i] = max(both[i], r)
		}
	}
	if o.n == large && *a.ranks[o.first] == *both {
		return 0
	}
	others, _ := a.len(o)
	return max(0, both.len()-others)
}

func (r *ranks) add(n uint32) {
	h := (uint64(n) + 0x9e3779b97f4a7c15) * 0xbf58476d1ce4e5b9
	h = (h ^ h>>27) * 0x94d049bb133111eb
	h ^= h >> 31
	at := h >> 56
	r[at] = max(r[at], uint8(bits.LeadingZeros64(h<<8|1<<7)+1))
}

func (r *ranks) len() int {
	sum, zeros := 0.0, 0
	for _, rank := range r {
		if sum += math.Ldexp(1, -int(rank)); rank == 0 {
			zeros++
		}
	}
	estimate := 0.7213 / (1 + 1.079/256) * 256 * 256 / sum
	if estimate < 2.5*256 && zeros > 0 {
		estimate = 256 * math.Log(256/float64(zeros))
	}
	return max(exactly+1, int(math.Round(estimate)))
}
