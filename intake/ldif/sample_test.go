package ldif

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
)

// TestSample: the first names are kept, whatever comes when and from where.
func TestSample(t *testing.T) {
	for _, count := range []int{3, MostSampled, 4 * MostSampled} {
		var s Sample
		var want []string
		for i := range count {
			want = append(want, fmt.Sprintf("uid=%d,dc=example", i*7919%count))
		}
		given := slices.Clone(want)
		rand.New(rand.NewPCG(uint64(count), 1)).Shuffle(count, func(i, j int) { given[i], given[j] = given[j], given[i] })
		var sides sync.WaitGroup
		for part := range slices.Chunk(given, count/3) {
			sides.Go(func() {
				for _, dn := range part {
					s.Add(dn)
				}
			})
		}
		sides.Wait()
		slices.Sort(want)
		if got := s.Names(); !slices.Equal(got, want[:min(count, MostSampled)]) {
			t.Errorf("of %d names %d were kept, from %q", count, len(got), got[0])
		}
	}
}
