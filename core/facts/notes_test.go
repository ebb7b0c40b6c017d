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
