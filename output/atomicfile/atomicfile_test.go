package atomicfile

import (
	"errors"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"
	"time"
)

// TestWrite: whole or not at all, for the owner alone.
func TestWrite(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x")
	put := func(text string, err error) error {
		return Write(path, func(w io.Writer) error { _, _ = io.WriteString(w, text); return err })
	}
	if err := put("one", nil); err != nil {
		t.Fatal(err)
	}
	if err := put("two", errors.New("stop")); err == nil {
		t.Error("no error")
	}
	data, _ := os.ReadFile(path)
	info, err := os.Stat(path)
	if err != nil || string(data) != "one" || info.Mode().Perm() != 0o600 {
		t.Errorf("%s %v %v", data, info.Mode(), err)
	}
	if list, _ := os.ReadDir(filepath.Dir(path)); len(list) != 1 {
		t.Errorf("%d files are left", len(list))
	}
	if err := Write(filepath.Dir(path), func(io.Writer) error { return nil }); err == nil {
		t.Error("a folder is written over")
	}
}

// TestAbandon: whenever a program is told to end, nothing half made is left: not
// even what was being made at that moment.
func TestAbandon(t *testing.T) {
	const where = "YEWCONE_ABANDON_IN"
	if folder := os.Getenv(where); folder != "" { // the program that ends
		for i := range 4 {
			go func() {
				for {
					_ = Write(filepath.Join(folder, strconv.Itoa(i)), func(io.Writer) error { return errors.New("never whole") })
					if name, undo, err := Folder(folder, ".work-*"); err == nil {
						_ = os.WriteFile(filepath.Join(name, "part"), nil, 0o600)
						undo()
					}
				}
			}()
		}
		time.Sleep(10 * time.Millisecond)
		Abandon()
		os.Exit(0)
	}
	for range 20 {
		folder := t.TempDir()
		c := exec.Command(os.Args[0], "-test.run", "^TestAbandon$")
		c.Env = append(os.Environ(), where+"="+folder)
		if out, err := c.CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, out)
		}
		if list, err := os.ReadDir(folder); err != nil || len(list) > 0 {
			t.Fatalf("left: %v %v", list, err)
		}
	}
}
