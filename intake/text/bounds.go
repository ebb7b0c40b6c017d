package text

import (
	"bufio"
	"errors"
	"fmt"
	"sync/atomic"
)

// The bounds of whatever is read, against files that were made to exhaust who
// reads them. What is past one is an error with its place. The memory of a run is
// bounded too, by the command line.
const (
	MaxRow   = 4 << 20  // bytes of a row, a line or a text
	MaxEntry = 32 << 20 // bytes of what lists members, or cannot be cut
	MaxDepth = 100      // of elements in one another
	MaxParts = 1 << 15  // fields or elements of one row
)

// ErrTooLong is of what is longer than MaxRow.
var ErrTooLong = fmt.Errorf("a row or text is longer than %d MB, and is not read", MaxRow>>20)

// ErrManyParts is of a row with more than MaxParts fields.
var ErrManyParts = fmt.Errorf("a row has more than %d fields, and is not read", MaxParts)

// Mark says that a row begins where reading has come to: of a file that was marked
// once, no more than MaxRow bytes are read before the next mark.
func (f *File) Mark() { f.last.marked, f.last.mark = true, f.last.n }

// NewScanner scans the lines of a file, none of which may be longer than MaxRow.
func NewScanner(f *File) *bufio.Scanner {
	s := bufio.NewScanner(f)
	s.Buffer(make([]byte, 0, bufferSize), MaxRow)
	return s
}

// Told is an error of a scanner as it is told.
func Told(err error) error {
	if errors.Is(err, bufio.ErrTooLong) {
		return ErrTooLong
	}
	return err
}

// heedEvery is after how many bytes of a file Heed is called.
const heedEvery = 1 << 20

// Heed is called now and then while a file is read, for who bounds what a run takes
// up; may be nil. It is set before anything is read.
var Heed func()

var latest atomic.Pointer[string]

// Opening notes that a file is opened, so that Latest can tell it.
func Opening(path string) { latest.Store(&path) }

// Latest is the path of the file that was opened last; "" for none. It tells where
// memory ran out.
func Latest() string {
	if path := latest.Load(); path != nil {
		return *path
	}
	return ""
}
