package estatefolder

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake"
)

// Reads reports whether a path is a file that the estate is read from: its own
// files, rules, trials, mappings, lists, exports and records. A folder of exports counts
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
	if same(filepath.Join(e.Folder, FileName)) || same(filepath.Join(e.Folder, ExceptionsFile)) || within(filepath.Join(e.Folder, "rules")) ||
		within(filepath.Join(e.Folder, "trials")) {
		return true
	}
	for i := range e.Systems {
		s := &e.Systems[i]
		if slices.ContainsFunc(e.named(s), func(name string) bool { return within(s.Request.Path(name)) }) {
			return true
		}
	}
	return false
}

// named lists the files and folders that a system is read from, as estate.yaml names
// them: exports, mapping, records and lists.
func (e *Estate) named(s *System) []string {
	list := slices.Clone(s.Request.From)
	add := func(path *strictyaml.Text) {
		if path != nil && path.Value != "" {
			list = append(list, path.Value)
		}
	}
	if s.Request.Mapping != "" {
		list = append(list, s.Request.Mapping)
	}
	if s.signins != nil {
		for i := range s.signins.From {
			add(&s.signins.From[i])
		}
		add(s.signins.Mapping)
	}
	for _, lists := range []*listsFile{s.lists, e.lists} {
		if lists == nil {
			continue
		}
		for _, f := range []*listFile{lists.Common, lists.Dictionary, lists.Breached} {
			if f != nil {
				add(&f.File)
			}
		}
	}
	return list
}

// sayOutside remarks what a system is read from that lies outside of the estate's
// folder, by its name or by a link, where estate.yaml allows it.
func (e *Estate) sayOutside(s *System, notes *facts.Notes) {
	if !s.Request.Outside {
		return
	}
	say := func(name string) bool {
		out := intake.Outside(s.Request.Folder, name)
		if out {
			notes.Remark(facts.Origin{File: name}, "this lies outside of the estate's folder, as %s allows", FileName)
		}
		return out
	}
	for _, name := range e.named(s) {
		if say(name) {
			continue
		}
		root := s.Request.Path(name)
		_ = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error { // what cannot be read is told by who reads it
			if rel, wrong := filepath.Rel(root, path); err == nil && wrong == nil && path != root && d.Type()&fs.ModeSymlink != 0 {
				say(name + "/" + filepath.ToSlash(rel))
			}
			return nil
		})
	}
}
