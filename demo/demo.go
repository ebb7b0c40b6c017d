// Package demo carries the demo estate: Marrowby Sound Ferries, a ferry
// company that does not exist, with made-up people and passwords.
package demo

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

//go:embed all:estate
var files embed.FS

//go:embed all:start
var start embed.FS

// WriteEstate writes the demo estate into a folder, which must be empty or
// not exist.
func WriteEstate(folder string) error { return write(files, "estate", folder) }

// WriteStart writes a new estate with commented files into a folder, which
// may hold other files but no estate.
func WriteStart(folder string) error {
	if _, err := os.Stat(filepath.Join(folder, "estate.yaml")); err == nil {
		return fmt.Errorf("%s holds an estate already; nothing was written", folder)
	}
	return copyTree(start, "start", folder)
}

func write(tree embed.FS, root, folder string) error {
	if err := vacant(folder); err != nil {
		return err
	}
	return copyTree(tree, root, folder)
}

// vacant reports a folder that holds something.
func vacant(folder string) error {
	entries, err := os.ReadDir(folder)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("cannot use %s: %w", folder, err)
	}
	if len(entries) > 0 {
		return fmt.Errorf("%s is not empty, and nothing in it is overwritten; name a new folder", folder)
	}
	return nil
}

// copyTree copies files that do not exist yet; one that does is an error.
func copyTree(tree embed.FS, root, folder string) error {
	return fs.WalkDir(tree, root, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(root, filepath.FromSlash(path))
		if err != nil {
			return err
		}
		target := filepath.Join(folder, rel)
		if d.IsDir() {
			return os.MkdirAll(target, 0o755)
		}
		data, err := tree.ReadFile(path)
		if err != nil {
			return err
		}
		f, err := os.OpenFile(target, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
		if errors.Is(err, fs.ErrExist) {
			return fmt.Errorf("%s exists and is not overwritten; name another folder", target)
		}
		if err != nil {
			return err
		}
		_, err = f.Write(data)
		return errors.Join(err, f.Close())
	})
}
