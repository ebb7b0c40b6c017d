package mapping

import (
	"yewcone/core/facts"
	"yewcone/intake/alike"
	"yewcone/intake/table"
)

// codedTexts are the classes of texts that a reader keeps in a list.
type codedTexts struct {
	texts   []string // the list
	classes []uint32 // of them; 0 for one that is not known yet
}

// of is where the class of a text of the list is, of which there may be another.
func (c *codedTexts) of(texts []string) []uint32 {
	if len(c.texts) != len(texts) || len(texts) > 0 && &c.texts[0] != &texts[0] {
		c.texts, c.classes = texts, make([]uint32, len(texts))
	}
	return c.classes
}

// takeApart takes a column whose values its reader keeps apart; false where they must be
// texts.
func (s *sketcher) takeApart(c *sketchColumn, v *table.Values, into *column) bool {
	switch {
	case v == nil:
		return false
	case v.Codes != nil && (c.plain || c.as == asNothing || c.as == asAsked && c.InWords() && c.only == nil):
		s.takeCodes(c, v, into)
	case v.Seconds != nil && c.as == asDate && c.only == nil:
		return s.takeSeconds(c, v, into)
	default:
		return false
	}
	return true
}

// takeCodes tells each text of the list once.
func (s *sketcher) takeCodes(c *sketchColumn, v *table.Values, into *column) {
	classes := c.coded.of(v.Texts)
	for row, word := 0, 0; row < s.sketch.Count; row, word = row+1, word+into.words {
		class := classes[v.Codes[row]]
		if class == 0 {
			class = s.coded(c, v.Texts[v.Codes[row]], row)
			classes[v.Codes[row]] = class
		}
		switch {
		case class == alike.None:
			s.sketch.Whole[row] = false
		case c.as != asNothing:
			into.classes[word] |= uint64(class) << into.shift
		}
	}
}

// coded is the class of a text of a list.
func (s *sketcher) coded(c *sketchColumn, text string, row int) uint32 {
	switch {
	case c.as == asNothing:
		noteNull(c, text)
		return alike.First // it was looked at
	case c.plain:
		return s.known(c, text, row)
	}
	if text = trimmed(text); gapOf(text) != noGap {
		return s.known(c, text, row)
	}
	return c.Asked(text, &s.scratch)
}

// takeSeconds takes moments, if they would be read as what they are.
func (s *sketcher) takeSeconds(c *sketchColumn, v *table.Values, into *column) bool {
	k, d := &s.sketch, &c.bound.dates
	if !c.simpleDate() {
		return false
	}
	for _, second := range v.Seconds[:k.Count] {
		if c.asWritten || second == table.NoSecond {
			continue
		}
		if read, ok := d.usual(v.Moment(second)); !ok || read != second {
			return false
		}
		c.asWritten = true // as one of a part is written, all are
	}
	for row, date := 0, c.date; row < k.Count; row, date = row+1, date+len(k.DateOf) {
		if second := v.Seconds[row]; second != table.NoSecond {
			k.Dated[date], k.Dates[date] = true, facts.AtSecond(second)
			into.classes[row*into.words] |= plainDate << into.shift
			continue
		}
		s.put(into, row, s.dated(c, "null", row))
	}
	return true
}
