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
	var f *os.File
	name, err := begin(func() (string, error) {
		var err error
		if f, err = os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*"); err != nil {
			return "", err
		}
		return f.Name(), nil
	})
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("cannot write %s: there is no folder %s", path, filepath.ToSlash(filepath.Dir(path)))
	}
	if err != nil {
		return fmt.Errorf("cannot write %s: %w", path, errors.Unwrap(err))
	}
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
	name, err = begin(func() (string, error) { return os.MkdirTemp(in, pattern) })
	return name, func() { end(name) }, err
}

// begun are the temporary files and folders that are not whole yet. The lock is
// held while one is made, so that none exists that is not noted here.
var begun = struct {
	sync.Mutex
	names map[string]bool
}{names: map[string]bool{}}

func begin(create func() (string, error)) (string, error) {
	begun.Lock()
	defer begun.Unlock()
	name, err := create()
	if err == nil {
		begun.names[name] = true
	}
	return name, err
}

func end(name string) {
	begun.Lock()
	defer begun.Unlock()
	_ = os.RemoveAll(name)
	delete(begun.names, name)
}

// Abandon takes away all that is not whole yet, for a program that is about to
// end: nothing is begun after it, and whoever tries waits for that end.
func Abandon() {
	begun.Lock()
	for name := range begun.names {
		// Somebody may be writing into a folder still.
		for tries := 0; os.RemoveAll(name) != nil && tries < 100; tries++ {
		}
	}
}
