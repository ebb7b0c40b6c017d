package kerberos

import (
	"math/rand/v2"
	"testing"
	"time"
)

// TestUsualClock: what is read the quick way is what time.Parse reads, and what it
// refuses is refused.
func TestUsualClock(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	quick := 0
	for range 200_000 {
		text := time.Unix(r.Int64N(1<<32), 0).UTC().Format(printedForm)
		if r.IntN(2) == 0 {
			text = time.Unix(r.Int64N(1<<32), 0).UTC().Format("Mon Jan 02 15:04:05 UTC 2006")
		}
		b := []byte(text)
		for range r.IntN(3) {
			b[r.IntN(len(b))] = "0123456789 :MonFebUTCG"[r.IntN(22)]
		}
		want, err := time.Parse(printedForm, string(b))
		got, ok := usualClock(string(b))
		if ok {
			quick++
		}
		if ok && (err != nil || !got.Equal(want)) {
			t.Fatalf("%q: %v, time.Parse has %v, %v", b, got, want, err)
		}
	}
	if quick < 50_000 {
		t.Errorf("only %d of 200,000 are read the quick way", quick)
	}
}

func BenchmarkClock(b *testing.B) {
	for b.Loop() {
		if _, ok := clock("Mon Sep 01 10:00:00 UTC 2025"); !ok {
			b.Fatal()
		}
	}
}
