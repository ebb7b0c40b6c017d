package inorder

import (
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
)

// TestBring: things are taken in their order, each once, whoever brings them when.
func TestBring(t *testing.T) {
	for seed := range uint64(50) {
		r := rand.New(rand.NewPCG(seed, 1))
		var got, want []int
		line := Line[int]{Take: func(n int) { got = append(got, n) }}
		turns := r.Perm(1 + r.IntN(200))
		var workers sync.WaitGroup
		var mutex sync.Mutex
		taken := 0
		for part := range slices.Chunk(turns, 1+len(turns)/4) {
			workers.Go(func() {
				for _, turn := range part {
					n := line.Bring(turn, turn*turn)
					mutex.Lock()
					taken += n
					mutex.Unlock()
				}
			})
		}
		workers.Wait()
		for n := range turns {
			want = append(want, n*n)
		}
		if !slices.Equal(got, want) || taken != len(turns) {
			t.Fatalf("%d were taken: %v", taken, got)
		}
	}
}
