package atomicfile

import "testing"

func TestNames(t *testing.T) {
	for name, fine := range map[string]bool{"con": false, "exports/NUL.json": false, "com3.txt": false, "ab:c.json": false, "a:b.json": true, `C:\out\r.json`: true, "out/r.json": true,
		"what?.csv": false, "end.": false, "end ": false, "../up/r.json": true, "./r.json": true, "console.json": true, "a//b": true} {
		if err := checkName("windows", name); (err == nil) != fine {
			t.Errorf("%q: %v", name, err)
		}
		if err := checkName("linux", name); err != nil {
			t.Errorf("%q: %v", name, err)
		}
	}
}
