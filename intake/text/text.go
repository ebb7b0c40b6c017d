// Package text opens files as UTF-8, whatever they are written in: encoding
// marks are found out, gzip and zstd are unpacked as they are read.
package text

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"
	"unicode/utf8"
	"yewcone/intake/bytescan"

	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// Encodings are the names that Open takes.
var Encodings = []string{"utf-8", "utf-16", "utf-16le", "utf-16be", "windows-1252", "latin-1"}

var encodings = map[string]encoding.Encoding{
	"utf-16":       unicode.UTF16(unicode.LittleEndian, unicode.UseBOM),
	"utf-16le":     unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM),
	"utf-16be":     unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM),
	"windows-1252": charmap.Windows1252,
	"latin-1":      charmap.ISO8859_1,
}

// A File is an open text file. Read returns UTF-8 without an encoding mark.
type File struct {
	io.Reader
	Encoding string // as found out or named
	close    []func() error
	last     *lastByte
	direct   *direct // nil where it must be read from its beginning on
}

// EndsInLine reports whether the last byte read ended a line; meaningful
// after the end has been reached.
func (f *File) EndsInLine() bool { return f.last.b == '\n' || f.last.n == 0 }

// Close closes the file and what unpacks it.
func (f *File) Close() error {
	var first error
	for i := len(f.close) - 1; i >= 0; i-- {
		if err := f.close[i](); err != nil && first == nil {
			first = err
		}
	}
	return first
}

// lastByte remembers the last byte that passed through.
type lastByte struct {
	r   io.Reader
	b   byte
	n   int64
	odd int64 // where the first control character is, counted from 1; 0 for none
	low int64 // where bytes below a blank end that are no line feeds

	unasked bool // neither is looked for

	heeded int64 // where Heed was called last
	mark   int64 // where the row begins that is being read
	marked bool
}

// Odd is where the first control character stands among the bytes read, other
// than those of white space, counted from 1; 0 for none. Few files have one that
// is not damaged.
func (f *File) Odd() int64 { return f.last.odd }

// Again tells that the file was read before: control characters are not looked for.
func (f *File) Again() { f.last.unasked = true }

func (l *lastByte) Read(p []byte) (int, error) {
	if l.marked && l.n-l.mark > MaxRow {
		return 0, ErrTooLong
	}
	n, err := l.r.Read(p)
	if n > 0 {
		if l.odd == 0 && !l.unasked {
			first, last := bytescan.Controls(p[:n])
			if first >= 0 {
				l.odd = l.n + int64(first) + 1
			}
			if last >= 0 {
				l.low = l.n + int64(last) + 1
			}
		}
		l.b = p[n-1]
		if l.n += int64(n); l.heeds() {
			Heed()
		}
	}
	return n, err
}

// heeds reports whether Heed is to be called again.
func (l *lastByte) heeds() bool {
	if Heed == nil || l.n-l.heeded <= heedEvery {
		return false
	}
	l.heeded = l.n
	return true
}

const bufferSize = 1 << 16

// Open opens a file. name is one of Encodings, or "" to find out: a mark at
// the start decides, then whether the first 64 KiB are UTF-8; text that is
// not is taken for Windows-1252, and Encoding says so.
func Open(path, name string) (*File, error) {
	if err := Regular(path); err != nil {
		return nil, err
	}
	raw, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	Opening(path)
	p := &direct{file: raw}
	f := &File{close: []func() error{p.Close}}
	packed := bufio.NewReaderSize(raw, bufferSize)
	buffered, err := f.unpack(packed)
	if err != nil {
		f.Close()
		return nil, err
	}
	info, err := raw.Stat()
	var decoded bool
	if p.from, decoded = f.decode(buffered, name); buffered == packed && !decoded && err == nil {
		p.size, f.direct = info.Size(), p
	}
	return f, nil
}

// Regular is an error for what is no file with a beginning and an end: reading a
// pipe, a device or a terminal would wait for ever.
func Regular(path string) error {
	info, err := os.Stat(path)
	switch {
	case err != nil:
		return err
	case info.IsDir():
		return fmt.Errorf("%s is a folder, not a file", path)
	case info.Mode()&fs.ModeNamedPipe != 0:
		return fmt.Errorf("%s is a pipe, not a file", path)
	case info.Mode()&fs.ModeSocket != 0:
		return fmt.Errorf("%s is a socket, not a file", path)
	case !info.Mode().IsRegular():
		return fmt.Errorf("%s is a device, not a file", path)
	}
	return nil
}

func (f *File) unpack(r *bufio.Reader) (*bufio.Reader, error) {
	head, _ := r.Peek(4)
	switch {
	case bytes.HasPrefix(head, []byte{0x1f, 0x8b}):
		z, err := gzip.NewReader(r)
		if err != nil {
			return nil, fmt.Errorf("damaged gzip file: %w", err)
		}
		f.close = append(f.close, z.Close)
		return bufio.NewReaderSize(z, bufferSize), nil
	case bytes.HasPrefix(head, []byte{0x28, 0xb5, 0x2f, 0xfd}):
		z, err := zstd.NewReader(r, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20))
		if err != nil {
			return nil, fmt.Errorf("damaged zstd file: %w", err)
		}
		f.close = append(f.close, func() error { z.Close(); return nil })
		return bufio.NewReaderSize(z, bufferSize), nil
	}
	return r, nil
}

// decode makes the file's reader, and returns where the text begins, and whether it is
// decoded.
func (f *File) decode(r *bufio.Reader, name string) (from int64, decodes bool) {
	head, _ := r.Peek(bufferSize)
	switch {
	case bytes.HasPrefix(head, []byte{0xef, 0xbb, 0xbf}):
		_, _ = r.Discard(3)
		from = 3
		f.Encoding = "utf-8"
	case bytes.HasPrefix(head, []byte{0xff, 0xfe}), bytes.HasPrefix(head, []byte{0xfe, 0xff}):
		f.Encoding = "utf-16"
	case name != "":
		f.Encoding = strings.ToLower(name)
	case looksUTF16(head) != "":
		f.Encoding = looksUTF16(head)
	case validStart(head):
		f.Encoding = "utf-8"
	default:
		f.Encoding = "windows-1252"
	}
	var decoded io.Reader = r
	e, decodes := encodings[f.Encoding]
	if decodes {
		decoded = transform.NewReader(r, e.NewDecoder())
	}
	f.last = &lastByte{r: decoded}
	f.Reader = f.last
	return from, decodes
}

// looksUTF16 recognises UTF-16 without a mark by its zero bytes.
func looksUTF16(head []byte) string {
	odd, even := 0, 0
	for i, b := range head {
		if b == 0 && i%2 == 1 {
			odd++
		} else if b == 0 {
			even++
		}
	}
	switch {
	case odd > len(head)*3/8 && even == 0:
		return "utf-16le"
	case even > len(head)*3/8 && odd == 0:
		return "utf-16be"
	}
	return ""
}

// validStart reports whether the bytes are UTF-8, but for a character cut off
// at their end.
func validStart(head []byte) bool {
	for cut := 0; cut < 4 && cut <= len(head); cut++ {
		if utf8.Valid(head[:len(head)-cut]) {
			return true
		}
		if len(head) < bufferSize {
			return false // the whole file is here
		}
	}
	return false
}
