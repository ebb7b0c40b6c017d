package trial

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"yewcone/core/facts"
)

// Systems are what candidates are tried on together.
type Systems []Subject

// Targets finds what candidates are held against on all systems, or on those
// that are named. A system without the account that is named gets what holds
// for nobody in particular, where others have it.
func (s Systems) Targets(whom Whom, only []string) ([]*Target, error) {
	var all []*Target
	var missing error
	found := false
	for i := range s {
		if len(only) > 0 && !slices.Contains(only, s[i].name()) {
			continue
		}
		list, err := Targets(&s[i], whom)
		var notFound *facts.NotFound
		if errors.As(err, &notFound) {
			missing = errors.Join(missing, err)
			list, err = Targets(&s[i], Whom{})
			for _, t := range list {
				t.Note = "has no account " + whom.Account + ", so that names are not compared"
			}
		} else {
			found = found || err == nil
		}
		if err != nil {
			return nil, err
		}
		all = append(all, list...)
	}
	if !found && missing != nil {
		return nil, missing
	}
	return all, nil
}

func (s *Subject) name() string { return s.Export.System().Name }

func (s Systems) names() []string {
	var names []string
	for i := range s {
		names = append(names, s[i].name())
	}
	return names
}

// Run runs trial files on the systems that they try, or on those of them that
// are asked for. Files that try none of these are left out.
func (s Systems) Run(files []*File, asked []string) ([]*Result, error) {
	var results []*Result
	for _, f := range files {
		on, err := s.triedBy(f, asked)
		if err != nil {
			return nil, err
		}
		if len(on) == 0 {
			continue
		}
		r, err := f.Run(func(whom Whom) ([]*Target, error) { return s.Targets(whom, on) })
		if err != nil {
			return nil, err
		}
		for i := range s {
			if slices.Contains(on, s[i].name()) {
				alike, err := f.Resembling(s[i].Export)
				if err != nil {
					return nil, err
				}
				r.Resemble = append(r.Resemble, alike...)
			}
		}
		results = append(results, r)
	}
	if len(results) == 0 {
		return nil, fmt.Errorf("no trial file tries %s", strings.Join(asked, ", "))
	}
	return results, nil
}

// Count counts candidates that came out otherwise than they should, and those
// that should be accepted of which it cannot be told.
func Count(results []*Result) (wrong, open int) {
	for _, r := range results {
		for _, l := range r.Lines {
			if !l.AsWanted {
				wrong++
			} else if l.Open && l.Want.Accepted {
				open++
			}
		}
	}
	return wrong, open
}

// triedBy lists the systems that a trial file tries and that are asked for.
func (s Systems) triedBy(f *File, asked []string) ([]string, error) {
	all := s.names()
	for _, name := range asked {
		if !slices.Contains(all, name) {
			return nil, fmt.Errorf("no system is named %q; the estate has %s", name, strings.Join(all, ", "))
		}
	}
	on, err := f.systems(all)
	if err != nil {
		return nil, err
	}
	if len(asked) > 0 {
		on = slices.DeleteFunc(slices.Clone(on), func(name string) bool { return !slices.Contains(asked, name) })
	}
	return on, nil
}

// systems lists the systems of an estate that the file tries.
func (f *File) systems(all []string) ([]string, error) {
	if len(f.Systems) == 0 {
		return all, nil
	}
	var on []string
	for _, s := range f.Systems {
		if !slices.Contains(all, s.Value) {
			return nil, fmt.Errorf("%s:%d: no system is named %q; the estate has %s", f.Name, s.Line, s.Value, strings.Join(all, ", "))
		}
		on = append(on, s.Value)
	}
	return on, nil
}

// Trying leaves the files that try a system; all are the names of an estate's.
func Trying(files []*File, system string, all []string) ([]*File, error) {
	var kept []*File
	for _, f := range files {
		on, err := f.systems(all)
		if err != nil {
			return nil, err
		}
		if slices.Contains(on, system) {
			kept = append(kept, f)
		}
	}
	return kept, nil
}

// ErrNone is that there was nothing to try.
var ErrNone = errors.New("no candidates")

// mostCandidates bounds how many are tried at a time.
const mostCandidates = 10000

// ReadCandidates reads candidates, one a line. Errors name the place and never
// what stands there.
func ReadCandidates(r io.Reader, name string) ([]string, error) {
	var list []string
	s := bufio.NewScanner(r)
	for n := 1; s.Scan(); n++ {
		line := strings.TrimSuffix(s.Text(), "\r")
		if n == 1 {
			line = strings.TrimPrefix(line, "\ufeff")
		}
		switch {
		case line == "":
			continue
		case strings.ToValidUTF8(line, "") != line:
			return nil, fmt.Errorf("%s: line %d is no UTF-8 text", name, n)
		case len(list) == mostCandidates:
			return nil, fmt.Errorf("%s: more than %d candidates; try them in several runs", name, mostCandidates)
		}
		list = append(list, line)
	}
	if s.Err() != nil {
		return nil, fmt.Errorf("%s: %w", name, s.Err())
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("%s has %w; write one a line", name, ErrNone)
	}
	return list, nil
}
