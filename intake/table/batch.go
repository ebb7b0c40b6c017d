package table

import "unsafe"

// A Batch is rows that were read together, one behind the other.
type Batch struct {
	Width  int      // texts of each row
	Texts  []string // of all rows
	Places []Place
	Count  int // rows
	// Whole tells that the texts of each row stand in one text, one behind the other.
	Whole bool

	apart []Values // by columns; nil where nobody takes any
}

// rowsInBatch is how many rows a batch has: few enough to stay near while one column
// after the other is gone through.
const rowsInBatch = 64

// NewBatch returns a batch for rows of so many texts.
func NewBatch(width int) *Batch {
	return &Batch{Width: width, Texts: make([]string, rowsInBatch*width), Places: make([]Place, rowsInBatch)}
}

// Room is where the texts of the next row go; nil where the batch is full. Add takes
// the row in.
func (b *Batch) Room() []string {
	if b.Count == rowsInBatch {
		return nil
	}
	return b.room(b.Count)
}

// Between is what stands in a row of a whole batch from the beginning of one text to the
// end of another after it.
func (b *Batch) Between(row, first, last int) string {
	from, to := b.Texts[row*b.Width+first], b.Texts[row*b.Width+last]
	length := uintptr(unsafe.Pointer(unsafe.StringData(to))) - uintptr(unsafe.Pointer(unsafe.StringData(from)))
	return unsafe.String(unsafe.StringData(from), int(length)+len(to))
}

// Row is one of the rows, also what is kept apart of it.
func (b *Batch) Row(n int) []string {
	row := b.room(n)
	for column := range b.apart {
		if v := &b.apart[column]; v.apart() {
			row[column] = v.text(n)
		}
	}
	return row
}

func (b *Batch) room(n int) []string { return b.Texts[n*b.Width : (n+1)*b.Width : (n+1)*b.Width] }

// Add takes in the row that was put where Room said.
func (b *Batch) Add(at Place) {
	b.Places[b.Count] = at
	b.Count++
}

// A Batcher hands over rows together, as long as they are as most are.
type Batcher interface {
	Rows
	// NextRows adds rows until the batch is full, or until the next one is out of
	// the ordinary: it notes nothing. Texts stay good until the next rows are
	// read.
	NextRows(*Batch)
}

// Fill reads the next rows into an empty batch. What rows give cause to note comes
// before them and after all that were handed over before.
func (b *Batch) Fill(rows Rows) {
	b.Count, b.Whole = 0, false
	clear(b.apart)
	if several, ok := rows.(Batcher); ok {
		if several.NextRows(b); b.Count > 0 {
			return
		}
	}
	if row, at := rows.Next(); row != nil {
		b.Whole = false
		copy(b.Room(), row)
		b.Add(at)
	}
}
