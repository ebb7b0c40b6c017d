// Package intake brings exports into the estate model. Each format is a
// folder below with a Format; package formats lists them.
package intake

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/text"
)

// A Request says what to read and how the estate file describes it.
type Request struct {
	System   string
	Title    string
	Labels   []string
	Folder   string    // of the estate; paths are relative to it
	Outside  bool      // files may lie outside of the folder
	From     []string  // files or folders of the export, as the estate file has them
	Mapping  string    // path of the mapping file; "" for none
	Whole    bool      // whoever took the export could read everything, as the estate file says
	AsOf     time.Time // the moment the export speaks for; zero when nobody says it
	AsOfFrom string    // who says so
	Chooses  facts.Precedence
	Default  string // name of the default policy, where the export cannot say it
	// Database signs in to what holds the accounts; nil where no source is named.
	Database func() (Database, error)
}

// Path returns where a file of the export lies.
func (r *Request) Path(from string) string {
	if filepath.IsAbs(from) {
		return from
	}
	return filepath.Join(r.Folder, filepath.FromSlash(from))
}

// errOutside is of a file that a link in an export leads to: one of the host that
// reads, not of the one that was exported.
var errOutside = errors.New("it lies outside of the estate's folder; copy the file itself there, or say \"outside: yes\" at the top of estate.yaml")

// Inside is an error for a file that lies outside of the estate's folder, where the
// estate does not say that some do.
func (r *Request) Inside(file string) error {
	if !r.Outside && Outside(r.Folder, file) {
		return errOutside
	}
	return nil
}

// Open opens a file of the export as text.
func (r *Request) Open(file, encoding string) (*text.File, error) {
	if err := r.Inside(file); err != nil {
		return nil, err
	}
	return text.Open(r.Path(file), encoding)
}

// mostLinks bounds how many links and folders are gone along.
const mostLinks = 255

// Outside reports whether a path that is named in an estate leads out of its
// folder, also by a link.
func Outside(folder, name string) bool {
	path := filepath.FromSlash(name)
	if path == "" || !filepath.IsLocal(path) {
		return path != ""
	}
	root, err := filepath.Abs(folder)
	if err == nil {
		root, err = filepath.EvalSymlinks(root)
	}
	if err != nil {
		return false
	}
	within := func(path string) bool {
		rel, err := filepath.Rel(root, path)
		return err == nil && filepath.IsLocal(rel)
	}
	path = filepath.Join(root, path)
	for range mostLinks {
		if path == root {
			return false
		}
		if real, err := filepath.EvalSymlinks(path); err == nil {
			return !within(real)
		}
		if target, err := os.Readlink(path); err != nil {
			path = filepath.Dir(path) // up to what is there
		} else if path = filepath.Join(filepath.Dir(path), target); filepath.IsAbs(target) || !within(path) {
			return true
		}
	}
	return true
}

// NewSystem returns the system as far as the request describes it.
func (r *Request) NewSystem() *facts.System {
	return &facts.System{Name: r.System, Title: r.Title, Labels: r.Labels, AsOf: r.AsOf, AsOfFrom: r.AsOfFrom,
		Chooses: r.Chooses, Default: r.Default}
}

// Base is what readers have in common; they embed it in their exports.
type Base struct {
	Read  *facts.System // what was read so far
	Noted facts.Notes
}

// NewBase returns the base of an export of the system that the request
// describes.
func (r *Request) NewBase() Base { return Base{Read: r.NewSystem()} }

// System implements facts.Export.
func (b *Base) System() *facts.System { return b.Read }

// Notes implements facts.Export.
func (b *Base) Notes() *facts.Notes { return &b.Noted }

// Sources tell what "from" names for a format.
type Sources string

// What "from" may name.
const (
	Any       Sources = ""
	OneFolder Sources = "one folder"
	OneFile   Sources = "one file"
)

// Takes reports whether so many entries of "from" are as they should be.
func (s Sources) Takes(entries int) bool { return s == Any || entries == 1 }

// A Format reads one kind of export.
type Format struct {
	Name string // as the estate file writes it
	Doc  string // one sentence: what it reads
	From Sources
	// Open reads the settings and gets ready to stream the accounts. Errors
	// about the export are *Unreadable; any other error is the configuration's.
	Open func(*Request) (facts.Export, error)
	// How tells the commands that take such an export from the real system.
	How string
	// ToKnow says, for settings and facts that an export may lack, what to
	// export to know them.
	ToKnow map[string]string
}

// Unreadable means that an export could not be read at all, or not to its end.
type Unreadable struct {
	File    string
	Line    int // 0 when the whole file is meant
	Message string
	Err     error
}

func (u *Unreadable) Error() string {
	return facts.Origin{File: u.File, Line: u.Line}.String() + ": " + u.Message
}

func (u *Unreadable) Unwrap() error { return u.Err }

// CannotOpen explains why a file of an export could not be opened, in words.
func CannotOpen(file string, err error) error {
	message := Reason(err)
	if errors.Is(err, fs.ErrNotExist) {
		message += "; check \"from\" in estate.yaml, or take the export again"
	}
	return &Unreadable{File: file, Message: message, Err: err}
}

// Reason is why a file could not be read, in words and without its path.
func Reason(err error) string {
	var path *fs.PathError
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "no such file"
	case errors.Is(err, fs.ErrPermission):
		return "this user may not read the file"
	case errors.As(err, &path):
		return path.Err.Error()
	}
	return err.Error()
}

// OpenThere opens a file that an export may lack; nil without one. Why one that is there
// cannot be opened is noted.
func (r *Request) OpenThere(name string, notes *facts.Notes) *text.File {
	f, err := r.Open(name, "")
	if err == nil {
		return f
	}
	if !errors.Is(err, fs.ErrNotExist) {
		notes.Incomplete(facts.Origin{File: name}, "%s", Reason(err))
	}
	return nil
}

// Lines are those of a small file that an export may lack, as OpenThere has it.
func (r *Request) Lines(name string, notes *facts.Notes) (lines []string) {
	f := r.OpenThere(name, notes)
	if f == nil {
		return nil
	}
	defer f.Close()
	s := text.NewScanner(f)
	for s.Scan() {
		lines = append(lines, s.Text())
	}
	if err := s.Err(); err != nil {
		notes.Incomplete(facts.Origin{File: name, Line: len(lines) + 1}, "the file cannot be read on: %s", text.Told(err))
	}
	return lines
}

// Failed stands for a system whose export could not be read at all.
func Failed(r *Request, err error) facts.Export {
	f := &failed{r.NewBase()}
	origin := facts.Origin{File: strings.Join(r.From, ", ")}
	message := err.Error()
	var u *Unreadable
	if errors.As(err, &u) {
		origin, message = facts.Origin{File: u.File, Line: u.Line}, u.Message
	}
	f.Noted.Incomplete(origin, "%s", message)
	return f
}

type failed struct{ Base }

func (f *failed) Accounts(func(*facts.Account) error) error { return nil }

// AnyCharacters records what holds of every server that looks at no more than
// counts and lists: any characters are taken, digits and symbols may stand
// anywhere, and there is no meter.
func AnyCharacters(p *facts.Policy, origin facts.Origin) {
	p.Set(setting.Alphabet, setting.AlphabetAny, origin)
	p.Set(setting.StrengthFloor, setting.NoStrengthFloor, origin)
	p.Set(setting.DigitInside, setting.No, origin)
	p.Set(setting.SymbolInside, setting.No, origin)
}
