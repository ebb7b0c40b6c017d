// Package atomicfile writes files whole or not at all, for the owner's eyes alone.
package atomicfile

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// Write calls fill with a writer to a temporary file beside path and, if fill
// succeeds, puts that file in path's place. The file can be read and written
// by its owner only.
func Write(path string, fill func(io.Writer) error) error {
	if info, err := os.Stat(path); err == nil && !info.Mode().IsRegular() {
		return fmt.Errorf("%s exists and is no file", path)
	}
	f, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*")
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("cannot write %s: there is no folder %s", path, filepath.Dir(path))
	}
	if err != nil {
		return fmt.Errorf("cannot write %s: %w", path, errors.Unwrap(err))
	}
	defer os.Remove(f.Name())
	err = fill(f)
	if err == nil {
		err = f.Sync()
	}
	if closing := f.Close(); err == nil {
		err = closing
	}
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return fmt.Errorf("cannot write %s: %w", path, err)
	}
	return nil
}
