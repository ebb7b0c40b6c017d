package formats

import (
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
)

// TestPlaces: the place of each account is where it begins, and its sign-in name stands
// there, before the place of the next one of the same file.
func TestPlaces(t *testing.T) {
	for _, c := range captured {
		folder := c.copyTo(t)
		f, _ := Find(c.format)
		export, err := f.Open(&intake.Request{Folder: folder, From: c.from, Mapping: c.mappingFile(), System: "x"})
		if err != nil {
			t.Fatal(err)
		}
		names := map[string]map[int]string{} // by file and line
		if err := export.Accounts(func(a *facts.Account) error {
			if a.Origin.Line == 0 || filepath.Ext(a.Origin.File) == ".xlsx" || a.Unit == "configuration" {
				return nil // a path in a document of one line; the row of a sheet; the root of a directory, at its password
			}
			if names[a.Origin.File] == nil {
				names[a.Origin.File] = map[int]string{}
			}
			name := strings.Clone(a.Login)
			if c.format == "mariadb" {
				name = name[:strings.LastIndexByte(name, '@')] // the host stands apart
			}
			names[a.Origin.File][a.Origin.Line] = name
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		for file, byLine := range names {
			data, err := os.ReadFile(filepath.Join(folder, file))
			if err != nil {
				t.Fatal(err)
			}
			lines := strings.Split(string(data), "\n")
			places := slices.Sorted(maps.Keys(byLine))
			for i, line := range places {
				end := len(lines)
				if i+1 < len(places) {
					end = places[i+1] - 1
				}
				first := strings.TrimSpace(lines[line-1])
				begins := strings.Contains(first, byLine[line])
				switch filepath.Ext(file) {
				case ".ldif":
					begins = strings.HasPrefix(first, "dn:")
				case ".json":
					begins = strings.Contains(first, "{")
				case ".xml":
					begins = strings.HasPrefix(first, "<")
				}
				if !begins || !strings.Contains(strings.Join(lines[line-1:end], "\n"), byLine[line]) {
					t.Errorf("%s: %q does not begin at %s:%d", c.name(), byLine[line], file, line)
				}
			}
		}
	}
}
