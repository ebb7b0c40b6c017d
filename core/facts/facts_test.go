package facts

import "testing"

// TestTri: and is no where one is, or is yes where one is, and unknown stays
// where the other does not decide.
func TestTri(t *testing.T) {
	for _, c := range []struct{ a, b, and, or Tri }{{Yes, Yes, Yes, Yes}, {Yes, No, No, Yes}, {No, No, No, No}, {Unknown, Yes, Unknown, Yes},
		{Unknown, No, No, Unknown}, {Unknown, Unknown, Unknown, Unknown}} {
		if c.a.And(c.b) != c.and || c.b.And(c.a) != c.and || c.a.Or(c.b) != c.or || c.b.Or(c.a) != c.or {
			t.Errorf("%s and, or %s: %s, %s", c.a, c.b, c.a.And(c.b), c.a.Or(c.b))
		}
	}
}
