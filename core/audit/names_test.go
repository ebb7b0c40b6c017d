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
			got := n.doubled()
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
