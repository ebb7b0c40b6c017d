package ldif

import (
	"cmp"
	"errors"
	"io"
	"maps"
	"runtime"
	"slices"
	"strings"
	"sync"

	"yewcone/core/facts"
	"yewcone/core/inorder"
	"yewcone/intake"
	"yewcone/intake/text"
)

// Files reads the LDIF files of an export, any number of times. What is wrong
// in them is noted the first time only.
type Files struct {
	request *intake.Request
	notes   *facts.Notes
	wanted  map[string]bool
	early   map[string]bool // of these, what Gather reads
	late    map[string]bool // of these, what parts read
	passes  int
	spare   sync.Pool // of readers for parts
	Watch   Watch     // attributes that entries note the presence of
	Search  bool      // a file has lines that a search tool writes; complete after Gather
	unread  []facts.Unread
}

// Unread names the attributes that were not kept.
func (f *Files) Unread() []facts.Unread { return f.unread }

// NewFiles returns the files of a request. wanted are the attributes that are
// kept, in small letters, separated by white space.
func NewFiles(r *intake.Request, notes *facts.Notes, wanted string) *Files {
	f := &Files{request: r, notes: notes, wanted: map[string]bool{}}
	for _, name := range strings.Fields("dn version search result ref changetype objectclass " + wanted) {
		f.wanted[name] = true
	}
	return f
}

// Scan reads all files once and hands over each entry. It stops at the first
// error of each and returns it; a file that cannot be opened is an
// *intake.Unreadable.
func (f *Files) Scan(each func(file string, x *Entry) error) error {
	f.passes++
	for _, from := range f.request.From {
		if err := f.scanFile(from, each); err != nil {
			return err
		}
	}
	return nil
}

func (f *Files) scanFile(from string, each func(file string, x *Entry) error) error {
	open, err := text.Open(f.request.Path(from), "")
	if err != nil {
		return intake.CannotOpen(from, err)
	}
	defer open.Close()
	first := f.passes == 1
	r := NewEntries(f.wanted)
	r.Watch = f.Watch
	pieces := text.NewPieces(open, AfterEntry)
	entries := 0
	for {
		piece, err := pieces.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			if first {
				f.notes.Incomplete(facts.Origin{File: from, Line: r.Line}, "the file cannot be read on: %s", err)
			}
			return nil
		}
		r.Begin(piece)
		for {
			x, err := r.Next()
			var bad *BadEntry
			if err == io.EOF {
				break
			}
			if errors.As(err, &bad) {
				if first {
					bad.Tell(f.notes, from)
				}
				continue
			}
			entries++
			if err := each(from, x); err != nil {
				return err
			}
		}
	}
	if first {
		f.checkEnd(from, open, r, entries)
		f.unread = append(f.unread, facts.Unread{File: from, Names: slices.Sorted(maps.Keys(r.Skipped))})
	}
	return nil
}

// A Part is a run of entries of one file.
type Part struct {
	File  string
	piece text.Piece
	files *Files
}

// Each hands over the part's entries, and notes those that cannot be read.
// Several parts may be read at the same time.
func (p *Part) Each(notes *facts.Notes, each func(*Entry) error) error {
	return p.read(func(r *Entries) error {
		for {
			x, err := p.next(r, notes)
			if err != nil {
				return err
			}
			if err := each(x); err != nil {
				return err
			}
		}
	})
}

// next is the next entry that can be read; the others are noted.
func (p *Part) next(r *Entries, notes *facts.Notes) (*Entry, error) {
	for {
		x, err := r.Next()
		var bad *BadEntry
		if !errors.As(err, &bad) {
			return x, err
		}
		bad.Tell(notes, p.File)
	}
}

// read hands over a reader of the part's entries, to be read up to io.EOF.
func (p *Part) read(each func(*Entries) error) error {
	r, _ := p.files.spare.Get().(*Entries)
	if r == nil {
		r = p.files.again()
	}
	if err := p.piece.Load(); err != nil {
		p.piece.Text = "" // which was noted when it was read first
	}
	r.Begin(p.piece)
	defer p.piece.Free() // accounts are only good until the next
	defer p.files.spare.Put(r)
	if err := each(r); err != io.EOF {
		return err
	}
	return nil
}

// again is a reader for parts.
func (f *Files) again() *Entries {
	r := NewEntries(f.late)
	r.Watch, r.Briefly = f.Watch, true
	return r
}

// Parts divides all files, for use after Gather, which noted where they end
// too early.
func (f *Files) Parts(yield func(*Part) error) error {
	for _, from := range f.request.From {
		if err := f.partsOf(from, yield); err != nil {
			return err
		}
	}
	return nil
}

func (f *Files) partsOf(from string, yield func(*Part) error) error {
	open, err := text.Open(f.request.Path(from), "")
	if err != nil {
		return intake.CannotOpen(from, err)
	}
	defer open.Close()
	open.Again()
	pieces := text.NewPieces(open, AfterEntry)
	for {
		piece, err := pieces.Begin()
		if err != nil {
			return nil // the end, or what was noted before
		}
		if err := yield(&Part{File: from, piece: piece, files: f}); err != nil {
			return err
		}
	}
}

