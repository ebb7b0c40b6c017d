package hashes

import (
	"math/rand/v2"
	"testing"
)

// TestIndex: numbers are found by their hashes as in a map, while it grows, where searches
// go around the end of a shard, and where one is put twice.
func TestIndex(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	var x Index
	want := map[uint64]uint32{}
	var keys []uint64
	for n := range uint32(60000) {
		key := r.Uint64() | 1
		switch r.IntN(4) {
		case 0: // all in one shard
			key = key<<8>>8 | 7<<56
		case 1: // at the end of one
			key |= 0x00ffffff00000000
		case 2:
			if len(keys) > 0 {
				key = keys[r.IntN(len(keys))]
			}
		}
		if _, known := want[key]; !known {
			keys = append(keys, key)
		}
		x.Put(key, n)
		want[key] = n
		x.Near(key)
	}
	for key, n := range want {
		if got, known := x.Find(key); !known || got != n {
			t.Fatalf("%x is %d, %v; want %d", key, got, known, n)
		}
		if _, known := want[key+1]; key+1 != 0 && !known {
			if got, known := x.Find(key + 1); known {
				t.Fatalf("%x is %d, and was never put", key+1, got)
			}
		}
	}
}

// TestList: what was added stays where it is.
func TestList(t *testing.T) {
	var list List[int]
	first := list.Add(7)
	at := list.At(first)
	for i := range 3 * chunk {
		if n := list.Add(i); n != uint32(i+1) || *list.At(n) != i {
			t.Fatalf("the %dth is at %d", i+1, n)
		}
	}
	if list.Len() != 3*chunk+1 || *at != 7 || *list.At(0) != 7 {
		t.Errorf("%d in the list, the first is %d", list.Len(), *list.At(0))
	}
}
