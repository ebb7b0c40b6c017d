package formats

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

func packed(data []byte) []byte {
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	_, _ = w.Write(data)
	_ = w.Close()
	return b.Bytes()
}

func sixteen(data []byte) []byte {
	out, err := unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().Bytes(data)
	if err != nil {
		panic(err)
	}
	return out
}

// inUTF8 is a text that may be of Windows-1252, so that it can have a mark.
func inUTF8(data []byte) []byte {
	if utf8.Valid(data) {
		return data
	}
	out, err := charmap.Windows1252.NewDecoder().Bytes(data)
	if err != nil {
		panic(err)
	}
	return out
}

// inMiddle puts bytes into the middle of the middle line.
func inMiddle(data, extra []byte) []byte {
	at := len(data) / 2
	for at < len(data)-1 && (data[at] == '\n' || data[at+1] == '\n') {
		at++
	}
	return append(append(append([]byte{}, data[:at]...), extra...), data[at:]...)
}

// rewrite changes every text file that a format reads.
func rewrite(t *testing.T, folder string, change func([]byte) []byte) {
	t.Helper()
	err := fs.WalkDir(os.DirFS(folder), ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasSuffix(name, ".xlsx") || strings.HasSuffix(name, ".yaml") {
			return err
		}
		path := filepath.Join(folder, name)
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		return os.WriteFile(path, change(data), 0o600)
	})
	if err != nil {
		t.Fatal(err)
	}
}

// TestTextAsItComes: marks, encodings, line ends and packing change nothing in
// what any format reads.
func TestTextAsItComes(t *testing.T) {
	changes := map[string]func([]byte) []byte{
		"mark":   func(d []byte) []byte { return append([]byte("\ufeff"), inUTF8(d)...) },
		"utf-16": func(d []byte) []byte { return sixteen(inUTF8(d)) },
		"crlf": func(d []byte) []byte {
			return bytes.ReplaceAll(bytes.ReplaceAll(d, []byte("\r"), nil), []byte("\n"), []byte("\r\n"))
		},
		"gzip": packed,
	}
	for _, c := range captured {
		whole := readEverything(t, c.copyTo(t), &c)
		for name, change := range changes {
			t.Run(c.name()+" "+name, func(t *testing.T) {
				folder := c.copyTo(t)
				rewrite(t, folder, change)
				got := readEverything(t, folder, &c)
				if got == nil {
					t.Fatal("it cannot be read")
				}
				if !maps.Equal(got.accounts, whole.accounts) {
					t.Errorf("the accounts differ: %d, expected %d\n%s", len(got.accounts), len(whole.accounts), got.noted)
				}
				if !maps.Equal(got.facts, whole.facts) {
					for name, value := range whole.facts {
						if got.facts[name] != value {
							t.Errorf("%s is %q, expected %q\n%s", name, got.facts[name], value, got.noted)
							return
						}
					}
					t.Errorf("there are %d facts, expected %d", len(got.facts), len(whole.facts))
				}
			})
		}
	}
}

// TestHostileText: bytes that no export holds are read past, refused or an
// error, without a panic and in bounded memory.
func TestHostileText(t *testing.T) {
	deep := bytes.Repeat([]byte("[{\"a\":"), 200000)
	for name, change := range map[string]func([]byte) []byte{
		"a zero byte":        func(d []byte) []byte { return inMiddle(d, []byte{0}) },
		"no text":            func(d []byte) []byte { return inMiddle(d, []byte{0xff, 0xfe, 0xff, 0x80}) },
		"control characters": func(d []byte) []byte { return inMiddle(d, []byte("\x1b[2J\x07\x9b\u202e")) },
		"a long field":       func(d []byte) []byte { return inMiddle(d, bytes.Repeat([]byte("A"), 3<<20)) },
		"deep nesting":       func(d []byte) []byte { return inMiddle(d, deep) },
		"only deep nesting":  func([]byte) []byte { return deep },
		"everything twice":   func(d []byte) []byte { return append(append([]byte{}, d...), d...) },
		"quotes":             func(d []byte) []byte { return inMiddle(d, []byte(`"""'`+"`")) },
		"nothing":            func([]byte) []byte { return nil },
		"half a packed file": func(d []byte) []byte { p := packed(d); return p[:len(p)/2] },
		"random bytes":       func(d []byte) []byte { return packed(packed(d)) },
	} {
		for _, c := range captured {
			t.Run(name+" "+c.name(), func(t *testing.T) {
				whole := readEverything(t, c.copyTo(t), &c)
				folder := c.copyTo(t)
				rewrite(t, folder, change)
				var before, after runtime.MemStats
				runtime.ReadMemStats(&before)
				got := readEverything(t, folder, &c)
				runtime.ReadMemStats(&after)
				if used := (after.TotalAlloc - before.TotalAlloc) >> 20; used > 1500 {
					t.Errorf("%d MB were allocated", used)
				}
				lost := strings.Contains(name, "nothing") || strings.Contains(name, "packed") ||
					strings.Contains(name, "only") || name == "random bytes"
				if lost && c.folder != "../../demo/estate/exports/cargo" && got != nil && !got.cut && got.refused == 0 &&
					len(got.accounts) == len(whole.accounts) {
					t.Error("what cannot be read was read in silence")
				}
			})
		}
	}
}
