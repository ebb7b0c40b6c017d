package parquetrows

import (
	"unicode/utf8"
	"unsafe"

	"github.com/parquet-go/parquet-go"

	"yewcone/intake/text"
)

// A quickPage hands over the values of a page without making a value of the library's
// for each: of flags, of texts that stand one behind the other, and of values that stand
// in a dictionary, which are written as texts once.
type quickPage struct {
	count, at int
	levels    []byte // of definition, where a value may be null; it is where the level is not the highest
	highest   byte
	value     int // the next that is not null

	dictionary parquet.Dictionary // that texts are of; nil for none
	texts      []string
	indexes    []int32

	bytes   []byte
	offsets []uint32

	bits []byte // of flags, the first of them lowest
}

// mostTexts is the largest dictionary of which all values are written as texts.
const mostTexts = 1 << 15

func (q *quickPage) left() bool { return q.at < q.count }

// begin takes in a page, where it is one of those.
func (q *quickPage) begin(c *column, page parquet.Page) {
	q.count, q.at, q.value = 0, 0, 0
	if c.repeat > 0 {
		return
	}
	rows := int(page.NumRows())
	q.levels, q.highest = page.DefinitionLevels(), byte(c.leaf.MaxDefinitionLevel())
	if len(q.levels) > 0 && len(q.levels) != rows {
		return
	}
	data := page.Data()
	q.indexes, q.offsets, q.bits = nil, nil, nil
	switch d := page.Dictionary(); {
	case d != nil && d.Len() <= mostTexts:
		if d != q.dictionary {
			q.dictionary, q.texts = d, make([]string, d.Len())
			for i := range q.texts {
				q.texts[i] = c.text(d.Index(int32(i)))
			}
		}
		q.indexes = data.Int32()
		if rows-q.nulls() == len(q.indexes) {
			q.count = rows
		}
	case d == nil && c.texts && page.Type().Kind() == parquet.ByteArray:
		q.bytes, q.offsets = data.ByteArray()
		if rows-q.nulls() == len(q.offsets)-1 && q.sound() {
			q.count = rows
		}
	case d == nil && c.texts && page.Type().Kind() == parquet.Boolean:
		if q.bits = data.Boolean(); rows-q.nulls() <= 8*len(q.bits) {
			q.count = rows
		}
	}
}

func (q *quickPage) nulls() int {
	n := 0
	for _, level := range q.levels {
		if level != q.highest {
			n++
		}
	}
	return n
}

// sound reports whether all texts are UTF-8 and none is too long: together they are,
// and none begins in the middle of a character.
func (q *quickPage) sound() bool {
	if !utf8.Valid(q.bytes) {
		return false
	}
	for i, from := range q.offsets[:len(q.offsets)-1] {
		to := q.offsets[i+1]
		if to < from || int(to) > len(q.bytes) || to-from > text.MaxRow || from < to && !utf8.RuneStart(q.bytes[from]) {
			return false
		}
	}
	return true
}

// next is the text of the next row.
func (q *quickPage) next() string {
	at := q.at
	q.at++
	if len(q.levels) > 0 && q.levels[at] != q.highest {
		return "null"
	}
	n := q.value
	q.value++
	switch {
	case q.bits != nil && q.bits[n/8]>>(n%8)&1 == 1:
		return "true"
	case q.bits != nil:
		return "false"
	case q.offsets == nil:
		return q.texts[q.indexes[n]]
	}
	from, to := q.offsets[n], q.offsets[n+1]
	if from == to {
		return ""
	}
	return unsafe.String(&q.bytes[from], int(to-from))
}
