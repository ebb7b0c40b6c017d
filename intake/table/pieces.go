package table

import (
	"io"

	"yewcone/core/facts"
	"yewcone/intake/text"
)

// A Divisible table can be read piece by piece, each on its own.
type Divisible interface {
	Table
	// NextPiece returns the next piece of the file; false at the end. Load may have to read it.
	NextPiece(notes *facts.Notes) (text.Piece, bool)
	// Width is how many texts a row has, once all columns were asked for.
	Width() int
	// Part reads the rows of a piece. Several may be read at the same time.
	Part(piece text.Piece, notes *facts.Notes) Rows
	// Absorb takes in what a part learned that was read to its end; in the
	// order of the pieces.
	Absorb(Rows)
	// Pack is what Absorb takes of a part, as JSON, and Unpack is a part of which
	// Absorb takes that.
	Pack(Rows) ([]byte, error)
	Unpack([]byte) (Rows, error)
	// Pass gives back what a piece holds that nobody reads.
	Pass(piece text.Piece)
	// End judges the whole, after the last Absorb; Finish calls it.
	End(notes *facts.Notes)
	Finish(notes *facts.Notes)
}

// InPieces makes a table of a Divisible one; forms embed it.
type InPieces struct {
	self    Divisible
	Name    string
	File    *text.File
	pieces  *text.Pieces
	notes   *facts.Notes
	Waiting *text.Piece // that was begun already
	now     Rows
}

// NewInPieces returns what a form embeds, given itself.
func NewInPieces(self Divisible, name string, f *text.File, pieces *text.Pieces, notes *facts.Notes) InPieces {
	return InPieces{self: self, Name: name, File: f, pieces: pieces, notes: notes}
}

// Close closes the file.
func (t *InPieces) Close() { t.File.Close() }

// Origin names the file.
func (t *InPieces) Origin() facts.Origin { return facts.Origin{File: t.Name} }

// Pass gives back what a piece holds that nobody reads.
func (t *InPieces) Pass(piece text.Piece) {
	_ = piece.Load() // who reads it tells what is wrong
	piece.Free()
}

// First returns the first piece, for forms that begin with headings: what is left
// of it waits.
func (t *InPieces) First() (text.Piece, error) { return t.pieces.Next() }

// NextPiece returns the next piece of the file, which Load may have to read; false at the
// end.
func (t *InPieces) NextPiece(notes *facts.Notes) (text.Piece, bool) {
	if p := t.Waiting; p != nil {
		t.Waiting = nil
		return *p, true
	}
	piece, err := t.pieces.Begin()
	if err != nil && err != io.EOF {
		cannotRead(t.Name, err, notes)
	}
	return piece, err == nil
}

// Load reads a piece that NextPiece began.
func Load(piece *text.Piece, name string, notes *facts.Notes) {
	if err := piece.Load(); err != nil {
		cannotRead(name, err, notes)
	}
}

func cannotRead(name string, err error, notes *facts.Notes) {
	notes.Incomplete(facts.Origin{File: name}, "the file cannot be read on: %s", err)
}

// Finish judges the whole, after the last Absorb.
func (t *InPieces) Finish(notes *facts.Notes) {
	notes.Odd(facts.Origin{File: t.Name}, t.File.Odd())
	t.self.End(notes)
}

// Next returns the next row and where it stands, or nil at the end.
func (t *InPieces) Next() ([]string, Place) {
	for {
		if t.now == nil {
			piece, ok := t.self.NextPiece(t.notes)
			if !ok {
				t.Finish(t.notes)
				return nil, Place{}
			}
			Load(&piece, t.Name, t.notes)
			t.now = t.self.Part(piece, t.notes)
		}
		if row, at := t.now.Next(); row != nil {
			return row, at
		}
		t.self.Absorb(t.now)
		t.now = nil
	}
}
