package mapping

import (
	"io"

	"yewcone/core/facts"
	"yewcone/intake/text"
)

// A divisible table can be read piece by piece, each on its own.
type divisible interface {
	table
	// nextPiece returns the next piece of the file; false at the end.
	nextPiece(notes *facts.Notes) (text.Piece, bool)
	// part reads the rows of a piece. Several may be read at the same time.
	part(piece text.Piece, notes *facts.Notes) pieceRows
	// absorb takes in what a part learned that was read to its end; in the
	// order of the pieces.
	absorb(pieceRows)
	// end judges the whole, after the last absorb.
	end(notes *facts.Notes)
}

// pieceRows are the rows of one piece.
type pieceRows interface {
	next() ([]string, int)
}

// inPieces makes a table of a divisible one.
type inPieces struct {
	self    divisible
	name    string
	file    *text.File
	pieces  *text.Pieces
	notes   *facts.Notes
	waiting *text.Piece // that was begun already
	now     pieceRows
}

func newInPieces(self divisible, name string, f *text.File, pieces *text.Pieces, notes *facts.Notes) inPieces {
	return inPieces{self: self, name: name, file: f, pieces: pieces, notes: notes}
}

func (t *inPieces) close()       { t.file.Close() }
func (t *inPieces) path() string { return t.name }

func (t *inPieces) nextPiece(notes *facts.Notes) (text.Piece, bool) {
	if p := t.waiting; p != nil {
		t.waiting = nil
		return *p, true
	}
	piece, err := t.pieces.Next()
	if err != nil && err != io.EOF {
		notes.Incomplete(facts.Origin{File: t.name}, "the file cannot be read on: %s", err)
	}
	return piece, err == nil
}

// next returns the next row and its line, or nil at the end.
func (t *inPieces) next() ([]string, int) {
	for {
		if t.now == nil {
			piece, ok := t.nextPiece(t.notes)
			if !ok {
				t.self.end(t.notes)
				return nil, 0
			}
			t.now = t.self.part(piece, t.notes)
		}
		if row, line := t.now.next(); row != nil {
			return row, line
		}
		t.self.absorb(t.now)
		t.now = nil
	}
}
