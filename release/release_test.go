package main

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yewcone/cli/tooltest"
	"yewcone/intake/livetest"
)

// run runs a program in a folder and returns what it prints.
func run(t *testing.T, folder, name string, args ...string) string {
	t.Helper()
	var c *exec.Cmd
	var errs bytes.Buffer
	var out []byte
	var err error
	for range 3 {
		c = exec.Command(name, args...)
		c.Dir, c.Stderr = folder, &errs
		if out, err = c.Output(); !tooltest.NotBegun(c, len(out)+errs.Len()) {
			break
		}
	}
	if findings := slices.Contains(args, "check") && c.ProcessState.ExitCode() == 1; err != nil && !findings {
		t.Fatalf("%s %s: %v\n%s\n%s", name, strings.Join(args, " "), err, out, errs.String())
	}
	return string(out)
}

// only is the one file in a folder that a pattern fits.
func only(t *testing.T, folder, pattern string) string {
	t.Helper()
	found, err := filepath.Glob(filepath.Join(folder, pattern))
	if err != nil || len(found) != 1 {
		t.Fatalf("%s: %v, %v", pattern, found, err)
	}
	return found[0]
}

// TestLiveRelease: two releases of one revision are the same bytes; what the Debian
// package and the archive for Windows hold does as a plain build does.
func TestLiveRelease(t *testing.T) {
	livetest.Need(t, "git", "dpkg", "wine", "x86_64-w64-mingw32-gcc")
	t.Setenv("GIT_CONFIG_COUNT", "1") // whoever owns the checkout
	t.Setenv("GIT_CONFIG_KEY_0", "safe.directory")
	t.Setenv("GIT_CONFIG_VALUE_0", "*")
	if exec.Command("git", "rev-parse", "HEAD").Run() != nil {
		t.Skip("this is no checkout of the repository")
	}
	plain, first := t.TempDir(), t.TempDir()
	run(t, "..", "go", "build", "-buildvcs=false", "-o", filepath.Join(plain, "yewcone"), "./cmd/yewcone")
	want := run(t, plain, filepath.Join(plain, "yewcone"), "demo", "marrowby")
	wanted := run(t, filepath.Join(plain, "marrowby"), filepath.Join(plain, "yewcone"), "check", "--format", "json")
	sums := run(t, "..", "go", "run", "./release", first)
	for _, made := range []string{"darwin-amd64.tar.gz", "darwin-arm64.tar.gz", "freebsd-amd64.tar.gz", "linux-amd64.tar.gz", "linux-arm64.tar.gz",
		"windows-amd64.zip", "windows-arm64.zip", "_amd64.deb", "_arm64.deb", "x86_64.rpm", "aarch64.rpm"} {
		only(t, first, "*"+made)
	}

	t.Run("twice", func(t *testing.T) {
		clone, second := filepath.Join(t.TempDir(), "elsewhere"), t.TempDir()
		run(t, ".", "git", "clone", "-q", "..", clone)
		if again := run(t, clone, "go", "run", "./release", second); again != sums && unchanged(t) {
			t.Errorf("two releases differ\n%s\n%s", sums, again)
		}
	})
	t.Run("Debian", func(t *testing.T) {
		if _, err := os.Stat("/usr/bin/yewcone"); err == nil || os.Geteuid() != 0 {
			t.Skip("it is installed already, or this is not root")
		}
		run(t, first, "dpkg", "-i", only(t, first, "*_amd64.deb"))
		defer func() { _ = exec.Command("dpkg", "--purge", "yewcone").Run() }()
		files := strings.Fields(run(t, first, "dpkg", "-L", "yewcone"))
		folder := t.TempDir()
		if got := run(t, folder, "yewcone", "demo", "marrowby"); got != want {
			t.Errorf("the package prints another demo\n%s", got)
		}
		if page := run(t, folder, "man", "-w", "yewcone"); !strings.Contains(page, "yewcone.1") {
			t.Errorf("man finds %q", page)
		}
		for _, part := range []string{"/usr/share/doc/yewcone/licences/go/LICENSE", "/usr/share/doc/yewcone/materials.cdx.json",
			"/usr/share/bash-completion/completions/yewcone", "/usr/share/doc/yewcone/demo/estate.yaml"} {
			if _, err := os.Stat(part); err != nil {
				t.Error(err)
			}
		}
		run(t, first, "dpkg", "--purge", "yewcone")
		for _, f := range files {
			if info, err := os.Lstat(f); err == nil && !info.IsDir() || strings.Contains(f, "yewcone") && err == nil {
				t.Errorf("%s is left", f)
			}
		}
	})
	t.Run("Windows", func(t *testing.T) { windows(t, first, want, wanted) })
}

