package bytescan

import "golang.org/x/sys/cpu"

// vectors tells whether the processor compares 32 bytes at a time (AVX2).
var vectors = cpu.X86.HasAVX2

// mark is Mark for so many whole words, at least one.
//
//go:noescape
func mark(marks *uint64, text *byte, words int, b byte)

// odd is Controls for so many blocks of 32 bytes, at least one.
//
//go:noescape
func odd(text *byte, blocks int) (first, low int)
