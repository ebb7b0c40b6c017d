package estatefolder

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/signin"
	"yewcone/core/strictyaml"
	"yewcone/intake/mapping"
	"yewcone/intake/signins"
)

// signinsFile says where the record of a system's sign-ins lies.
type signinsFile struct {
	Read     strictyaml.Text   `yaml:"read,required"`
	From     []strictyaml.Text `yaml:"from"`
	Zone     *strictyaml.Text  `yaml:"zone"`     // of stamps that have none; UTC when left out
	Programs []string          `yaml:"programs"` // beside OpenSSH, by the names that they have for PAM
	Mapping  *strictyaml.Text  `yaml:"mapping"`  // the system's when left out
}

// recordForms are how records of sign-ins are read.
var recordForms = append(slices.Sorted(maps.Keys(signins.Forms)), "mapping")

// checkSignins notes what is wrong with where a record is said to lie.
func (l *loader) checkSignins(s *System, f *signinsFile) {
	if s.signins = f; f == nil {
		return
	}
	mapped := f.Read.Value == "mapping"
	switch {
	case !slices.Contains(recordForms, f.Read.Value):
		l.note(f.Read.At(0, "a record of sign-ins is read as sshd (log lines of OpenSSH and PAM), failures (what faillock or lastb prints), accesslog "+
			"(of slapd, as LDIF) or mapping (tables that a mapping explains), not %q%s", f.Read.Value, nearword.Advice(f.Read.Value, recordForms)))
	case mapped && f.Mapping == nil && s.Request.Mapping == "":
		l.note(f.Read.At(0, "the system has no mapping, which would say how its record is read: name one under \"mapping\" here"))
	case mapped && f.Mapping == nil && len(f.From) > 0:
		l.note(f.From[0].At(0, "a record that the mapping of the system explains has its files there, under \"signins\""))
	case !mapped && f.Mapping != nil:
		l.note(f.Mapping.At(0, "a record is read by a mapping where \"read\" is mapping"))
	case (!mapped || f.Mapping != nil) && len(f.From) == 0:
		l.note(f.Read.At(0, "name the files of the record under \"from\""))
	case len(f.Programs) > 0 && f.Read.Value != "sshd":
		l.note(f.Read.At(0, "\"programs\" says which log lines count beside those of OpenSSH, where \"read\" is sshd"))
	}
	for _, path := range f.From {
		l.inside(path)
	}
	if f.Mapping != nil {
		l.inside(*f.Mapping)
		if info, err := os.Stat(s.Request.Path(f.Mapping.Value)); err != nil || info.IsDir() {
			l.note(f.Mapping.At(0, "there is no file %q", f.Mapping.Value))
		}
	}
	s.signinZone = time.UTC
	if f.Zone != nil {
		zone, err := time.LoadLocation(f.Zone.Value)
		if err != nil {
			l.note(f.Zone.At(0, "no zone is named %q; one is named such as Europe/Copenhagen", f.Zone.Value))
			return
		}
		s.signinZone = zone
	}
}

// unix is a moment in seconds; 0 where it is not known.
func unix(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.Unix()
}

// recordName is how the record of a system is told.
func (e *Estate) recordName(s *System) string {
	switch {
	case s.signins.Mapping != nil:
		return s.signins.Mapping.Value + " (signins)"
	case len(s.signins.From) == 0:
		return s.Request.Mapping + " (signins)"
	}
	return e.relative(s.Request.Path(s.signins.From[0].Value))
}

// ErrNoRecord means that the estate names no record of a system's sign-ins.
type ErrNoRecord struct{ System string }

func (e ErrNoRecord) Error() string {
	return fmt.Sprintf("the estate names no record of the sign-ins of %s; write \"signins: {read: sshd, from: auth.log}\" at the system, or "+
		"\"signins: {read: mapping}\" and the tables in its mapping", e.System)
}

// Signins calls do for each sign-in of a system's record, in the order of their
// moments as far as the record has it. The event is good until do returns.
func (e *Estate) Signins(system string, export facts.Export, book *signin.Book, do func(*signin.Event)) error {
	at := slices.IndexFunc(e.Systems, func(s System) bool { return s.Name == system })
	if at < 0 || e.Systems[at].signins == nil {
		return ErrNoRecord{system}
	}
	order := signin.NewOrder(book.Scratch, do)
	if err := e.readSignins(&e.Systems[at], export, book, order.Add); err != nil {
		return err
	}
	return order.End()
}

func (e *Estate) readSignins(s *System, export facts.Export, book *signin.Book, do func(*signin.Event)) error {
	if s.signins.Read.Value == "mapping" {
		return s.mappedSignins(export, book, do)
	}
	source := signins.Source{Folder: e.Folder, Book: book, Zone: s.signinZone, Until: export.System().AsOf, Notes: export.Notes(),
		Programs: s.signins.Programs}
	if source.Until.IsZero() {
		source.Until = time.Now()
	}
	for _, f := range s.signins.From {
		path := s.Request.Path(f.Value)
		found, err := filepath.Glob(path)
		if err != nil || len(found) == 0 {
			if _, err := os.Stat(path); err != nil {
				return f.At(0, "there is no file %q", f.Value)
			}
			found = []string{path}
		}
		for _, name := range found {
			source.Files = append(source.Files, name)
			source.Names = append(source.Names, e.relative(name))
		}
	}
	return signins.Forms[s.signins.Read.Value](&source, do)
}

// mappedSignins reads a record by the system's mapping, or by one of its own.
func (s *System) mappedSignins(export facts.Export, book *signin.Book, do func(*signin.Event)) error {
	name, notes := s.Request.Mapping, export.Notes()
	if own := s.signins.Mapping; own != nil {
		name = own.Value
		request := s.Request
		request.Mapping, request.From = name, nil
		for _, f := range s.signins.From {
			request.From = append(request.From, f.Value)
		}
		var err error
		if export, err = mapping.Format.Open(&request); err != nil {
			return err
		}
		defer func() { notes.Join(export.Notes()) }()
	}
	if r, ok := export.(interface {
		Signins(*signin.Book, func(*signin.Event)) (bool, error)
	}); ok {
		if has, err := r.Signins(book, do); has || err != nil {
			return err
		}
	}
	return fmt.Errorf("%s has no \"signins\": say under it which column is the time, the account, the source and the outcome", name)
}
