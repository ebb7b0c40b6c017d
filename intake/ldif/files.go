package ldif

import (
	"errors"
	"io"
	"maps"
	"slices"
	"strings"

	"yewcone/core/check"
	"yewcone/core/estate"
	"yewcone/intake"
	"yewcone/intake/text"
)

// Files reads the LDIF files of an export, any number of times. What is wrong
// in them is noted the first time only.
type Files struct {
	request *intake.Request
	notes   *estate.Notes
	wanted  map[string]bool
	passes  int
	unread  []check.Unread
}

// Unread names the attributes that were not kept.
func (f *Files) Unread() []check.Unread { return f.unread }

// NewFiles returns the files of a request. wanted are the attributes that are
// kept, in small letters, separated by white space.
func NewFiles(r *intake.Request, notes *estate.Notes, wanted string) *Files {
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
	pieces := text.NewPieces(open, AfterEntry)
	entries := 0
	for {
		piece, err := pieces.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			if first {
				f.notes.Cut(estate.Origin{File: from, Line: r.Line}, "the file cannot be read on: %s", err)
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
					f.notes.Refuse(estate.Origin{File: from, Line: bad.Line}, "the entry is left out: %s", bad.Message)
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
		f.unread = append(f.unread, check.Unread{File: from, Names: slices.Sorted(maps.Keys(r.Skipped))})
	}
	return nil
}

// A Part is a run of entries of one file.
type Part struct {
	File   string
	piece  text.Piece
	wanted map[string]bool
}

// Each hands over the part's entries. Several parts may be read at the same
// time; what cannot be read was noted by the scan before.
func (p *Part) Each(each func(*Entry) error) error {
	r := NewEntries(p.wanted)
	r.Begin(p.piece)
	for {
		x, err := r.Next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			continue
		}
		if err := each(x); err != nil {
			return err
		}
	}
}

// Parts divides all files, for use after Scan has noted what is wrong in them.
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
	pieces := text.NewPieces(open, AfterEntry)
	for {
		piece, err := pieces.Next()
		if err != nil {
			return nil // the end, or what was noted before
		}
		if err := yield(&Part{File: from, piece: piece, wanted: f.wanted}); err != nil {
			return err
		}
	}
}

// checkEnd: exports end with the empty line that closes the last entry; one
// that does not was probably cut off.
func (f *Files) checkEnd(from string, open *text.File, r *Entries, entries int) {
	origin := estate.Origin{File: from, Line: r.Line}
	switch {
	case entries == 0:
		f.notes.Cut(origin, "no LDIF entries were found here; take the export again")
	case !open.EndsInLine():
		f.notes.Cut(origin, "the file ends in the middle of a line: it was cut off; take the export again")
	case !r.Closed:
		f.notes.Cut(origin, "the file ends without the empty line that closes an entry: it may have been cut off; take the export again, or add the line if the file is whole")
	}
}
