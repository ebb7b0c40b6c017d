package jsonrows

import (
	"encoding/json"
	"strings"
	"testing"
)

// TestPaths: what paths lead to, and what is none.
func TestPaths(t *testing.T) {
	var doc any
	d := json.NewDecoder(strings.NewReader(`{"a": {"b c": [1, {"d": "x"}, {"d": null}], "e": true}, "f": [], "urn:x:2.0": {"g": "y"}}`))
	d.UseNumber()
	if err := d.Decode(&doc); err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]string{
		"$.a.e": "true", "$.a['b c'][0]": "1", "$.a['b c'][1].d": "x", "$.a['b c'][*].d": "x|null", "$.a['b c'][-1].d": "null",
		"$['urn:x:2.0'].g": "y", "$.f[*]": "", "$.f[0]": "", "$.nowhere": "", "$.a.e.deeper": "", "$.a.*": `[1,{"d":"x"},{"d":null}]|true`,
		"$.f": "[]",
	} {
		steps, err := parsePath(path)
		if err != nil {
			t.Errorf("%s: %v", path, err)
			continue
		}
		var got []string
		for _, n := range follow(doc, steps, nil) {
			got = append(got, Text(n))
		}
		if text := strings.Join(got, "|"); text != want {
			t.Errorf("%s leads to %q, want %q", path, text, want)
		}
	}
	for _, path := range []string{"", "a.b", "$a", "$.", "$..b", "$[", "$[x]", "$['a'", "$['a'x]", "$.a[?@.b]", "$.a[0:2]"} {
		if steps, err := parsePath(path); err == nil {
			t.Errorf("%q is read as %v", path, steps)
		}
	}
}
