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
	f, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*")
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("cannot write %s: there is no folder %s", path, filepath.ToSlash(filepath.Dir(path)))
	}
	if err != nil {
		return fmt.Errorf("cannot write %s: %w", path, errors.Unwrap(err))
	}
	defer remove(f.Name())
	begun.Store(f.Name(), nil)
	err = fill(f)
	if err == nil {
		err = f.Sync()
	}
	if closing := f.Close(); err == nil {
		err = closing
	}
	if err == nil {
		if err = os.Rename(f.Name(), path); err != nil && inUse(err) {
			err = errors.New("another program has it open; close it there")
		}
	}
	if err != nil {
		return fmt.Errorf("cannot write %s: %w", path, err)
	}
	return nil
}

// begun are the temporary files that are not whole yet, by name.
var begun sync.Map

// Begun notes a folder with all that is in it as not whole yet; the function it
// returns takes it away.
func Begun(folder string) (undo func()) {
	begun.Store(folder, nil)
	return func() { remove(folder) }
}

func remove(name string) {
	_ = os.RemoveAll(name)
	begun.Delete(name)
}

// Abandon takes away all files that are not whole yet, for a program that is
// about to end.
func Abandon() {
	begun.Range(func(name, _ any) bool {
		remove(name.(string))
		return true
	})
}
