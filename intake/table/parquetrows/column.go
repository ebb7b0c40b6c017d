package parquetrows

import (
	"errors"
	"fmt"
	"io"
	"unicode/utf8"
	"unsafe"

	"github.com/parquet-go/parquet-go"

	"yewcone/intake/table"
	"yewcone/intake/text"
)

// column reads the values of one column, row by row.
type column struct {
	leaf   *parquet.Column
	write  writer
	repeat int // the definition level of the repeated node; 0 for none

	pages  parquet.Pages
	quick  quickPage
	values parquet.ValueReader // of a page that is no quick one
	buffer []parquet.Value
	ready  []parquet.Value // of buffer

	// Of rows that are read together, texts are good until the next: pages of which
	// all values were handed over are given back to the library then.
	together bool
	page     parquet.Page // that was read for such rows
	held     []parquet.Page
	digits   []byte  // of texts that are written for these rows
	codes    []int32 // and what is kept of them otherwise
	seconds  []int64
	many     []byte // of their lists
}

// valuesAtATime are how many values of a page that is no quick one are decoded
// together.
const valuesAtATime = 512

func newColumn(leaf *parquet.Column, root *parquet.Column) *column {
	c := &column{leaf: leaf, write: writerOf(leaf.Type())}
	level, node := 0, root
	for _, name := range leaf.Path() {
		if node = node.Column(name); node == nil {
			break
		}
		if node.Optional() || node.Repeated() {
			level++
		}
		if node.Repeated() && c.repeat == 0 {
			c.repeat = level
		}
	}
	return c
}

func (c *column) close() {
	c.release()
	if c.page != nil {
		parquet.Release(c.page)
		c.page = nil
	}
	if c.pages != nil {
		c.pages.Close()
		c.pages = nil
	}
}

// release gives back the pages of which nothing is needed any more.
func (c *column) release() {
	for _, page := range c.held {
		parquet.Release(page)
	}
	c.held = c.held[:0]
}

// fill reads the values of some rows, which are a width apart from one to the next;
// with an error, so many.
func (c *column) fill(texts []string, width, count int) (row int, err error) {
	defer func() {
		if wrong := recover(); wrong != nil {
			err = damaged(wrong)
		}
	}()
	c.begin()
	for row < count {
		if c.repeat == 0 && c.quick.left() {
			row += c.quick.fill(c, texts[row*width:], width, count-row)
			continue
		}
		if texts[row*width], err = c.next(); err != nil {
			return row, err
		}
		row++
	}
	return row, nil
}

// apart hands over the values of some rows, all of one page, as they are kept; false
// where there are not so many, or they are to be texts.
func (c *column) apart(v *table.Values, count int) (ok bool, err error) {
	defer func() {
		if wrong := recover(); wrong != nil {
			err = damaged(wrong)
		}
	}()
	c.begin()
	if c.repeat > 0 || count == 0 {
		return false, nil
	}
	if err := c.load(); err != nil {
		return false, err
	}
	switch q := &c.quick; {
	case q.count-q.at < count:
		return false, nil
	case q.indexes != nil && !q.strange:
		v.Codes, v.Texts = q.codes(c, count), q.texts[:len(q.texts)+1]
	case q.bits != nil:
		v.Codes, v.Texts = q.flags(c, count), flags
	case q.large != nil && c.write.second != nil:
		if v.Seconds = q.moments(c, count); v.Seconds == nil {
			return false, nil
		}
		v.Moment = momentText
	default:
		return false, nil
	}
	c.quick.at += count
	return true, nil
}

// begin lets go of what was handed over before.
func (c *column) begin() {
	c.release()
	c.together, c.digits, c.many = true, c.digits[:0], c.many[:0]
}

func momentText(second int64) string { return string(appendMoment(nil, second, true)) }

// load sees to it that there is a value to take; io.EOF where there is none.
func (c *column) load() error {
	for !c.quick.left() && len(c.ready) == 0 {
		if c.values != nil {
			n, err := c.values.ReadValues(c.buffer)
			if n > 0 {
				c.ready = c.buffer[:n]
				return nil
			}
			if err != nil && !errors.Is(err, io.EOF) {
				return err
			}
			c.values = nil
		}
		page, err := c.pages.ReadPage()
		if err != nil {
			return err
		}
		if c.page != nil {
			c.held = append(c.held, c.page)
			c.page = nil
		}
		if c.together {
			c.page = page
		}
		if c.quick.begin(c, page); !c.quick.whole {
			if c.values = page.Values(); c.buffer == nil {
				c.buffer = make([]parquet.Value, valuesAtATime)
			}
		}
	}
	return nil
}

// starts reports whether the value to take is the first of a row.
func (c *column) starts() bool {
	if c.quick.left() {
		return c.quick.repetition[c.quick.at] == 0
	}
	return c.ready[0].RepetitionLevel() == 0
}

// take is the text of the value that was loaded.
func (c *column) take() string {
	if c.quick.left() {
		return c.quick.next(c)
	}
	v := c.ready[0]
	c.ready = c.ready[1:]
	if v.IsNull() && c.repeat > 0 && v.DefinitionLevel() == c.repeat-1 {
		return ""
	}
	return c.text(v)
}

// next is the text of the next row. A list without elements is there and empty.
func (c *column) next() (string, error) {
	if err := c.load(); err != nil {
		return "", err
	}
	first := c.take()
	if c.repeat == 0 {
		return first, nil
	}
	from, count := len(c.many), 1
	for ; ; count++ {
		if err := c.load(); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return "", err
		}
		if c.starts() {
			break
		}
		if count == 1 {
			c.many = append(c.many, first...)
		}
		if c.many = append(append(c.many, '\n'), c.take()...); len(c.many)-from > text.MaxEntry {
			return "", fmt.Errorf("a list is longer than %d MB, and is not read", text.MaxEntry>>20)
		}
	}
	if count == 1 {
		return first, nil
	}
	return c.kept(&c.many, from), nil
}

// kept is what was written into memory from a place on: of rows that are read together
// as it stands there.
func (c *column) kept(memory *[]byte, from int) string {
	written := (*memory)[from:]
	if c.together {
		return unsafe.String(unsafe.SliceData(written), len(written))
	}
	*memory = (*memory)[:from]
	return string(written)
}

// text writes a value. Texts are not copied: they are good as long as their page is.
func (c *column) text(v parquet.Value) string {
	if v.IsNull() {
		return "null"
	}
	if v.Kind() != parquet.ByteArray {
		return c.write.text(v)
	}
	raw := v.ByteArray()
	switch {
	case len(raw) > text.MaxRow:
		panic(text.ErrTooLong)
	case c.write.asIs && utf8.Valid(raw):
		return unsafe.String(unsafe.SliceData(raw), len(raw))
	}
	return c.write.text(v)
}
