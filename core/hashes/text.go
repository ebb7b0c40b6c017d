package hashes

import (
	"crypto/sha256"
	"encoding/binary"
	"hash/maphash"
)

// A Kind keeps hashes of different things apart.
type Kind byte

// The kinds. Keys of people are counted from Person on.
const (
	Name   Kind = iota // of an account
	Within             // the policy that it is told apart by
	Stored             // a stored password
	Login              // of a person
	Person
	kinds = Person + 3
)

// seeds make the hashes of one run useless in any other.
var seeds = func() (list [kinds]maphash.Seed) {
	for i := range list {
		list[i] = maphash.MakeSeed()
	}
	return list
}()

// key is what several runs share; nil for none.
var key []byte

// Share makes the hashes of texts in this run those of every other with the same
// secret key, which is not empty. It is called before anything is read. Without it
// each run has its own; with it hashes are slower, since who has them and not the
// key may not learn from them what they stand for.
func Share(secret []byte) {
	sum := sha256.Sum256(secret)
	key = sum[:]
}

// Text hashes a text; never to 0.
func Text(kind Kind, text string) uint64 {
	if key == nil {
		return max(1, maphash.String(seeds[kind], text))
	}
	return keyed(kind, text)
}

// Bytes does as Text.
func Bytes(kind Kind, text []byte) uint64 {
	if key == nil {
		return max(1, maphash.Bytes(seeds[kind], text))
	}
	return keyed(kind, text)
}

// keyed is the beginning of SHA-256 over the key, the kind and the text; since the
// rest of it is not told, nobody can go on from it.
func keyed[T string | []byte](kind Kind, text T) uint64 {
	var room [128]byte
	b := append(append(room[:0], key...), byte(kind))
	b = append(b, text...)
	sum := sha256.Sum256(b)
	return max(1, binary.LittleEndian.Uint64(sum[:]))
}
