package estatefolder

import (
	"path/filepath"
	"slices"
	"strings"
	"time"

	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/mapping"
)

// sourceFile is where an export is taken from.
type sourceFile struct {
	Ask      strictyaml.Text   `yaml:"ask,required"`
	Address  *strictyaml.Text  `yaml:"address"`
	User     string            `yaml:"user"`
	Secret   *strictyaml.Text  `yaml:"secret"`
	CA       *strictyaml.Text  `yaml:"ca"`
	StartTLS bool              `yaml:"starttls"`
	External bool              `yaml:"external"`
	Base     []string          `yaml:"base"`
	Database string            `yaml:"database"`
	Rows     string            `yaml:"rows"`
	Next     string            `yaml:"next"`
	Command  []strictyaml.Text `yaml:"command"`
	Patience *strictyaml.Text  `yaml:"patience"`
}

// patience is how long a taking may last where nobody says it.
const patience = 30 * time.Minute

// source reads where an export is taken from; nil where nobody says it.
func (l *loader) source(f *systemFile) *intake.Source {
	raw := f.Source
	if raw == nil {
		return nil
	}
	s := &intake.Source{Ask: raw.Ask.Value, User: raw.User, StartTLS: raw.StartTLS, External: raw.External, Bases: raw.Base, Database: raw.Database,
		Rows: raw.Rows, Next: raw.Next, Reads: f.Export.Read.Value, Patience: patience}
	for _, from := range f.Export.From {
		s.Files = append(s.Files, filepath.ToSlash(from.Value))
	}
	if !slices.Contains(intake.Asking, s.Ask) {
		l.note(raw.Ask.At(0, "no way to ask a system is named %q; it is one of %s%s", s.Ask, strings.Join(intake.Asking, ", "),
			nearword.Advice(s.Ask, intake.Asking)))
		return nil
	}
	inPlace := s.Reads == mapping.SQL.Name
	switch ways := []string{"postgresql", "clickhouse"}; {
	case inPlace && !slices.Contains(ways, s.Ask):
		l.note(raw.Ask.At(0, "accounts are judged where they lie by \"ask\": %s; found %s", strings.Join(ways, " or "), s.Ask))
	case !inPlace && s.Ask == "clickhouse":
		l.note(raw.Ask.At(0, "\"ask: clickhouse\" is for \"read: sql\", and %s is read as %s", strings.Join(s.Files, ", "), s.Reads))
	}
	if raw.Address != nil {
		s.Address = raw.Address.Value
		if at := strings.LastIndex(s.Address, "@"); at >= 0 && strings.Contains(s.Address[:at], ":") && strings.Contains(strings.TrimPrefix(
			s.Address[:at], schemeOf(s.Address)), ":") {
			l.note(raw.Address.Hidden("a name and a password seem to stand in the address: say under \"user\" who asks, and under \"secret\" " +
				"where the password comes from"))
			return nil
		}
	}
	switch {
	case s.Ask == "command" && len(raw.Command) == 0:
		l.note(raw.Ask.At(0, "a command needs \"command\": the program and its arguments, as a list"))
	case s.Ask != "command" && len(raw.Command) > 0:
		l.note(raw.Command[0].At(0, "\"command\" is for \"ask: command\""))
	case s.Ask != "command" && s.Ask != "host" && s.Address == "":
		l.note(raw.Ask.At(0, "%s needs \"address\"", s.Ask))
	}
	for _, word := range raw.Command {
		s.Command = append(s.Command, word.Value)
	}
	if raw.Secret != nil {
		secret, err := intake.ParseSecret(raw.Secret.Value)
		if err != nil {
			l.note(raw.Secret.Hidden("%s", err))
		} else if secret.File != "" && !filepath.IsAbs(secret.File) {
			secret.File = filepath.Join(l.folder, filepath.FromSlash(secret.File))
		}
		s.Secret = secret
	}
	if raw.CA != nil {
		if s.CA = filepath.FromSlash(raw.CA.Value); !filepath.IsAbs(s.CA) {
			s.CA = filepath.Join(l.folder, s.CA)
		}
	}
	if raw.Patience != nil {
		span, err := setting.ParseSpan(raw.Patience.Value)
		if s.Patience = time.Duration(span.Length()) * time.Second; err != nil || s.Patience <= 0 || s.Patience > 7*24*time.Hour {
			l.note(raw.Patience.At(0, "expected how long the taking may last, such as 10 minutes, at most 7 days, found %q", raw.Patience.Value))
		}
	}
	return s
}

// schemeOf is what stands before "://" in an address, with that.
func schemeOf(address string) string {
	if scheme, _, ok := strings.Cut(address, "://"); ok {
		return scheme + "://"
	}
	return ""
}

// taken takes over the moment and the view of an export that was taken, where the
// system says none itself.
func (l *loader) taken(r *intake.Request, f *systemFile) {
	for i, from := range r.From {
		t, ok := intake.ReadTaken(r.Path(from))
		if !ok {
			return
		}
		if f.AsOf == nil && i == 0 {
			r.AsOf, r.AsOfFrom = t.At, "when the export was taken"
		}
		r.Whole = t.Whole && (i == 0 || r.Whole)
	}
}
