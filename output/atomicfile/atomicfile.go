// Package atomicfile writes files whole or not at all, for the owner's eyes alone.
package atomicfile

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
)

// Write calls fill with a writer to a temporary file beside path and, if fill
// succeeds, puts that file in path's place. The file can be read and written
// by its owner only.
func Write(path string, fill func(io.Writer) error) error {
	if err := CheckName(path); err != nil {
		return err
	}
	if info, err := os.Stat(path); err == nil && !info.Mode().IsRegular() {
		return fmt.Errorf("%s exists and is no file", path)
	}
	f, err := temporary(filepath.Dir(path), "."+filepath.Base(path)+".*")
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("cannot write %s: there is no folder %s", path, filepath.ToSlash(filepath.Dir(path)))
	}
	if err != nil {
		return fmt.Errorf("cannot write %s: %w", path, errors.Unwrap(err))
	}
	name := f.Name()
	defer end(name)
	err = fill(f)
	if err == nil {
		err = f.Sync()
	}
	if closing := f.Close(); err == nil {
		err = closing
	}
	if err == nil {
		if err = os.Rename(name, path); err != nil && inUse(err) {
			err = errors.New("another program has it open; close it there")
		}
	}
	if err != nil {
		return fmt.Errorf("cannot write %s: %w", path, err)
	}
	return nil
}

// Folder makes a folder of the given pattern (see os.MkdirTemp) within in, whose
// content is not whole yet; undo takes it away with all that is left in it.
func Folder(in, pattern string) (name string, undo func(), err error) {
	begun.Lock()
	defer begun.Unlock()
	if name, err = os.MkdirTemp(in, pattern); err == nil {
		begun.names[name] = nil
	}
	return name, func() { end(name) }, err
}

// A Scratch is a file that nobody else sees, and that is gone when it is closed or
// the program ends.
type Scratch struct{ *os.File }

// NewScratch makes one in the system's folder for temporary files.
func NewScratch() (*Scratch, error) {
	f, err := temporary("", "yewcone-*")
	if err != nil {
		return nil, err
	}
	if os.Remove(f.Name()) == nil { // not on Windows, where what is open has its name until Close
		begun.Lock()
		defer begun.Unlock()
		delete(begun.names, f.Name())
	}
	return &Scratch{f}, nil
}

// Close gives the file back.
func (s *Scratch) Close() error {
	begun.Lock()
	defer begun.Unlock()
	if begun.names[s.Name()] != nil {
		takeAway(s.Name())
		return nil
	}
	return s.File.Close()
}

// begun are the temporary files and folders that are not whole yet, with what is
// open of them, or nil. The lock is held while one is made, so that none exists
// that is not noted here.
var begun = struct {
	sync.Mutex
	names map[string]*os.File
}{names: map[string]*os.File{}}

// temporary makes a file of a pattern; see os.CreateTemp.
func temporary(in, pattern string) (*os.File, error) {
	begun.Lock()
	defer begun.Unlock()
	f, err := os.CreateTemp(in, pattern)
	if err == nil {
		begun.names[f.Name()] = f
	}
	return f, err
}

func end(name string) {
	begun.Lock()
	defer begun.Unlock()
	takeAway(name)
}

// takeAway takes away what was begun, with the lock held.
func takeAway(name string) {
	if open := begun.names[name]; open != nil {
		_ = open.Close()
	}
	// Somebody may be writing into a folder still.
	for tries := 0; os.RemoveAll(name) != nil && tries < 100; tries++ {
	}
	delete(begun.names, name)
}

// Tidy takes away what is left of what was begun, when a program has done its work.
func Tidy() {
	begun.Lock()
	defer begun.Unlock()
	for name := range begun.names {
		takeAway(name)
	}
}

// Abandon takes away all that is not whole yet, for a program that is about to
// end: nothing is begun after it, and whoever tries waits for that end.
func Abandon() {
	begun.Lock()
	for name := range begun.names {
		takeAway(name)
	}
}
