package estatefolder

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/signin"
	"yewcone/core/strictyaml"
	"yewcone/intake/signins"
)

// signinsFile says where the record of a system's sign-ins lies.
type signinsFile struct {
	Read strictyaml.Text   `yaml:"read,required"`
	From []strictyaml.Text `yaml:"from"`
	Zone *strictyaml.Text  `yaml:"zone"` // of stamps that have none; UTC when left out
}

// recordForms are how records of sign-ins are read.
var recordForms = []string{"sshd", "mapping"}

// checkSignins notes what is wrong with where a record is said to lie.
func (l *loader) checkSignins(s *System, f *signinsFile) {
	if s.signins = f; f == nil {
		return
	}
	if !slices.Contains(recordForms, f.Read.Value) {
		l.note(f.Read.At(0, "a record of sign-ins is read as sshd (lines of OpenSSH) or mapping (tables that the mapping of the system explains), not %q%s",
			f.Read.Value, nearword.Advice(f.Read.Value, recordForms)))
		return
	}
	if f.Read.Value == "mapping" && len(f.From) > 0 {
		l.note(f.From[0].At(0, "a record that is read as mapping has its files in the mapping, under \"signins\""))
	}
	if f.Read.Value == "sshd" && len(f.From) == 0 {
		l.note(f.Read.At(0, "name the files of the record under \"from\""))
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

// ErrNoRecord means that the estate names no record of a system's sign-ins.
type ErrNoRecord struct{ System string }

func (e ErrNoRecord) Error() string {
	return fmt.Sprintf("the estate names no record of the sign-ins of %s; write \"signins: {read: sshd, from: auth.log}\" at the system, or "+
		"\"signins: {read: mapping}\" and the tables in its mapping", e.System)
}

// Signins calls do for each sign-in of a system's record, in the order in which
// it stands there. The event is good until do returns.
func (e *Estate) Signins(system string, export facts.Export, book *signin.Book, do func(*signin.Event)) error {
	at := slices.IndexFunc(e.Systems, func(s System) bool { return s.Name == system })
	if at < 0 || e.Systems[at].signins == nil {
		return ErrNoRecord{system}
	}
	s := &e.Systems[at]
	if s.signins.Read.Value == "mapping" {
		if s.Request.Mapping == "" {
			return s.signins.Read.At(0, "the system has no mapping, which would say how its record is read")
		}
		if r, ok := export.(interface {
			Signins(*signin.Book, func(*signin.Event)) (bool, error)
		}); ok {
			if has, err := r.Signins(book, do); has || err != nil {
				return err
			}
		}
		return fmt.Errorf("%s has no \"signins\": say under it which column is the time, the account, the source and the outcome", s.Request.Mapping)
	}
	source := signins.Source{Book: book, Zone: s.signinZone, Until: export.System().AsOf, Notes: export.Notes()}
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
	return source.SSHD(do)
}
