package ldif

import (
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yewcone/intake/text"
)

var (
	glanced = map[string]bool{"dn": true, "objectclass": true, "uid": true, "cn": true, "member": true, "description": true, "pwdreset": true,
		"changetype": true, "search": true, "result": true, "version": true}
	glancedFor = NewWatch("mail", "cn", "modifytimestamp", "x-other", "objectclass")
)

// told is all that is asked of an entry that is looked at only.
func told(x *Entry) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%q at %d, seen %b, %q in %q", x.DN, x.Line, x.Seen, x.NormalDN(), x.unit())
	for _, name := range slices.Sorted(maps.Keys(glanced)) {
		first, there := x.First(name)
		fmt.Fprintf(&b, ", %s %q %v", name, first.Value, there)
	}
	for _, class := range []string{"person", "PERSON", "top", "group", "a value"} {
		fmt.Fprintf(&b, ", %v", x.Is(class))
	}
	return b.String()
}

// glances reads entries both ways, and returns how many were like one before.
func glances(t *testing.T, written string, size int) (light int) {
	t.Helper()
	before := text.PieceSize
	defer func() { text.PieceSize = before }()
	text.PieceSize = size
	one := NewEntries(glanced)
	other := newGlancer(NewEntries(glanced))
	one.Watch, other.Watch, other.Briefly = glancedFor, glancedFor, true
	pieces := text.NewPieces(strings.NewReader(written), AfterEntry)
	for {
		piece, err := pieces.Next()
		if err != nil {
			return light
		}
		one.Begin(piece)
		other.Begin(piece)
		for n := 0; ; n++ {
			x, err := one.Next()
			y, odd := other.Next()
			if a, b := fmt.Sprint(err), fmt.Sprint(odd); a != b {
				t.Fatalf("%q\n one by one %s\n looked at  %s", written, a, b)
			}
			if err == nil {
				if a, b := told(x), told(y); a != b {
					t.Fatalf("%q\n one by one %s\n looked at  %s", written, a, b)
				}
				if other.light {
					light++
				}
				if n%3 == 0 {
					y = other.whole(y)
					if a, b := fmt.Sprint(x.DN, x.Line, x.Seen, x.Attrs), fmt.Sprint(y.DN, y.Line, y.Seen, y.Attrs); a != b {
						t.Fatalf("%q\n one by one %s\n as a whole %s", written, a, b)
					}
				}
			}
			a := fmt.Sprint(one.Line, one.Closed, one.Search, one.Failed, one.Told, slices.Sorted(maps.Keys(one.Skipped)))
			if b := fmt.Sprint(other.Line, other.Closed, other.Search, other.Failed, other.Told, slices.Sorted(maps.Keys(other.Skipped))); a != b {
				t.Fatalf("%q\n one by one %s\n looked at  %s", written, a, b)
			}
			if err == io.EOF {
				break
			}
		}
	}
}

// TestGlances: entries that are only looked at answer as those that are read do.
func TestGlances(t *testing.T) {
	light := 0
	for seed := range uint64(600) {
		r := rand.New(rand.NewPCG(seed, 2))
		var b strings.Builder
		written(r, &b)
		light += glances(t, b.String(), 100+r.IntN(3000))
	}
	if light < 1000 {
		t.Errorf("only %d entries were like one before", light)
	}
}

func FuzzGlances(f *testing.F) {
	f.Add("dn: uid=a\nuid: a\ncn: b\n\ndn: uid=b\nuid: b\ncn:: Yg==\n\ndn: uid=c\ncn: \nuid: c\n\n# numEntries: 3\ndn: uid=d\nuid: d\n\n", 50)
	f.Add("dn: a\nobjectClass: top\nobjectClass: person\nmail: x\n\ndn: b\nobjectClass: top\nmail: y\nmail: z\n\ndn: c\nobjectClass: top\nobjectClass: person\n"+
		"mail: x\n b\n\ndn:d\nuid;x: a\nUID: a\n\ndn: e\nchangetype: add\nuid: e\n\nsearch: 2\nresult: 4 Size\n\n", 400)
	f.Fuzz(func(t *testing.T, written string, size int) { glances(t, written, min(max(size, 20), 1<<12)) })
}
