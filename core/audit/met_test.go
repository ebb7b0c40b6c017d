package audit

import "testing"

// TestSortTable: each sort is found by its classes, however many there are of either.
func TestSortTable(t *testing.T) {
	for words := 1; words <= 7; words++ {
		table := &sortTable{slots: make([]uint64, 64)}
		classes := make([]uint64, words)
		of := map[uint64]*sort{}
		for n := range uint64(1000) {
			classes[words-1] = n
			if found := table.find(hashOf(classes), classes); found != nil {
				t.Fatalf("%d words: %d is there before it came", words, n)
			}
			of[n] = table.add(hashOf(classes), classes, &model{})
		}
		for n := range uint64(1000) {
			classes[words-1] = n
			if found := table.find(hashOf(classes), classes); found != of[n] || table.at(int(n)) != found {
				t.Errorf("%d words: %d is not found where it was put", words, n)
			}
			if other := append([]uint64{n + 1}, classes[1:]...); words > 1 && table.find(hashOf(classes), other) != nil {
				t.Errorf("%d words: another with the hash of %d is found", words, n)
			}
		}
	}
}
