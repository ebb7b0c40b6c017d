package estatefolder

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// Identity tells one state of an estate from another: the bytes of all its files of
// configuration, and the names and sizes of those that it reads of the systems.
func (e *Estate) Identity(systems []string) (string, error) {
	files := map[string]bool{}
	err := filepath.WalkDir(e.Folder, func(name string, d fs.DirEntry, err error) error {
		if ending := strings.ToLower(filepath.Ext(name)); err == nil && d.Type().IsRegular() && (ending == ".yaml" || ending == ".yml") {
			files[name] = true
		}
		return nil
	})
	if err != nil {
		return "", err
	}
	var lines []string
	for i := range e.Systems {
		s := &e.Systems[i]
		if len(systems) > 0 && !slices.Contains(systems, s.Name) {
			continue
		}
		if s.Request.Mapping != "" {
			files[s.Request.Path(s.Request.Mapping)] = true
		}
		for _, from := range s.Request.From {
			for _, name := range e.filesIn(s.Request.Path(from)) {
				if info, err := os.Stat(name); err == nil {
					lines = append(lines, fmt.Sprintf("%s %s %d", s.Name, e.relative(name), info.Size()))
				}
			}
		}
	}
	for name := range files {
		sum, err := fileSum(name)
		if err != nil {
			return "", err
		}
		lines = append(lines, sum+" "+e.relative(name))
	}
	slices.Sort(lines)
	sum := sha256.Sum256([]byte(strings.Join(lines, "\n")))
	return hex.EncodeToString(sum[:]), nil
}
