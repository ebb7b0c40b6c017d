package alike

import (
	"slices"
	"strings"

	"yewcone/core/facts"
)

// question is a question that is put to a text as it stands.
type question struct {
	op      facts.QuestionOp
	texts   []string
	split   string    // what stands between the items of a list
	lengths uint64    // a bit for each length that one of the texts has; the last for all longer
	first   [256]bool // bytes that a text of which it holds may begin with
}

// questionsOf are made ready; nil where one cannot be put to a text. Lists have split
// between their items, other texts "".
func questionsOf(list []facts.Question, split string) []question {
	var out []question
	for _, q := range list {
		if (q.Op == facts.HasItem) != (split != "") {
			return nil
		}
		t := question{op: q.Op, texts: q.Texts, split: split}
		for _, text := range q.Texts {
			t.lengths |= lengthBit(text)
			for c := range t.first {
				t.first[c] = t.first[c] || text == "" || text[0] == byte(c) || q.Op == facts.Ends || q.Op == facts.Holds || q.Op == facts.HasItem
			}
		}
		out = append(out, t)
	}
	return out
}

func lengthBit(s string) uint64 { return 1 << min(len(s), 63) }

// holds answers it. It may tell more texts apart than the condition does.
func (q *question) holds(text string) bool {
	if text != "" && !q.first[text[0]] {
		return false
	}
	switch q.op {
	case facts.Equals:
		return q.lengths&lengthBit(text) != 0 && slices.Contains(q.texts, text)
	case facts.NameOnly:
		if at := strings.IndexByte(text, '@'); at >= 0 {
			text = text[:at]
		}
		return q.lengths&lengthBit(text) != 0 && slices.Contains(q.texts, text)
	}
	for _, t := range q.texts {
		switch q.op {
		case facts.Begins:
			if strings.HasPrefix(text, t) {
				return true
			}
		case facts.Ends:
			if strings.HasSuffix(text, t) {
				return true
			}
		case facts.HasItem:
			if strings.Contains(text, t) && hasItem(text, t, q.split) {
				return true
			}
		default:
			if strings.Contains(text, t) {
				return true
			}
		}
	}
	return false
}

// hasItem reports whether a list has an item, without the space around it.
func hasItem(list, item, split string) bool {
	for one := range strings.SplitSeq(list, split) {
		if one = strings.TrimSpace(one); one == item && one != "" {
			return true
		}
	}
	return false
}
