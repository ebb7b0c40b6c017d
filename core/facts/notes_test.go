package facts

import (
	"fmt"
	"testing"
)

// TestNotesJoin: the notes of parts, put together in their order, are those of
// the whole: all refused rows are counted, the first few are listed.
func TestNotesJoin(t *testing.T) {
	var whole, joined Notes
	for part := range 5 {
		var notes Notes
		for _, n := range []*Notes{&whole, &notes} {
			n.Remark(Origin{File: "f"}, "said once for all parts")
			for i := range 4 {
				n.Refuse(Origin{File: "f", Line: part*10 + i}, "row %d", part*10+i)
			}
		}
		joined.Join(&notes)
	}
	joined.Incomplete(Origin{File: "f"}, "it ends here")
	whole.Incomplete(Origin{File: "f"}, "it ends here")
	if fmt.Sprint(joined.List()) != fmt.Sprint(whole.List()) || joined.Refused() != 20 || whole.Refused() != 20 || !joined.Partial() {
		t.Errorf("joined %d %v\nwhole %d %v", joined.Refused(), joined.List(), whole.Refused(), whole.List())
	}
	if len(whole.List()) != 1+refusedShown+1 {
		t.Errorf("%d notes are listed", len(whole.List()))
	}
}

// TestNotesOfOneSort: whatever their number, the first few are listed, one more
// tells how many there are, and parts come to the same.
func TestNotesOfOneSort(t *testing.T) {
	var whole, joined Notes
	for part := range 3 {
		var notes Notes
		for _, n := range []*Notes{&whole, &notes} {
			for i := range 20000 {
				n.Remark(Origin{File: "f", Line: part*20000 + i}, "the group of %d is not there", i)
			}
			n.Remark(Origin{File: "f", Line: part}, "another thing")
		}
		joined.Join(&notes)
	}
	list := whole.List()
	if len(list) != notesShown+1+3 || list[notesShown].Message != "the same again, 59990 times more" {
		t.Errorf("%d notes: %v", len(list), list)
	}
	if fmt.Sprint(joined.List()) != fmt.Sprint(list) {
		t.Errorf("joined %v\nwhole %v", joined.List(), list)
	}
	before := whole.Clone()
	whole.Remark(Origin{}, "the group of %d is not there", 0)
	if got := before.List()[notesShown].Message; got != "the same again, 59990 times more" {
		t.Errorf("a copy changed: %s", got)
	}
}

// BenchmarkNotes: one more note costs the same, whatever their number.
func BenchmarkNotes(b *testing.B) {
	var n Notes
	for i := range b.N {
		n.Remark(Origin{File: "f", Line: i}, "the group of %d is not there", i)
	}
}
