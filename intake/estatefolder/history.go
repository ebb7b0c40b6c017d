package estatefolder

import (
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"yewcone/core/strictyaml"
)

// historyFile is where results are kept.
type historyFile struct {
	File     strictyaml.Text  `yaml:"file,short"` // of SQLite, in the estate
	URL      *strictyaml.Text `yaml:"url"`        // of PostgreSQL, without its password
	Password *strictyaml.Text `yaml:"password_file"`
}

// A History is where results are kept.
type History struct {
	Where        string // the path of a file, or a URL of PostgreSQL
	passwordFile string // "" where the environment has it
}

// historyName is the file where nothing else is said.
const historyName = "history.db"

// PasswordVariable is the environment variable with the password of a
// PostgreSQL history.
const PasswordVariable = "YEWCONE_HISTORY_PASSWORD"

func (l *loader) history(f *historyFile) History {
	h := History{Where: filepath.Join(l.folder, historyName)}
	if f == nil {
		return h
	}
	if f.Password != nil {
		h.passwordFile = f.Password.Value
		if !filepath.IsAbs(h.passwordFile) {
			h.passwordFile = filepath.Join(l.folder, h.passwordFile)
		}
	}
	switch {
	case f.URL != nil && f.File.Value != "":
		l.note(f.URL.At(0, "a history has a file or a url, not both"))
	case f.URL != nil:
		h.Where = f.URL.Value
		u, err := url.Parse(f.URL.Value)
		if err != nil || !strings.HasPrefix(u.Scheme, "postgres") {
			l.note(f.URL.At(0, "expected a URL of PostgreSQL such as postgres://keeper@db.marrowby.example/yewcone"))
		} else if _, there := u.User.Password(); there {
			l.note(f.URL.At(0, "a password has no place here; put it into the environment as %s, or name a file with it under \"password_file\"",
				PasswordVariable))
		}
	case f.File.Value != "":
		h.Where = filepath.Join(l.folder, filepath.FromSlash(f.File.Value))
		if filepath.IsAbs(f.File.Value) {
			h.Where = f.File.Value
		}
	}
	return h
}

// Password is that of a PostgreSQL history: of the file that the estate names,
// or of the environment.
func (h *History) Password() (string, error) {
	if h.passwordFile == "" {
		return os.Getenv(PasswordVariable), nil
	}
	data, err := os.ReadFile(h.passwordFile)
	return strings.TrimRight(string(data), "\r\n"), err
}
