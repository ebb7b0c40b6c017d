package table

import "math"

// Values are those of one column of a batch as a reader keeps them, for who would rather
// have them so than as texts. The zero Values has none: the texts stand in the batch.
type Values struct {
	// Codes are for each row the place of its text among Texts, of which there are few.
	Codes []int32
	Texts []string
	// Seconds are moments since 1970 of which Moment is the text; that of NoSecond is "null".
	Seconds []int64
	Moment  func(second int64) string
}

// NoSecond is no moment.
const NoSecond = math.MinInt64

// apart reports whether the column's texts do not stand in the batch.
func (v *Values) apart() bool { return v.Codes != nil || v.Seconds != nil }

// text is that of a row.
func (v *Values) text(row int) string {
	switch {
	case v.Codes != nil:
		return v.Texts[v.Codes[row]]
	case v.Seconds[row] == NoSecond:
		return "null"
	}
	return v.Moment(v.Seconds[row])
}

// TakeApart lets readers keep values apart.
func (b *Batch) TakeApart() { b.apart = make([]Values, b.Width) }

// Values are those of a column; nil where nobody takes any. A reader sets them for the
// rows from the first on.
func (b *Batch) Values(column int) *Values {
	if b.apart == nil {
		return nil
	}
	return &b.apart[column]
}

// Write puts the texts of a column into the batch, where they are apart.
func (b *Batch) Write(column int) {
	v := b.Values(column)
	if v == nil || !v.apart() {
		return
	}
	for row := range b.Count {
		b.Texts[row*b.Width+column] = v.text(row)
	}
	*v = Values{}
}
