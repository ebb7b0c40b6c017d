package audit

import (
	"maps"
	"math/rand/v2"
	"testing"
)

func TestNamesTwice(t *testing.T) {
	for _, count := range []int{0, 1, 2, 63, 5000, 40_000} {
		r := rand.New(rand.NewPCG(uint64(count), 1))
		for _, twice := range []int{0, 1, count / 3} {
			var n names
			times := map[uint64]int{}
			add := func(h uint64) {
				n.addHash(h)
				times[h]++
			}
			for range count {
				add(r.Uint64() | 1)
			}
			for h := range maps.Clone(times) {
				if twice == 0 {
					break
				}
				twice--
				add(h)
			}
			maps.DeleteFunc(times, func(_ uint64, n int) bool { return n == 1 })
			got := n.doubled(1)
			if len(got) != len(times) {
				t.Errorf("%d names: %d stand twice, found %d", count, len(times), len(got))
			}
			for h := range times {
				if _, ok := got[h]; !ok {
					t.Errorf("%d names: one that stands twice was not found", count)
				}
			}
		}
	}
}

// TestNamesShared: what is kept of more names than there is room for, and which are
// found to stand twice, depends on the names alone, and not on how many engines met
// how many of them.
func TestNamesShared(t *testing.T) {
	for _, count := range []int{mostNames - 50_000, mostNames + 50_000, 3 * mostNames} {
		shift, found := 0, map[uint64]bool(nil)
		for try, engines := range []int{1, 2, 5} {
			r := rand.New(rand.NewPCG(uint64(count), 2)) // the same names each time
			shared := &census{}
			all := make([]names, engines)
			for i := range all {
				all[i].census = shared
			}
			deal := rand.New(rand.NewPCG(uint64(engines), 3))
			add := func(h uint64) { all[min(deal.IntN(3*engines), engines-1)].addHash(h) } // most to the last
			var again []uint64
			for n := range count {
				h := r.Uint64()
				if add(h); n%5000 == 0 {
					again = append(again, h)
				}
			}
			kept := 0
			for _, h := range again {
				add(h)
			}
			for i := range all {
				kept += all[i].count
			}
			if most := mostNames + engines*2*settledBy; kept > most {
				t.Errorf("%d names, %d engines: %d are kept, and %d may be", count, engines, kept, most)
			}
			for i := range all[1:] {
				all[0].merge(&all[1+i])
			}
			twice := all[0].doubled(engines)
			if try == 0 {
				shift, found = all[0].shift, twice
			}
			if all[0].shift != shift || !maps.Equal(twice, found) || len(twice) == 0 {
				t.Errorf("%d names: %d engines keep those with %d zeros and find %d twice, one keeps those with %d and finds %d",
					count, engines, all[0].shift, len(twice), shift, len(found))
			}
		}
	}
}
