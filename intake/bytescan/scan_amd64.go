package bytescan

import "golang.org/x/sys/cpu"

// vectors tells whether the processor compares 32 bytes at a time (AVX2), and counts and
// finds bits (POPCNT, BMI1).
var vectors = cpu.X86.HasAVX2 && cpu.X86.HasBMI1 && cpu.X86.HasPOPCNT

// mark is Mark for so many whole words, at least one.
//
//go:noescape
func mark(marks *uint64, text *byte, words int, b byte)

// odd is Controls for so many blocks of 32 bytes, at least one.
//
//go:noescape
func odd(text *byte, blocks int) (first, low int)

// places writes the places of two bytes in so many blocks of 64 bytes, at least one, and
// returns how many there are. There must be room for eight more.
//
//go:noescape
func places(list *uint32, text *byte, words int, at uint32, a, b byte) int

// frame is Frame.Values for so many parts, at least one, as long as 32 bytes from last on
// need not be looked at; short tells that they must.
//
//go:noescape
func frame(text *byte, at, last int, parts *part, n, gap int, spans *Span) (done, end int, met uint64, short bool)
