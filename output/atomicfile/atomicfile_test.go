package atomicfile

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"
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