// Gather is Scan for the entries that keep wants, with the files read in parts
// side by side; keep may be called from several sides at the same time, and looks at object
// classes, at which attributes there are, and at the first values of these only. The
// entries come in the order of the files, without the attributes that later
// lists, separated by white space: these are for the accounts. What parts hand
// over lacks those that only lists, which accounts are not asked for. Entries that
// cannot be read are left for the parts to note.
func (f *Files) Gather(later, only string, keep func(*Entry) bool, each func(file string, x *Entry) error) error {
	f.passes++
	f.early = maps.Clone(f.wanted)
	for _, name := range strings.Fields(later) {
		delete(f.early, name)
	}
	f.late = maps.Clone(f.wanted)
	for _, name := range strings.Fields(only) {
		delete(f.late, name)
	}
	for _, from := range f.request.From {
		if err := f.gatherFile(from, keep, each); err != nil {
			return err
		}
	}
	return nil
}

// gathering hands out the pieces of a file; broken is why it cannot be read on.
type gathering struct {
	sync.Mutex
	pieces *text.Pieces
	turn   int
	ended  bool
	broken error
}

// next is the next piece, and how many came before it; false where there is none. Who asks
// reads it, so that it lies near who looks at it, and others read theirs meanwhile.
func (g *gathering) next() (turn int, piece text.Piece, ok bool) {
	g.Lock()
	defer g.Unlock()
	if g.ended {
		return 0, piece, false
	}
	piece, err := g.pieces.Begin()
	if err != nil {
		if g.ended = true; err != io.EOF {
			g.broken = err
		}
		return 0, piece, false
	}
	g.turn++
	return g.turn - 1, piece, true
}

// gathered is what one piece brought.
type gathered struct {
	entries []Entry
	count   int
	reader  *glancer
	broken  error // why the piece cannot be read
}

func (f *Files) gatherFile(from string, keep func(*Entry) bool, each func(file string, x *Entry) error) error {
	open, err := text.Open(f.request.Path(from), "")
	if err != nil {
		return intake.CannotOpen(from, err)
	}
	defer open.Close()
	var spare sync.Pool // of readers for pieces of this file
	jobs := runtime.GOMAXPROCS(0)
	r := gathering{pieces: text.NewPieces(open, AfterEntry)}
	last, entries, skipped := NewEntries(f.wanted), 0, map[string]bool{}
	ending := NewEntries(nil)
	var failed, broken error
	line := inorder.Line[gathered]{Take: func(g gathered) {
		broken = cmp.Or(broken, g.broken)
		last.Line, last.Closed, entries = g.reader.Line, g.reader.Closed, entries+g.count
		f.Search = f.Search || g.reader.Search
		ending.Merge(g.reader.Entries)
		maps.Copy(skipped, g.reader.Skipped)
		g.reader.Forget()
		spare.Put(g.reader)
		for i := range g.entries {
			if failed == nil {
				failed = each(from, &g.entries[i])
			}
		}
	}}
	var workers sync.WaitGroup
	for range jobs {
		workers.Go(func() {
			for turn, piece, ok := r.next(); ok; turn, piece, ok = r.next() {
				line.Bring(turn, f.gatherPiece(piece, &spare, keep))
			}
		})
	}
	workers.Wait()
	switch broken = cmp.Or(broken, r.broken); {
	case failed != nil:
		return failed
	case broken != nil:
		f.notes.Incomplete(facts.Origin{File: from, Line: last.Line}, "the file cannot be read on: %s", broken)
		return nil
	}
	last.Failed, last.Told = ending.Failed, ending.Told
	f.checkEnd(from, open, last, entries)
	maps.DeleteFunc(skipped, func(name string, _ bool) bool { return f.wanted[strings.ToLower(name)] })
	f.unread = append(f.unread, facts.Unread{File: from, Names: slices.Sorted(maps.Keys(skipped))})
	return nil
}

func (f *Files) gatherPiece(piece text.Piece, spare *sync.Pool, keep func(*Entry) bool) gathered {
	defer piece.Free() // what is kept is copied
	var g gathered
	if g.reader, _ = spare.Get().(*glancer); g.reader == nil {
		g.reader = newGlancer(NewEntries(f.early))
		g.reader.Watch, g.reader.Briefly = f.Watch, true
	}
	g.broken = piece.Load()
	g.reader.Begin(piece)
	var bad *BadEntry
	for {
		x, err := g.reader.Next()
		switch {
		case err == io.EOF:
			return g
		case errors.As(err, &bad):
			continue
		}
		if g.count++; keep(x) {
			x = g.reader.whole(x)
			x.Own()
			kept := *x
			kept.Attrs = slices.Clone(x.Attrs)
			g.entries = append(g.entries, kept)
		}
	}
}

// checkEnd: exports end with the empty line that closes the last entry; one
// that does not was probably cut off.
func (f *Files) checkEnd(from string, open *text.File, r *Entries, entries int) {
	origin := facts.Origin{File: from, Line: r.Line}
	f.notes.Odd(facts.Origin{File: from}, open.Odd())
	if bad := r.Bad(entries); bad != "" {
		f.notes.Incomplete(origin, "%s", bad)
	}
	switch {
	case entries == 0:
		f.notes.Incomplete(origin, "no LDIF entries were found here; take the export again")
	case !open.EndsInLine():
		f.notes.Incomplete(origin, "the file ends in the middle of a line: it was cut off; take the export again")
	case !r.Closed:
		f.notes.Incomplete(origin, "the file ends without the empty line that closes an entry: it may have been cut off; take the "+
			"export again, or add the line if the file is whole")
	}
}
