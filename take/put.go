package take

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"yewcone/intake"
	"yewcone/output/atomicfile"
)

// An Options is how exports are taken.
type Options struct {
	Folder string // of the estate
	Ask    func(*Source) (string, error)
	Say    func(format string, args ...any)
	Now    func() time.Time
}

// Run takes the export of a source and puts it in place. Until it is whole, what
// was there stays.
func Run(ctx context.Context, s *Source, p *Protocol, o Options) (intake.Taken, error) {
	ctx, cancel := context.WithTimeout(ctx, s.Patience)
	defer cancel()
	paths, err := places(s, p, o.Folder)
	if err != nil {
		return intake.Taken{}, err
	}
	into := filepath.Dir(filepath.Clean(paths[0]))
	if err := os.MkdirAll(into, 0o700); err != nil {
		return intake.Taken{}, err
	}
	work, undo, err := atomicfile.Folder(into, ".taking-*")
	if err != nil {
		return intake.Taken{}, err
	}
	defer undo()
	taken := intake.Taken{At: o.Now().Truncate(time.Second), From: s.Ask + " " + s.Address, As: s.User}
	var made []string
	job := NewJob(s, func() (string, error) { return o.Ask(s) })
	job.Say = o.Say
	job.File = func(name string, fill func(io.Writer) error) error {
		if !p.Folder {
			name = fmt.Sprint(len(made))
		}
		if slices.Contains(made, name) {
			return fmt.Errorf("%s is written twice", name)
		}
		made = append(made, name)
		path := filepath.Join(work, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
			return err
		}
		f, err := os.OpenFile(path, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
		if err != nil {
			return err
		}
		err = fill(f)
		if err == nil {
			err = f.Sync()
		}
		return errors.Join(err, f.Close())
	}
	err = p.Take(ctx, job)
	if ctx.Err() == context.DeadlineExceeded {
		err = fmt.Errorf("it took longer than %s: %w", s.Patience, ctx.Err())
	}
	if err != nil {
		return taken, err
	}
	if job.By != "" {
		taken.As = job.By
	}
	taken.Rows, taken.Whole = job.Rows, job.Whole
	if p.Folder {
		return taken, putFolder(taken, work, paths[0], made)
	}
	if len(made) != len(paths) {
		return taken, fmt.Errorf("%d files were fetched, and \"from\" names %d", len(made), len(paths))
	}
	return taken, putFiles(taken, work, paths)
}

// places are where the export is read, within the estate.
func places(s *Source, p *Protocol, folder string) ([]string, error) {
	var paths []string
	for _, file := range s.Files {
		path := filepath.FromSlash(file)
		if err := atomicfile.CheckName(path); err != nil {
			return nil, err
		}
		if !filepath.IsAbs(path) {
			path = filepath.Join(folder, path)
		}
		switch info, err := os.Stat(path); {
		case errors.Is(err, fs.ErrNotExist):
		case err != nil:
			return nil, err
		case info.IsDir() != p.Folder:
			return nil, fmt.Errorf("%s is %s, and what is taken by %s is %s", file, fileOrFolder(info.IsDir()), s.Ask, fileOrFolder(p.Folder))
		case !info.IsDir() && !info.Mode().IsRegular():
			return nil, fmt.Errorf("%s is no file", file)
		}
		paths = append(paths, path)
	}
	if p.Folder && len(paths) != 1 {
		return nil, fmt.Errorf("what is taken by %s is one folder, and \"from\" names %d", s.Ask, len(paths))
	}
	return paths, nil
}

func fileOrFolder(folder bool) string {
	if folder {
		return "a folder"
	}
	return "a file"
}

// putFiles puts files in place, what is known of them first: it counts only beside
// a file of the same length.
func putFiles(t intake.Taken, work string, paths []string) error {
	for i, path := range paths {
		from := filepath.Join(work, fmt.Sprint(i))
		info, err := os.Stat(from)
		if err != nil {
			return err
		}
		if t.Bytes = info.Size(); t.Bytes == 0 {
			return fmt.Errorf("%s would be empty: nothing was fetched", path)
		}
		if err := atomicfile.Write(intake.Beside(path), func(w io.Writer) error { _, err := io.WriteString(w, t.Text()); return err }); err != nil {
			return err
		}
		if err := os.Rename(from, path); err != nil {
			return err
		}
	}
	return nil
}

// putFolder puts a folder in the place of another, or where there was none. One
// that holds what no taking writes is left alone.
func putFolder(t intake.Taken, work, path string, made []string) error {
	list, err := os.ReadDir(path)
	there := err == nil
	for _, entry := range list {
		if name := entry.Name(); name != intake.InFolder && !slices.ContainsFunc(made, func(m string) bool { return m == name || strings.HasPrefix(m, name+"/") }) {
			return fmt.Errorf("%s holds %s, which would be lost: keep it elsewhere, or take the export into a folder of its own", path, name)
		}
	}
	if err := os.WriteFile(filepath.Join(work, intake.InFolder), []byte(t.Text()), 0o600); err != nil {
		return err
	}
	if !there {
		return os.Rename(work, path)
	}
	return exchange(work, path)
}

// replace puts a folder in the place of another in two steps: what was there is
// kept beside it in between.
func replace(work, path string) error {
	before := path + ".before"
	if err := os.Rename(path, before); err != nil {
		return err
	}
	if err := os.Rename(work, path); err != nil {
		return errors.Join(err, os.Rename(before, path))
	}
	return os.RemoveAll(before)
}