// unchanged reports whether what is built here is what a clone has.
func unchanged(t *testing.T) bool {
	return run(t, "..", "git", "status", "--porcelain", "--untracked-files=no") == ""
}

// windows runs the program for Windows.
func windows(t *testing.T, made, demo, check string) {
	folder := t.TempDir()
	unpack(t, only(t, made, "*-windows-amd64.zip"), folder)
	program := only(t, folder, "*/yewcone.exe")
	t.Setenv("WINEPREFIX", filepath.Join(folder, "wine"))
	t.Setenv("WINEDEBUG", "-all")
	wine := "/usr/lib/wine/wine64"
	server := func(option string) { _ = exec.Command("/usr/lib/wine/wineserver64", option).Run() }
	server("-p") // so that it does not end between two programs
	defer server("-k")
	_ = exec.Command("wineboot", "-i").Run()
	system := filepath.Join(folder, "wine", "drive_c", "windows", "system32")
	run(t, ".", "x86_64-w64-mingw32-gcc", "-shared", "-o", filepath.Join(system, "bcryptprimitives.dll"), "testdata/bcryptprimitives.c", "-ladvapi32")
	if got := run(t, folder, wine, program, "demo", "marrowby"); got != demo {
		t.Errorf("the demo is another\n%s", got)
	}
	got := run(t, filepath.Join(folder, "marrowby"), wine, program, "check", "--format", "json")
	version := strings.TrimPrefix(strings.SplitN(strings.ReplaceAll(run(t, folder, wine, program, "version"), "\r", ""), "\n", 2)[0], "yewcone ")
	if strings.ReplaceAll(got, version, "development") != check {
		t.Errorf("check writes other JSON: %d bytes, %d on this system", len(got), len(check))
	}
	estate(t, filepath.Join(folder, "marrowby"), wine, program)
	c := exec.Command("go", "test", "-count=1", "-run", "TestScripts", "../cli")
	c.Env = append(os.Environ(), "YEWCONE_PROGRAM="+wine+" "+program, "YEWCONE_VERSION="+version)
	if out, err := c.CombinedOutput(); err != nil {
		t.Errorf("the scripts: %v\n%s", err, out)
	}
}

// estate: files as programs for Windows write them, and names that it cannot have.
func estate(t *testing.T, folder, wine, program string) {
	t.Helper()
	before := run(t, folder, wine, program, "check", "tills")
	text, err := os.ReadFile(filepath.Join(folder, "estate.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	crlf := bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n"))
	wide := []byte{0xff, 0xfe}
	for _, r := range string(text) {
		wide = append(wide, byte(r), byte(r>>8))
	}
	for name, data := range map[string][]byte{"with a byte-order mark": append([]byte("\xef\xbb\xbf"), crlf...), "as UTF-16": wide,
		"with backslashes": bytes.ReplaceAll(text, []byte("exports/tills"), []byte(`exports\tills`))} {
		if err := os.WriteFile(filepath.Join(folder, "estate.yaml"), data, 0o644); err != nil {
			t.Fatal(err)
		}
		if after := run(t, folder, wine, program, "check", "tills"); after != before {
			t.Errorf("estate.yaml %s: another result\n%s", name, after)
		}
	}
	for _, name := range []string{"con", "con.json", "ab:c.json"} {
		c := exec.Command(wine, program, "check", "tills", "--format", "json", "--out", name)
		c.Dir = folder
		if out, err := c.CombinedOutput(); err == nil || !bytes.Contains(out, []byte("Windows")) {
			t.Errorf("--out %s: %v\n%s", name, err, out)
		}
	}
}

func unpack(t *testing.T, archive, folder string) {
	t.Helper()
	z, err := zip.OpenReader(archive)
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	for _, f := range z.File {
		to := filepath.Join(folder, filepath.FromSlash(f.Name))
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			t.Fatal(err)
		}
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(in)
		if err == nil {
			err = os.WriteFile(to, data, 0o755)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
}
