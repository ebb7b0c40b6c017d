package estatefolder

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"yewcone/core/blocklist"
	"yewcone/core/nearword"
	"yewcone/core/password"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/text"
)

// listsFile names lists that candidates are looked up in.
type listsFile struct {
	Common     *listFile `yaml:"common"`
	Dictionary *listFile `yaml:"dictionary"`
	Breached   *listFile `yaml:"breached"`
}

type listFile struct {
	File   strictyaml.Text  `yaml:"file,required,short"`
	Form   *strictyaml.Text `yaml:"form"`
	Sorted bool             `yaml:"sorted"`
}

// checkLists refuses forms that do not exist.
func (l *loader) checkLists(f *listsFile) {
	if f == nil {
		return
	}
	for _, list := range []*listFile{f.Common, f.Dictionary, f.Breached} {
		if list == nil {
			continue
		}
		l.inside(list.File)
		if list.Form == nil {
			continue
		}
		if _, ok := list.form(); !ok {
			l.note(list.Form.At(0, "%q is no form of a list; it is one of %s%s", list.Form.Value,
				strings.Join(blocklist.Forms, ", "), nearword.Advice(list.Form.Value, blocklist.Forms)))
		}
	}
}

func (f *listFile) form() (blocklist.Form, bool) {
	if f.Form == nil {
		return blocklist.Plain, true
	}
	for _, form := range blocklist.Forms {
		if form == f.Form.Value {
			return blocklist.Form(form), true
		}
	}
	return "", false
}

// lookup opens a list.
func (f *listFile) lookup(folder string) (password.Lookup, error) {
	form, _ := f.form()
	path := filepath.Join(folder, filepath.FromSlash(f.File.Value))
	info, err := os.Stat(path)
	if err != nil {
		return nil, f.File.At(0, "the list %s cannot be opened: %s", f.File.Value, intake.Reason(err))
	}
	open := func() (io.ReadCloser, error) {
		r, err := text.Open(path, "")
		if err != nil {
			return nil, f.problem(err)
		}
		return r, nil
	}
	switch {
	case f.Sorted && (strings.HasSuffix(path, ".gz") || strings.HasSuffix(path, ".zst")):
		return nil, f.File.At(0, "%s is packed, and cannot be searched as a sorted list; unpack it, or leave out \"sorted\"", f.File.Value)
	case f.Sorted:
		file, err := os.Open(path)
		if err != nil {
			return nil, f.problem(err)
		}
		return &named{f, &blocklist.Sorted{File: file, Size: info.Size(), Form: form}}, nil
	}
	return &named{f, &blocklist.Scanned{Open: open, Form: form}}, nil
}

func (f *listFile) problem(err error) error {
	return f.File.At(0, "%s: %s", f.File.Value, intake.Reason(err))
}

// named puts the list's name before what goes wrong in it.
type named struct {
	list *listFile
	password.Lookup
}

func (n *named) Has(word string) (bool, error) {
	found, err := n.Lookup.Has(word)
	return found, n.told(err)
}

func (n *named) told(err error) error {
	var placed *strictyaml.Problem
	if err == nil || errors.As(err, &placed) {
		return err
	}
	return fmt.Errorf("%s: %w", n.list.File.Value, err)
}

// Ask finds many words at once, where the list would be read for each.
func (n *named) Ask(words []string) error {
	if many, ok := n.Lookup.(password.Asker); ok {
		return n.told(many.Ask(words))
	}
	return nil
}

// Lists opens what candidates for a system are looked up in: the system's own
// lists, else the estate's, else the list of well-known passwords that comes
// with the tool. A name that the estate has not gets the estate's lists.
func (e *Estate) Lists(system string) (password.Lists, error) {
	own := &listsFile{}
	for i := range e.Systems {
		if e.Systems[i].Name == system && e.Systems[i].lists != nil {
			own = e.Systems[i].lists
		}
	}
	shared := e.lists
	if shared == nil {
		shared = &listsFile{}
	}
	out := password.Lists{Common: password.List{Lookup: blocklist.Common()}}
	for _, one := range []struct {
		own, shared *listFile
		to          *password.List
	}{{own.Common, shared.Common, &out.Common}, {own.Dictionary, shared.Dictionary, &out.Dictionary},
		{own.Breached, shared.Breached, &out.Breached}} {
		from := one.own
		if from == nil {
			from = one.shared
		}
		if from == nil {
			continue
		}
		lookup, err := from.lookup(e.Folder)
		if err != nil {
			return out, err
		}
		*one.to = password.List{Lookup: lookup, Whole: one.own != nil}
	}
	return out, nil
}
