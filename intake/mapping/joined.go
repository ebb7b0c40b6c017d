package mapping

import (
	"math/bits"
	"slices"

	"yewcone/intake/alike"
	"yewcone/intake/stamp"
)

// joinedColumns are columns of yes and no side by side, of which all texts are put into
// classes at once, as they stand in the file, where rows have them so.
type joinedColumns struct {
	columns []*sketchColumn
	known   [1 << joinedBits]knownTexts
}

// knownTexts are texts of which the classes are known: together up to 24 bytes, the
// first, the middle and the last eight of them.
type knownTexts struct {
	first, middle, last uint64
	length              int // 0 for none
	classes             [mostJoined]uint16
}

const (
	joinedBits   = 9
	mostJoined   = 6
	leastLetters = 8
	mostLetters  = 24
)

// join finds the columns that stand side by side.
func (s *sketcher) join() {
	s.joined = nil
	var list []*sketchColumn
	for _, c := range s.columns {
		if c.joined = nil; c.isFlag() {
			list = append(list, c)
		}
	}
	slices.SortStableFunc(list, func(a, b *sketchColumn) int { return a.at - b.at })
	for from := 0; from < len(list); {
		to := from + 1
		for to < len(list) && to-from < mostJoined && list[to].at == list[to-1].at+1 {
			to++
		}
		if to-from > 1 {
			j := &joinedColumns{columns: slices.Clone(list[from:to])}
			for _, c := range j.columns {
				c.joined = j
			}
			s.joined = append(s.joined, j)
		}
		from = to
	}
}

// takeJoined takes columns at once; the classes of each go where into has it.
func (s *sketcher) takeJoined(j *joinedColumns, into []column) {
	first, last := j.columns[0].at, j.columns[len(j.columns)-1].at
	for row := range s.sketch.Count {
		text := s.rows.Between(row, first, last)
		n := len(text)
		if n < leastLetters || n > mostLetters {
			s.takeEach(j, into, row, nil)
			continue
		}
		a, b, c := stamp.Eight(text), stamp.Eight(text[(n-8)/2:]), stamp.Eight(text[n-8:])
		slot := &j.known[(a^bits.RotateLeft64(b, 21)^bits.RotateLeft64(c, 42)^uint64(n)<<56)*0x9e3779b97f4a7c15>>(64-joinedBits)]
		if slot.first != a || slot.middle != b || slot.last != c || slot.length != n {
			*slot = knownTexts{first: a, middle: b, last: c, length: n}
			s.takeEach(j, into, row, slot)
			continue
		}
		for i := range into {
			into[i].classes[row*into[i].words] |= uint64(slot.classes[i]) << into[i].shift
		}
	}
}

// takeEach takes one column of a row after the other, and notes their classes.
func (s *sketcher) takeEach(j *joinedColumns, into []column, row int, slot *knownTexts) {
	for i, c := range j.columns {
		class := s.known(c, into[i].at(row), row)
		if s.put(&into[i], row, class); slot == nil {
			continue
		}
		if slot.classes[i] = uint16(class); class == alike.None {
			slot.length = 0 // something must be said of it each time
		}
	}
}
