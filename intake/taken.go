package intake

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// Taken is what is known of an export that was taken; it stands beside it.
type Taken struct {
	At    time.Time
	From  string // the kind and address
	As    string // who asked
	Bytes int64  // of a single file, so that it is known to belong to this
	Rows  int
	Whole bool
}

// Beside is the name of the file that tells of a taken export.
func Beside(file string) string { return file + ".taken" }

// InFolder is that name within a folder.
const InFolder = "export.taken"

// Text writes what is known, a line each.
func (t *Taken) Text() string {
	return fmt.Sprintf("taken: %s\nfrom: %s\nas: %s\nrows: %d\nbytes: %d\nview: %s\n", t.At.UTC().Format(time.RFC3339), t.From, t.As, t.Rows, t.Bytes,
		map[bool]string{true: "whole", false: "not known"}[t.Whole])
}

// ReadTaken reads what is known of an export at a path: of a file as long as the
// one that it was written for, or of a folder; false where nothing is.
func ReadTaken(path string) (Taken, bool) {
	var t Taken
	info, err := os.Stat(path)
	if err != nil {
		return t, false
	}
	name := Beside(path)
	if info.IsDir() {
		name = filepath.Join(path, InFolder)
	}
	about, err := os.Stat(name)
	if err != nil || !about.Mode().IsRegular() || about.Size() > 1<<14 {
		return t, false
	}
	data, err := os.ReadFile(name)
	if err != nil {
		return t, false
	}
	for line := range strings.Lines(string(data)) {
		key, value, _ := strings.Cut(strings.TrimRight(line, "\r\n"), ": ")
		switch key {
		case "taken":
			t.At, _ = time.Parse(time.RFC3339, value)
		case "from":
			t.From = value
		case "as":
			t.As = value
		case "rows":
			_, _ = fmt.Sscan(value, &t.Rows)
		case "bytes":
			_, _ = fmt.Sscan(value, &t.Bytes)
		case "view":
			t.Whole = value == "whole"
		}
	}
	return t, !t.At.IsZero() && (info.IsDir() || t.Bytes == info.Size())
}
