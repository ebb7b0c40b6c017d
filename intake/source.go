package intake

import (
	"errors"
	"strings"
	"time"
)

// A Source is where an export is taken from, as estate.yaml says.
type Source struct {
	Ask      string // how: one of Asking
	Address  string
	User     string   // who asks; "" for nobody
	Secret   *Secret  // of that user
	CA       string   // a file of certificates to trust; "" for those of the host
	StartTLS bool     // LDAP: encrypt before anything is asked
	External bool     // LDAP: be who the connection is (SASL EXTERNAL)
	Bases    []string // LDAP: where to look; none for all that the server has
	Database string   // PostgreSQL: to connect to
	Rows     string   // of a page of JSON, the member that holds the rows
	Next     string   // of a page of JSON, the member that holds the address of the next
	Command  []string // a program and its arguments
	Reads    string   // the format that reads the export
	Files    []string // where the export is read, as estate.yaml has it
	Patience time.Duration
}

// Asking are the ways to ask systems.
var Asking = []string{"ldap", "postgresql", "mariadb", "clickhouse", "scim", "web", "host", "command"}

// A Secret is where a password or token comes from; it is never in estate.yaml.
type Secret struct {
	Env  string // the variable of the environment
	File string // whose owner alone may read it
	Ask  bool   // at the terminal
}

// ParseSecret reads "env NAME", "file PATH" or "ask". The error does not show the
// text, which may be a password.
func ParseSecret(text string) (*Secret, error) {
	how, rest, _ := strings.Cut(text, " ")
	rest = strings.TrimSpace(rest)
	switch {
	case how == "env" && rest != "" && !strings.ContainsAny(rest, "= \t"):
		return &Secret{Env: rest}, nil
	case how == "file" && rest != "":
		return &Secret{File: rest}, nil
	case text == "ask":
		return &Secret{Ask: true}, nil
	}
	return nil, errors.New("expected \"env NAME\", \"file PATH\" or \"ask\": where the password or token comes from, which never stands here itself")
}

func (s *Secret) String() string {
	switch {
	case s == nil:
		return "no password"
	case s.Env != "":
		return "a password from the environment, " + s.Env
	case s.File != "":
		return "a password from " + s.File
	}
	return "a password that is asked for"
}
