package mapping

import (
	"encoding/json"
	"fmt"
	"slices"

	"yewcone/core/facts"
	"yewcone/intake/inplace"
	"yewcone/intake/table"
	"yewcone/intake/text"
)

// Accounts streams the rows of all account tables.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the account tables at the ends of rows.
func (e *export) Parts(yield func(facts.Part) error) error {
	rows := map[int]int{} // of each table of accounts, in all its files
	for i := range e.accounts {
		e.accounts[i].before, e.accounts[i].last = rows, i+1 == len(e.accounts) || e.accounts[i+1].source != e.accounts[i].source
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
		notes.Incomplete(r.origin, "the file cannot be read a second time: %s", err)
		return yield(&endPart{e: e, r: r, notes: &notes})
	}
	closes := t.Close
	defer func() { closes() }()
	if !r.bind(e.plan, t) {
		notes.Incomplete(r.origin, "the file changed while it was read")
		return yield(&endPart{e: e, r: r, notes: &notes})
	}
	if q, ok := t.(*inplace.Table); ok {
		r.keyed(e, t)
		closes = func() {} // once its part is done
		if err := yield(&enginePart{e: e, r: r, table: q}); err != nil {
			return err
		}
		return yield(&endPart{e: e, r: r, notes: &notes})
	}
	d, ok := t.(table.Divisible)
	if !ok {
		err := facts.Batches(func(yield func(*facts.Account) error) error {
			var taken int
			return r.accounts(e, t, &notes, &taken, yield)
		}, yield)
		if err != nil {
			return err
		}
		r.lacking(t, &notes)
		return yield(&endPart{e: e, r: r, table: t, notes: &notes})
	}
	for piece, ok := d.NextPiece(&notes); ok; piece, ok = d.NextPiece(&notes) {
		if err := yield(&accountPart{e: e, r: r, table: d, piece: piece}); err != nil {
			return err
		}
	}
	r.lacking(t, &notes)
	return yield(&endPart{e: e, r: r, table: d, notes: &notes})
}

// lacking notes that fewer rows were read than the service says that it has.
func (r *accountReader) lacking(t table.Table, notes *facts.Notes) {
	told, ok := t.(interface{ Told() (rows, all int) })
	if !ok {
		return
	}
	rows, all := told.Told()
	r.before[r.source] += rows
	if read := r.before[r.source]; r.last && read < all {
		notes.Incomplete(r.origin, "the service says that it has %d entries (totalResults), and %d were read: pages are missing; take them all", all, read)
	}
}

