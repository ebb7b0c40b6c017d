package spool

import (
	"encoding/binary"
	"errors"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"
)

// TestStreams: what several streams were given comes out again, whether it stays in
// memory or not, in numbers and texts of any length.
func TestStreams(t *testing.T) {
	for _, size := range []int{100, 3 << 20} {
		s := &Spool{Open: func() (Scratch, error) { return os.Create(filepath.Join(t.TempDir(), "scratch")) }}
		r := rand.New(rand.NewPCG(uint64(size), 1))
		var streams [3]Stream
		var given [3][]uint64
		for total := 0; total < size; {
			i := r.IntN(len(streams))
			text := make([]byte, r.IntN(3*BlockSize)/(1+r.IntN(2000)))
			for j := range text {
				text[j] = byte(total + j)
			}
			b := binary.AppendUvarint(nil, uint64(len(text)))
			b = append(b, text...)
			b = binary.LittleEndian.AppendUint64(b, uint64(total))
			streams[i].Write(s, b)
			given[i] = append(given[i], uint64(len(text)), uint64(total))
			total += len(b)
		}
		for i := range streams {
			reader := streams[i].Reader(s, make([]byte, BlockSize))
			var got []uint64
			for reader.More() {
				text := reader.Bytes(nil, int(reader.Uint()))
				at := reader.Fixed()
				for j := range text {
					if text[j] != byte(int(at)+j) {
						t.Fatalf("%d bytes, stream %d: another text at %d", size, i, at)
					}
				}
				got = append(got, uint64(len(text)), at)
			}
			if !slices.Equal(got, given[i]) || reader.Bad {
				t.Errorf("%d bytes, stream %d: %d numbers, %d were given", size, i, len(got), len(given[i]))
			}
		}
		if s.InFile() != (size > inMemory) {
			t.Errorf("%d bytes: in a file %v", size, s.InFile())
		}
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	}
}

// TestStreamsFail: what cannot be put aside is told, and nothing is read in its place.
func TestStreamsFail(t *testing.T) {
	full := errors.New("full")
	s := &Spool{Open: func() (Scratch, error) { return nil, full }}
	var x Stream
	for range 3 << 17 {
		x.Write(s, []byte("eight by"))
	}
	if !errors.Is(s.Err(), full) {
		t.Errorf("%v", s.Err())
	}
	r := x.Reader(s, make([]byte, BlockSize))
	if r.Bytes(nil, 3<<20); !r.Bad {
		t.Error("something was read")
	}
}
