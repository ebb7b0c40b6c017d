package hashes

import (
	"strings"
	"testing"
)

// TestSharedHashes: runs with one key make the same hashes, others do not, and no run
// takes one kind for another.
func TestSharedHashes(t *testing.T) {
	defer func() { key = nil }()
	own := Text(Name, "ann")
	if own != Text(Name, "ann") || own != Bytes(Name, []byte("ann")) || own == Text(Login, "ann") {
		t.Error("without a key")
	}
	all := map[uint64]string{own: "its own"}
	for _, secret := range []string{"one", "another"} {
		Share([]byte(secret))
		for _, text := range []string{"ann", "", strings.Repeat("a", 500)} {
			for kind := range kinds {
				h := Text(kind, text)
				if h == 0 || all[h] != "" || h != Bytes(kind, []byte(text)) {
					t.Errorf("%s, kind %d, %.9q: %d is %q", secret, kind, text, h, all[h])
				}
				all[h] = secret
			}
		}
	}
	one := all
	Share([]byte("one"))
	if one[Text(Name, "ann")] != "one" {
		t.Error("the same key makes another hash")
	}
}
