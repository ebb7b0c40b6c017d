package estatefolder

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"yewcone/core/record"
)

// Sources tells, by the SHA-256 of their bytes, from which files a system was
// judged: those of its export, its mapping, and its rule sets. What cannot be
// read is left out; its reader has said so.
func (e *Estate) Sources(system string) record.Sources {
	out := record.Sources{Exports: map[string]string{}, Rules: map[string]string{}}
	for i := range e.Systems {
		s := &e.Systems[i]
		if s.Name != system {
			continue
		}
		for _, from := range s.Request.From {
			for _, name := range e.filesIn(s.Request.Path(from)) {
				if sum, err := fileSum(name); err == nil {
					out.Exports[e.relative(name)] = sum
				}
			}
		}
		if s.Request.Mapping != "" {
			out.Mapping, _ = fileSum(s.Request.Path(s.Request.Mapping))
		}
		for _, set := range s.Rules {
			if sum, err := fileSum(filepath.Join(e.Folder, set.File)); err == nil {
				out.Rules[set.Name] = sum
			}
		}
	}
	return out
}

func (e *Estate) relative(name string) string {
	if rel, err := filepath.Rel(e.Folder, name); err == nil {
		return filepath.ToSlash(rel)
	}
	return filepath.ToSlash(name)
}

// filesIn lists the files of a path: itself, what it stands for, or what is in
// the folder.
func (e *Estate) filesIn(path string) []string {
	paths := []string{path}
	if found, err := filepath.Glob(path); err == nil && len(found) > 0 {
		paths = found
	}
	var files []string
	for _, p := range paths {
		err := filepath.WalkDir(p, func(name string, d fs.DirEntry, err error) error {
			if err == nil && d.Type().IsRegular() {
				files = append(files, name)
			}
			return nil
		})
		if err != nil {
			files = append(files, p)
		}
	}
	slices.Sort(files)
	return slices.Compact(files)
}

func fileSum(name string) (sum string, err error) {
	f, err := os.Open(name)
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	h := sha256.New()
	if _, err := io.Copy(h, f); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}
