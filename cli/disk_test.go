package cli

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"

	"yewcone/cli/tooltest"
)

// TestDiskFull: what cannot be written is an error, whatever the form, and leaves
// what was there before and no half file.
func TestDiskFull(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("it is about files, not about races")
	}
	if runtime.GOOS != "linux" {
		t.Skip("no device that is always full here")
	}
	folder := demoFolder(t)
	lines := []string{"intake", "gaps", "changes", "remedy", "due", "replay rota", "settings", "checks", "facts", "mint rota", "space rota"}
	for _, format := range []string{"text", "json", "html", "markdown", "csv", "ndjson", "sarif", "junit", "oscal", "xlsx"} {
		lines = append(lines, "check rota --format "+format)
	}
	for _, line := range lines {
		out, err := tooltest.Shell(folder, "yewcone "+line+" > /dev/full").CombinedOutput()
		if !strings.Contains(string(out), "no space left on device") || err == nil {
			t.Errorf("%s: %v: %.300s", line, err, out)
		}
	}
	for _, name := range []string{"result.json", "result.xlsx", "result.html"} {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte("before"), 0o600); err != nil {
			t.Fatal(err)
		}
		out, err := tooltest.Shell(folder, "ulimit -f 8; yewcone check --examples 3000 --format "+filepath.Ext(name)[1:]+" --out "+name).CombinedOutput()
		kept, readErr := os.ReadFile(path)
		left, _ := filepath.Glob(filepath.Join(folder, "."+name+"*"))
		if err == nil || !strings.Contains(string(out), "cannot write "+name) || readErr != nil || string(kept) != "before" || len(left) > 0 {
			t.Errorf("%s: %v, %q is kept, %v is left: %.300s", name, err, kept, left, out)
		}
	}
}

// TestClosedPipe: whoever reads no further ends the run without a trace.
func TestClosedPipe(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("it is about files, not about races")
	}
	if runtime.GOOS == "windows" {
		t.Skip("other pipes")
	}
	folder := demoFolder(t)
	for _, line := range []string{"check --all", "check --format json --examples 3000", "due", "check --format html"} {
		out, err := tooltest.Shell(folder, "yewcone "+line+" | head -c 100 | wc -c").CombinedOutput()
		if err != nil || strings.TrimSpace(string(out)) != "100" {
			t.Errorf("%s: %v: %.300s", line, err, out)
		}
	}
}

// filesOf tells what is in a folder, by name: size, time and permissions.
func filesOf(t *testing.T, folder string) map[string]string {
	t.Helper()
	all := map[string]string{}
	err := filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		info, err := d.Info()
		if err == nil {
			all[path] = fmt.Sprint(info.Size(), info.ModTime().UnixNano(), info.Mode())
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return all
}

// TestOnlyRead: commands that tell something change nothing in the estate, and run
// where nothing in it can be written.
func TestOnlyRead(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("it is about files, not about races")
	}
	folder := demoFolder(t)
	if err := filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		mode := os.FileMode(0o400)
		if err == nil && d.IsDir() {
			mode = 0o500
		}
		return os.Chmod(path, mode)
	}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { // so that it can be taken away
		_ = filepath.WalkDir(folder, func(path string, _ fs.DirEntry, _ error) error { return os.Chmod(path, 0o700) })
	})
	before := filesOf(t, folder)
	for _, line := range []string{"check", "check --format xlsx --out " + filepath.Join(t.TempDir(), "b.xlsx"), "intake", "gaps", "changes", "remedy",
		"due", "report --out " + filepath.Join(t.TempDir(), "r.html"), "replay quay1", "impact --set rota/service.min_length=16", "why rota eilidh.muir",
		"try --trials", "derive rota", "mint rota", "space rota", "rules show house"} {
		_, stderr, code := runTool(t, folder, strings.Fields(line)...)
		if code != ExitClean && code != ExitFindings {
			t.Errorf("%s: exit %d: %s", line, code, stderr)
		}
	}
	after := filesOf(t, folder)
	for name, was := range before {
		if after[name] != was {
			t.Errorf("%s was %s and is %s", name, was, after[name])
		}
	}
	if len(after) != len(before) {
		t.Errorf("there are %d files and folders, and were %d", len(after), len(before))
	}
}

// TestTwoAtOnce: two runs that write the same files end with whole ones.
func TestTwoAtOnce(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("it is about files, not about races")
	}
	folder := demoFolder(t)
	const runs = 4
	var group sync.WaitGroup
	for _, line := range []string{"keep", "check --format json --out same.json", "check --format xlsx --out same.xlsx"} {
		for range runs {
			group.Add(1)
			go func() {
				defer group.Done()
				out, err := tooltest.Command(folder, strings.Fields(line)...).CombinedOutput()
				if err != nil && !strings.HasPrefix(line, "check") {
					t.Errorf("%s: %v: %s", line, err, out)
				}
			}()
		}
	}
	group.Wait()
	stdout, stderr, code := runTool(t, folder, "history")
	if code != ExitClean || strings.Count(stdout, "12 systems")+strings.Count(stdout, "23 06:00") < runs {
		t.Errorf("exit %d: %s%s", code, stdout, stderr)
	}
	alone, _, _ := runTool(t, folder, "check", "--format", "json")
	if data, err := os.ReadFile(filepath.Join(folder, "same.json")); err != nil || string(data) != alone {
		t.Errorf("the file is another than that of a run alone: %d and %d bytes, %v", len(data), len(alone), err)
	}
	if data, err := os.ReadFile(filepath.Join(folder, "same.xlsx")); err != nil || unpackedParts(t, data) == "" {
		t.Error(err)
	}
}
