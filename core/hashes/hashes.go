// Package hashes keeps numbers by hashes of 64 bits in little memory: twelve to
// sixteen bytes each, where a map of texts takes a hundred. Two texts in some
// billions of billions have the same hash.
package hashes

import "math/bits"

// A List grows without moving what is in it, once it is no longer small.
type List[T any] struct {
	parts [][]T
	size  int
}

const chunk = 1 << 15

// Add returns the place of what it adds.
func (c *List[T]) Add(v T) uint32 {
	switch {
	case c.size == 0:
		c.parts = append(c.parts, nil) // grows
	case c.size%chunk == 0:
		c.parts = append(c.parts, make([]T, 0, chunk))
	}
	last := len(c.parts) - 1
	c.parts[last] = append(c.parts[last], v)
	c.size++
	return uint32(c.size - 1)
}

// At is what lies at a place.
func (c *List[T]) At(i uint32) *T { return &c.parts[i/chunk][i%chunk] }

// Len is how many were added.
func (c *List[T]) Len() int { return c.size }

// An Index finds numbers by hashes, which are not 0. It is cut into shards, so
// that only a small part moves when it grows.
type Index struct{ shards [256]shard }

type shard struct {
	keys    []uint64 // 0 for an empty place
	numbers []uint32
	used    int
}

// Find returns the number of a hash; false where it has none.
func (x *Index) Find(key uint64) (uint32, bool) {
	s := &x.shards[key>>56]
	if len(s.keys) == 0 {
		return 0, false
	}
	for i := s.start(key); ; i = s.after(i) {
		switch s.keys[i] {
		case key:
			return s.numbers[i], true
		case 0:
			return 0, false
		}
	}
}

// start is where the search for a hash begins: its part of the shard, by what follows
// the bits that chose the shard, without a division.
func (s *shard) start(key uint64) int {
	at, _ := bits.Mul64(key<<8, uint64(len(s.keys)))
	return int(at)
}

func (s *shard) after(i int) int {
	if i++; i == len(s.keys) {
		return 0
	}
	return i
}

// Near reads where the search for a hash begins, so that it lies in the cache when it
// is looked for: the waits of several that are read in turn come at once.
func (x *Index) Near(key uint64) uint64 {
	s := &x.shards[key>>56]
	if len(s.keys) == 0 {
		return 0
	}
	i := s.start(key)
	return s.keys[i] + uint64(s.numbers[i])
}

// Put gives a hash a number, in the place of one that it had.
func (x *Index) Put(key uint64, number uint32) {
	s := &x.shards[key>>56]
	if (s.used+1)*5 > len(s.keys)*4 {
		old := *s
		size := max(16, len(old.keys)*4/3)
		*s = shard{keys: make([]uint64, size), numbers: make([]uint32, size)}
		for i, k := range old.keys {
			if k != 0 {
				s.place(k, old.numbers[i])
			}
		}
	}
	s.place(key, number)
}

func (s *shard) place(key uint64, number uint32) {
	i := s.start(key)
	for s.keys[i] != 0 && s.keys[i] != key {
		i = s.after(i)
	}
	if s.keys[i] == 0 {
		s.used++
	}
	s.keys[i], s.numbers[i] = key, number
}
