package intake

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake/text"
)

// TestLines: small files come line by line, without their ends; of one that is not
// there nothing is said, and why another cannot be read is noted.
func TestLines(t *testing.T) {
	r := &Request{Folder: t.TempDir()}
	for name, c := range map[string]struct {
		data string
		want []string
		told string
	}{
		"small": {"a\r\nb\n\nc", []string{"a", "b", "", "c"}, ""},
		"long":  {"a\n" + strings.Repeat("b", text.MaxRow+1), []string{"a"}, "long:2: the file cannot be read on: " + text.ErrTooLong.Error()},
		"none":  {"", nil, ""},
	} {
		if name != "none" {
			if err := os.WriteFile(filepath.Join(r.Folder, name), []byte(c.data), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		var notes facts.Notes
		got, told := r.Lines(name, &notes), ""
		for _, n := range notes.List() {
			told += n.Origin.String() + ": " + n.Message
		}
		if !slices.Equal(got, c.want) || told != c.told {
			t.Errorf("%s: %q, %s", name, got, told)
		}
	}
}
