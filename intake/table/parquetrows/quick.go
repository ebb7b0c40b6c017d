package parquetrows

import (
	"slices"
	"unicode/utf8"
	"unsafe"

	"github.com/parquet-go/parquet-go"

	"yewcone/intake/table"
	"yewcone/intake/text"
)

// A quickPage hands over the values of a page without making a value of the library's
// for each: of flags, of texts that stand one behind the other, of whole numbers, dates and
// moments, and of values that stand in a dictionary, which are written as texts once.
type quickPage struct {
	whole      bool // it is one of those
	count, at  int
	repetition []byte // of lists: 0 where a row begins
	levels     []byte // of definition, where a value may be null; it is where the level is not the highest
	highest    byte
	empty      byte // the level of a list without elements; the highest where there are none
	value      int  // the next that is not null

	dictionary parquet.Dictionary // that texts are of; nil for none
	texts      []string           // with room for what a null is
	indexes    []int32
	strange    bool // one of these leads nowhere

	bytes   []byte
	offsets []uint32

	bits []byte // of flags, the first of them lowest

	small []int32
	large []int64
}

// mostTexts is the largest dictionary of which all values are written as texts.
const mostTexts = 1 << 15

func (q *quickPage) left() bool { return q.at < q.count }

// begin takes in a page, where it is one of those.
func (q *quickPage) begin(c *column, page parquet.Page) {
	q.whole, q.count, q.at, q.value = false, 0, 0, 0
	count := int(page.NumValues())
	q.levels, q.highest = page.DefinitionLevels(), byte(c.leaf.MaxDefinitionLevel())
	q.repetition, q.empty = page.RepetitionLevels(), q.highest
	if c.repeat > 0 {
		q.empty = byte(c.repeat - 1)
	}
	if len(q.levels) > 0 && len(q.levels) != count || c.repeat > 0 && len(q.repetition) != count {
		return
	}
	data, values := page.Data(), count-q.nulls()
	q.indexes, q.offsets, q.bits, q.small, q.large = nil, nil, nil, nil, nil
	kind := page.Type().Kind()
	switch d := page.Dictionary(); {
	case d != nil && d.Len() <= mostTexts:
		if d != q.dictionary {
			q.dictionary, q.texts = d, make([]string, d.Len()+1)
			for i := range d.Len() {
				q.texts[i] = c.text(d.Index(int32(i)))
			}
			q.texts[d.Len()] = "null"
			q.texts = q.texts[:d.Len()]
		}
		q.indexes = data.Int32()
		q.strange = slices.ContainsFunc(q.indexes, func(i int32) bool { return int(i) >= len(q.texts) || i < 0 })
		q.whole = values == len(q.indexes)
	case d != nil:
	case c.write.number != nil && kind == parquet.Int32:
		q.small = data.Int32()
		q.whole = values == len(q.small)
	case c.write.number != nil && kind == parquet.Int64:
		q.large = data.Int64()
		q.whole = values == len(q.large)
	case c.write.asIs && kind == parquet.ByteArray:
		q.bytes, q.offsets = data.ByteArray()
		q.whole = values == len(q.offsets)-1 && q.sound()
	case kind == parquet.Boolean:
		q.bits = data.Boolean()
		q.whole = values <= 8*len(q.bits)
	}
	if q.whole {
		q.count = count
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

// fill hands over the values of some rows of a column without lists, which are a width apart, and
// says of how many.
func (q *quickPage) fill(c *column, texts []string, width, count int) int {
	count = min(count, q.count-q.at)
	from := q.value
	switch {
	case len(q.levels) > 0:
		for i := range count {
			texts[i*width] = q.next(c)
		}
		return count
	case q.indexes != nil:
		for i, index := range q.indexes[from : from+count] {
			texts[i*width] = q.texts[index]
		}
	case q.offsets != nil:
		for i := range count {
			texts[i*width] = q.textAt(from + i)
		}
	case q.bits != nil:
		for i := range count {
			texts[i*width] = q.flagAt(from + i)
		}
	default:
		for i := range count {
			texts[i*width] = q.numberAt(c, from+i)
		}
	}
	q.at, q.value = q.at+count, q.value+count
	return count
}

// flags are the texts of flags.
var flags = []string{"false", "true", "null"}

// codes are the places of the next texts in the dictionary, and behind it for null.
func (q *quickPage) codes(c *column, count int) []int32 {
	if len(q.levels) == 0 {
		q.value += count
		return q.indexes[q.value-count : q.value]
	}
	c.codes = c.codes[:0]
	for _, level := range q.levels[q.at : q.at+count] {
		code := int32(len(q.texts))
		if level == q.highest {
			code = q.indexes[q.value]
			q.value++
		}
		c.codes = append(c.codes, code)
	}
	return c.codes
}

// flags are the places of the next flags among the texts of these.
func (q *quickPage) flags(c *column, count int) []int32 {
	c.codes = c.codes[:0]
	if len(q.levels) == 0 {
		for n := q.value; n < q.value+count; n++ {
			c.codes = append(c.codes, int32(q.bits[n/8]>>(n%8))&1)
		}
		q.value += count
		return c.codes
	}
	for i := range count {
		code := int32(2)
		if q.levels[q.at+i] == q.highest {
			code = int32(q.bits[q.value/8]>>(q.value%8)) & 1
			q.value++
		}
		c.codes = append(c.codes, code)
	}
	return c.codes
}

// moments are the next ones in seconds; nil where one is of no year of four digits.
func (q *quickPage) moments(c *column, count int) []int64 {
	c.seconds = c.seconds[:0]
	value := q.value
	for i := range count {
		second := int64(table.NoSecond)
		if len(q.levels) == 0 || q.levels[q.at+i] == q.highest {
			if second = c.write.second(q.large[value]); second < firstOfYear1 || second >= firstOfYear10000 {
				return nil
			}
			value++
		}
		c.seconds = append(c.seconds, second)
	}
	q.value = value
	return c.seconds
}

const firstOfYear1, firstOfYear10000 = -62135596800, 253402300800

// next is the text of the next value.
func (q *quickPage) next(c *column) string {
	at := q.at
	q.at++
	if len(q.levels) > 0 && q.levels[at] != q.highest {
		if q.levels[at] == q.empty {
			return ""
		}
		return "null"
	}
	n := q.value
	q.value++
	switch {
	case q.indexes != nil:
		return q.texts[q.indexes[n]]
	case q.offsets != nil:
		return q.textAt(n)
	case q.bits != nil:
		return q.flagAt(n)
	}
	return q.numberAt(c, n)
}

func (q *quickPage) textAt(n int) string {
	from, to := q.offsets[n], q.offsets[n+1]
	if from == to {
		return ""
	}
	return unsafe.String(&q.bytes[from], int(to-from))
}

func (q *quickPage) flagAt(n int) string {
	if q.bits[n/8]>>(n%8)&1 == 1 {
		return "true"
	}
	return "false"
}

// numberAt writes a number into the memory of the column.
func (q *quickPage) numberAt(c *column, n int) string {
	var number int64
	if q.large != nil {
		number = q.large[n]
	} else {
		number = int64(q.small[n])
	}
	from := len(c.digits)
	c.digits = c.write.number(c.digits, number)
	return c.kept(&c.digits, from)
}
