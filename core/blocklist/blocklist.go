// Package blocklist looks words up in lists: a small one of well-known
// passwords that comes with the tool, sorted files of any size without loading
// them, and the words of a house with their usual decorations.
package blocklist

import (
	"bufio"
	"bytes"
	"cmp"
	"crypto/sha1"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"strings"
)

// A Form is how a list writes its entries.
type Form string

// The forms.
const (
	Plain  Form = "plain"   // one word a line
	SHA1   Form = "sha-1"   // the SHA-1 of a word in hexadecimal, a colon and how often it was seen; the count may be missing
	SHA256 Form = "sha-256" // the same with SHA-256
)

// Forms lists all forms.
var Forms = []string{string(Plain), string(SHA1), string(SHA256)}

// entry is what a word looks like in a list of the form.
func (f Form) entry(word string) []byte {
	switch f {
	case SHA1:
		sum := sha1.Sum([]byte(word))
		return fmt.Appendf(nil, "%X", sum[:])
	case SHA256:
		sum := sha256.Sum256([]byte(word))
		return fmt.Appendf(nil, "%X", sum[:])
	}
	return []byte(word)
}

// key is the part of a line that is compared: what stands before the colon of
// a hash in capitals, a plain line as it is. ok is false for a line that is no
// entry of the form.
func (f Form) key(line []byte) (key []byte, ok bool) {
	line = bytes.TrimSuffix(line, []byte("\r"))
	if f == Plain {
		return line, true
	}
	key, _, _ = bytes.Cut(line, []byte(":"))
	want := 2 * sha1.Size
	if f == SHA256 {
		want = 2 * sha256.Size
	}
	if _, err := hex.Decode(make([]byte, want/2), key); err != nil || len(key) != want {
		return key, false
	}
	return bytes.ToUpper(key), true
}

// ErrUnsorted means that a list that was taken for sorted is not.
var ErrUnsorted = errors.New("the lines are not in the order of their bytes")

// A Sorted list is a file whose lines are in the order of their bytes, as
// LC_ALL=C sort leaves them. Words are found by halving; nothing is loaded.
type Sorted struct {
	File io.ReaderAt
	Size int64
	Form Form

	sampled bool
}

// samples is how many lines, spread over the file, are looked at before the
// first search, to see whether they are in order.
const samples = 64

// window is read at a time; it holds any line that counts.
const window = 4096

// Has finds a word. The error is one of reading, or wraps ErrUnsorted where
// the lines that were seen on the way contradict their order, or tells of a
// line that is not of the form. It names the byte in the file.
func (s *Sorted) Has(word string) (bool, error) {
	if err := s.sample(); err != nil {
		return false, err
	}
	want := s.Form.entry(word)
	low, high := int64(0), s.Size // the line is in here, if it is anywhere
	var before, after []byte      // the lines next to what is left
	for low < high {
		start, line, next, err := s.lineAt(low, low+(high-low)/2)
		if err != nil {
			return false, err
		}
		key, err := s.key(start, line)
		if err != nil {
			return false, err
		}
		if before != nil && bytes.Compare(key, before) < 0 || after != nil && bytes.Compare(key, after) > 0 {
			return false, unsorted(start)
		}
		switch order := bytes.Compare(want, key); {
		case order == 0:
			return true, nil
		case order < 0:
			high, after = start, bytes.Clone(key)
		default:
			low, before = next, bytes.Clone(key)
		}
	}
	return false, nil
}

func (s *Sorted) key(start int64, line []byte) ([]byte, error) {
	key, ok := s.Form.key(line)
	if !ok {
		return nil, fmt.Errorf("byte %d: no %s in hexadecimal begins here", start, s.Form)
	}
	return key, nil
}

func unsorted(start int64) error {
	return fmt.Errorf("byte %d: %w; sort the file with LC_ALL=C sort", start, ErrUnsorted)
}

