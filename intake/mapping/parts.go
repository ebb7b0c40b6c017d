package mapping

import (
	"yewcone/core/facts"
	"yewcone/intake/text"
)

// Accounts streams the rows of all account tables.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the account tables at the ends of rows.
func (e *export) Parts(yield func(facts.Part) error) error {
	for i := range e.accounts {
		if err := e.accounts[i].parts(e, yield); err != nil {
			return err
		}
	}
	return nil
}

func (r *accountReader) parts(e *export, yield func(facts.Part) error) error {
	var notes facts.Notes // what is noted on the way; it joins the others at the end
	t, err := e.openTable(r.name, r.shape, &notes)
	if err != nil {
		notes.Incomplete(facts.Origin{File: r.name}, "the file cannot be read a second time: %s", err)
		return yield(&endPart{e: e, notes: &notes})
	}
	defer t.close()
	if !r.bind(e.plan, t) {
		notes.Incomplete(facts.Origin{File: r.name}, "the file changed while it was read")
		return yield(&endPart{e: e, notes: &notes})
	}
	d, ok := t.(divisible)
	if !ok {
		err := facts.Batches(func(yield func(*facts.Account) error) error {
			return r.accounts(e, t, &notes, yield)
		}, yield)
		if err != nil {
			return err
		}
		return yield(&endPart{e: e, table: t, notes: &notes})
	}
	for piece, ok := d.nextPiece(&notes); ok; piece, ok = d.nextPiece(&notes) {
		if err := yield(&accountPart{e: e, r: r, table: d, piece: piece}); err != nil {
			return err
		}
	}
	return yield(&endPart{e: e, table: d, notes: &notes})
}

// accounts fills an account with each row.
func (r *accountReader) accounts(e *export, rows pieceRows, notes *facts.Notes, yield func(*facts.Account) error) error {
	var a facts.Account
	columns := r.boundTo(&a)
	for row, line := rows.next(); row != nil; row, line = rows.next() {
		a.Reset()
		a.Origin = facts.Origin{File: r.name, Line: line}
		if r.fill(&a, columns, row, line, e, notes) {
			if err := yield(&a); err != nil {
				return err
			}
		}
	}
	return nil
}

// accountPart is a piece of an account table.
type accountPart struct {
	e     *export
	r     *accountReader
	table divisible
	piece text.Piece
	rows  pieceRows
	notes facts.Notes
}

func (p *accountPart) Accounts(yield func(*facts.Account) error) error {
	p.rows = p.table.part(p.piece, &p.notes)
	return p.r.accounts(p.e, p.rows, &p.notes, yield)
}

func (p *accountPart) Done() {
	p.table.absorb(p.rows)
	p.e.Noted.Join(&p.notes)
}

// A leaver knows after its last row what no column has taken.
type leaver interface{ unread() facts.Unread }

// endPart comes after all pieces of a table and has no accounts.
type endPart struct {
	e     *export
	table table // nil where it could not be opened
	notes *facts.Notes
}

func (p *endPart) Accounts(func(*facts.Account) error) error { return nil }

func (p *endPart) Done() {
	p.e.Noted.Join(p.notes)
	if d, ok := p.table.(divisible); ok {
		d.end(&p.e.Noted)
	}
	if t, ok := p.table.(leaver); ok {
		p.e.addUnread(t.unread())
	}
}
