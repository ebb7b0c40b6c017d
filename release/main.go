// Command release makes what is handed out: archives of static programs, packages for
// Debian and for RPM, a bill of materials and sums. Of one revision the same bytes come
// out wherever and whenever they are made.
//
//	go run ./release DIR
package main

import (
	"crypto/sha256"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// A target is a system that a program is made for.
type target struct{ os, arch string }

var targets = []target{{"linux", "amd64"}, {"linux", "arm64"}, {"windows", "amd64"}, {"windows", "arm64"}, {"darwin", "amd64"}, {"darwin", "arm64"},
	{"freebsd", "amd64"}}

func (t target) program() string {
	if t.os == "windows" {
		return "yewcone.exe"
	}
	return "yewcone"
}

// A revision is what a release is made from.
type revision struct {
	version string
	short   string
	at      time.Time
}

func main() {
	if len(os.Args) < 2 || strings.HasPrefix(os.Args[1], "-") {
		fmt.Fprintln(os.Stderr, "release takes the folder to write into, and the targets where not all are wanted: go run ./release DIR [linux/amd64 …]")
		os.Exit(2)
	}
	if err := release(os.Args[1], os.Args[2:]); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(2)
	}
}

func release(dir string, wanted []string) error {
	r, err := current()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	work, err := os.MkdirTemp("", "release-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	var made []string
	var shared []entry
	for _, t := range targets {
		if len(wanted) > 0 && !slices.Contains(wanted, t.os+"/"+t.arch) {
			continue
		}
		program := filepath.Join(work, t.os+"-"+t.arch, t.program())
		if err := build(r, t, program); err != nil {
			return err
		}
		if shared == nil {
			if shared, err = sharedFiles(r, program, work); err != nil {
				return err
			}
		}
		list, err := withMaterials(r, shared, program)
		if err != nil {
			return err
		}
		name, err := archive(r, t, dir, append([]entry{{name: t.program(), file: program, mode: 0o755}}, list...))
		if err != nil {
			return err
		}
		made = append(made, name)
		if t.os == "linux" {
			names, err := packages(r, t, dir, program, list)
			if err != nil {
				return err
			}
			made = append(made, names...)
		}
	}
	if len(made) == 0 {
		return fmt.Errorf("no target is named %s", strings.Join(wanted, ", "))
	}
	return sums(dir, made)
}

// current is the revision of the repository. A tag vN.N.N is a version; any other
// revision is called by its moment and mark.
func current() (*revision, error) {
	git := func(args ...string) (string, error) {
		out, err := exec.Command("git", args...).Output()
		return strings.TrimSpace(string(out)), err
	}
	mark, err := git("rev-parse", "--short=12", "HEAD")
	if err != nil {
		return nil, fmt.Errorf("a release is made in a checkout of the repository: %w", err)
	}
	stamp, err := git("show", "-s", "--format=%ct", "HEAD")
	if err != nil {
		return nil, err
	}
	var second int64
	if _, err := fmt.Sscan(stamp, &second); err != nil {
		return nil, err
	}
	r := &revision{short: mark, at: time.Unix(second, 0).UTC()}
	r.version = "0.0.0-" + r.at.Format("20060102150405") + "-" + mark
	if tag, err := git("describe", "--tags", "--exact-match", "--match", "v[0-9]*"); err == nil {
		r.version = strings.TrimPrefix(tag, "v")
	}
	if changed, err := git("status", "--porcelain", "--untracked-files=no"); err != nil || changed != "" {
		fmt.Fprintln(os.Stderr, "release: files differ from the revision, and so will what is made of them")
	}
	return r, nil
}

func build(r *revision, t target, program string) error {
	stamps := fmt.Sprintf("-s -w -buildid= -X yewcone/cli.stampVersion=%s -X yewcone/cli.stampRevision=%s -X yewcone/cli.stampDay=%s", r.version, r.short,
		r.at.Format(time.DateOnly))
	c := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags", stamps, "-o", program, "./cmd/yewcone")
	c.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+t.os, "GOARCH="+t.arch, "GOFLAGS=")
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("%s/%s: %w\n%s", t.os, t.arch, err, out)
	}
	return nil
}

// sums writes the SHA-256 sums of what was made, as sha256sum reads them.
func sums(dir string, names []string) error {
	slices.Sort(names)
	var b strings.Builder
	for _, name := range names {
		data, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil {
			return err
		}
		fmt.Fprintf(&b, "%x  %s\n", sha256.Sum256(data), name)
	}
	fmt.Print(b.String())
	return os.WriteFile(filepath.Join(dir, "SHA256SUMS"), []byte(b.String()), 0o644)
}
