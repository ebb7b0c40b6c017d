package text

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"sync"
	"unsafe"

	"yewcone/intake/bytescan"
)

// direct is a file that lies on a disk as its text is, so that any stretch of it can be read
// at any time.
type direct struct {
	file *os.File
	from int64 // where the text begins
	size int64 // as it was when the file was opened

	mutex   sync.Mutex // of what is below, and of what the File says at its end
	waiting int        // pieces that were begun and not read yet
	closed  bool
}

// begin tells that another piece will be read.
func (p *direct) begin() {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	p.waiting++
}

// done tells that a piece was read.
func (p *direct) done() {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.waiting--; p.closed && p.waiting == 0 {
		p.file.Close() // only read
	}
}

// Close closes the file, once all pieces were read that were begun.
func (p *direct) Close() error {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.closed = true; p.waiting == 0 {
		return p.file.Close()
	}
	return nil
}

// A later is a piece of a direct file that is read once it is wanted: several at the same
// time. It is a stretch of the file with what the one before left of a record, up to the
// end of the last record in it.
type later struct {
	once   sync.Once
	pieces *Pieces
	from   int64
	last   bool // no other stretch follows
	before *later

	piece Piece // what it is, for who asked for it
	err   error

	rest  []byte // behind its last record
	plain bool   // that is, as Piece.Plain has it
	b     byte   // the last one of it and of all before
	tried int    // so much of that was looked through for the end of a record
	line  int    // on which that begins
	ended bool   // nothing follows
}

// stretch is how many bytes of a direct file are read together.
func stretch() int { return PieceSize + PieceSize/4 }

// load reads the piece, and those before it that nobody has read.
func (l *later) load() { l.once.Do(l.read) }

// roomForRest is for what the stretch before left of a record, where that is short.
const roomForRest = 1 << 14

func (l *later) read() {
	p, f := l.pieces, l.pieces.file
	defer f.direct.done()
	memory, read, err := l.fetch()
	low, feeds := f.look(l.from, read), bytes.Count(read, []byte("\n"))
	rest, tried, plain := l.inherit() // which takes waiting, so that all else is done
	if l.ended {
		l.piece = Piece{Line: l.line, Last: true}
		return
	}
	var text []byte
	if len(rest) <= roomForRest {
		text = memory[roomForRest-len(rest) : roomForRest+len(read)]
		copy(text, rest)
	} else {
		text = append(rest, read...)
		p.spare.put(memory)
		memory = nil
	}
	plain = plain && low < 0
	if l.last && err == nil {
		before := len(text)
		text, err = l.fetchMore(text, l.from+int64(len(read)))
		plain = f.look(l.from+int64(len(read)), text[before:]) < 0 && plain
	}
	whole := unsafe.String(unsafe.SliceData(text), len(text)) // which nobody writes to any more
	end := len(whole)
	if f.passed(int64(len(whole) - len(rest))); end > 0 {
		l.b = whole[end-1]
	}
	switch {
	case err == io.EOF:
		l.ended, f.last.b = true, l.b
		if spare := p.spare; l.last {
			p.spare = nil // who opened the file may keep it
			defer func() { l.piece.spare = spare }()
		}
	case err != nil:
		l.err, l.ended, end = err, true, 0
	case len(whole) < 2*tried: // a record that is longer than pieces is not gone through again for each
		end = 0
	default:
		if end = p.cut(whole); end == 0 {
			tried = len(whole)
		}
	}
	l.piece = Piece{Line: l.line, Last: l.ended}
	switch {
	case l.ended:
	case end > 0:
		l.rest = append([]byte(nil), text[end:]...) // the piece may be given back before the next is read
	case len(whole) >= MaxEntry:
		l.err, l.ended = tooLong(l.line), true
	default:
		l.rest, l.tried, memory = text, tried, nil
	}
	if l.plain = plain || low+len(rest) < end; end > 0 {
		l.piece.Text, l.piece.Plain, l.piece.memory, l.piece.spare = whole[:end], plain, memory, p.spare
		l.line += bytes.Count(rest, []byte("\n")) + feeds - bytes.Count(l.rest, []byte("\n"))
	}
}

// fetch reads the stretch into memory that has room before it; with io.EOF where the file
// ends.
func (l *later) fetch() (memory, read []byte, err error) {
	size := stretch()
	if memory = l.pieces.spare.take(); cap(memory) < roomForRest+size {
		memory = make([]byte, roomForRest+size)
	}
	memory = memory[:cap(memory)]
	n, err := l.pieces.file.direct.file.ReadAt(memory[roomForRest:roomForRest+size], l.from)
	return memory, memory[roomForRest : roomForRest+n], err
}

// fetchMore adds what stands from a place on in a file that has grown, up to its end.
func (l *later) fetchMore(text []byte, at int64) (_ []byte, err error) {
	for n := 0; err == nil; at += int64(n) {
		text = append(text, make([]byte, bufferSize)...)
		n, err = l.pieces.file.direct.file.ReadAt(text[len(text)-bufferSize:], at)
		text = text[:len(text)-bufferSize+n]
	}
	return text, err
}

// inherit waits for the stretch before, and returns what that left of a record, how much
// of it was looked through for an end, and whether it is plain.
func (l *later) inherit() (rest []byte, tried int, plain bool) {
	before := l.before
	if l.before = nil; before == nil {
		l.line = 1
		return nil, 0, true
	}
	before.load()
	l.line, l.ended, l.b = before.line, before.ended, before.b
	rest, before.rest = before.rest, nil
	return rest, before.tried, before.plain
}

func tooLong(line int) error {
	return fmt.Errorf("line %d begins a record of more than %d MB", line, MaxEntry>>20)
}

// passed tells that so many more bytes were read.
func (f *File) passed(n int64) {
	f.direct.mutex.Lock()
	f.last.n += n
	heed := f.last.heeds()
	f.direct.mutex.Unlock()
	if heed {
		Heed()
	}
}

// look looks for control characters in what stands at a place, and returns where the last
// is that is no line feed, the end where that is not known; -1 for none.
func (f *File) look(from int64, text []byte) (low int) {
	if f.last.unasked {
		return len(text)
	}
	first, low := bytescan.Controls(text)
	if first < 0 {
		return low
	}
	f.direct.mutex.Lock()
	defer f.direct.mutex.Unlock()
	if at := from - f.direct.from + int64(first) + 1; f.last.odd == 0 || at < f.last.odd {
		f.last.odd = at
	}
	return len(text)
}
