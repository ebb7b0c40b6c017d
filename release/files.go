package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

// An entry is a file of an archive: the text itself, or where it lies.
type entry struct {
	name string // with slashes
	file string
	text []byte
	mode fs.FileMode // 0644 where it is 0
}

func (e *entry) read() ([]byte, error) {
	if e.text != nil {
		return e.text, nil
	}
	return os.ReadFile(e.file)
}

// sharedFiles are those that all archives have: manual pages, completions, what the
// project says of itself, the demo, and the licences of what is linked in.
func sharedFiles(r *revision, program, work string) ([]entry, error) {
	host := program
	if out, err := exec.Command(program, "version").Output(); err != nil || !bytes.Contains(out, []byte(r.version)) {
		host = filepath.Join(work, "host") // the program is for another system
		c := exec.Command("go", "build", "-buildvcs=false", "-o", host, "./cmd/yewcone")
		c.Env = append(os.Environ(), "GOFLAGS=")
		if out, err := c.CombinedOutput(); err != nil {
			return nil, fmt.Errorf("%w\n%s", err, out)
		}
	}
	var list []entry
	man := filepath.Join(work, "man")
	if out, err := exec.Command(host, "manual", man).CombinedOutput(); err != nil {
		return nil, fmt.Errorf("manual: %w\n%s", err, out)
	}
	for shell, name := range map[string]string{"bash": "yewcone.bash", "zsh": "_yewcone", "fish": "yewcone.fish", "pwsh": "yewcone.ps1"} {
		out, err := exec.Command(host, "completion", shell).Output()
		if err != nil {
			return nil, fmt.Errorf("completion %s: %w", shell, err)
		}
		list = append(list, entry{name: "completion/" + name, text: out})
	}
	demo := filepath.Join(work, "demo")
	if out, err := exec.Command(host, "demo", demo).CombinedOutput(); err != nil {
		return nil, fmt.Errorf("demo: %w\n%s", err, out)
	}
	for from, to := range map[string]string{man: "man/man1", demo: "demo", "docs": "docs"} {
		more, err := folder(from, to)
		if err != nil {
			return nil, err
		}
		list = append(list, more...)
	}
	for _, name := range []string{"README.md", "CHANGELOG.md"} {
		list = append(list, entry{name: name, file: name})
	}
	licences, err := licences()
	return append(list, licences...), err
}

func folder(from, to string) ([]entry, error) {
	var list []entry
	err := filepath.WalkDir(from, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasSuffix(path, ".sh") {
			return err
		}
		rel, err := filepath.Rel(from, path)
		list = append(list, entry{name: to + "/" + filepath.ToSlash(rel), file: path})
		return err
	})
	return list, err
}

var licenceName = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|patents|copyright)([-._].*)?$`)

// licences are those of the modules whose packages the program is linked of, and of
// the language's own library.
func licences() ([]entry, error) {
	c := exec.Command("go", "list", "-deps", "-json=Module", "./cmd/yewcone")
	c.Env = append(os.Environ(), "CGO_ENABLED=0", "GOFLAGS=")
	out, err := c.Output()
	if err != nil {
		return nil, err
	}
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return nil, err
	}
	folders := map[string]string{"go": strings.TrimSpace(string(root))}
	for d := json.NewDecoder(bytes.NewReader(out)); ; {
		var p struct {
			Module *struct {
				Path, Dir string
				Main      bool
			}
		}
		if err := d.Decode(&p); err == io.EOF {
			break
		} else if err != nil {
			return nil, err
		}
		if p.Module != nil && !p.Module.Main {
			folders[p.Module.Path] = p.Module.Dir
		}
	}
	var list []entry
	for module, dir := range folders {
		files, err := os.ReadDir(dir)
		if err != nil {
			return nil, err
		}
		found := 0
		for _, f := range files {
			if !f.IsDir() && licenceName.MatchString(f.Name()) {
				list = append(list, entry{name: "licences/" + module + "/" + f.Name(), file: filepath.Join(dir, f.Name())})
				found++
			}
		}
		if found == 0 {
			return nil, fmt.Errorf("%s has no licence that could go along", module)
		}
	}
	return list, nil
}

// archive writes a zip for Windows and a tar.gz for the others, in a folder of its own
// name, and returns the name of the file.
func archive(r *revision, t target, dir string, list []entry) (string, error) {
	inside := fmt.Sprintf("yewcone-%s-%s-%s", r.version, t.os, t.arch)
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b entry) int { return strings.Compare(a.name, b.name) })
	var out bytes.Buffer
	add, finish, name := tarball(r, &out, inside)
	if t.os == "windows" {
		add, finish, name = zipped(r, &out, inside)
	}
	for i := range list {
		data, err := list[i].read()
		if err != nil {
			return "", err
		}
		mode := list[i].mode
		if mode == 0 {
			mode = 0o644
		}
		if err := add(list[i].name, mode, data); err != nil {
			return "", err
		}
	}
	if err := finish(); err != nil {
		return "", err
	}
	return name, os.WriteFile(filepath.Join(dir, name), out.Bytes(), 0o644)
}

type adder = func(name string, mode fs.FileMode, data []byte) error

func tarball(r *revision, out io.Writer, inside string) (adder, func() error, string) {
	z := gzip.NewWriter(out)
	w := tar.NewWriter(z)
	add := func(name string, mode fs.FileMode, data []byte) error {
		err := w.WriteHeader(&tar.Header{Name: inside + "/" + name, Mode: int64(mode), Size: int64(len(data)), ModTime: r.at, Format: tar.FormatPAX})
		if err == nil {
			_, err = w.Write(data)
		}
		return err
	}
	finish := func() error {
		if err := w.Close(); err != nil {
			return err
		}
		return z.Close()
	}
	return add, finish, inside + ".tar.gz"
}

func zipped(r *revision, out io.Writer, inside string) (adder, func() error, string) {
	w := zip.NewWriter(out)
	add := func(name string, mode fs.FileMode, data []byte) error {
		h := &zip.FileHeader{Name: inside + "/" + name, Method: zip.Deflate, Modified: r.at}
		h.SetMode(mode)
		f, err := w.CreateHeader(h)
		if err == nil {
			_, err = f.Write(data)
		}
		return err
	}
	return add, w.Close, inside + ".zip"
}
