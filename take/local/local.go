// Package local takes exports from the host that the program runs on: its own files,
// or what a command of the administrator's prints.
package local

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"yewcone/take"
)

// Host copies the files of this host that the reader for Linux reads.
var Host = take.Protocol{Name: "host", Folder: true, Reads: []string{"linux"}, Asks: asksHost, Take: takeHost}

// Command runs a program and keeps what it prints.
var Command = take.Protocol{Name: "command", Asks: func(s *take.Source) []string {
	return []string{s.Files[0] + ": what " + strings.Join(s.Command, " ") + " prints"}
}, Take: takeCommand}

// copied are the files of a host, and noted what is asked beside them. Those that must
// be there are first.
var (
	needed = []string{"etc/passwd", "etc/shadow", "etc/group"}
	copied = []string{"etc/login.defs", "etc/sudoers", "etc/default/useradd", "etc/ssh/sshd_config", "etc/ssh/sshd_config.d/*", "etc/pam.d/*",
		"etc/sudoers.d/*", "etc/security/*.conf", "etc/security/pwquality.conf.d/*.conf"}
	listed = []string{"etc/pam.d", "etc/pam.d/*", "etc/security", "etc/security/*", "etc/security/pwquality.conf.d", "etc/security/pwquality.conf.d/*",
		"etc/sudoers.d", "etc/sudoers.d/*", "lib/security/pam_*.so", "lib64/security/pam_*.so", "lib/*/security/pam_*.so", "lib64/*/security/pam_*.so",
		"usr/lib/security/pam_*.so", "usr/lib64/security/pam_*.so", "usr/lib/*/security/pam_*.so", "usr/lib64/*/security/pam_*.so"}
	// noted are programs of which the first of each file that is there is asked.
	noted = []struct {
		file string
		run  []string
	}{
		{"versions.txt", []string{"dpkg-query", "-W"}}, {"versions.txt", []string{"rpm", "-qa", "--qf", "%{NAME}\t%{VERSION}-%{RELEASE}\n"}},
		{"lastlog.txt", []string{"lastlog"}}, {"faillock.txt", []string{"faillock"}}, {"sshd.txt", []string{"sshd", "-T"}},
	}
)

func asksHost(*take.Source) []string {
	var list []string
	for _, name := range append(append([]string{}, needed...), copied...) {
		list = append(list, "/"+name)
	}
	for _, n := range noted {
		list = append(list, n.file+": what "+strings.TrimSpace(strings.ReplaceAll(strings.Join(n.run, " "), "\n", `\n`))+" prints, where it is there")
	}
	return append(list, "files.txt, hostname.txt, taken.txt: which files there are, the host's name, the moment")
}

func takeHost(ctx context.Context, j *take.Job) error {
	root := cmp.Or(j.Source.Address, "/")
	for _, name := range needed {
		if err := copyTo(j, root, name); err != nil {
			return fmt.Errorf("/%s, without which no account can be judged: %w", name, err)
		}
	}
	for _, pattern := range copied {
		for _, name := range glob(root, pattern) {
			if info, err := os.Stat(filepath.Join(root, name)); err != nil || !info.Mode().IsRegular() {
				continue
			}
			if err := copyTo(j, root, name); err != nil {
				return fmt.Errorf("/%s: %w", name, err)
			}
		}
	}
	var files strings.Builder
	for _, pattern := range listed {
		for _, name := range glob(root, pattern) {
			fmt.Fprintln(&files, "/"+name)
		}
	}
	host, err := os.Hostname()
	if err != nil {
		return err
	}
	for name, text := range map[string]string{"files.txt": files.String(), "hostname.txt": host + "\n", "taken.txt": time.Now().UTC().Format(time.RFC3339) + "\n"} {
		if err := j.File(name, func(w io.Writer) error { _, err := io.WriteString(w, text); return err }); err != nil {
			return err
		}
	}
	return takeNoted(ctx, j, root)
}

// takeNoted asks the host's programs, where the host is the one that the program
// runs on.
func takeNoted(ctx context.Context, j *take.Job, root string) error {
	if root != "/" {
		return nil
	}
	done := map[string]bool{}
	for _, n := range noted {
		path, err := exec.LookPath(n.run[0])
		if err != nil || done[n.file] {
			continue
		}
		c := exec.CommandContext(ctx, path, n.run[1:]...)
		c.Env = append(os.Environ(), "LC_ALL=C", "TZ=UTC")
		printed, err := c.Output()
		if err != nil { // what is not known stays so
			j.Told("%s: %s", n.run[0], err)
			continue
		}
		done[n.file] = true
		if err := j.File(n.file, func(w io.Writer) error { _, err := w.Write(printed); return err }); err != nil {
			return err
		}
	}
	return nil
}

func glob(root, pattern string) []string {
	found, _ := filepath.Glob(filepath.Join(root, pattern)) // the patterns are ours
	var names []string
	for _, path := range found {
		if name, err := filepath.Rel(root, path); err == nil {
			names = append(names, filepath.ToSlash(name))
		}
	}
	return names
}

func copyTo(j *take.Job, root, name string) error {
	f, err := os.Open(filepath.Join(root, name))
	if err != nil {
		return err
	}
	defer f.Close()
	return j.File(name, func(w io.Writer) error {
		n, err := io.Copy(w, f)
		j.Rows += int(min(n, 1))
		return err
	})
}

func takeCommand(ctx context.Context, j *take.Job) error {
	if len(j.Source.Files) != 1 {
		return errors.New("\"from\" names one file")
	}
	return j.File("", func(w io.Writer) error {
		c := exec.CommandContext(ctx, j.Source.Command[0], j.Source.Command[1:]...)
		var said bytes.Buffer
		lines := &counter{w: w}
		c.Stdout, c.Stderr = lines, &said
		if err := c.Run(); err != nil {
			return fmt.Errorf("%s: %w; it said %s on its error output", j.Source.Command[0], err, shape(said.Len()))
		}
		j.Rows = lines.lines
		return nil
	})
}

// shape tells of a text without showing it: it may hold a password.
func shape(n int) string {
	if n == 0 {
		return "nothing"
	}
	return fmt.Sprintf("%d characters", n)
}

type counter struct {
	w     io.Writer
	lines int
}

func (c *counter) Write(p []byte) (int, error) {
	c.lines += bytes.Count(p, []byte("\n"))
	return c.w.Write(p)
}
