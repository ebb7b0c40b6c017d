package mapping

import "yewcone/intake/alike"

// flagText is a text that stands for yes or no in a column, of at most eight bytes: most
// columns have two of them, so that a text is held against both at once.
type flagText struct {
	letters uint64
	length  uint64 // and one more; 0 for none
	class   uint32
}

// isFlag reports whether a column is one of yes and no, of which nothing but the text
// matters.
func (c *sketchColumn) isFlag() bool { return c.plain && c.bound != nil && c.bound.tri != nil }

// flagTextOf is a text of at most eight bytes; longer ones are none that was learned.
func flagTextOf(text string) (letters, length uint64) {
	letters, _ = alike.EndsOf(text)
	return letters, uint64(len(text)) + 1
}

// takeFlags is takePlain for a column of yes and no.
func (s *sketcher) takeFlags(c *sketchColumn, into *column) {
	one, other := c.usual[0], c.usual[1]
	for row, at, word := 0, 0, 0; at < len(into.texts); row, at, word = row+1, at+into.width, word+into.words {
		text := into.texts[at] // with the space around it
		letters, length := flagTextOf(text)
		a, b := letters^one.letters|length^one.length, letters^other.letters|length^other.length
		class := other.class
		if a == 0 {
			class = one.class
		}
		if (a|-a)&(b|-b)>>63 != 0 { // neither, without a branch for each
			if class = s.known(c, text, row); class == alike.None {
				s.sketch.Whole[row] = false
				continue
			}
			if c.learnFlag(text, class) {
				one, other = c.usual[0], c.usual[1]
			}
		}
		into.classes[word] |= uint64(class) << into.shift
	}
}

// learnFlag keeps a text, where there is room for it.
func (c *sketchColumn) learnFlag(text string, class uint32) bool {
	for i := range c.usual {
		if u := &c.usual[i]; u.length == 0 && len(text) <= 8 {
			*u = flagText{class: class}
			u.letters, u.length = flagTextOf(text)
			return true
		}
	}
	return false
}