// accounts fills an account with each row.
func (r *accountReader) accounts(e *export, rows table.Rows, notes *facts.Notes, taken *int, yield func(*facts.Account) error) error {
	var a facts.Account
	columns := r.boundTo(&a)
	defer func() { e.taken.Add(int64(*taken)) }()
	for row, at := rows.Next(); row != nil; row, at = rows.Next() {
		*taken++
		a.Reset()
		a.Origin = at.In(r.origin)
		if r.fill(&a, columns, row, e, notes) {
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
	table table.Divisible
	piece text.Piece
	rows  table.Rows
	notes facts.Notes
	taken int
}

// read begins with the rows of the piece.
func (p *accountPart) read() {
	table.Load(&p.piece, p.r.name, &p.notes)
	p.rows = p.table.Part(p.piece, &p.notes)
}

func (p *accountPart) Accounts(yield func(*facts.Account) error) error {
	p.read()
	return p.r.accounts(p.e, p.rows, &p.notes, &p.taken, yield)
}

// Choose is of facts.Chooser.
func (p *accountPart) Choose(wanted func(int64) bool, yield func(int64, *facts.Account) error) error {
	var a facts.Account
	columns, number := p.r.boundTo(&a), int64(0)
	login := p.r.plainLogin()
	p.read()
	b := table.NewBatch(p.table.Width())
	for {
		if b.Fill(p.rows); b.Count == 0 {
			return nil
		}
		for i := range b.Count {
			row := b.Row(i)
			if login >= 0 && gapOf(trimmed(row[login])) != noGap {
				continue // it names nobody, and has no number
			}
			if login >= 0 && !wanted(number+1) {
				number++
				continue
			}
			a.Reset()
			a.Origin = b.Places[i].In(p.r.origin)
			if !p.r.fill(&a, columns, row, p.e, &p.notes) {
				continue
			}
			if number++; wanted(number) {
				a.Keep() // texts are good until the next rows
				if err := yield(number, &a); err != nil {
					return err
				}
			}
		}
	}
}

// plainLogin is the column of sign-in names, where nothing else decides whether a row
// has one; -1 where something does.
func (r *accountReader) plainLogin() int {
	at := -1
	for i := range r.columns {
		switch c := &r.columns[i]; {
		case c.fact != "login":
		case at >= 0 || c.text == nil || c.only != nil || slices.ContainsFunc(c.on[:], func(put func(*facts.Account)) bool { return put != nil }):
			return -1
		default:
			at = c.index
		}
	}
	return at
}

// packedPart is what another process is told of a piece.
type packedPart struct {
	File  string
	Line  int // of its first row
	Taken int
	Notes *facts.Notes
	Table json.RawMessage
	Nulls []int // columns in which null was seen so far that nothing answers
}

// Pack is of facts.Portable.
func (p *accountPart) Pack() ([]byte, error) {
	packed, err := p.table.Pack(p.rows)
	if err != nil {
		return nil, err
	}
	out := packedPart{File: p.r.name, Line: p.piece.Line, Taken: p.taken, Notes: &p.notes, Table: packed}
	for i := range p.r.columns {
		if c := &p.r.columns[i]; c.nulls.Load() {
			out.Nulls = append(out.Nulls, i)
		}
	}
	return json.Marshal(out)
}

// Unpack is of facts.Portable.
func (p *accountPart) Unpack(noted []byte) error {
	in := packedPart{Notes: &p.notes}
	if err := json.Unmarshal(noted, &in); err != nil {
		return err
	}
	table.Load(&p.piece, p.r.name, &p.notes)
	if in.File != p.r.name || in.Line != p.piece.Line {
		return fmt.Errorf("a piece of %s began on line %d and one of %s does on line %d", in.File, in.Line, p.r.name, p.piece.Line)
	}
	var err error
	if p.rows, err = p.table.Unpack(in.Table); err != nil {
		return err
	}
	for _, i := range in.Nulls {
		if i >= 0 && i < len(p.r.columns) {
			p.r.columns[i].nulls.Store(true)
		}
	}
	p.e.taken.Add(int64(in.Taken))
	p.Pass()
	return nil
}

// Pass is of facts.Portable.
func (p *accountPart) Pass() { p.table.Pass(p.piece) }

func (p *accountPart) Done() {
	p.table.Absorb(p.rows)
	p.e.Noted.Join(&p.notes)
}

// endPart comes after all pieces of a table and has no accounts.
type endPart struct {
	e     *export
	r     *accountReader
	table table.Table // nil where it could not be opened
	notes *facts.Notes
}

func (p *endPart) Accounts(func(*facts.Account) error) error { return nil }

func (p *endPart) Done() {
	p.e.Noted.Join(p.notes)
	for i := range p.r.columns {
		if c := &p.r.columns[i]; c.nulls.Load() {
			p.e.Noted.Remark(p.r.origin, "%q is null in some rows, of which \"empty\" says nothing, and %s stays unknown there; say what "+
				"\"null\" means", c.from.Value, c.fact)
		}
	}
	if p.r == &p.e.accounts[len(p.e.accounts)-1] && p.e.taken.Load() == 0 {
		p.e.Noted.Incomplete(p.r.origin, "the table of accounts has no row: no system is without accounts; take the export again")
	}
	if d, ok := p.table.(table.Divisible); ok {
		d.Finish(&p.e.Noted)
	}
	if t, ok := p.table.(table.Leaver); ok {
		p.e.addUnread(t.Unread())
	}
}
