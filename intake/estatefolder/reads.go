package estatefolder

import (
	"os"
	"path/filepath"
	"strings"
)

// Reads reports whether a path is a file that the estate is read from: its own
// files, rules, mappings, lists, exports and records. A folder of exports counts
// with all that is in it, unless it is the estate's own.
func (e *Estate) Reads(path string) bool {
	asked, err := os.Stat(path)
	if err != nil {
		return false // what is not there is not read
	}
	same := func(name string) bool {
		info, err := os.Stat(name)
		return err == nil && os.SameFile(info, asked)
	}
	within := func(name string) bool {
		info, err := os.Stat(name)
		if err != nil || !info.IsDir() {
			return err == nil && os.SameFile(info, asked)
		}
		folder, err := filepath.Abs(name)
		file, err2 := filepath.Abs(path)
		if own, err := filepath.Abs(e.Folder); err != nil || own == folder || strings.HasPrefix(own, folder+string(filepath.Separator)) {
			return false
		}
		return err == nil && err2 == nil && strings.HasPrefix(file, folder+string(filepath.Separator))
	}
	if same(filepath.Join(e.Folder, FileName)) || same(filepath.Join(e.Folder, ExceptionsFile)) || within(filepath.Join(e.Folder, "rules")) {
		return true
	}
	for i := range e.Systems {
		s := &e.Systems[i]
		list := append([]string(nil), s.Request.From...)
		if s.Request.Mapping != "" {
			list = append(list, s.Request.Mapping)
		}
		if s.signins != nil {
			for _, f := range s.signins.From {
				list = append(list, f.Value)
			}
			if s.signins.Mapping != nil {
				list = append(list, s.signins.Mapping.Value)
			}
		}
		for _, name := range list {
			if within(s.Request.Path(name)) {
				return true
			}
		}
	}
	return false
}