// sample looks at lines spread over the file.
func (s *Sorted) sample() error {
	if s.sampled {
		return nil
	}
	s.sampled = true
	var before []byte
	for i := range int64(samples) {
		if s.Size == 0 {
			return nil
		}
		start, line, _, err := s.lineAt(0, s.Size/samples*i)
		if err != nil {
			return err
		}
		key, err := s.key(start, line)
		if err != nil {
			return err
		}
		if before != nil && bytes.Compare(key, before) < 0 {
			return unsorted(start)
		}
		before = bytes.Clone(key)
	}
	return nil
}

// lineAt returns the line that a byte is in, where it starts and where the
// next one does. No line starts before low.
func (s *Sorted) lineAt(low, at int64) (start int64, line []byte, next int64, err error) {
	buffer := make([]byte, 0, 2*window)
	start = at
	for start > low { // back to the line's start
		from := max(low, start-window)
		part := make([]byte, start-from)
		if _, err := s.File.ReadAt(part, from); err != nil {
			return 0, nil, 0, err
		}
		if i := bytes.LastIndexByte(part, '\n'); i >= 0 {
			start = from + int64(i) + 1
			break
		}
		start = from
	}
	for next = start; next < s.Size; { // on to its end
		part := make([]byte, min(window, s.Size-next))
		if _, err := s.File.ReadAt(part, next); err != nil {
			return 0, nil, 0, err
		}
		i := bytes.IndexByte(part, '\n')
		if i >= 0 {
			buffer = append(buffer, part[:i]...)
			return start, buffer, next + int64(i) + 1, nil
		}
		if len(buffer) < 1<<20 { // longer lines are no entries; their end is not compared
			buffer = append(buffer, part...)
		}
		next += int64(len(part))
	}
	return start, buffer, s.Size, nil
}

// Scan reads a list that is not sorted, once, and tells which of the words
// stand in it.
func Scan(r io.Reader, form Form, words []string) (found map[string]bool, err error) {
	wanted := map[string]string{}
	for _, w := range words {
		wanted[string(form.entry(w))] = w
	}
	found = map[string]bool{}
	lines := bufio.NewReaderSize(r, 1<<16)
	for n := 1; ; n++ {
		line, err := lines.ReadSlice('\n')
		for tooLong := err; errors.Is(tooLong, bufio.ErrBufferFull); { // no entry is so long
			line = nil
			_, tooLong = lines.ReadSlice('\n')
			err = tooLong
		}
		if line = bytes.TrimSuffix(line, []byte("\n")); len(line) > 0 {
			key, ok := form.key(line)
			if !ok {
				return nil, fmt.Errorf("line %d: no %s in hexadecimal begins here", n, form)
			}
			if w, ok := wanted[string(key)]; ok {
				found[w] = true
			}
		}
		switch {
		case err == io.EOF:
			return found, nil
		case err != nil:
			return nil, err
		}
	}
}

// A Scanned list is one that is not sorted. Each question reads all of it;
// answers are kept.
type Scanned struct {
	Open func() (io.ReadCloser, error)
	Form Form
	kept map[string]bool
}

// Has finds a word.
func (s *Scanned) Has(word string) (bool, error) {
	if answer, asked := s.kept[word]; asked {
		return answer, nil
	}
	if err := s.Ask([]string{word}); err != nil {
		return false, err
	}
	return s.kept[word], nil
}

// Ask finds many words in one reading.
func (s *Scanned) Ask(words []string) (failed error) {
	r, err := s.Open()
	if err != nil {
		return err
	}
	defer func() { failed = cmp.Or(failed, r.Close()) }()
	found, err := Scan(r, s.Form, words)
	if err != nil {
		return err
	}
	if s.kept == nil {
		s.kept = map[string]bool{}
	}
	for _, w := range words {
		s.kept[w] = found[w]
	}
	return nil
}

// Words is a list in memory.
type Words map[string]bool

// Has finds a word.
func (w Words) Has(word string) (bool, error) { return w[word], nil }

// Count returns how many words there are.
func (w Words) Count() int { return len(w) }

// NewWords reads a list of one word a line into memory; lines that begin with
// # are remarks.
func NewWords(text string) Words {
	w := Words{}
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
			w[line] = true
		}
	}
	return w
}
